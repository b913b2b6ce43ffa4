// Rows of places under a shadow against the formulas, place by place.
#include "cutout/shadow_rows.h"

#include <cmath>
#include <gtest/gtest.h>
#include <limits>

namespace stage::cutout::shadow_rows_test {
namespace {

motion::ShadowOnCard thrown(bool byLamp) {
    motion::ShadowOnCard shadow;
    shadow.light = byLamp ? V3d(300, -200, -2.5) : V3d(120, -400, -0.9);
    shadow.metres = {0.01, 0.01, 1};
    shadow.size = byLamp ? 0.2 : 0.03;
    shadow.reach = byLamp ? 6 : 0;
    shadow.darkness = 0.8;
    shadow.contact = 0.6, shadow.contactReach = 0.5;
    shadow.upwards = {10, -100};
    return shadow;
}

/// From behind the caster's plane through it, and one that is none.
PlacesOfCaster places(int count) {
    PlacesOfCaster from{};
    for (int i = 0; i < count; ++i) {
        const auto n = static_cast<std::size_t>(i);
        from.x[n] = 40.f * static_cast<float>(i) - 100, from.y[n] = 25.f * static_cast<float>(i);
        from.off[n] = 1.2f - 0.1f * static_cast<float>(i);
    }
    from.x[5] = std::numeric_limits<float>::quiet_NaN();
    return from;
}

}

TEST(ShadowRows, LightComesThroughTheDiscsOfTheCrossings) {
    constexpr int count = 21;
    constexpr double perMetre = 100, footprint = 3;
    const PlacesOfCaster from = places(count);
    for (const bool byLamp : {true, false}) {
        const motion::ShadowOnCard shadow = thrown(byLamp);
        DiscRow discs;
        discsToLight(shadow, from, count, perMetre, footprint, discs);
        int met = 0;
        for (std::size_t i = 0; i < count; ++i) {
            if (i == 5) continue;
            const V3d place(from.x[i], from.y[i], from.off[i]);
            const auto crossing = motion::crossingOf(shadow, place);
            ASSERT_EQ(discs.share[i] > 0, crossing.has_value()) << i;
            if (!crossing) continue;
            ++met;
            EXPECT_NEAR(discs.x[i], crossing->place.x, 1e-3) << i;
            EXPECT_NEAR(discs.y[i], crossing->place.y, 1e-3) << i;
            EXPECT_NEAR(discs.diameter[i], std::max(footprint, 2 * crossing->soft * perMetre), 1e-3) << i;
            const double away = ((shadow.light - place) * shadow.metres).length();
            EXPECT_NEAR(discs.share[i], byLamp ? 0.8 * motion::falloff(away, 6, 6) : 0.8, 1e-5) << i;
        }
        EXPECT_GT(met, 8);
    }
}

TEST(ShadowRows, FeetAreAsWideAsTheyAreFar) {
    constexpr int count = 21;
    const PlacesOfCaster from = places(count);
    DiscRow discs;
    discsAtFoot(thrown(true), from, count, 100, 3, discs);
    for (std::size_t i = 0; i < count; ++i) {
        if (i == 5) continue;
        const double off = std::abs(static_cast<double>(from.off[i])), near = std::max(0.0, 1 - off / 0.5);
        EXPECT_NEAR(discs.share[i], 0.6 * near * near, 1e-5) << i;
        EXPECT_NEAR(discs.diameter[i], std::max(3.0, 140 * off), 1e-3) << i;
        EXPECT_NEAR(discs.x[i], from.x[i] + 10 * 0.7 * off, 1e-3) << i;
        EXPECT_NEAR(discs.y[i], from.y[i] - 100 * 0.7 * off, 1e-3) << i;
    }
}

TEST(ShadowRows, DiscsAreLookedForInTheLevelThatServes) {
    CasterLevels levels;
    levels.natural = {800, 600}, levels.scale = {2, 2}, levels.count = 4;
    levels.shrink = {1, 0.5f, 0.25f, 0}; // the last is not there
    levels.x1 = {1600, 800, 400, 0}, levels.y1 = {1200, 600, 300, 0};
    DiscRow discs{};
    LookRow looks{};
    const double diameters[] = {1,    2.9,  3.1, 5, 7,
                                11.9, 12.1, 40,  7, std::numeric_limits<double>::quiet_NaN()};
    constexpr std::size_t count = 10, away = 8;
    for (std::size_t i = 0; i < count; ++i) {
        discs.x[i] = i == away ? -50.f : 100.25f, discs.y[i] = 50.5f;
        discs.diameter[i] = static_cast<float>(diameters[i]), discs.share[i] = 1;
    }
    lookUp(levels, count, discs, looks);
    for (std::size_t i = 0; i + 1 < count; ++i) {
        const int level = levels.levelFor(diameters[i]);
        EXPECT_EQ(looks.level[i], level) << i;
        EXPECT_EQ(discs.share[i] > 0, level < 3 && i != away) << i;
        if (level == 3 || i == away) continue;
        // The mean of the four places is the disc's middle, and they spread as its chords do.
        const double scale = 2 * std::exp2(-level), first = static_cast<double>(looks.column[i] + looks.x[i]);
        EXPECT_NEAR(first + 1.5 * static_cast<double>(looks.stepX[i]) + 0.5, 100.25 * scale, 1e-3) << i;
        EXPECT_GE(looks.x[i], 0);
        EXPECT_LT(looks.x[i], 1);
        EXPECT_LE(looks.y[i] + 3 * looks.stepY[i], DiscPlaces::texels - 1);
        const double across = diameters[i] * scale;
        EXPECT_NEAR(looks.stepY[i], std::sqrt(std::max(0.0, across * across / 16 - 0.25) * 12 / 11), 1e-3)
            << i;
        EXPECT_EQ(looks.most[i], 1) << i;
    }
    EXPECT_EQ(discs.share[count - 1], 0); // no number
}

}
