// Keys, edges and matches against known layers and plain formulas.
#include "cutout/keys.h"

#include "cutout/edges.h"
#include "cutout/match.h"
#include "cutout/source.h"
#include "edit/edit.h"
#include "support/support.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>

namespace stage::cutout {
namespace {

TEST(BrightnessKey, IsARampOfEncodedLuminance) {
    scene::BrightnessKey key{20, 80, false};
    for (const float v : {0.f, 0.02f, 0.1f, 0.2f, 0.4f, 0.7f, 1.f}) {
        const double encoded = v <= 0.0031308f ? 12.92 * v : 1.055 * std::pow(v, 1 / 2.4) - 0.055;
        const double alpha = std::clamp((100 * encoded - 20) / 60, 0.0, 1.0);
        const KeyedPixel keyed = keyedBy(key, {v, v, v});
        EXPECT_NEAR(keyed.alpha, alpha, 1e-5);
        EXPECT_LE(keyed.colour[0], v + 1e-6);
    }
    // smoke over black stays as bright as it was when it is laid over black again
    const KeyedPixel all = keyedBy(scene::BrightnessKey{}, {0.3f, 0.2f, 0.1f});
    EXPECT_FLOAT_EQ(all.colour[0], 0.3f);
    // over white: clear where it is white
    const KeyedPixel white = keyedBy(scene::BrightnessKey{0, 100, true}, {1, 1, 1});
    EXPECT_NEAR(white.alpha, 0, 1e-6);
    EXPECT_NEAR(keyedBy(scene::BrightnessKey{0, 100, true}, {0, 0, 0}).alpha, 1, 1e-6);
}

TEST(ColourKey, GivesBackWhatWasMixedWithTheScreen) {
    scene::ColourKey key;
    key.screen = {0.05, 0.5, 0.08, 1};
    key.tolerance = 0;
    key.softness = 100; // the plain share
    key.spill = 0;
    const Triple screen = {0.05f, 0.5f, 0.08f};
    // a grey thing has no excess of green, so the key is exact for every share
    for (const float share : {0.f, 0.25f, 0.5f, 0.9f, 1.f}) {
        const Triple thing = {0.3f, 0.3f, 0.3f};
        Triple mixed;
        for (std::size_t c = 0; c < 3; ++c)
            mixed[c] = thing[c] * share + screen[c] * (1 - share);
        const KeyedPixel keyed = keyedBy(key, mixed);
        EXPECT_NEAR(keyed.alpha, share, 1e-5);
        for (std::size_t c = 0; c < 3; ++c)
            EXPECT_NEAR(keyed.colour[c], thing[c] * share, 1e-5);
    }
    // spill: the excess of green goes, half of its light stays
    key.spill = 1;
    key.keepLight = 0.5;
    key.softness = 10;
    const KeyedPixel keyed = keyedBy(key, {0.2f, 0.3f, 0.1f});
    const float back = 0.1f * 0.7152f * 0.5f;
    EXPECT_NEAR(keyed.alpha, 1, 1e-6);
    EXPECT_NEAR(keyed.colour[1], 0.2f + back, 1e-5);
    EXPECT_NEAR(keyed.colour[0], 0.2f + back, 1e-5);
    // blue works the same, a grey screen keys nothing
    key.screen = {0.05, 0.08, 0.5, 1};
    EXPECT_NEAR(keyedBy(key, {0.05f, 0.08f, 0.5f}).alpha, 0, 1e-6);
    key.screen = {0.2, 0.2, 0.2, 1};
    EXPECT_EQ(keyedBy(key, {0.2f, 0.2f, 0.2f}).alpha, 1);
}

/// A green screen clip with a known figure: soft edges, hair-thin lines, uneven light, spill, noise of the
/// codec.
TEST(ColourKey, CutsAFigureOffAGreenScreen) {
    const test::TempDir dir;
    constexpr int w = 320, h = 180, frames = 6;
    const auto alphaAt = [](int frame, double x, double y) {
        const double cx = 120 + 12 * frame, cy = 95;
        const double body = std::clamp(0.5 - (std::hypot((x - cx) / 1.0, (y - cy) / 1.4) - 45) / 8, 0.0, 1.0);
        const double hair =
            std::clamp(1.2 - std::abs(x - cx - 20 * std::sin(y / 17)), 0.0, 1.0) * (y < 60 && y > 12 ? 1 : 0);
        return std::max(body, hair);
    };
    std::string raw(static_cast<std::size_t>(w) * h * 3 * frames, '\0');
    for (int f = 0; f < frames; ++f)
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) {
                const double a = alphaAt(f, x, y), light = 0.93 + 0.1 * x / w;
                const double screen[3] = {0.045 * light, 0.40 * light, 0.07 * light};
                const double stripes = 0.5 + 0.5 * std::sin(y * 0.3);
                // spill: some of the screen's light on the figure, more at its edge
                const double spill =
                    0.02 + 0.05 * (1 - std::clamp((45 - std::hypot(x - 120 - 12 * f, (y - 95) / 1.4)) / 25,
                                                  0.0, 1.0));
                const double figure[3] = {0.45 * stripes + 0.1, 0.22 * stripes + 0.08 + spill,
                                          0.16 * stripes + 0.06};
                for (int c = 0; c < 3; ++c) {
                    const double linear = figure[c] * a + screen[c] * (1 - a);
                    const double v =
                        linear <= 0.0031308 ? 12.92 * linear : 1.055 * std::pow(linear, 1 / 2.4) - 0.055;
                    raw[(static_cast<std::size_t>(f) * h * w + static_cast<std::size_t>(y) * w +
                         static_cast<std::size_t>(x)) *
                            3 +
                        static_cast<std::size_t>(c)] = static_cast<char>(std::lround(255 * v));
                }
            }
    test::writeAll(dir / "raw.rgb", raw);
    const auto made = test::run("ffmpeg -v error -f rawvideo -pix_fmt rgb24 -s 320x180 -r 24 -i " +
                                (dir / "raw.rgb").string() + " -c:v libx264 -pix_fmt yuv444p -crf 8 " +
                                (dir / "screen.mp4").string());
    ASSERT_EQ(made.code, 0) << made.printed;
    auto scene =
        edit::apply(scene::emptyScene(), {{"edit", "bring-in"}, {"files", {(dir / "screen.mp4").string()}}});
    ASSERT_TRUE(scene) << scene.error().sentence;
    scene = edit::apply(*scene, {{"edit", "cut-out"},
                                 {"layers", {"screen"}},
                                 {"key", {{"kind", "colour"}, {"screen", {0.045, 0.40, 0.07, 1}}}}});
    ASSERT_TRUE(scene) << scene.error().sentence;
    media::PixelCache cache;
    double error = 0, worstGreen = 0;
    for (int f = 0; f < frames; ++f) {
        const auto pixels = motion::pixelsAt(*scene, scene->layers[0], Rational(f, 24));
        const auto raster = cache.read(sourceOf(*pixels), 0, {0, 0, w, h});
        ASSERT_TRUE(raster);
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) {
                const Imath::half* p = raster->row(y) + 4 * x;
                error += std::abs(float(p[3]) - alphaAt(f, x, y));
                // over grey, as a viewer would see it: green must not stick out
                const double rest = 0.2 * (1 - float(p[3]));
                worstGreen =
                    std::max(worstGreen, float(p[1]) + rest - std::max(float(p[0]), float(p[2])) - rest);
            }
    }
    const double mean = error / (static_cast<double>(w) * h * frames);
    std::printf("green screen: mean alpha error %.3f %%, green beyond the others at most %.4f\n", 100 * mean,
                worstGreen);
    EXPECT_LT(mean, 0.02);
    EXPECT_LT(worstGreen, 0.02);
}

