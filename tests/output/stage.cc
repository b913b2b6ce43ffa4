#include "stage.h"

#include "output/kept_frames.h"
#include "scene/file.h"

#include <cmath>
#include <gtest/gtest.h>
#include <sstream>

namespace stage::output {

using test::Rgba8;
using test::TempDir;

scene::Scene scrolling(const TempDir& dir, V2i frame) {
    test::writePicture(dir / "a.png", {256, 64}, [](int x, int y) {
        return Rgba8{x, 255 - x, (y * 4) % 256, 255};
    });
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = frame;
    scene.output.frames = 12;
    scene.camera.marks[0].pose.focal = 36;
    scene::Mark end = scene.camera.marks[0];
    end.id = 2;
    end.time = scene::lastTime(scene);
    end.pose.position = {1, 0, 0};
    scene.camera.marks.push_back(end);
    scene.layers = {test::pictureLayer(1, "a", dir / "a.png", {256, 64}, 16, {0, 0, -10})};
    return scene;
}

std::vector<std::uint8_t> rendered(const scene::Scene& scene, std::int64_t frame, V2i size) {
    media::PixelCache sources;
    return plain(render::encoded<std::uint8_t>(
        *render::render(motion::evaluate(scene, timeOfFrame(frame, scene.output.rate), size, true),
                        Job{}.quality, sources),
        {.dithered = true}));
}

void keepRed(const std::filesystem::path& movie, V2i size, std::int64_t frame) {
    const auto job = scene::readFile(keptFramesOf(movie) / "job.txt");
    ASSERT_TRUE(job);
    const auto kept = KeptFrames::open(keptFramesOf(movie), *job, 8, false);
    ASSERT_TRUE(kept);
    ASSERT_TRUE(kept->has(frame));
    render::Samples<std::uint8_t> red(static_cast<std::size_t>(size.x) * size.y * 4, 0);
    for (std::size_t i = 0; i < red.size(); i += 4)
        red[i] = red[i + 3] = 255;
    ASSERT_TRUE(kept->keep(frame, {size, red}));
}

std::size_t filesIn(const std::filesystem::path& folder) {
    std::size_t count = 0;
    for ([[maybe_unused]] const auto& entry : std::filesystem::directory_iterator(folder))
        ++count;
    return count;
}

Probed probe(const std::filesystem::path& movie) {
    const auto ran =
        test::run("ffprobe -v error -count_frames -select_streams v -show_entries "
                  "stream=codec_name,pix_fmt,width,height,avg_frame_rate,nb_read_frames,color_space,"
                  "color_transfer,color_primaries,color_range -of default=nw=1 " +
                  movie.string());
    Probed p;
    std::istringstream lines(ran.printed);
    for (std::string line; std::getline(lines, line);) {
        const auto value = line.substr(line.find('=') + 1);
        const auto is = [&](const char* key) { return line.starts_with(std::string(key) + "="); };
        if (is("codec_name")) p.codec = value;
        if (is("pix_fmt")) p.pixels = value;
        if (is("width")) p.width = std::stoi(value);
        if (is("height")) p.height = std::stoi(value);
        if (is("avg_frame_rate")) p.rate = value;
        if (is("nb_read_frames") && value != "N/A") p.frames = std::stoi(value);
        if (is("color_space")) p.space = value;
        if (is("color_transfer")) p.transfer = value;
        if (is("color_primaries")) p.primaries = value;
        if (is("color_range")) p.range = value;
    }
    return p;
}

namespace {

/// Of one frame, as they stand in memory. filter: what is done to it first.
std::string raw(const std::filesystem::path& movie, int frame, const std::string& decoder,
                const std::string& pixels) {
    const std::string file = movie.string() + ".raw";
    const auto ran =
        test::run("ffmpeg -v error -y " + decoder + " -i " + movie.string() + " -vf \"select=eq(n\\," +
                  std::to_string(frame) + ")\" -frames:v 1 -f rawvideo -pix_fmt " + pixels + " " + file);
    EXPECT_EQ(ran.code, 0) << ran.printed;
    std::string bytes = test::readAll(file);
    std::filesystem::remove(file);
    return bytes;
}

template <class Sample>
std::vector<Sample> rgba(const std::filesystem::path& movie, V2i size, int frame, const char* pixels) {
    const std::string bytes = raw(movie, frame, {}, pixels);
    std::vector<Sample> values(static_cast<std::size_t>(size.x) * size.y * 4);
    EXPECT_EQ(bytes.size(), values.size() * sizeof(Sample));
    if (bytes.size() == values.size() * sizeof(Sample))
        std::copy_n(bytes.data(), bytes.size(), reinterpret_cast<char*>(values.data()));
    return values;
}

}

std::vector<std::uint16_t> decoded(const std::filesystem::path& movie, V2i size, int frame) {
    return rgba<std::uint16_t>(movie, size, frame, "rgba64le");
}

std::vector<std::uint8_t> decodedBytes(const std::filesystem::path& movie, V2i size, int frame) {
    return rgba<std::uint8_t>(movie, size, frame, "rgba");
}

std::vector<double> decodedYuv(const std::filesystem::path& movie, V2i size, int frame,
                               const std::string& pixels, const std::string& decoder) {
    const std::string bytes = raw(movie, frame, decoder, pixels);
    const bool alpha = pixels[3] == 'a';
    const int half = pixels.find("420") != std::string::npos ? 2 : 1;
    const int depth = pixels.find("p10") != std::string::npos   ? 10
                      : pixels.find("p12") != std::string::npos ? 12
                                                                : 8;
    const std::size_t sample = depth == 8 ? 1 : 2, whole = static_cast<std::size_t>(size.x) * size.y,
                      part = whole / static_cast<std::size_t>(half * half);
    std::vector<double> values(whole * 4, 1.0);
    EXPECT_EQ(bytes.size(), sample * (whole * (alpha ? 2 : 1) + 2 * part)) << pixels;
    if (bytes.size() != sample * (whole * (alpha ? 2 : 1) + 2 * part)) return values;
    const double step = std::exp2(depth - 8);
    const auto at = [&](std::size_t plane, int x, int y) {
        const std::size_t wide = static_cast<std::size_t>(plane == 1 || plane == 2 ? size.x / half : size.x);
        const std::size_t begin = plane == 0 ? 0 : plane == 1 ? whole : whole + (plane - 1) * part;
        const std::size_t place = begin + static_cast<std::size_t>(y) * wide + static_cast<std::size_t>(x);
        const auto* p = reinterpret_cast<const std::uint8_t*>(bytes.data()) + place * sample;
        return sample == 1 ? static_cast<double>(p[0]) : static_cast<double>(p[0] + 256 * p[1]);
    };
    // Colours between their places, which are sited at the left of two.
    const auto colour = [&](std::size_t plane, int x, int y) {
        if (half == 1) return at(plane, x, y);
        const int left = x / 2, right = std::min((x + 1) / 2, size.x / 2 - 1);
        return (at(plane, left, y / 2) + at(plane, right, y / 2)) / 2;
    };
    for (int y = 0; y < size.y; ++y)
        for (int x = 0; x < size.x; ++x) {
            const double luma = (at(0, x, y) / step - 16) / 219, blue = (colour(1, x, y) / step - 128) / 224,
                         red = (colour(2, x, y) / step - 128) / 224;
            double* to =
                values.data() + 4 * (static_cast<std::size_t>(y) * size.x + static_cast<std::size_t>(x));
            to[0] = luma + 1.5748 * red;
            to[2] = luma + 1.8556 * blue;
            to[1] = (luma - 0.2126 * to[0] - 0.0722 * to[2]) / 0.7152;
            if (alpha) to[3] = at(3, x, y) / (std::exp2(depth) - 1);
        }
    return values;
}

}
