// Frames whose layers stay apart, put together again by others: they are the frame.
#include "output/layers.h"

#include "render/render.h"
#include "stage.h"

#include <OpenImageIO/imagebuf.h>
#include <OpenImageIO/imagebufalgo.h>
#include <OpenImageIO/imageio.h>
#include <cmath>
#include <gtest/gtest.h>

namespace stage::output {
namespace {

using test::Rgba8;
using test::TempDir;

constexpr V2i frameSize(96, 54);

/// Blurred, tilted, see-through and adding layers in mist, one of which goes to the right, with a glare and a
/// grade that parts do not have.
scene::Scene sceneOfLayers(const TempDir& dir) {
    test::writePicture(dir / "far.png", {200, 120}, [](int x, int y) {
        return Rgba8{40 + x % 200, 30 + y, (x / 10 + y / 10) % 2 * 120, 255};
    });
    test::writePicture(dir / "disc.png", {80, 80}, [](int x, int y) {
        return Rgba8{230, 3 * y, 30, std::hypot(x - 40, y - 40) < 34 ? 255 : 0};
    });
    test::writePicture(dir / "veil.png", {80, 80}, [](int x, int) { return Rgba8{90, 140, 255, 2 * x}; });
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = frameSize;
    scene.output.frames = 4;
    scene::Pose& pose = scene.camera.marks[0].pose;
    pose.focal = 36, pose.focus = 9, pose.fstop = 0.8;
    scene::Mark end = scene.camera.marks[0];
    end.id = 2, end.time = scene::lastTime(scene), end.pose.position.x = 0.6;
    scene.camera.marks.push_back(end);
    scene.camera.shutter = 0;
    const auto with = [](const scene::LayerPtr& layer, const auto& change) {
        auto changed = std::make_shared<scene::Layer>(*layer);
        change(*changed);
        return scene::LayerPtr(changed);
    };
    scene.layers = {test::pictureLayer(1, "Far & wide", dir / "far.png", {200, 120}, 26, {0, 0, -16}),
                    test::pictureLayer(2, "Disc", dir / "disc.png", {80, 80}, 4, {-1, 0.3, -9}),
                    with(test::pictureLayer(3, "Veil", dir / "veil.png", {80, 80}, 4, {1.2, -0.4, -6}),
                         [](scene::Layer& l) { l.opacity = 0.7; }),
                    with(test::pictureLayer(4, "Disc", dir / "disc.png", {80, 80}, 2, {1, 0.6, -4}),
                         [](scene::Layer& l) { l.blend = scene::Blend::Add; }),
                    with(test::pictureLayer(5, "Floor", dir / "far.png", {200, 120}, 9, {0, -1.2, -8}),
                         [](scene::Layer& l) {
                             l.placement.turn = {-85, 0, 0};
                         })};
    scene.mist.density = 0.05, scene.mist.top = 0.4;
    scene.haze.density = 0.02;
    scene.glare.strength = 1, scene.glare.threshold = 0.2;
    scene.grade.exposure = 0.7;
    return scene;
}

Job jobFor(const TempDir& dir, Format format, const std::string& name) {
    Job job{dir / name, format, frameSize, 1, 1};
    job.quality = {.method = render::Method::Final, .samples = 64};
    return job;
}

/// RGBA, scene-linear, without glare and grade.
render::Image flat(scene::Scene scene, const Job& job) {
    scene.glare = {};
    scene.grade = {};
    media::PixelCache cache;
    return *render::render(motion::evaluate(scene, timeOfFrame(1, scene.output.rate), job.size, true),
                           job.quality, cache);
}

float shown(float linear) {
    linear = std::clamp(linear, 0.f, 1.f);
    return linear <= 0.0031308f ? 12.92f * linear : 1.055f * std::pow(linear, 1 / 2.4f) - 0.055f;
}

/// The greatest difference of what is shown, of 255.
double apart(const std::vector<float>& rgba, const render::Image& picture) {
    double most = 0;
    for (std::size_t i = 0; i < rgba.size(); ++i) {
        const bool alpha = i % 4 == 3;
        most = std::max(
            most, 255.0 * std::abs(alpha ? static_cast<double>(rgba[i] - picture.rgba[i])
                                         : static_cast<double>(shown(rgba[i]) - shown(picture.rgba[i]))));
    }
    return most;
}

struct Part {
    std::string name;
    std::vector<float> values; ///< of all channels
    std::vector<std::string> channels;
};
std::vector<Part> partsOf(const std::filesystem::path& path) {
    std::vector<Part> parts;
    auto file = OIIO::ImageInput::open(path.string());
    EXPECT_TRUE(file) << OIIO::geterror();
    for (int n = 0; file && file->seek_subimage(n, 0); ++n) {
        const OIIO::ImageSpec spec = file->spec();
        Part part{std::string(spec.get_string_attribute("oiio:subimagename")), {}, spec.channelnames};
        part.values.resize(spec.image_pixels() * static_cast<std::size_t>(spec.nchannels));
        EXPECT_TRUE(file->read_image(n, 0, 0, spec.nchannels, OIIO::TypeDesc::FLOAT, part.values.data()));
        parts.push_back(std::move(part));
    }
    return parts;
}

TEST(Layers, PartsLaidOverEachOtherAreTheFrame) {
    const TempDir dir;
    const scene::Scene scene = sceneOfLayers(dir);
    for (const render::Method method :
         {render::Method::Final, render::Method::Draft, render::Method::Pinhole}) {
        Job job = jobFor(dir, Format::ExrParts, "parts.exr");
        job.quality.method = method;
        job.encoding.bits = method == render::Method::Draft ? 32 : 16;
        media::PixelCache cache;
        const auto written = write(scene, job, cache);
        ASSERT_TRUE(written) << written.error().sentence;
        const std::vector<Part> parts = partsOf(job.path);
        std::vector<std::string> names;
        std::vector<float> whole(static_cast<std::size_t>(frameSize.x) * frameSize.y * 4, 0.f);
        for (const Part& part : parts) {
            names.push_back(part.name);
            ASSERT_EQ(part.channels.size(), 7u);
            for (std::size_t i = 0; i < whole.size() / 4; ++i) {
                const float* p = part.values.data() + 7 * i;
                const float through = 1 - p[3];
                for (std::size_t c = 0; c < 4; ++c)
                    whole[4 * i + c] = p[c] + through * whole[4 * i + c];
            }
        }
        EXPECT_EQ(names,
                  (std::vector<std::string>{"Background", "Far & wide", "Disc", "Floor", "Veil", "Disc 2"}));
        EXPECT_LT(apart(whole, flat(scene, job)), 1) << render::methodNames[static_cast<std::size_t>(method)];
    }
}

TEST(Layers, PartsTellDepthAndMotion) {
    const TempDir dir;
    const scene::Scene scene = sceneOfLayers(dir);
    const Job job = jobFor(dir, Format::ExrParts, "parts.exr");
    media::PixelCache cache;
    ASSERT_TRUE(write(scene, job, cache));
    const std::vector<Part> parts = partsOf(job.path);
    ASSERT_EQ(parts.size(), 6u);
    EXPECT_EQ(parts[1].channels, (std::vector<std::string>{"R", "G", "B", "A", "Z", "motion.X", "motion.Y"}));
    const auto at = [&](std::size_t part, int x, int y) {
        return parts[part].values.data() + 7 * (static_cast<std::size_t>(y) * frameSize.x + x);
    };
    // A pixel of slope is 96 px: the camera goes from its second frame to its third, which is seen the other
    // way round.
    const double by = motion::CameraMove(scene).at(timeOfFrame(2, scene.output.rate).toDouble()).position.x -
                      motion::CameraMove(scene).at(timeOfFrame(1, scene.output.rate).toDouble()).position.x;
    ASSERT_GT(by, 0.05);
    EXPECT_NEAR(at(1, 48, 10)[4], 16, 1e-3);
    EXPECT_NEAR(at(1, 48, 10)[5], -96 * by / 16, 0.02);
    EXPECT_NEAR(at(1, 48, 10)[6], 0, 0.02);
    const int discX = 48 + static_cast<int>(96 * (-1 - (by)) / 9),
              discY = 27 - static_cast<int>(96 * 0.3 / 9);
    EXPECT_GT(at(2, discX, discY)[3], 0.9f);
    EXPECT_NEAR(at(2, discX, discY)[4], 9, 1e-3);
    EXPECT_NEAR(at(2, discX, discY)[5], -96 * by / 9, 0.03);
    // Where there is nothing of it.
    EXPECT_TRUE(std::isinf(at(2, 90, 50)[4]));
    // The floor comes nearer towards the lower edge.
    EXPECT_GT(at(3, 48, 44)[4], at(3, 48, 50)[4]);
}

TEST(Layers, DeepSamplesFlattenedAreTheFrame) {
    const TempDir dir;
    scene::Scene scene = sceneOfLayers(dir);
    scene.layers.pop_back(); // the floor goes through others: there depth alone does not tell their order
    const Job job = jobFor(dir, Format::ExrDeep, "deep.exr");
    media::PixelCache cache;
    const auto written = write(scene, job, cache);
    ASSERT_TRUE(written) << written.error().sentence;
    const OIIO::ImageBuf deep(job.path.string());
    ASSERT_TRUE(deep.deep()) << deep.geterror();
    unsigned most = 0;
    for (int y = 0; y < frameSize.y; ++y)
        for (int x = 0; x < frameSize.x; ++x)
            most = std::max(most, static_cast<unsigned>(deep.deep_samples(x, y)));
    EXPECT_GE(most, 4u);
    const OIIO::ImageBuf together = OIIO::ImageBufAlgo::flatten(deep);
    ASSERT_FALSE(together.has_error()) << together.geterror();
    std::vector<float> rgba(static_cast<std::size_t>(frameSize.x) * frameSize.y * 4);
    ASSERT_TRUE(together.get_pixels(OIIO::ROI(0, frameSize.x, 0, frameSize.y, 0, 1, 0, 4),
                                    OIIO::TypeDesc::FLOAT, rgba.data()));
    EXPECT_LT(apart(rgba, flat(scene, job)), 1);
}

TEST(Layers, OpenRasterHasThemInPlace) {
    const TempDir dir;
    const scene::Scene scene = sceneOfLayers(dir);
    Job job = jobFor(dir, Format::OpenRaster, "layers.ora");
    job.encoding.bits = 16;
    media::PixelCache cache;
    const auto written = write(scene, job, cache);
    ASSERT_TRUE(written) << written.error().sentence;
    // As the format's own tools do: sRGB-encoded values, laid over each other.
    const auto list =
        test::run("cd " + dir.path().string() + " && unzip -q layers.ora -d o && cat o/mimetype o/stack.xml");
    ASSERT_EQ(list.code, 0) << list.printed;
    EXPECT_TRUE(list.printed.starts_with("image/openraster<?xml"));
    EXPECT_NE(list.printed.find("name=\"Far &amp; wide\""), std::string::npos);
    EXPECT_NE(list.printed.find("svg:plus"), std::string::npos);
    V2i size;
    int channels = 0;
    const auto merged = test::pixelsOf(dir / "o/mergedimage.png", size, channels);
    ASSERT_EQ(size, frameSize);
    const render::Image frame = flat(scene, job);
    int most = 0;
    for (std::size_t i = 0; i < merged.size(); ++i)
        if (i % 4 < 3)
            most = std::max(most,
                            std::abs(merged[i] - static_cast<int>(std::lround(255 * shown(frame.rgba[i])))));
    EXPECT_LE(most, 1);
    V2i small;
    test::pixelsOf(dir / "o/Thumbnails/thumbnail.png", small, channels);
    EXPECT_LE(std::max(small.x, small.y), 256);
}

TEST(Layers, SeveralFramesGoOnWhereTheyWere) {
    const TempDir dir;
    const scene::Scene scene = sceneOfLayers(dir);
    Job job = jobFor(dir, Format::OpenRaster, "l.##.ora");
    job.quality.method = render::Method::Pinhole;
    job.first = 0, job.last = 2;
    media::PixelCache cache;
    int asked = 0;
    std::stop_source stop;
    job.keepWhenStopped = true;
    const auto stopped = write(scene, job, cache,
                               {[&](double share) {
                                    if (share > 0.5 && ++asked == 1) stop.request_stop();
                                },
                                stop.get_token()});
    ASSERT_FALSE(stopped);
    EXPECT_TRUE(stopped.error().cancelled);
    ASSERT_TRUE(std::filesystem::exists(dir / "l.00.ora"));
    EXPECT_FALSE(std::filesystem::exists(dir / "l.02.ora"));
    const auto before = std::filesystem::last_write_time(dir / "l.00.ora");
    ASSERT_TRUE(write(scene, job, cache));
    EXPECT_EQ(std::filesystem::last_write_time(dir / "l.00.ora"), before);
    EXPECT_TRUE(std::filesystem::exists(dir / "l.02.ora"));
    EXPECT_EQ(filesIn(dir.path()), 3u + 3u); // and the pictures of the layers
}

TEST(Layers, WhatCannotBeIsSaid) {
    const TempDir dir;
    const scene::Scene scene = sceneOfLayers(dir);
    Job job = jobFor(dir, Format::ExrParts, "p.exr");
    job.loop.kind = Loop::Kind::BackAndForth;
    EXPECT_NE(complaintAbout(scene, job).find("no loop"), std::string::npos);
    job.loop = {};
    job.last = 2;
    EXPECT_NE(complaintAbout(scene, job).find("####"), std::string::npos);
    for (const Format format : {Format::ExrParts, Format::ExrDeep, Format::OpenRaster}) {
        Job full = jobFor(dir, format, "p");
        full.path = "/dev/full/p.exr";
        media::PixelCache cache;
        const auto written = write(scene, full, cache);
        ASSERT_FALSE(written);
        EXPECT_NE(written.error().sentence.find("Cannot write /dev/full/p.exr"), std::string::npos)
            << written.error().sentence;
    }
}

}
}
