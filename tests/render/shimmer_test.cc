// From frame to frame: what creeps does not shimmer, and pictures stay within their budget of memory.
#include "render/entry.h"
#include "render/render.h"
#include "support/support.h"

#include <atomic>
#include <cmath>
#include <gtest/gtest.h>

namespace stage::render::shimmer_test {
namespace {

using test::Rgba8;
using test::TempDir;

/// Largest change of any pixel between frames of a truck by 0.1 px each. An exact box filter of the pixel
/// would change by at most a tenth of the contrast.
double worstStep(const scene::LayerPtr& layer, double perPixel, Method method) {
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = {128, 72};
    scene.camera.marks[0].pose.focal = 36;
    scene.camera.marks[0].pose.focus = 10;
    scene.camera.marks[0].pose.fstop = 22;
    scene.layers = {layer};
    media::PixelCache cache;
    double worst = 0;
    std::optional<Image> before;
    for (int step = 0; step < 24; ++step) {
        scene.camera.marks[0].pose.position.x = step * 0.1 * perPixel;
        const auto picture = render(motion::evaluate(scene, 0, scene.output.frame), {method, 16}, cache);
        EXPECT_TRUE(picture);
        if (before)
            for (int y = 20; y < 52; ++y)
                for (int x = 30; x < 98; ++x)
                    worst = std::max<double>(worst, std::abs(picture->row(y)[4 * x] - before->row(y)[4 * x]));
        before = *picture;
    }
    return worst;
}

TEST(Shimmer, ACheckerboardCreepsWithoutFlicker) {
    const TempDir dir;
    test::writePicture(dir / "board.png", {1024, 1024}, [](int x, int y) {
        return (x / 2 + y / 2) % 2 ? Rgba8{255, 255, 255} : Rgba8{0, 0, 0};
    });
    for (const double texels : {0.7, 1.0, 1.6, 3.3, 9.0}) // for a pixel
        for (const Method method : {Method::Pinhole, Method::Final}) {
            const double perPixel = 10.0 / 128;
            const double step = worstStep(test::pictureLayer(1, "board", dir / "board.png", {1024, 1024},
                                                             1024 * perPixel / texels, {0, 0, -10}),
                                          perPixel, method);
            // Squares of two texels: an edge crosses a pixel by a tenth of it at a time.
            EXPECT_LT(step, 0.16) << texels << " method " << static_cast<int>(method);
        }
}

TEST(Shimmer, AHairlineKeepsItsLight) {
    const TempDir dir;
    test::writePicture(dir / "line.png", {1024, 1024}, [](int x, int y) {
        return x == 512 || y == 512 ? Rgba8{255, 255, 255} : Rgba8{0, 0, 0};
    });
    for (const double texels : {1.0, 2.5, 7.0})
        for (const double roll : {0.0, 7.0}) {
            const double perPixel = 10.0 / 128;
            auto layer = std::make_shared<scene::Layer>(*test::pictureLayer(
                1, "line", dir / "line.png", {1024, 1024}, 1024 * perPixel / texels, {0, 0, -10}));
            layer->placement.turn.z = roll;
            EXPECT_LT(worstStep(layer, perPixel, Method::Pinhole), 0.16 / texels)
                << texels << " rolled by " << roll;
        }
}

TEST(Budget, ManyLargePicturesStayWithinIt) {
    const TempDir dir;
    // Small in the frame: only their coarse levels are needed.
    constexpr int count = 14;
    for (int i = 0; i < count; ++i)
        test::writePicture(dir / ("large" + std::to_string(i) + ".png"), {1200, 900}, [&](int x, int y) {
            return Rgba8{x % 256, y % 256, i};
        });
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = {320, 180};
    scene.camera.marks[0].pose.focus = 2;
    scene.camera.marks[0].pose.fstop = 1;
    for (int i = 0; i < count; ++i)
        scene.layers.push_back(test::pictureLayer(i + 1, "l", dir / ("large" + std::to_string(i) + ".png"),
                                                  {1200, 900}, 3, {i * 0.9 - 6, 0, -10.0 - i}));
    constexpr std::size_t budget = std::size_t{32} << 20; // three of them whole
    media::PixelCache cache(budget);
    for (const Method method : {Method::Draft, Method::Final}) {
        const motion::Frame frame = motion::evaluate(scene, 0, scene.output.frame);
        ASSERT_TRUE(render(frame, {method, 16}, cache));
        EXPECT_LE(cache.bytesKept(), budget);
        // What a frame holds on to is a small part of them.
        const auto entries = entriesOf(frame, {method, 16}, cache, {});
        ASSERT_TRUE(entries);
        std::size_t held = 0;
        for (const Entry& entry : entries->list)
            held += entry.pixels->bytes();
        EXPECT_EQ(entries->list.size(), static_cast<std::size_t>(count));
        EXPECT_GT(held, std::size_t{0});
        EXPECT_LT(held, budget / 4);
    }
}

TEST(Work, OnlyTheRegionIsRenderedAndPiecesCoverIt) {
    const TempDir dir;
    test::writePicture(dir / "a.png", {64, 64}, [](int x, int y) { return Rgba8{x * 4, y * 4, 90}; });
    scene::Scene scene = scene::emptyScene();
    scene.layers = {test::pictureLayer(1, "a", dir / "a.png", {64, 64}, 40, {0, 0, -10})};
    const motion::Frame frame = motion::evaluate(scene, 0, {300, 170});
    media::PixelCache cache;
    for (const Method method : {Method::Pinhole, Method::Draft, Method::Final}) {
        const auto whole = render(frame, {method, 16}, cache);
        ASSERT_TRUE(whole);
        Quality quality{method, 16};
        quality.region = {37, 20, 190, 111};
        std::mutex lock;
        std::vector<int> told(300 * 170);
        quality.piece = [&](const Image& picture, const media::Box& box) {
            const std::lock_guard guard(lock);
            EXPECT_EQ(picture.size, V2i(300, 170));
            for (int y = box.y0; y < box.y1; ++y)
                for (int x = box.x0; x < box.x1; ++x)
                    ++told[static_cast<std::size_t>(y * 300 + x)];
        };
        const auto part = render(frame, quality, cache);
        ASSERT_TRUE(part);
        for (int y = 0; y < 170; ++y)
            for (int x = 0; x < 300; ++x) {
                const bool inside = x >= 32 && x < 192 && y < 128; // whole pieces
                ASSERT_EQ(told[static_cast<std::size_t>(y * 300 + x)], inside ? 1 : 0) << x << ", " << y;
                for (int c = 0; c < 4; ++c)
                    ASSERT_EQ(part->row(y)[4 * x + c], inside ? whole->row(y)[4 * x + c] : 0)
                        << x << ", " << y << " method " << static_cast<int>(method);
            }
    }
}

TEST(Work, EveryMethodStopsWhenAsked) {
    const TempDir dir;
    test::writePicture(dir / "a.png", {64, 64}, [](int x, int y) { return Rgba8{x * 4, y * 4, 90}; });
    scene::Scene scene = scene::emptyScene();
    scene.layers = {test::pictureLayer(1, "a", dir / "a.png", {64, 64}, 40, {0, 0, -10})};
    for (const Method method : {Method::Draft, Method::Final, Method::Traced}) {
        media::PixelCache cache;
        std::stop_source stop;
        std::atomic<int> pieces = 0;
        const auto picture = render(motion::evaluate(scene, 0, {1920, 1080}), {method, 256}, cache,
                                    {[&](double) { stop.request_stop(), ++pieces; }, stop.get_token()});
        ASSERT_FALSE(picture);
        EXPECT_TRUE(picture.error().cancelled);
        EXPECT_LT(pieces.load(), 20); // of 2040
    }
}

}
}
