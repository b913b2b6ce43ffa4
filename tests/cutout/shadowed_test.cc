// Shadows in the pixels of what they fall on: the profile of a soft edge, lit pictures, contact.
#include "cutout/shadowed.h"
#include "cutout/source.h"
#include "media/pixel_cache.h"
#include "motion/frame.h"
#include "support/moves.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>

namespace stage::cutout {
namespace {

std::shared_ptr<scene::Layer> lampAt(V3d place, double radius, double strength = 8) {
    auto layer = std::make_shared<scene::Layer>();
    layer->id = 9;
    layer->name = "lamp";
    scene::Lamp lamp;
    lamp.body = V3d(2 * radius);
    lamp.reach = 1000;
    lamp.strength = strength;
    lamp.colour = {1, 1, 1, 1};
    layer->content = lamp;
    layer->placement.position = place;
    layer->fitToBox();
    return layer;
}

/// A wall of 10 m, 1000 px, at depth 10; a card whose right edge is at the middle at depth 8; a lamp at
/// depth 6.
scene::Scene shadowedSheet(const scene::Shadow& shadow, double radius) {
    auto wall = test::sheet(1, {10, 10}, {0, 0, -10});
    wall->content = scene::Card{{{0, {0.5, 0.5, 0.5, 1}}}, 0, false};
    auto card = test::sheet(2, {4, 4}, {-2, 0, -8});
    card->shadows = {shadow};
    return test::withSheets({test::mark(1, 0, V3d(0))}, {wall, card, lampAt({0, 0, -6}, radius)});
}

scene::Shadow onWall(double darkness = 1) {
    scene::Shadow shadow;
    shadow.from = 9, shadow.on = 1, shadow.darkness = darkness;
    return shadow;
}

media::Raster shown(const scene::Scene& scene, std::int64_t id, const media::Box& box, int level = 0) {
    media::PixelCache cache;
    for (const motion::Item& item : motion::evaluate(scene, 0, {96, 54}).items)
        if (item.layer->id == id) {
            auto raster = cache.read(sourceOf(*item.pixels), level, box);
            EXPECT_TRUE(raster);
            return *raster;
        }
    ADD_FAILURE() << "no layer " << id;
    return media::Raster(box.size());
}

/// Share of a disc that is left of a line at a distance from its middle, in radii.
double leftOf(double at) {
    const double x = std::clamp(at, -1.0, 1.0);
    return 0.5 + (x * std::sqrt(1 - x * x) + std::asin(x)) / std::numbers::pi;
}

}

TEST(Shadowed, AnEdgeIsAsSoftAsTheLampIsLarge) {
    // The lamp is as far from the card as that from the wall: on the wall the border is its radius wide to
    // each side, 100 px to a metre.
    for (const double radius : {0.05, 0.3, 1.0}) {
        const media::Raster row = shown(shadowedSheet(onWall(), radius), 1, {350, 500, 650, 501});
        double off = 0;
        for (int x = 0; x < 300; ++x) {
            const double away = (350 + x + 0.5 - 500) / 100 / radius;
            const double should = 0.5 * leftOf(away); // of the light, right of the edge
            off = std::max(off, std::abs(static_cast<double>(float(row.row(0)[4 * x])) - should));
        }
        EXPECT_LT(off, radius < 0.1 ? 0.06 : 0.02) << radius;
        EXPECT_NEAR(float(row.row(0)[0]), radius < 1 ? 0 : 0.5 * leftOf(-1.5), 1e-3);
        EXPECT_EQ(float(row.row(0)[4 * 299]), 0.5f);
        for (int x = 1; x < 300; ++x)
            EXPECT_GE(float(row.row(0)[4 * x]), float(row.row(0)[4 * (x - 1)]) - 1e-3f) << x;
    }
}

TEST(Shadowed, TakesAsMuchAsItIsDarkAndGivesItsColour) {
    scene::Shadow shadow = onWall(0.75);
    shadow.colour = {0.1, 0.2, 0.4, 1};
    const media::Raster inside = shown(shadowedSheet(shadow, 0.05), 1, {300, 500, 301, 501});
    const double should[3] = {0.5 * 0.25 + 0.1 * 0.75, 0.5 * 0.25 + 0.2 * 0.75, 0.5 * 0.25 + 0.4 * 0.75};
    for (int c = 0; c < 3; ++c)
        EXPECT_NEAR(float(inside.row(0)[c]), should[c], 1e-3);
    EXPECT_EQ(float(inside.row(0)[3]), 1.f);
}

TEST(Shadowed, OnALitPictureItTakesTheLightOfItsLampOnly) {
    scene::Scene scene = shadowedSheet(onWall(), 0.05);
    scene::changeLayer(scene.layers, 1,
                       [](scene::Layer& layer) { layer.shading = std::make_shared<const scene::Shading>(); });
    scene.ambient.level = 0.3;
    auto second = lampAt({3, 1, -7}, 0.4, 3);
    second->id = 10;
    scene.layers.push_back(second);
    scene::Scene dark = scene; // without the lamp that throws it
    dark.layers.erase(dark.layers.begin() + 2);
    const media::Box box{300, 450, 340, 480};
    const media::Raster shadowed = shown(scene, 1, box), without = shown(dark, 1, box);
    for (std::size_t i = 0; i < shadowed.rgba.size(); ++i)
        EXPECT_NEAR(float(shadowed.rgba[i]), float(without.rgba[i]), 2e-3f) << i;
    // Beside it both lamps shine.
    const media::Box beside{700, 450, 701, 451};
    EXPECT_GT(float(shown(scene, 1, beside).rgba[0]), float(shown(dark, 1, beside).rgba[0]) + 0.01f);
}

TEST(Shadowed, TwoCardsThatHideOneLampTakeItsLightOnce) {
    scene::Scene scene = shadowedSheet(onWall(), 0.05);
    scene::changeLayer(scene.layers, 1,
                       [](scene::Layer& layer) { layer.shading = std::make_shared<const scene::Shading>(); });
    scene.ambient.level = 0.25;
    auto behind = std::make_shared<scene::Layer>(*scene.layers[1]);
    behind->id = 3, behind->placement.position.z = -9;
    scene.layers.push_back(behind);
    const media::Raster inside = shown(scene, 1, {300, 500, 301, 501});
    EXPECT_NEAR(float(inside.rgba[0]), 0.5 * 0.25, 2e-3);
}

TEST(Shadowed, IsTheSameByTilesAndAlikeOnCoarserLevels) {
    const scene::Scene scene = shadowedSheet(onWall(), 0.3);
    const media::Raster all = shown(scene, 1, {380, 380, 640, 640}),
                        part = shown(scene, 1, {500, 500, 520, 520});
    for (int y = 0; y < 20; ++y)
        for (int x = 0; x < 80; ++x)
            EXPECT_EQ(float(part.row(y)[x]), float(all.row(120 + y)[4 * 120 + x])) << x << ' ' << y;
    const media::Raster coarse = shown(scene, 1, {95, 100, 160, 140}, 2);
    for (int y = 0; y < 40; ++y)
        for (int x = 0; x < 65; ++x) {
            const double away = ((95 + x + 0.5) * 4 - 500) / 100 / 0.3;
            EXPECT_NEAR(float(coarse.row(y)[4 * x]), 0.5 * leftOf(away), 0.03) << x;
        }
}

TEST(Shadowed, AtContactItIsDarkNextToTheFootAndNowhereElse) {
    auto floor = test::sheet(1, {10, 10}, {0, 0, -8});
    floor->placement.turn.x = -90;
    floor->content = scene::Card{{{0, {0.5, 0.5, 0.5, 1}}}, 0, false};
    auto figure = test::sheet(2, {2, 2}, {0, 1, -8});
    scene::Shadow contact;
    contact.on = 1, contact.darkness = 0, contact.contact = 0.8, contact.contactReach = 0.5;
    figure->shadows = {contact};
    const scene::Scene scene = test::withSheets({test::mark(1, 0, V3d(0, 2, 0))}, {floor, figure});
    const media::Raster column =
        shown(scene, 1, {500, 400, 501, 600}); // across the foot's line, 100 px a metre
    const auto at = [&](double metres) {       // towards the camera
        return float(column.row(static_cast<int>(100 + 100 * metres))[0]);
    };
    EXPECT_LT(at(0.02), 0.2f);
    EXPECT_LT(at(-0.02), 0.2f);
    EXPECT_GT(at(0.25), at(0.02) + 0.05f);
    EXPECT_EQ(at(0.6), 0.5f);
    EXPECT_EQ(at(-0.6), 0.5f);
    EXPECT_EQ(float(shown(scene, 1, {800, 500, 801, 501}).rgba[0]), 0.5f) << "beside the figure";
}

TEST(Shadowed, AlonePicturesOfTheGroundHoldNothingElse) {
    scene::Shadow shadow;
    shadow.from = 9, shadow.darkness = 0.6, shadow.colour = {0, 0, 0.2, 1};
    auto figure = test::sheet(2, {2, 2}, {0, 1, -8});
    figure->shadows = {shadow};
    const scene::Scene scene =
        test::withSheets({test::mark(1, 0, V3d(0, 2, 0))}, {figure, lampAt({0, 6, -4}, 0.02)});
    const motion::Frame frame = motion::evaluate(scene, 0, {96, 54});
    const motion::Item& ground = frame.items.back();
    ASSERT_TRUE(ground.shadow);
    media::PixelCache cache;
    const auto source = sourceOf(*ground.pixels);
    const auto all = cache.read(source, 0, media::boxOf(source->size()));
    ASSERT_TRUE(all);
    // A place behind the figure's middle: the middle of what 1 m up is projected to, 6/5 of the way.
    const V3d on = V3d(0, 6, -4) + (V3d(0, 1, -8) - V3d(0, 6, -4)) * 1.2;
    const auto at = [&](const V3d& world, int c) {
        const double s = (world.x - ground.card.corner.x) / ground.card.across.x,
                     t = (world.z - ground.card.corner.z) / ground.card.down.z;
        return float(
            all->row(static_cast<int>(t * source->size().y))[4 * static_cast<int>(s * source->size().x) + c]);
    };
    EXPECT_NEAR(at(on, 3), 0.6, 1e-3);
    EXPECT_NEAR(at(on, 2), 0.12, 1e-3);
    EXPECT_EQ(at(on, 0), 0.f);
    EXPECT_EQ(at(ground.card.corner + V3d(0.01, 0, 0.01), 3), 0.f);
}

}
