#include "stage.h"

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
    return render::encoded<std::uint8_t>(
        *render::render(motion::evaluate(scene, timeOfFrame(frame, scene.output.rate), size, true),
                        Job{}.quality, sources),
        {.dithered = true});
}

std::size_t filesIn(const std::filesystem::path& folder) {
    std::size_t count = 0;
    for ([[maybe_unused]] const auto& entry : std::filesystem::directory_iterator(folder))
        ++count;
    return count;
}

Probed probe(const std::filesystem::path& movie) {
    const auto ran = test::run("ffprobe -v error -count_frames -select_streams v -show_entries "
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

std::vector<std::uint16_t> decoded(const std::filesystem::path& movie, V2i size, int frame,
                                   const std::string& decoder) {
    const std::string raw = movie.string() + ".raw";
    const auto ran = test::run("ffmpeg -v error -y " + decoder + " -i " + movie.string() + " -vf \"select=eq(n\\," +
                               std::to_string(frame) +
                               "),scale=in_color_matrix=bt709:in_range=auto:flags=accurate_rnd+full_chroma_int+"
                               "full_chroma_inp,format=rgba64le\" -frames:v 1 -f rawvideo " +
                               raw);
    EXPECT_EQ(ran.code, 0) << ran.printed;
    const std::string bytes = test::readAll(raw);
    std::filesystem::remove(raw);
    std::vector<std::uint16_t> values(static_cast<std::size_t>(size.x) * size.y * 4);
    EXPECT_EQ(bytes.size(), values.size() * 2);
    if (bytes.size() == values.size() * 2) std::copy_n(bytes.data(), bytes.size(), reinterpret_cast<char*>(values.data()));
    return values;
}

}