TEST(DifferenceKey, TakesWhatIsNotOnThePlate) {
    scene::DifferenceKey key;
    const Triple plate = {0.2f, 0.3f, 0.4f};
    EXPECT_EQ(keyedBy(key, plate, plate).alpha, 0);
    const KeyedPixel other = keyedBy(key, {0.8f, 0.1f, 0.1f}, plate);
    EXPECT_EQ(other.alpha, 1);
    EXPECT_EQ(other.colour[0], 0.8f);
    // Greys differ by their cube roots, in percent.
    key.tolerance = 10, key.softness = 20;
    for (const float share : {0.f, 0.25f, 0.5f, 0.9f}) {
        const float root = 0.5f + (10 + 20 * share) / 100, grey = root * root * root;
        const KeyedPixel between = keyedBy(key, {grey, grey, grey}, {0.125f, 0.125f, 0.125f});
        EXPECT_NEAR(between.alpha, share, 2e-3);
        EXPECT_NEAR(between.colour[1], grey - (1 - share) * 0.125f, 1e-3);
    }
}

// ---- edges

Cut disc(double rim, const Box& box) {
    Cut cut;
    cut.box = box;
    cut.alpha = Mask(box);
    for (auto& plane : cut.planes)
        plane.resize(cut.alpha.values.size());
    for (int y = box.y0; y < box.y1; ++y)
        for (int x = box.x0; x < box.x1; ++x) {
            const double r = std::hypot(x - 30, y - 30);
            const auto i = static_cast<std::size_t>((y - box.y0) * box.size().x + x - box.x0);
            cut.alpha.values[i] = static_cast<float>(std::clamp(20.5 - r, 0.0, 1.0));
            // red inside, blue (of what was behind) in the rim and outside
            const double blue = std::clamp(r - (20 - rim), 0.0, 1.0);
            cut.planes[0][i] = static_cast<float>(1 - blue);
            cut.planes[1][i] = 0;
            cut.planes[2][i] = static_cast<float>(blue);
        }
    return cut;
}

