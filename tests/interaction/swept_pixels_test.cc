// What triangles cover, against areas worked out by hand and against places looked at one by one.
#include "interaction/swept_pixels.h"

#include <algorithm>
#include <gtest/gtest.h>
#include <limits>
#include <random>

namespace stage::interaction {
namespace {

int at(const std::vector<std::uint8_t>& coverage, V2i size, int x, int y) {
    return coverage[static_cast<std::size_t>(y) * size.x + x];
}

TEST(SweptPixels, HalfASquareIsCoveredByHalf) {
    const V2i size(8, 8);
    const auto coverage = coverageOf({{V2d(0, 0), V2d(8, 0), V2d(0, 8)}}, size);
    for (int i = 0; i < 8; ++i) {
        EXPECT_NEAR(at(coverage, size, i, 7 - i), 128, 1) << i; // cut along the diagonal
    }
    for (int i = 1; i < 8; ++i) {
        EXPECT_EQ(at(coverage, size, i - 1, 7 - i), 255) << i;
        EXPECT_EQ(at(coverage, size, i, 8 - i), 0) << i;
    }
}

TEST(SweptPixels, PartsOfAPixelCount) {
    const V2i size(6, 4);
    // A rectangle of two triangles, 1.25 to 4.5 across, 1 to 3 down.
    const V2d a(1.25, 1), b(4.5, 1), c(4.5, 3), d(1.25, 3);
    const auto coverage = coverageOf({{a, b, c}, {c, d, a}}, size);
    const int expected[6] = {0, 191, 255, 255, 128, 0};
    for (int x = 0; x < 6; ++x) {
        EXPECT_EQ(at(coverage, size, x, 0), 0) << x;
        EXPECT_NEAR(at(coverage, size, x, 1), expected[x], 1) << x;
        EXPECT_NEAR(at(coverage, size, x, 2), expected[x], 1) << x;
        EXPECT_EQ(at(coverage, size, x, 3), 0) << x;
    }
}

TEST(SweptPixels, AreasUnderSeveralCountOnce) {
    const V2i size(40, 30);
    std::mt19937 random(7);
    std::uniform_real_distribution<double> anywhere(-15, 55);
    std::vector<Triangle> triangles;
    for (int i = 0; i < 6; ++i)
        triangles.push_back({V2d(anywhere(random), anywhere(random)), V2d(anywhere(random), anywhere(random)),
                             V2d(anywhere(random), anywhere(random))});
    const auto within = [](const Triangle& t, V2d p) {
        const auto side = [&](V2d a, V2d b) { return (b - a).cross(p - a) > 0; };
        const bool first = side(t[0], t[1]);
        return first == side(t[1], t[2]) && first == side(t[2], t[0]);
    };
    const auto coverage = coverageOf(triangles, size);
    int full = 0, none = 0;
    double apart = 0;
    for (int y = 0; y < size.y; ++y)
        for (int x = 0; x < size.x; ++x) {
            constexpr int steps = 16;
            int inside = 0;
            for (int i = 0; i < steps * steps; ++i)
                inside += std::ranges::any_of(triangles, [&](const Triangle& t) {
                    return within(t, V2d(x + (i % steps + 0.5) / steps, y + (i / steps + 0.5) / steps));
                });
            full += inside == steps * steps, none += inside == 0;
            // Four places down a pixel: where lines are flat, a place more or less is a quarter.
            const double expected = inside * 255.0 / (steps * steps);
            EXPECT_NEAR(at(coverage, size, x, y), expected, 66) << x << ' ' << y;
            apart += std::abs(at(coverage, size, x, y) - expected);
        }
    EXPECT_LT(apart / (size.x * size.y), 2); // most lie inside or outside as a whole
    EXPECT_GT(full, 100);
    EXPECT_GT(none, 100);
}

TEST(SweptPixels, FarAndUnusableCornersDoNoHarm) {
    const V2i size(5, 5);
    const double nan = std::numeric_limits<double>::quiet_NaN(), far = 1e12;
    const auto covered = coverageOf({{V2d(2.5, -far), V2d(far, far), V2d(-far, far)}}, size);
    EXPECT_EQ(at(covered, size, 2, 2), 255);
    const auto none = coverageOf({{V2d(0, 0), V2d(nan, 5), V2d(5, 5)},
                                  {V2d(0, 0), V2d(std::numeric_limits<double>::infinity(), 5), V2d(5, 5)},
                                  {V2d(1, 1), V2d(3, 3), V2d(2, 2)}},
                                 size);
    EXPECT_EQ(std::ranges::count(none, 0), 25);
    EXPECT_TRUE(coverageOf({{V2d(0, 0), V2d(1, 0), V2d(0, 1)}}, {0, 0}).empty());
}

}
}
