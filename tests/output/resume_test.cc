// Frames that are kept until a movie is whole: none is rendered twice, and none of another job is used.
#include "output/kept_frames.h"
#include "scene/file.h"
#include "stage.h"

#include <algorithm>
#include <cmath>
#include <csignal>
#include <gtest/gtest.h>
#include <limits>
#include <random>
#include <set>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace stage::output {
namespace {

using test::Rgba8;
using test::TempDir;
constexpr V2i smallFrame(64, 36);

/// Writes until a share is done, then is stopped as by a signal.
void interrupted(const scene::Scene& scene, Job job, double share) {
    media::PixelCache sources;
    std::stop_source stop;
    job.keepWhenStopped = true;
    const auto result = write(scene, job, sources,
                              {[&](double done) {
                                   if (done > share) stop.request_stop();
                               },
                               stop.get_token()});
    ASSERT_FALSE(result);
    EXPECT_TRUE(result.error().cancelled);
}

std::set<std::string> keptIn(const std::filesystem::path& folder) {
    std::set<std::string> names;
    for (const auto& entry : std::filesystem::directory_iterator(folder))
        if (entry.path().extension() != ".txt") names.insert(entry.path().filename().string());
    return names;
}

void paintRed(const std::filesystem::path& picture) {
    test::writePicture(picture, smallFrame, [](int, int) { return Rgba8{255, 0, 0, 255}; });
}
bool isRed(const std::vector<std::uint8_t>& values) {
    return values[0] == 255 && values[1] == 0 && values[2] == 0;
}

TEST(Resume, AMovieGoesOnWithTheFramesThatAreThere) {
    const TempDir dir;
    const auto scene = scrolling(dir, smallFrame);
    Job job{dir / "a.mkv", Format::Ffv1, smallFrame, 0, 11};
    interrupted(scene, job, 0.4);
    EXPECT_FALSE(std::filesystem::exists(dir / "a.mkv"));
    const auto folder = keptFramesOf(dir / "a.mkv");
    const auto kept = keptIn(folder);
    EXPECT_GE(kept.size(), 5u);
    EXPECT_LE(kept.size(), 8u);
    // What is there is used as it is; what is damaged is not.
    keepRed(dir / "a.mkv", smallFrame, 2);
    test::writeAll(folder / "000003.frame", "no picture");
    media::PixelCache sources;
    ASSERT_TRUE(write(scene, job, sources));
    EXPECT_FALSE(std::filesystem::exists(folder));
    EXPECT_EQ(probe(dir / "a.mkv").frames, 12);
    EXPECT_TRUE(isRed(decodedBytes(dir / "a.mkv", smallFrame, 2)));
    for (const int frame : {0, 3, 9}) {
        EXPECT_EQ(decodedBytes(dir / "a.mkv", smallFrame, frame), rendered(scene, frame, smallFrame))
            << frame;
    }
}

/// Of every kind of pixels, bit by bit; of a damaged file nothing.
TEST(Resume, KeptFramesAreLossless) {
    const TempDir dir;
    std::mt19937 engine(3);
    const V2i size(37, 5);
    const std::size_t count = static_cast<std::size_t>(size.x) * size.y * 4;
    const auto check = [&](auto sample, bool alpha) {
        using Sample = decltype(sample);
        render::Samples<Sample> rgba(count);
        for (std::size_t i = 0; i < count; ++i) {
            if constexpr (std::is_same_v<Sample, float>)
                rgba[i] =
                    std::ldexp(static_cast<float>(engine()) - 2e9f, static_cast<int>(engine() % 60) - 60);
            else
                rgba[i] = static_cast<Sample>(engine());
            if (!alpha && i % 4 == 3)
                rgba[i] = std::is_same_v<Sample, float> ? Sample(1) : std::numeric_limits<Sample>::max();
        }
        const int bits = 8 * static_cast<int>(sizeof(Sample));
        const auto kept =
            KeptFrames::open(dir / (std::to_string(bits) + (alpha ? "a" : "")), "job", bits, alpha);
        ASSERT_TRUE(kept);
        ASSERT_TRUE(kept->keep(7, {size, rgba}));
        const auto read = kept->read(7, size);
        ASSERT_TRUE(read);
        EXPECT_EQ(std::get<render::Samples<Sample>>(read->rgba), rgba) << bits << alpha;
        const auto file = dir / (std::to_string(bits) + (alpha ? "a" : "")) / "000007.frame";
        std::string bytes = *scene::readFile(file);
        bytes[bytes.size() / 2] ^= 1;
        test::writeAll(file, bytes);
        EXPECT_FALSE(kept->read(7, size));
        EXPECT_FALSE(kept->has(7));
        ASSERT_TRUE(kept->keep(7, {size, rgba}));
        EXPECT_FALSE(kept->read(7, size + V2i(1)));
    };
    for (const bool alpha : {false, true}) {
        check(std::uint8_t{}, alpha);
        check(std::uint16_t{}, alpha);
        check(float{}, alpha);
    }
}

TEST(Resume, FramesOfAnotherSceneAreNotUsed) {
    const TempDir dir;
    auto scene = scrolling(dir, smallFrame);
    const Job job{dir / "a.mkv", Format::Ffv1, smallFrame, 0, 11};
    interrupted(scene, job, 0.3);
    keepRed(dir / "a.mkv", smallFrame, 1);
    scene.camera.marks[1].pose.position.x = 1.5;
    interrupted(scene, job, 0.3);
    EXPECT_FALSE(keptIn(keptFramesOf(dir / "a.mkv")).empty());
    // The same scene, but a picture in it was changed.
    keepRed(dir / "a.mkv", smallFrame, 1);
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
    test::writePicture(dir / "a.png", {256, 64}, [](int, int) { return Rgba8{0, 200, 0, 255}; });
    media::PixelCache sources;
    ASSERT_TRUE(write(scene, job, sources));
    EXPECT_FALSE(isRed(decodedBytes(dir / "a.mkv", smallFrame, 1)));
}

TEST(Resume, PicturesThatAreWrittenAreNotWrittenAgain) {
    const TempDir dir;
    const auto scene = scrolling(dir, smallFrame);
    const Job job{dir / "f/f.##.png", Format::Png, smallFrame, 0, 11};
    // One that was there before is not of this job.
    std::filesystem::create_directory(dir / "f");
    paintRed(dir / "f/f.10.png");
    interrupted(scene, job, 0.4);
    paintRed(dir / "f/f.01.png");
    std::filesystem::remove(dir / "f/f.02.png");
    media::PixelCache sources;
    ASSERT_TRUE(write(scene, job, sources));
    EXPECT_EQ(filesIn(dir / "f"), 12u);
    V2i of;
    int channels = 0;
    EXPECT_EQ(test::pixelsOf(dir / "f/f.01.png", of, channels)[0], 255) << "was written again";
    EXPECT_EQ(test::pixelsOf(dir / "f/f.01.png", of, channels)[1], 0);
    EXPECT_NE(test::pixelsOf(dir / "f/f.10.png", of, channels)[3 * (18 * 64 + 32) + 1], 0)
        << "was not written";
}

TEST(Resume, PartsByTheirOwnRunsMakeTheSameMovie) {
    const TempDir dir;
    const auto scene = scrolling(dir, smallFrame);
    media::PixelCache sources;
    Job whole{dir / "whole.mkv", Format::Ffv1, smallFrame, 0, 11};
    ASSERT_TRUE(write(scene, whole, sources));
    Job part = whole;
    part.path = dir / "parts.mkv", part.framesOnly = true;
    for (const auto& [first, last] : {std::pair{8, 11}, std::pair{0, 3}, std::pair{4, 7}}) {
        part.first = first, part.last = last;
        ASSERT_TRUE(write(scene, part, sources));
        EXPECT_FALSE(std::filesystem::exists(part.path));
    }
    EXPECT_EQ(keptIn(keptFramesOf(part.path)).size(), 12u);
    part.first = 0, part.last = 11, part.framesOnly = false;
    ASSERT_TRUE(write(scene, part, sources));
    const auto sums = [&](const char* name) {
        return test::run("ffmpeg -v error -i " + (dir / name).string() + " -f framemd5 -").printed;
    };
    EXPECT_EQ(sums("whole.mkv"), sums("parts.mkv"));
}

TEST(Resume, PartsHaveAllFramesOfALoopAndNoWipe) {
    const TempDir dir;
    const auto scene = scrolling(dir, smallFrame);
    media::PixelCache sources;
    Job whole{dir / "whole.mkv", Format::Ffv1, smallFrame, 0, 11};
    whole.loop = {Loop::Kind::Dissolve, 4};
    ASSERT_TRUE(write(scene, whole, sources));
    Job part = whole;
    part.path = dir / "parts.mkv", part.framesOnly = true;
    for (const int first : {6, 0, 3, 9}) { // each shorter than the dissolve asks for
        part.first = first, part.last = first + 2;
        const auto made = write(scene, part, sources);
        ASSERT_TRUE(made) << made.error().sentence;
    }
    part.first = 0, part.last = 11, part.framesOnly = false;
    ASSERT_TRUE(write(scene, part, sources));
    const auto sums = [&](const char* name) {
        return test::run("ffmpeg -v error -i " + (dir / name).string() + " -f framemd5 -").printed;
    };
    EXPECT_EQ(sums("whole.mkv"), sums("parts.mkv"));
    part.framesOnly = true, part.wipe.emplace();
    const auto refused = write(scene, part, sources);
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().sentence, "A wipe cannot be rendered in parts.");
}

