// Displaced pixels against their formulas at known places, loops, mattes and levels.
#include "cutout/source.h"
#include "media/pixel_cache.h"
#include "support/moves.h"

#include <cmath>
#include <gtest/gtest.h>

namespace stage::cutout {
namespace {

using scene::Displacement;
using Kind = scene::DisplacementKind;

constexpr int wide = 200, high = 120;

/// A card whose red is the share across, or (upright) down.
std::shared_ptr<scene::Layer> ramp(bool down, std::vector<Displacement> displacements) {
    auto layer = test::card(1, {0, 0, -5});
    layer->pixels = {wide, high};
    layer->content = scene::Card{{{0, {0, 0, 0, 1}}, {1, {1, 0, 0, 1}}}, down ? 90.0 : 0.0, false};
    layer->displacements = std::move(displacements);
    return layer;
}

media::Raster seen(const scene::LayerPtr& layer, Rational time, int level = 0) {
    scene::Scene scene = test::sceneOf({test::mark(1, 0, V3d(0))});
    scene.layers = {layer};
    const auto pixels = motion::pixelsAt(scene, layer, time);
    media::PixelCache cache;
    const auto source = sourceOf(*pixels);
    auto raster = cache.read(source, level, media::boxOf(media::levelSize(source->size(), level)));
    EXPECT_TRUE(raster);
    return *raster;
}

/// Where what is seen at a pixel comes from, px.
double from(const media::Raster& raster, bool down, int x, int y, int step = 1) {
    const auto linear = static_cast<double>(float(raster.row(y / step)[4 * (x / step)]));
    // Its colours are mixed as sRGB encodes them.
    const double share = linear <= 0.0031308 ? 12.92 * linear : 1.055 * std::pow(linear, 1 / 2.4) - 0.055;
    return share * (down ? high : wide);
}

TEST(Displacement, MovesPixelsByItsFormula) {
    constexpr double pi2 = 2 * std::numbers::pi;
    struct Case {
        const char* name;
        Displacement values;
        bool down; ///< it is looked at down, else across
        double (*by)(double x, double y, double t);
    };
    const std::vector<Case> cases = {
        {"waves that run upwards move to the sides",
         {Kind::Waves, true, 4, 50, 0.5, 90},
         false,
         [](double, double y, double t) { return 4 * std::sin(pi2 * (-y / 50 - 0.5 * t)); }},
        {"waves that run to the right move up and down",
         {Kind::Waves, true, 4, 50, 0.5, 0},
         true,
         [](double x, double, double t) { return 4 * std::sin(pi2 * (x / 50 - 0.5 * t)); }},
        {"rings",
         {Kind::Ripple, true, 5, 40, 1, 0, {0.5, 0.5}, 100},
         false,
         [](double x, double y, double t) {
             const double dx = x - wide / 2.0, r = std::hypot(dx, y - high / 2.0);
             return dx / r * 5 * std::exp(-r / 100) * std::min(1.0, r / 10) * std::sin(pi2 * (r / 40 - t));
         }},
        {"reeds", {Kind::Sway, true, 8, 90, 0.4, 0, {}, 0, 0.9}, false, [](double x, double y, double t) {
             const double up = std::clamp((0.9 - y / high) / 0.9, 0.0, 1.0), phase = pi2 * (0.4 * t - x / 90);
             return 8 * up * up * (0.75 * std::sin(phase) + 0.25 * std::sin(2 * phase + 1.3));
         }}};
    for (const Case& each : cases)
        for (const Rational time : {Rational(0), Rational(7, 12), Rational(5)}) {
            const media::Raster raster = seen(ramp(each.down, {each.values}), time);
            double most = 0;
            for (int y = 14; y < high - 14; y += 7)
                for (int x = 14; x < wide - 14; x += 9) {
                    const double by = each.by(x + 0.5, y + 0.5, time.toDouble()),
                                 own = each.down ? y + 0.5 : x + 0.5;
                    EXPECT_NEAR(from(raster, each.down, x, y), own - by, 0.35)
                        << each.name << ' ' << x << ' ' << y;
                    most = std::max(most, std::abs(by));
                }
            EXPECT_GT(most, 1) << each.name;
        }
}

TEST(Displacement, HoldsWhatSwaysAtItsFoot) {
    const media::Raster raster =
        seen(ramp(false, {{Kind::Sway, true, 20, 90, 1, 0, {}, 0, 0.8}}), Rational(1, 3));
    for (int y = 96; y < high; ++y)
        EXPECT_NEAR(from(raster, false, 100, y), 100.5, 0.1) << y;
    EXPECT_GT(std::abs(from(raster, false, 100, 5) - 100.5), 4);
}

TEST(Displacement, LoopsToTheBit) {
    for (const Kind kind : {Kind::Ripple, Kind::Waves, Kind::Shimmer, Kind::Sway, Kind::Roll}) {
        Displacement values{kind, true, 6, 30, 0.7};
        values.loop = 3;
        const bool down = kind != Kind::Sway; // which moves to the sides
        const auto layer = ramp(down, {values});
        const auto bits = [&](Rational time) {
            std::vector<std::uint16_t> all;
            for (const Imath::half h : seen(layer, time).rgba)
                all.push_back(h.bits());
            return all;
        };
        const auto first = bits(Rational(5, 24));
        EXPECT_EQ(bits(Rational(5, 24) + 3), first) << static_cast<int>(kind);
        EXPECT_EQ(bits(Rational(5, 24) + 300), first) << static_cast<int>(kind);
        EXPECT_NE(bits(Rational(29, 24)), first) << static_cast<int>(kind);
        // Neighbouring frames are alike, also across the loop's end.
        for (const Rational time : {Rational(1), Rational(3) - Rational(1, 48)}) {
            const media::Raster a = seen(layer, time), b = seen(layer, time + Rational(1, 24));
            for (int y = 20; y < high - 20; y += 5)
                EXPECT_NEAR(from(a, down, 77, y), from(b, down, 77, y), 3) << static_cast<int>(kind);
        }
    }
}

TEST(Displacement, GoesOnlyWhereItsMattesSay) {
    Displacement values{Kind::Waves, true, 10, 40, 0.5, 90};
    scene::Matte matte;
    matte.shape = scene::Rectangle{scene::Keyed<scene::Area>({{50, 60}, {100, 120}, 0})};
    values.where = {matte};
    const media::Raster raster = seen(ramp(false, {values}), Rational(1, 4));
    double most = 0;
    for (int y = 10; y < high - 10; ++y) {
        EXPECT_NEAR(from(raster, false, 150, y), 150.5, 0.1);
        most = std::max(most, std::abs(from(raster, false, 50, y) - 50.5));
    }
    EXPECT_GT(most, 8);
}

TEST(Displacement, IsTheSameOnCoarserLevelsAndOneAfterTheOther) {
    const Displacement first{Kind::Waves, true, 6, 80, 0.5, 90}, second{Kind::Waves, true, 3, 60, 0.3, 90};
    const media::Raster fine = seen(ramp(false, {first, second}), Rational(1, 2)),
                        coarse = seen(ramp(false, {first, second}), Rational(1, 2), 1),
                        one = seen(ramp(false, {first}), Rational(1, 2));
    double apart = 0;
    for (int y = 10; y < high - 10; y += 4)
        for (int x = 20; x < wide - 20; x += 10) {
            EXPECT_NEAR(from(coarse, false, x, y, 2), from(fine, false, x, y), 1.2);
            apart = std::max(apart, std::abs(from(one, false, x, y) - from(fine, false, x, y)));
        }
    EXPECT_GT(apart, 2);
}

}
}
