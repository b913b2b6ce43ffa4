// Lamps against the formulas of optics.md, worked out here again.
#include "motion/frame.h"
#include "motion/lamps.h"
#include "support/moves.h"

#include <cmath>
#include <gtest/gtest.h>

namespace stage::motion {
namespace {

std::shared_ptr<scene::Layer> lampAt(std::int64_t id, V3d place, scene::Lamp lamp = {}) {
    auto layer = std::make_shared<scene::Layer>();
    layer->id = id;
    layer->name = "lamp";
    layer->content = lamp;
    layer->placement.position = place;
    layer->fitToBox();
    return layer;
}

std::shared_ptr<scene::Layer> taking(std::shared_ptr<scene::Layer> layer, scene::Shading shading = {}) {
    layer->shading = std::make_shared<const scene::Shading>(shading);
    return layer;
}

Light lightOf(const Frame& frame, std::int64_t id) {
    for (const Item& item : frame.items)
        if (item.layer->id == id && item.pixels && item.pixels->light) return *item.pixels->light;
    ADD_FAILURE() << "layer " << id << " takes no light";
    return {};
}

}

TEST(Lamps, FallOffWithTheSquareOfTheDistanceUpToTheLastQuarterOfTheirReach) {
    EXPECT_EQ(falloff(0, 0.2, 8), 1);
    EXPECT_EQ(falloff(0.2, 0.2, 8), 1);
    EXPECT_NEAR(falloff(0.4, 0.2, 8), 0.25, 1e-12);
    EXPECT_NEAR(falloff(2, 0.2, 8), 0.01, 1e-12);
    EXPECT_NEAR(falloff(6, 0.2, 8), 0.04 / 36, 1e-12);
    EXPECT_NEAR(falloff(7, 0.2, 8), 0.5 * 0.04 / 49, 1e-12); // half way down
    EXPECT_EQ(falloff(8, 0.2, 8), 0);
    EXPECT_EQ(falloff(80, 0.2, 8), 0);
    double before = 2;
    for (double r = 0; r < 8.5; r += 0.01) {
        EXPECT_LE(falloff(r, 0.2, 8), before) << r;
        before = falloff(r, 0.2, 8);
    }
}

TEST(Lamps, LightACardByTheCosineInFrontAndThroughItBehind) {
    // Cards of 2 m at 5 m, lamps 2 m before and behind it, 1 m to its right.
    scene::Lamp lamp;
    lamp.strength = 5;
    lamp.body = V3d(0.5);
    lamp.colour = {1, 0.5, 0.25, 1};
    lamp.reach = 50;
    scene::Shading shading;
    shading.front = 0.8;
    shading.translucency = 0.3;
    const double r = std::sqrt(5), left = 32 * 0.25 * 0.25 / 5, cosine = 2 / r;
    for (const bool before : {true, false}) {
        const auto card = taking(test::sheet(1, {2, 2}, {0, 0, -5}), shading);
        const scene::Scene scene = test::withSheets({test::mark(1, 0, V3d(0))},
                                                    {card, lampAt(2, {1, 0, before ? -3.0 : -7.0}, lamp)});
        const Light light = lightOf(evaluate(scene, 0, {96, 54}), 1);
        const V3d middle = lightAt(light, {500, 500}, V2d(0), 0);
        const double should = left * cosine * (before ? 0.8 : 0.3);
        EXPECT_NEAR(middle.x, 1 + should, 1e-9) << before;
        EXPECT_NEAR(middle.y, 1 + 0.5 * should, 1e-9);
        EXPECT_NEAR(middle.z, 1 + 0.25 * should, 1e-9);
        // Right before the lamp there is more.
        const V3d under = lightAt(light, {1000, 500}, V2d(0), 0);
        EXPECT_NEAR(under.x, 1 + 32 * 0.0625 / 4 * (before ? 0.8 : 0.3), 1e-9);
    }
}

TEST(Lamps, LightManyTurnedPlacesAsOneByOne) {
    Light light;
    light.shading = {0.8, 0.3, 0, {1.5, 12, 1}};
    light.ambient = {0.1, 0.2, 0.3};
    light.perPixel = {0.002, 0.003};
    // In front of it, behind it, in the very card, and one whose reach ends on it.
    light.lamps = {{{300, 200}, 0.4, {3, 2, 1}, 0.1, 8, 1},
                   {{100, 250}, -0.7, {1, 5, 2}, 0.2, 9, 2},
                   {{200, 100}, 0, {2, 2, 2}, 0.05, 5, 3},
                   {{0, 0}, 0.2, {4, 0, 4}, 0.1, 0.5, 4}};
    TurnedPlaces places;
    for (std::size_t i = 0; i < places.most; ++i) {
        const double angle = 0.7 * static_cast<double>(i), sine = static_cast<double>(i % 11) / 10;
        places.x[i] = static_cast<float>(20 + i), places.y[i] = 100.f;
        places.right[i] = static_cast<float>(std::cos(angle));
        places.down[i] = static_cast<float>(std::sin(angle)), places.sine[i] = static_cast<float>(sine);
    }
    places.count = places.most;
    lightAt(light, places);
    for (std::size_t i = 0; i < places.most; ++i) {
        const double angle = 0.7 * static_cast<double>(i);
        const V3d one = lightAt(light, {20.0 + static_cast<double>(i), 100},
                                {std::cos(angle), std::sin(angle)}, static_cast<double>(i % 11) / 10);
        const double limit = 2e-5 * (1 + one.length());
        EXPECT_NEAR(static_cast<double>(places.red[i]), one.x, limit) << i;
        EXPECT_NEAR(static_cast<double>(places.green[i]), one.y, limit) << i;
        EXPECT_NEAR(static_cast<double>(places.blue[i]), one.z, limit) << i;
    }
}

TEST(Lamps, LightTheSideThatIsSeen) {
    // A card that shows its back is lit on that side.
    const auto card = taking(test::sheet(1, {2, 2}, {0, 0, -5}));
    const scene::Scene front = test::withSheets({test::mark(1, 0, V3d(0))}, {card, lampAt(2, {0, 0, -4})});
    auto turned = std::make_shared<scene::Layer>(*card);
    turned->placement.turn.y = 180;
    scene::Scene back = front;
    back.layers[0] = turned;
    const V3d one = lightAt(lightOf(evaluate(front, 0, {96, 54}), 1), {500, 500}, V2d(0), 0),
              other = lightAt(lightOf(evaluate(back, 0, {96, 54}), 1), {500, 500}, V2d(0), 0);
    EXPECT_GT(one.x, 2);
    EXPECT_LT((one - other).length(), 1e-9);
}

TEST(Lamps, BehindACutoutLightItsEdgeThatTurnsAway) {
    scene::Lamp lamp;
    lamp.strength = 4;
    lamp.body = V3d(2);
    lamp.reach = 100;
    scene::Shading shading;
    shading.edge.strength = 2;
    const auto card = taking(test::sheet(1, {2, 2}, {0, 0, -5}), shading);
    const scene::Scene scene =
        test::withSheets({test::mark(1, 0, V3d(0))}, {card, lampAt(2, {3, 0, -9}, lamp)});
    const Light light = lightOf(evaluate(scene, 0, {96, 54}), 1);
    // Seen from the middle it is 3 m to the right and 4 m behind.
    const double left = 16.0 / 25;
    EXPECT_NEAR(lightAt(light, {500, 500}, V2d(1, 0), 1).x, 1 + 2 * left * 0.6, 1e-9);
    EXPECT_NEAR(lightAt(light, {500, 500}, V2d(-1, 0), 1).x, 1, 1e-9);
    // Turned by 60 degrees: sin (sin 3/5 - cos 4/5).
    const double sine = std::sin(radians(60)), cosine = 0.5;
    EXPECT_NEAR(lightAt(light, {500, 500}, V2d(1, 0), sine).x,
                1 + 2 * left * sine * (sine * 0.6 - cosine * 0.8), 1e-9);
    EXPECT_NEAR(lightAt(light, {500, 500}, V2d(0), 0).x, 1, 1e-9);
}

TEST(Lamps, AreCarriedKeyedAndHidden) {
    const auto card = taking(test::sheet(1, {2, 2}, {0, 0, -5}));
    auto lamp = lampAt(2, {0, 0, 1});
    lamp->follows = 3;
    auto carrier = test::sheet(3, {1, 1}, {0, 0, -4});
    carrier->placement.scale = {0.5, 0.5};
    scene::Scene scene = test::withSheets({test::mark(1, 0, V3d(0))}, {card, lamp, carrier});
    const auto lamps = [&] { return lampsAt(ResolvedScene(scene, 0, scene.camera.marks[0].pose)); };
    ASSERT_EQ(lamps().size(), 1u);
    EXPECT_LT((lamps()[0].place - V3d(0, 0, -3.5)).length(), 1e-9);
    EXPECT_NEAR(lamps()[0].radius, 0.05, 1e-9); // scaled along
    EXPECT_NEAR(lamps()[0].light.x, 256, 1e-9);
    scene::changeLayer(scene.layers, 2, [](scene::Layer& l) { l.opacity = 0.25; });
    EXPECT_NEAR(lamps()[0].light.x, 64, 1e-9);
    scene::changeLayer(scene.layers, 2, [](scene::Layer& l) {
        scene::Track track;
        track.property = "strength";
        track.keys = {{Rational(0), 3.0}};
        l.tracks = {track};
    });
    EXPECT_NEAR(lamps()[0].light.x, 0.25 * 8, 1e-9);
    scene::changeLayer(scene.layers, 2, [](scene::Layer& l) { l.visible = false; });
    EXPECT_TRUE(lamps().empty());
}

TEST(Lamps, ReachOnlyWhatIsNear) {
    scene::Lamp lamp;
    lamp.reach = 2;
    const auto near = taking(test::sheet(1, {2, 2}, {0, 0, -5})),
               far = taking(test::sheet(3, {2, 2}, {0, 0, -9}));
    const scene::Scene scene =
        test::withSheets({test::mark(1, 0, V3d(0))}, {near, lampAt(2, {1.5, 0, -4}, lamp), far});
    const Frame frame = evaluate(scene, 0, {96, 54});
    EXPECT_EQ(lightOf(frame, 1).lamps.size(), 1u);
    EXPECT_TRUE(lightOf(frame, 3).lamps.empty());
}

TEST(Lamps, ColoursOfBlackBodiesAreThoseOfPlanck) {
    // Chromaticities of black bodies in CIE 1931, from Planck's law, integrated elsewhere.
    const struct {
        double kelvin, x, y;
    } cases[] = {{4907.9, 0.3475, 0.3540}, {3940.9, 0.3826, 0.3788}, {2826.8, 0.4486, 0.4091}};
    for (const auto& each : cases) {
        const scene::Colour c = scene::colourOf(each.kelvin);
        const double x = 0.4124 * c.r + 0.3576 * c.g + 0.1805 * c.b,
                     y = 0.2126 * c.r + 0.7152 * c.g + 0.0722 * c.b,
                     z = 0.0193 * c.r + 0.1192 * c.g + 0.9505 * c.b;
        EXPECT_NEAR(x / (x + y + z), each.x, 0.004) << each.kelvin;
        EXPECT_NEAR(y / (x + y + z), each.y, 0.004) << each.kelvin;
        EXPECT_EQ(std::max({c.r, c.g, c.b}), 1) << each.kelvin;
    }
}

TEST(HeldLight, IsThatOfTheEarlierFrameOnCardsThatHaveMoved) {
    const auto frameAt = [](double strength, double x) { // of the lamp, of the cards
        scene::Lamp lamp;
        lamp.strength = strength;
        const scene::Scene scene =
            test::withSheets({test::mark(1, 0, V3d(x / 2, 0, 0))},
                             {taking(test::sheet(1, {2, 2}, {x, 0, -5})),
                              test::sheet(2, {2, 2}, {x + 3, 0, -5}), lampAt(9, {0, 1, -4}, lamp)});
        return evaluate(scene, 0, {96, 54});
    };
    const Frame before = frameAt(5, 0), own = frameAt(2, 0.25);
    Frame held = own;
    holdLight(before, held);
    EXPECT_EQ(held.view.eye, own.view.eye);
    ASSERT_EQ(held.items.size(), own.items.size());
    const auto strength = [](const Frame& frame) { return lightOf(frame, 1).lamps.at(0).light.x; };
    EXPECT_NEAR(strength(before) / strength(own), 8, 1e-9); // three stops
    EXPECT_EQ(strength(held), strength(before));
    for (std::size_t i = 0; i < own.items.size(); ++i) {
        EXPECT_EQ(held.items[i].card.corner, own.items[i].card.corner);
        if (own.items[i].layer->id == 2) {
            EXPECT_EQ(held.items[i].pixels, own.items[i].pixels);
        }
    }
}

}
