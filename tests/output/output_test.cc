#include "stage.h"

#include <cmath>
#include <gtest/gtest.h>
#include <sys/mount.h>

namespace stage::output {
namespace {

using test::Rgba8;
using test::TempDir;

TEST(Png, WritesWhatIsRendered) {
    const TempDir dir;
    const auto scene = scrolling(dir, {64, 36});
    media::PixelCache sources;
    ASSERT_TRUE(write(scene, {dir / "out/f.####.png", Format::Png, {64, 36}, 3, 6}, sources));
    EXPECT_EQ(filesIn(dir / "out"), 4u);
    for (const int n : {3, 6}) {
        V2i size;
        int channels = 0;
        const auto pixels = test::pixelsOf(dir / ("out/f.000" + std::to_string(n) + ".png"), size, channels);
        ASSERT_EQ(size, V2i(64, 36));
        ASSERT_EQ(channels, 3);
        const auto expected = rendered(scene, n, {64, 36});
        for (std::size_t i = 0; i < 64 * 36; ++i)
            for (std::size_t c = 0; c < 3; ++c)
                ASSERT_EQ(pixels[3 * i + c], expected[4 * i + c]);
    }
}

TEST(Png, KeepsATransparentBackground) {
    const TempDir dir;
    auto scene = scrolling(dir, {64, 64});
    scene.output.background = {0, 0, 0, 0};
    media::PixelCache sources;
    ASSERT_TRUE(write(scene, {dir / "one.png", Format::Png, {64, 64}, 0, 0}, sources));
    V2i size;
    int channels = 0;
    const auto pixels = test::pixelsOf(dir / "one.png", size, channels);
    ASSERT_EQ(channels, 4);
    EXPECT_EQ(pixels[3], 0);
    EXPECT_EQ(pixels[4 * (32 * 64 + 32) + 3], 255);
}

TEST(Movies, H264HasCountRateAndSize) {
    const TempDir dir;
    auto scene = scrolling(dir, {64, 36});
    scene.output.rate = Rational(24000, 1001);
    media::PixelCache sources;
    for (const auto& [name, size] : {std::pair{"a.mp4", V2i(64, 36)}, {"b.mov", V2i(128, 72)}}) {
        ASSERT_TRUE(write(scene, {dir / name, Format::H264, size, 0, 11}, sources)) << name;
        const Probed p = probe(dir / name);
        EXPECT_EQ(p.codec, "h264");
        EXPECT_EQ(p.pixels, "yuv420p");
        EXPECT_EQ(p.width, size.x);
        EXPECT_EQ(p.height, size.y);
        EXPECT_EQ(p.rate, "24000/1001");
        EXPECT_EQ(p.frames, 12);
    }
}

TEST(Movies, H264IsCloseToTheRenderedPicture) {
    const TempDir dir;
    const auto scene = scrolling(dir, {128, 72});
    media::PixelCache sources;
    ASSERT_TRUE(write(scene, {dir / "a.mp4", Format::H264, {128, 72}, 0, 11}, sources));
    ASSERT_EQ(test::run("ffmpeg -v error -y -i " + (dir / "a.mp4").string() +
                        " -vf scale=in_color_matrix=bt709:in_range=tv " + (dir / "d%02d.png").string())
                  .code,
              0);
    V2i size;
    int channels = 0;
    const auto pixels = test::pixelsOf(dir / "d05.png", size, channels);
    const auto expected = rendered(scene, 4, {128, 72});
    double sum = 0;
    for (std::size_t i = 0; i < 128 * 72; ++i)
        for (std::size_t c = 0; c < 3; ++c)
            sum += std::abs(pixels[static_cast<std::size_t>(channels) * i + c] - expected[4 * i + c]);
    EXPECT_LT(sum / (128 * 72 * 3), 4); // lossy, but the colours must not be shifted
}

TEST(Movies, Ffv1IsLosslessAndKeepsAlpha) {
    const TempDir dir;
    auto scene = scrolling(dir, {64, 64});
    scene.output.background = {0, 0, 0, 0};
    media::PixelCache sources;
    ASSERT_TRUE(write(scene, {dir / "a.mkv", Format::Ffv1, {64, 64}, 0, 5}, sources));
    EXPECT_EQ(probe(dir / "a.mkv").frames, 6);
    ASSERT_EQ(test::run("ffmpeg -v error -y -i " + (dir / "a.mkv").string() + " -pix_fmt rgba " +
                        (dir / "d%02d.png").string())
                  .code,
              0);
    V2i size;
    int channels = 0;
    EXPECT_EQ(test::pixelsOf(dir / "d04.png", size, channels), rendered(scene, 3, {64, 64}));
    EXPECT_EQ(channels, 4);
}

TEST(Refusals, EachHasItsSentenceAndLeavesNothing) {
    const TempDir dir;
    const auto scene = scrolling(dir, {64, 36});
    media::PixelCache sources;
    const auto sentence = [&](Job job) {
        const auto result = write(scene, job, sources);
        EXPECT_FALSE(result);
        return result ? "" : result.error().sentence;
    };
    const V2i size(64, 36);
    EXPECT_EQ(sentence({dir / "a.mp4", Format::H264, size, 0, 12}), "Frames 0-12 are not within 0-11.");
    EXPECT_EQ(sentence({dir / "a.mp4", Format::H264, {0, 36}, 0, 3}), "The size 0 x 36 is not usable.");
    EXPECT_EQ(sentence({dir / "a.png", Format::Png, size, 0, 3}),
              "Several PNG files need #### in their name, for the frame number: a.####.png");
    EXPECT_EQ(sentence({dir / "none/a.mp4", Format::H264, size, 0, 3}),
              "Cannot write " + (dir / "none/a.mp4").string() + ": its folder does not exist.");
    EXPECT_EQ(sentence({dir / "a.png", Format::Png, size, 0, 0}),
              (dir / "a.png").string() + " is a file that the scene itself shows; choose another name.");
    EXPECT_EQ(filesIn(dir.path()), 1u);
    auto missing = scene;
    missing.layers = {test::pictureLayer(1, "Boat", "/nowhere/b.png", {4, 4}, 1, {0, 0, -3})};
    EXPECT_FALSE(write(missing, {dir / "a.mp4", Format::H264, size, 0, 3}, sources));
    EXPECT_EQ(filesIn(dir.path()), 1u);
}

TEST(Refusals, CancelledOutputLeavesNothingHalf) {
    const TempDir dir;
    const auto scene = scrolling(dir, {64, 36});
    media::PixelCache sources;
    for (const char* name : {"a.mp4", "a.mkv"}) {
        std::stop_source stop;
        const auto result = write(scene, {dir / name, *formatOf(name), {64, 36}, 0, 11}, sources,
                                  {[&](double share) {
                                       if (share > 0.4) stop.request_stop();
                                   },
                                   stop.get_token()});
        ASSERT_FALSE(result);
        EXPECT_TRUE(result.error().cancelled);
        EXPECT_EQ(filesIn(dir.path()), 1u) << name;
    }
    std::stop_source stop;
    EXPECT_FALSE(write(scene, {dir / "f/f.##.png", Format::Png, {64, 36}, 0, 11}, sources,
                       {[&](double share) {
                            if (share > 0.4) stop.request_stop();
                        },
                        stop.get_token()}));
    // The whole ones stay: those told of, and what was written or waited while the next was rendered.
    EXPECT_GE(filesIn(dir / "f"), 5u);
    EXPECT_LE(filesIn(dir / "f"), 7u);
    for (const auto& entry : std::filesystem::directory_iterator(dir / "f")) {
        V2i size;
        int channels = 0;
        EXPECT_EQ(entry.path().filename().string().find("part"), std::string::npos);
        EXPECT_FALSE(test::pixelsOf(entry.path(), size, channels).empty());
        EXPECT_EQ(size, V2i(64, 36));
    }
}

/// A file system of 200 kB, where the machine lets one be made.
TEST(Refusals, FullDisk) {
    const TempDir dir;
    std::filesystem::create_directories(dir / "small");
    if (::mount("tmpfs", (dir / "small").c_str(), "tmpfs", 0, "size=200k") != 0)
        GTEST_SKIP() << "no permission to mount a small file system";
    auto scene = scrolling(dir, {640, 360});
    test::writePicture(dir / "a.png", {256, 64}, [](int x, int y) {
        return Rgba8{(x * 7919 + y * 104729) % 256, (x * 31 + y * 17) * 97 % 256, (x ^ y) * 71 % 256, 255};
    });
    media::PixelCache sources;
    for (const char* name : {"small/a.mp4", "small/a.mkv", "small/f.##.png"}) {
        const auto result = write(scene, {dir / name, *formatOf(name), {1280, 720}, 0, 11, {}}, sources);
        EXPECT_FALSE(result) << name;
        if (!result) {
            EXPECT_EQ(result.error().sentence.substr(result.error().sentence.rfind(": ")),
                      ": the disk is full.")
                << name;
        }
        // Frames that were done stay, but nothing half.
        for (const auto& entry : std::filesystem::recursive_directory_iterator(dir / "small"))
            EXPECT_EQ(entry.path().string().find(".part"), std::string::npos) << entry.path();
        for (const auto& entry : std::filesystem::directory_iterator(dir / "small"))
            std::filesystem::remove_all(entry.path());
    }
    ::umount((dir / "small").c_str());
}

TEST(Refusals, UnwritableFolder) {
    const TempDir dir;
    const auto scene = scrolling(dir, {64, 36});
    media::PixelCache sources;
    for (const char* name : {"/proc/a.mp4", "/proc/a.mkv", "/proc/a.png"}) {
        const auto result = write(scene, {name, *formatOf(name), {64, 36}, 0, 0}, sources);
        ASSERT_FALSE(result);
        EXPECT_TRUE(result.error().sentence.starts_with(std::string("Cannot write ") + name + ": "))
            << result.error().sentence;
    }
}

}
}
