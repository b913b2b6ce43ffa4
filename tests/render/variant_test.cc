// Size variants and a shifted lens show parts of the same view: what both show is the same.
#include "scene/variant.h"

#include "motion/frame.h"
#include "optics/view.h"
#include "render/render.h"
#include "support/support.h"

#include <cmath>
#include <gtest/gtest.h>

namespace stage::render::variant_test {
namespace {

using scene::Keep;
using scene::Variant;
using test::Rgba8;

constexpr V2i wide(320, 180);

/// Tilted cards before a lens that blurs.
scene::Scene sceneOfVariants(const test::TempDir& dir) {
    test::writePicture(dir / "a.png", {400, 300}, [](int x, int y) {
        return Rgba8{(x * 7) % 256, (y * 5) % 256, (x / 20 + y / 20) % 2 * 200, 255};
    });
    test::writePicture(dir / "b.png", {120, 120}, [](int x, int y) {
        const bool in = std::hypot(x - 60, y - 60) < 50;
        return Rgba8{220, y * 2, 40, in ? 255 : 0};
    });
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = wide;
    scene::Pose& pose = scene.camera.marks[0].pose;
    pose.focal = 36, pose.focus = 10, pose.fstop = 0.5, pose.pan = 4, pose.tilt = -3, pose.roll = 5;
    scene.layers = {test::pictureLayer(1, "far", dir / "a.png", {400, 300}, 26, {0, 0, -16}),
                    test::pictureLayer(2, "near", dir / "b.png", {120, 120}, 3, {0.5, 0.2, -6})};
    auto tilted = std::make_shared<scene::Layer>(*scene.layers[0]);
    tilted->placement.turn = {20, 30, 0};
    scene.layers[0] = tilted;
    return scene;
}

Image shown(const scene::Scene& scene, Method method) {
    media::PixelCache cache;
    const auto picture = render(motion::evaluate(scene, Rational(0), scene.output.frame),
                                {.method = method, .samples = 256}, cache);
    EXPECT_TRUE(picture);
    return picture ? *picture : Image();
}

/// The greatest difference of a picture from a part of another one, and its root mean square.
std::pair<double, double> apart(const Image& part, const Image& whole, V2i corner) {
    double most = 0, sum = 0;
    for (int y = 0; y < part.size.y; ++y)
        for (int x = 0; x < 4 * part.size.x; ++x) {
            const double by = std::abs(static_cast<double>(part.row(y)[x]) -
                                       static_cast<double>(whole.row(y + corner.y)[x + 4 * corner.x]));
            most = std::max(most, by), sum += by * by;
        }
    return {most, std::sqrt(sum / static_cast<double>(part.rgba.size()))};
}

TEST(Variant, UprightIsAPartOfTheWideOne) {
    const test::TempDir dir;
    const scene::Scene scene = sceneOfVariants(dir);
    // As high, so a pixel of one is a pixel of the other, and a tile a tile; 32 px to the right of the
    // middle.
    const Variant upright{"upright", {128, 180}, Keep::Height, {32.0 / 128, 0}};
    const V2i corner(96 + 32, 0);
    const auto [low, high] = optics::variantInFrame(scene, upright);
    EXPECT_NEAR((low - V2d(corner)).length(), 0, 1e-9);
    EXPECT_NEAR((high - V2d(corner + V2i(128, 180))).length(), 0, 1e-9);
    // Rays and tiles begin elsewhere in it.
    const std::pair<Method, double> methods[] = {
        {Method::Pinhole, 1e-4}, {Method::Draft, 4e-3}, {Method::Final, 4e-3}};
    for (const auto& [method, rms] : methods) {
        const auto by = apart(shown(scene::inVariant(scene, upright), method), shown(scene, method), corner);
        EXPECT_LT(by.second, rms) << methodNames[static_cast<std::size_t>(method)];
    }
}

TEST(Variant, OfTheWholeWidthShowsMoreAboveAndBelow) {
    const test::TempDir dir;
    const scene::Scene scene = sceneOfVariants(dir);
    const Variant square{"higher", {320, 308}, Keep::Width, V2d(0)};
    const Image whole = shown(scene, Method::Pinhole),
                more = shown(scene::inVariant(scene, square), Method::Pinhole);
    EXPECT_LT(apart(whole, more, {0, 64}).second, 5e-4);
}

TEST(Shift, MovesWhatIsSeenAndKeepsItsShape) {
    const test::TempDir dir;
    scene::Scene scene = sceneOfVariants(dir);
    const Image before = shown(scene, Method::Pinhole);
    // 36 mm are 320 px: so much to the right and up.
    scene.camera.shift = {36.0 * 32 / 320, 36.0 * 32 / 320};
    const Image after = shown(scene, Method::Pinhole);
    double sum = 0;
    for (int y = 32; y < 180; ++y)
        for (int x = 0; x < 4 * (320 - 32); ++x) {
            const double by =
                static_cast<double>(after.row(y)[x]) - static_cast<double>(before.row(y - 32)[x + 4 * 32]);
            sum += by * by;
        }
    EXPECT_LT(std::sqrt(sum / (4.0 * 148 * 288)), 5e-4);
    const optics::View view = optics::viewOf(scene.camera.marks[0].pose, scene.camera, wide);
    EXPECT_NEAR(view.centre.x, 160 - 32, 1e-9);
    EXPECT_NEAR(view.centre.y, 90 + 32, 1e-9);
}

}
}