TEST(Resume, AFolderOfSomebodyElseIsLeftAlone) {
    const TempDir dir;
    const auto scene = scrolling(dir, smallFrame);
    std::filesystem::create_directory(keptFramesOf(dir / "a.mkv"));
    test::writeAll(keptFramesOf(dir / "a.mkv") / "letter", "dear");
    media::PixelCache sources;
    const auto result = write(scene, {dir / "a.mkv", Format::Ffv1, smallFrame, 0, 3}, sources);
    ASSERT_FALSE(result);
    EXPECT_NE(result.error().sentence.find("something else is in it"), std::string::npos);
    EXPECT_EQ(test::readAll(keptFramesOf(dir / "a.mkv") / "letter"), "dear");
}

/// The program killed at any moment: no file under its final name is half.
TEST(Resume, KilledAtAnyMomentNothingHalfHasAFinalName) {
    const TempDir dir;
    const auto scene = scrolling(dir, smallFrame);
    ASSERT_TRUE(scene::save(scene, dir / "a.ostage"));
    const auto started = [&](const std::filesystem::path& path) {
        const pid_t child = ::fork();
        if (child == 0) {
            ::execl(test::cli().c_str(), "cli", "render", (dir / "a.ostage").c_str(), "-o", path.c_str(),
                    "--size", "64x36", "--quality", "draft", "--quiet", static_cast<char*>(nullptr));
            ::_exit(127);
        }
        return child;
    };
    // The moments are spread over as long as a run takes on this machine, now: they come sooner after a run
    // that ended by itself, later after one that did not.
    const auto begin = std::chrono::steady_clock::now();
    std::filesystem::create_directory(dir / "first");
    const pid_t first = started(dir / "first/m.mp4");
    ASSERT_GE(first, 0);
    int code = 1;
    ::waitpid(first, &code, 0);
    ASSERT_EQ(code, 0);
    std::chrono::duration<double> takes = std::chrono::steady_clock::now() - begin;
    unsigned state = 7;
    int whole = 0, killed = 0;
    constexpr int runs = 50 / slower;
    for (int n = 0; n < runs; ++n) {
        const bool movie = n % 2 == 0;
        const pid_t child = started(dir / (movie ? "m.mp4" : "p.##.png"));
        ASSERT_GE(child, 0);
        state = state * 1664525u + 1013904223u;
        std::this_thread::sleep_for(takes * (0.1 + (state >> 16) % 1000 * 1.1e-3));
        ::kill(child, SIGKILL);
        int ended = 0;
        ::waitpid(child, &ended, 0);
        killed += WIFSIGNALED(ended);
        takes *= WIFSIGNALED(ended) ? 1.06 : 0.94;
        for (const auto& entry : std::filesystem::directory_iterator(dir.path())) {
            const std::string name = entry.path().filename().string();
            if (name == "m.mp4") {
                EXPECT_EQ(probe(entry.path()).frames, 12);
                std::filesystem::remove(entry.path());
                ++whole;
            } else if (name.starts_with("p.")) {
                V2i of;
                int channels = 0;
                EXPECT_EQ(test::pixelsOf(entry.path(), of, channels).size(), 64u * 36 * 3) << name;
                ++whole;
            }
        }
    }
    EXPECT_GT(killed, slower > 1 ? 0 : runs / 3) << whole << " whole";
    EXPECT_GT(whole, slower > 1 ? 0 : runs / 3) << killed << " killed";
}