TEST(Edges, ThresholdAndChokeMoveTheAlpha) {
    scene::Edges edges;
    edges.low = 0.25;
    edges.high = 0.75;
    const Box box{0, 0, 60, 60};
    const Box wide = box.grown(reachOfEdges(edges));
    const Cut in = disc(0, wide), out = cleaned(in, edges, box);
    for (int y = 0; y < 60; ++y)
        for (int x = 0; x < 60; ++x)
            ASSERT_NEAR(out.alpha.at(x, y), std::clamp((in.alpha.at(x, y) - 0.25) / 0.5, 0.0, 1.0), 1e-5);
    scene::Edges choke;
    choke.choke = 3;
    const Cut choked = cleaned(disc(0, box.grown(reachOfEdges(choke))), choke, box);
    double sum = 0;
    for (const float v : choked.alpha.values)
        sum += v;
    EXPECT_NEAR(std::sqrt(sum / std::numbers::pi), 17, 0.1);
}

TEST(Edges, CleanColoursGoNoFartherThanTheThing) {
    scene::Edges edges;
    edges.clean = 1;
    edges.reach = 8;
    const Box box{0, 0, 60, 60};
    const Cut in = disc(2, box.grown(reachOfEdges(edges))), out = cleaned(in, edges, box);
    double before = 0, after = 0;
    for (int y = 0; y < 60; ++y)
        for (int x = 0; x < 60; ++x) {
            const auto at = [&](const Cut& cut) {
                const auto i = static_cast<std::size_t>((y - cut.box.y0) * cut.box.size().x + x - cut.box.x0);
                return cut.planes[2][i] * cut.alpha.values[i];
            };
            before = std::max<double>(before, at(in));
            after = std::max<double>(after, at(out));
            ASSERT_NEAR(out.alpha.at(x, y), in.alpha.at(x, y), 1e-6);
        }
    EXPECT_GT(before, 0.9); // a blue rim
    EXPECT_LT(after, 0.02); // is gone
}

TEST(Edges, ThePicturesBorderIsNone) {
    // Opaque up to its border: nothing is cleaned there, on no side.
    scene::Edges edges;
    edges.clean = 1;
    edges.reach = 8;
    const Box box{0, 0, 40, 30};
    Cut in = disc(0, box);
    std::fill(in.alpha.values.begin(), in.alpha.values.end(), 1.f);
    for (int y = 0; y < 30; ++y)
        for (int x = 0; x < 40; ++x)
            in.planes[0][static_cast<std::size_t>(40 * y + x)] =
                0.02f * static_cast<float>(x) * (y % 2 ? 1.f : 0.5f);
    const Cut out = cleaned(in, edges, box);
    for (std::size_t i = 0; i < in.planes[0].size(); ++i)
        ASSERT_NEAR(out.planes[0][i], in.planes[0][i], 1e-6) << i;
}

