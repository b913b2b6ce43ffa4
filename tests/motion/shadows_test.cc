// Where shadows fall, against projections worked out by hand, and how soft they are against the formula.
#include "motion/frame.h"
#include "motion/shadows.h"
#include "support/moves.h"

#include <cmath>
#include <gtest/gtest.h>

namespace stage::motion {
namespace {

std::shared_ptr<scene::Layer> lampAt(V3d place, double radius = 0.1, double reach = 100) {
    auto layer = std::make_shared<scene::Layer>();
    layer->id = 9;
    layer->name = "lamp";
    scene::Lamp lamp;
    lamp.body = V3d(2 * radius);
    lamp.reach = reach;
    layer->content = lamp;
    layer->placement.position = place;
    layer->fitToBox();
    return layer;
}

/// A figure of 2 x 3 m that stands on the ground at depth 6, before a wall at depth 10.
scene::Scene staged(const scene::Shadow& shadow, V3d lamp = {1, 2, -4}) {
    auto wall = test::sheet(1, {20, 20}, {0, 0, -10});
    auto figure = test::sheet(2, {2, 3}, {0.5, 1.5, -6});
    figure->shadows = {shadow};
    return test::withSheets({test::mark(1, 0, V3d(0))}, {wall, figure, lampAt(lamp)});
}

scene::Shadow by(std::int64_t lamp, std::int64_t on) {
    scene::Shadow shadow;
    shadow.from = lamp, shadow.on = on;
    return shadow;
}

const Item* itemOf(const Frame& frame, std::int64_t id) {
    for (const Item& item : frame.items)
        if (item.layer->id == id) return &item;
    return nullptr;
}

/// Which place of the caster a point of the world looks through, px from its top left.
std::optional<Crossing> lookedThrough(const Item& item, const V3d& world) {
    const ShadowOnCard& shadow = item.pixels->shadows->list.front();
    const V3d x = item.card.across / item.layer->pixels.x, y = item.card.down / item.layer->pixels.y,
              from = world - item.card.corner;
    return crossingOf(shadow, fromCaster(shadow, {from.dot(x) / x.dot(x), from.dot(y) / y.dot(y)}));
}

}

TEST(Shadows, FallWhereALineFromTheLampThroughTheLayerMeetsTheWall) {
    const V3d lamp(1, 2, -4);
    const Frame frame = evaluate(staged(by(9, 1)), 0, {192, 108});
    const Item* wall = itemOf(frame, 1);
    ASSERT_TRUE(wall && wall->pixels->shadows);
    EXPECT_EQ(wall->pixels->shadows->list.size(), 1u);
    const Item* figure = itemOf(frame, 2);
    ASSERT_TRUE(figure && !figure->pixels->shadows);
    const V2d px(figure->layer->pixels);
    // Its corners: from the lamp at depth 4 through depth 6 to depth 10 is three times as far.
    for (const double s : {-0.5, 1.5})
        for (const double t : {0.0, 3.0}) {
            const V3d corner(s, t, -6), on = lamp + (corner - lamp) * 3;
            EXPECT_NEAR(on.z, -10, 1e-12);
            const auto met = lookedThrough(*wall, on);
            ASSERT_TRUE(met);
            EXPECT_NEAR(met->place.x, (s + 0.5) / 2 * px.x, 0.1);
            EXPECT_NEAR(met->place.y, (3 - t) / 3 * px.y, 0.1);
        }
}

TEST(Shadows, SoftenByTheSizeOfTheLampAndTheirDistance) {
    const Frame frame = evaluate(staged(by(9, 1)), 0, {192, 108});
    // Seen from the wall, the lamp's radius of 0.1 m at the figure, which is two thirds of the way: what is
    // cast back is 0.1 * (4 / 2) on the wall, of which a third is at the figure.
    const V3d lamp(1, 2, -4), corner(0.5, 1, -6);
    const auto met = lookedThrough(*itemOf(frame, 1), lamp + (corner - lamp) * 3);
    ASSERT_TRUE(met);
    EXPECT_NEAR(met->soft * 3, 0.1 * 4 / 2, 1e-9);
    scene::Shadow sharper = by(9, 1);
    sharper.softness = 0.25;
    const auto sharp =
        lookedThrough(*itemOf(evaluate(staged(sharper), 0, {192, 108}), 1), lamp + (corner - lamp) * 3);
    EXPECT_NEAR(sharp->soft, met->soft / 4, 1e-12);
}

TEST(Shadows, OfLightFromADirectionGoOnWithoutEnd) {
    scene::Shadow sun;
    sun.bearing = 180, sun.height = 30, sun.across = 10; // from behind the camera
    sun.on = 1;
    const Frame frame = evaluate(staged(sun), 0, {192, 108});
    const V3d corner(0.5, 2, -6), on = corner + V3d(0, -4 * std::tan(radians(30.0)), -4);
    const auto met = lookedThrough(*itemOf(frame, 1), on);
    ASSERT_TRUE(met);
    const V2d px(itemOf(frame, 2)->layer->pixels);
    EXPECT_NEAR(met->place.x, 0.5 * px.x, 1e-6);
    EXPECT_NEAR(met->place.y, px.y / 3, 1e-6);
    EXPECT_NEAR(met->soft, 4 / std::cos(radians(30.0)) * std::tan(radians(5.0)), 1e-9);
}

TEST(Shadows, AreOfNoLightFromTheWrongSide) {
    // The lamp stands between the figure and the wall, and then behind the wall.
    for (const double z : {-8.0, -12.0}) {
        const Frame frame = evaluate(staged(by(9, 1), {0, 1, z}), 0, {192, 108});
        const auto met = lookedThrough(*itemOf(frame, 1), {0.5, 1, -10});
        if (z > -10)
            EXPECT_FALSE(met);
        else
            EXPECT_FALSE(met && met->place.x > 0 && met->place.y > 0) << "nothing is before the wall";
    }
}

TEST(Shadows, OnTheGroundReachAsFarAsTheyFall) {
    const V3d lamp(0.5, 6, -2);
    const Frame frame = evaluate(staged(by(9, 0), lamp), 0, {192, 108});
    const Item& ground = frame.items.back();
    ASSERT_TRUE(ground.shadow);
    ASSERT_TRUE(ground.pixels->shadows && ground.pixels->shadows->alone);
    // The upper corners at 3 m: half way down from 6 m, so twice as far from the lamp.
    const V3d left = lamp + (V3d(-0.5, 3, -6) - lamp) * 2, right = lamp + (V3d(1.5, 3, -6) - lamp) * 2;
    EXPECT_NEAR(left.y, 0, 1e-12);
    const auto soft = 0.1;
    const optics::Surface& card = ground.card;
    EXPECT_NEAR(card.corner.y, 0, 1e-12);
    EXPECT_LE(card.corner.x, left.x - soft);
    EXPECT_GE(card.corner.x, left.x - soft - 1);
    EXPECT_LE(card.corner.z, left.z - soft);
    EXPECT_GE(card.corner.x + card.across.x, right.x + soft);
    EXPECT_GE(card.corner.z + card.down.z, -6);
    EXPECT_NEAR(card.front.y, 1, 1e-12);
}

TEST(Shadows, TakeNoMoreLightThanTheirLayerIsThereFor) {
    scene::Scene scene = staged(by(9, 1));
    scene::changeLayer(scene.layers, 2, [](scene::Layer& layer) { layer.opacity = 0.5; });
    const Frame frame = evaluate(scene, 0, {192, 108});
    EXPECT_NEAR(itemOf(frame, 1)->pixels->shadows->list.front().darkness, 0.35, 1e-12);
    scene::changeLayer(scene.layers, 2, [](scene::Layer& layer) { layer.visible = false; });
    EXPECT_FALSE(itemOf(evaluate(scene, 0, {192, 108}), 1)->pixels->shadows);
    // A lamp that is not there throws none, nor does one on what is not there.
    for (const scene::Shadow& none : {by(77, 1), by(9, 77)})
        EXPECT_FALSE(itemOf(evaluate(staged(none), 0, {192, 108}), 1)->pixels->shadows);
}

TEST(Shadows, OfWhatIsSeenFromAsideAreNoneAndNothingBreaks) {
    // Lamp in the plane of the figure, on the ground, and right in the wall.
    for (const V3d& lamp : {V3d(5, 1, -6), V3d(1, 0, -4), V3d(0, 1, -10)})
        for (const std::int64_t on : {0, 1}) {
            const Frame frame = evaluate(staged(by(9, on), lamp), 0, {192, 108});
            for (const Item& item : frame.items)
                for (const V3d& corner : item.card.outline())
                    EXPECT_TRUE(std::isfinite(corner.length()));
        }
}

}
