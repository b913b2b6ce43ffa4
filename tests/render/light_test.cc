// What becomes of light on its way: energy of small cards, haze by distance, lenses that nearly touch a
// card.
#include "render/brush.h"
#include "render/render.h"
#include "support/support.h"

#include <cmath>
#include <gtest/gtest.h>

namespace stage::render::light_test {
namespace {

using test::Rgba8;

const std::vector<Method> allWays = {Method::Pinhole, Method::Draft, Method::Final, Method::Traced};

std::shared_ptr<scene::Layer> card(double width, double height, V3d position) {
    auto layer = std::make_shared<scene::Layer>();
    layer->id = 1;
    layer->name = "card";
    layer->pixels = {64, 64};
    layer->metresPerPixel = width / 64;
    layer->placement.scale = {1, height / width};
    layer->placement.position = position;
    layer->content = scene::Card{{{0, {1, 1, 1, 1}}}, 0, false};
    return layer;
}

scene::Scene sceneOf(std::vector<scene::LayerPtr> layers, V2i frame) {
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = frame;
    scene.layers = std::move(layers);
    return scene;
}

Image shown(const scene::Scene& scene, Method method, int samples = 64) {
    Quality quality;
    quality.method = method;
    quality.samples = samples;
    media::PixelCache cache;
    auto picture = render(motion::evaluate(scene, Rational(0), scene.output.frame), quality, cache);
    EXPECT_TRUE(picture) << (picture ? "" : picture.error().sentence);
    return picture ? *picture : Image(scene.output.frame);
}

/// A card of less than a pixel gives as much light as it covers, wherever in the pixel grid it stands.
TEST(Light, OfCardsSmallerThanAPixelIsTheirArea) {
    constexpr double focal = 35, gate = 36, depth = 10;
    const V2i frame(96, 54);
    const double perMetre = focal / gate * frame.x / depth; // px
    for (const double side : {0.3, 0.6, 1.4})
        for (const Method method : {Method::Pinhole, Method::Draft, Method::Final})
            for (const double shift : {0.0, 0.25, 0.5, 0.8}) {
                auto scene = sceneOf({card(side / perMetre, side / perMetre,
                                           {shift / perMetre, 0.37 * shift / perMetre, -depth})},
                                     frame);
                scene.camera.marks.front().pose.focus = depth;
                const Image picture = shown(scene, method);
                double sum = 0;
                for (std::size_t i = 1; i < picture.rgba.size(); i += 4)
                    sum += static_cast<double>(picture.rgba[i]);
                EXPECT_NEAR(sum / (side * side), 1, 0.02)
                    << side << " px, " << methodNames[static_cast<std::size_t>(method)] << " at " << shift;
            }
}

/// One that is turned to all sides as well: as much as it covers of the frame.
TEST(Light, OfATurnedCardSmallerThanAPixelIsItsArea) {
    constexpr double depth = 10, side = 0.8;
    const V2i frame(96, 54);
    const double perMetre = 35.0 / 36 * frame.x / depth; // px
    for (const double shift : {0.0, 0.3, 0.7}) {
        auto layer =
            card(side / perMetre, side / perMetre, {shift / perMetre, -0.4 * shift / perMetre, -depth});
        layer->placement.turn = {25, 40, 30};
        auto scene = sceneOf({layer}, frame);
        scene.camera.marks.front().pose.focus = depth;
        const optics::Surface turned = optics::surfaceOf(*layer, {});
        const double area = std::abs(turned.across.cross(turned.down).z) * perMetre * perMetre;
        const Image picture = shown(scene, Method::Pinhole);
        double sum = 0;
        for (std::size_t i = 1; i < picture.rgba.size(); i += 4)
            sum += static_cast<double>(picture.rgba[i]);
        EXPECT_NEAR(sum / area, 1, 0.01) << shift;
    }
}

/// Haze is as thick as the way through it is long, not as the axis' depth; and nothing is seen through all
/// of it.
TEST(Light, HazeIsByDistance) {
    constexpr double density = 0.08, start = 2, depth = 10;
    const V2i frame(160, 90);
    auto scene = sceneOf({card(60, 40, {0, 0, -depth})}, frame);
    scene.haze = {{0, 0, 0, 1}, density, start};
    scene.camera.marks.front().pose.focal = 18;
    scene.camera.marks.front().pose.fstop = 1000;
    for (const Method method : allWays) {
        const Image picture = shown(scene, method);
        const double slope = 18.0 / 36 * frame.x;
        for (const V2i& at : {V2i(80, 45), V2i(2, 45), V2i(157, 3), V2i(40, 80)}) {
            const V2d off = (V2d(at.x + 0.5, at.y + 0.5) - V2d(frame) / 2.0) / slope;
            const double distance = depth * std::sqrt(1 + off.x * off.x + off.y * off.y);
            EXPECT_NEAR(picture.row(at.y)[4 * at.x], std::exp(-density * (distance - start)), 3e-3)
                << methodNames[static_cast<std::size_t>(method)] << " " << at.x << ", " << at.y;
        }
    }
    scene.layers.clear();
    scene.output.background = {1, 0, 0, 1};
    scene.haze.colour = {0.1, 0.4, 0.7, 1};
    for (const Method method : allWays) {
        const Image picture = shown(scene, method);
        for (int c = 0; c < 3; ++c)
            EXPECT_NEAR(picture.row(20)[4 * 30 + c], 0.1 + 0.3 * c, 1e-3);
    }
}

/// A tile counts places from the middle of its first pixel, in larger pixels where it is a small picture.
TEST(Light, HazeIsTheSameForEveryTile) {
    Air air;
    air.density = 0.1f, air.centreX = 91.5f, air.centreY = 40.25f, air.perPixel = 0.01f;
    for (const double size : {1.0, 4.0}) {
        const Air tile = air.from(32, 8, size);
        const auto at = [&](double first, double pixel) {
            return static_cast<float>((first + pixel + 0.5) * size);
        };
        EXPECT_NEAR(tile.stretchAt(3, 5), air.stretchAt(at(32, 3), at(8, 5)), 1e-5f) << size;
    }
}

/// However near a card the lens stands, and along whatever floor it looks, a picture comes, of numbers.
TEST(Light, ALensThatNearlyTouchesACardCostsAPicture) {
    for (const double near : {1e-2, 1e-3, 1e-4, 1e-5}) {
        auto scene = sceneOf({card(40, 30, {0, 0, -12}), card(4, 3, {0.3, 0.2, -near})}, {320, 180});
        scene.camera.marks.front().pose.fstop = 1.4;
        const Image picture = shown(scene, Method::Draft);
        for (const float v : picture.rgba)
            ASSERT_TRUE(std::isfinite(v)) << near;
    }
    auto floor = card(100, 100, {0, -0.001, 0});
    floor->placement.turn = {-90, 0, 0};
    auto scene = sceneOf({floor}, {320, 180});
    scene.camera.marks.front().pose.fstop = 1.4;
    const Image picture = shown(scene, Method::Draft);
    EXPECT_GT(picture.row(170)[4 * 160 + 1], 0.5); // the floor is there
    EXPECT_LT(picture.row(10)[4 * 160 + 1], 0.5);  // and ends at the horizon
}

}
}