TEST(Loops, ShowWhatTheySay) {
    const auto frames = [](const Loop& loop) {
        std::string text;
        const auto shown = shownFrames(10, 15, loop);
        EXPECT_TRUE(shown);
        for (const Shown& each : *shown) {
            text += std::to_string(each.frame);
            if (each.over >= 0)
                text += ">" + std::to_string(each.over) + ":" + std::to_string(std::lround(each.share * 100));
            text += ' ';
        }
        return text;
    };
    EXPECT_EQ(frames({}), "10 11 12 13 14 15 ");
    EXPECT_EQ(frames({Loop::Kind::BackAndForth}), "10 11 12 13 14 15 14 13 12 11 ");
    EXPECT_EQ(frames({Loop::Kind::Dissolve, 2}), "14>10:33 15>11:67 12 13 ");
    EXPECT_FALSE(shownFrames(10, 15, {Loop::Kind::Dissolve, 4}));
    EXPECT_EQ(shownFrames(3, 3, {Loop::Kind::BackAndForth})->size(), 1u);
}

TEST(Loops, ADissolveMixesLightOfTheEndAndTheBeginning) {
    const TempDir dir;
    auto scene = scrolling(dir, smallFrame);
    Job job{dir / "a.mkv", Format::Ffv1, smallFrame, 0, 11};
    job.loop = {Loop::Kind::Dissolve, 3};
    job.encoding.bits = 16;
    media::PixelCache sources;
    ASSERT_TRUE(write(scene, job, sources));
    EXPECT_EQ(probe(dir / "a.mkv").frames, 9);
    const auto picture = [&](int frame) {
        return *render::render(
            motion::evaluate(scene, timeOfFrame(frame, scene.output.rate), smallFrame, true), job.quality,
            sources);
    };
    const auto head = picture(1), tail = picture(10);
    const auto values = decoded(dir / "a.mkv", smallFrame, 1); // the second of three
    for (std::size_t i = 0; i < head.rgba.size(); i += 101) {
        if (i % 4 == 3) continue;
        const double mixed = (static_cast<double>(head.rgba[i]) + static_cast<double>(tail.rgba[i])) / 2;
        const double shown = mixed <= 0.0031308 ? 12.92 * mixed : 1.055 * std::pow(mixed, 1 / 2.4) - 0.055;
        EXPECT_NEAR(values[i] / 65535.0, shown, 2e-4) << i;
    }
    // Pictures that go back and forth are written once for each time that they are shown.
    job = {dir / "f/f.##.png", Format::Png, smallFrame, 2, 5};
    job.loop.kind = Loop::Kind::BackAndForth;
    ASSERT_TRUE(write(scene, job, sources));
    EXPECT_EQ(filesIn(dir / "f"), 6u);
    EXPECT_EQ(test::readAll(dir / "f/f.04.png"), test::readAll(dir / "f/f.06.png"));
    EXPECT_NE(test::readAll(dir / "f/f.04.png"), test::readAll(dir / "f/f.05.png"));
}

}
}