TEST(Edges, WhatGrowsOutwardsTakesTheColourBesideIt) {
    scene::Edges edges;
    edges.choke = -4;
    const Box box{0, 0, 60, 60};
    Cut in = disc(-5, box.grown(reachOfEdges(edges)));
    for (std::size_t i = 0; i < in.alpha.values.size(); ++i)
        if (in.alpha.values[i] <= 0)
            for (auto& plane : in.planes)
                plane[i] = 0; // nothing is known there
    const Cut out = cleaned(in, edges, box);
    const auto i = static_cast<std::size_t>(30 * 60 + 30 + 22);
    EXPECT_GT(out.alpha.values[i], 0.99f);
    EXPECT_GT(out.planes[0][i], 0.6f);
}

// ---- match

media::Raster field(const std::function<Triple(int, int)>& colour) {
    media::Raster raster(V2i(40, 40));
    for (int y = 0; y < 40; ++y)
        for (int x = 0; x < 40; ++x) {
            const Triple c = colour(x, y);
            for (std::size_t k = 0; k < 3; ++k)
                raster.row(y)[4 * x + static_cast<int>(k)] = c[k];
            raster.row(y)[4 * x + 3] = 1.f;
        }
    return raster;
}

TEST(Match, GreyBecomesNeutralAtItsBrightness) {
    scene::Match match;
    match.grey = scene::Colour{0.3, 0.2, 0.1, 1};
    const Matching neutral(match, {}, nullptr);
    const Triple c = neutral({0.3f, 0.2f, 0.1f});
    const double y = 0.2126 * 0.3 + 0.7152 * 0.2 + 0.0722 * 0.1;
    for (const float v : c)
        EXPECT_NEAR(v, y, 1e-5);
    match.strength = 0.5;
    EXPECT_NEAR(Matching(match, {}, nullptr)({0.3f, 0.2f, 0.1f})[0], 0.3 * (1 + (y / 0.3 - 1) / 2), 1e-5);
}

TEST(Match, ColoursAreWeighedByAlpha) {
    // Half of it (1, 0.5, 0) opaque, half (0, 0.5, 1) at a half, so that the first counts twice.
    media::Raster raster(V2i(4, 2));
    for (int i = 0; i < 8; ++i) {
        const bool first = i < 4;
        const std::array<float, 4> rgba =
            first ? std::array{1.f, 0.5f, 0.f, 1.f} : std::array{0.f, 0.25f, 0.5f, 0.5f};
        for (int c = 0; c < 4; ++c)
            raster.rgba[static_cast<std::size_t>(4 * i + c)] = rgba[static_cast<std::size_t>(c)];
    }
    const Colours colours = coloursOf(raster);
    EXPECT_NEAR(colours.weight, 6, 1e-9);
    EXPECT_NEAR(colours.light[0], 2.0 / 3, 1e-6);
    EXPECT_NEAR(colours.light[1], 0.5, 1e-6);
    EXPECT_NEAR(colours.light[2], 1.0 / 3, 1e-6);
}

TEST(Match, MeanAndSpreadBecomeThoseOfTheOther) {
    const auto wave = [](double x, double y, double k) {
        return 0.5 + 0.4 * std::sin(x * 0.4 * k + y * 0.23);
    };
    const auto own = field([&](int x, int y) {
        const auto v = static_cast<float>(wave(x, y, 1));
        return Triple{0.2f * v + 0.1f, 0.25f * v + 0.1f, 0.5f * v + 0.15f};
    });
    const auto like = field([&](int x, int y) {
        const auto v = static_cast<float>(wave(y, x, 1.7));
        return Triple{0.5f * v + 0.15f, 0.35f * v + 0.12f, 0.2f * v + 0.1f};
    });
    const Colours a = coloursOf(own), b = coloursOf(like);
    const Matching matching(scene::Match{}, a, &b);
    const auto matched = coloursOf(field([&](int x, int y) {
        const Imath::half* p = own.row(y) + 4 * x;
        return matching({float(p[0]), float(p[1]), float(p[2])});
    }));
    for (std::size_t k = 0; k < 3; ++k) {
        EXPECT_NEAR(matched.mean[k], b.mean[k], 0.004) << k;
        EXPECT_NEAR(matched.spread[k], b.spread[k], 0.004) << k;
    }
}

}
}
