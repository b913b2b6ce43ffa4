// Paths by their length. Figures are worked out by hand.
#include "motion/path.h"

#include <gtest/gtest.h>
#include <numbers>

namespace stage::motion {
namespace {

TEST(Path, AStraightOneRunsEvenlyWhateverItsHandles) {
    const Path path({0, 0, 0}, {1, 0, 0}, {2, 0, 0}, {12, 0, 0}); // its parameter is slow at first
    EXPECT_NEAR(path.length(), 12, 1e-9);
    for (const double share : {0.1, 0.25, 0.5, 0.9})
        EXPECT_NEAR(path.at(share).x, 12 * share, 1e-4) << share;
    EXPECT_NEAR(path.at(1.5).x, 18, 1e-9); // straight on
    EXPECT_NEAR(path.at(-0.5).x, -6, 1e-9);
    EXPECT_NEAR((*path.direction(0.3) - V3d(1, 0, 0)).length(), 0, 1e-9);
}

TEST(Path, AQuarterCircleHasItsLength) {
    const double k = 4 / 3.0 * (std::numbers::sqrt2 - 1); // the cubic that comes nearest
    const Path path({1, 0, 0}, {1, k, 0}, {k, 1, 0}, {0, 1, 0});
    EXPECT_NEAR(path.length(), std::numbers::pi / 2, 3e-4);
    const V3d middle = path.at(0.5);
    EXPECT_NEAR(middle.x, std::numbers::sqrt2 / 2, 3e-4);
    EXPECT_NEAR(middle.y, std::numbers::sqrt2 / 2, 3e-4);
    EXPECT_NEAR((*path.direction(0.5) - V3d(-1, 1, 0).normalized()).length(), 0, 1e-3);
}

TEST(Path, ItsPartsAreTheSameCurve) {
    const Path path({0, 0, 0}, {3, 1, 0}, {1, 4, -2}, {6, 2, -5});
    const auto [first, second] = path.split(0.3);
    EXPECT_NEAR(first.length() + second.length(), path.length(), 1e-6);
    EXPECT_NEAR(first.length() / path.length(), 0.3, 1e-4);
    for (const double share : {0.05, 0.2, 0.29})
        EXPECT_NEAR((first.at(share / 0.3) - path.at(share)).length(), 0, 1e-3) << share;
    for (const double share : {0.31, 0.6, 0.95})
        EXPECT_NEAR((second.at((share - 0.3) / 0.7) - path.at(share)).length(), 0, 1e-3) << share;
}

TEST(Path, APointHasNoWay) {
    const Path point({1, 2, 3}, {1, 2, 3}, {1, 2, 3}, {1, 2, 3});
    EXPECT_EQ(point.length(), 0);
    EXPECT_EQ(point.at(0.7), V3d(1, 2, 3));
    EXPECT_EQ(point.split(0.5).second.at(0.2), V3d(1, 2, 3));
}

TEST(Paths, GoThroughTheirStopsSmoothly) {
    const auto paths = pathsThrough({{{0, 0, 0}}, {{4, 0, 0}}, {{4, 4, 0}}, {{8, 4, 0}}});
    ASSERT_EQ(paths.size(), 3u);
    for (std::size_t i = 0; i + 1 < paths.size(); ++i) {
        EXPECT_NEAR((paths[i].at(1) - paths[i + 1].at(0)).length(), 0, 1e-9);
        EXPECT_NEAR((*paths[i].direction(1) - *paths[i + 1].direction(0)).length(), 0, 1e-6);
    }
    // Halfway between ways that are as long: along the chord from the stop before to the one after.
    EXPECT_NEAR((*paths[0].direction(1) - V3d(1, 1, 0).normalized()).length(), 0, 1e-6);
}

TEST(Paths, ACornerIsReachedAndLeftStraight) {
    const auto paths = pathsThrough({{{0, 0, 0}}, {{4, 0, 0}, true, {}, {}}, {{4, 4, 0}}});
    ASSERT_EQ(paths.size(), 2u);
    EXPECT_NEAR((*paths[0].direction(1) - V3d(1, 0, 0)).length(), 0, 1e-6);
    EXPECT_NEAR((*paths[1].direction(0) - V3d(0, 1, 0)).length(), 0, 1e-6);
}

TEST(Paths, HandlesGoBeforeBoth) {
    PathPoint point{{4, 0, 0}, true, V3d(0, 0, 2), V3d(0, 0, -1)};
    const auto paths = pathsThrough({{{0, 0, 0}}, point, {{4, 4, 0}}});
    EXPECT_NEAR((paths[0].points()[2] - V3d(4, 0, 2)).length(), 0, 1e-12);
    EXPECT_NEAR((paths[1].points()[1] - V3d(4, 0, -1)).length(), 0, 1e-12);
}

TEST(Paths, StopsAtOnePlaceHaveNoWayBetween) {
    const auto paths = pathsThrough({{{0, 0, 0}}, {{4, 0, 0}}, {{4, 0, 0}}, {{8, 0, 0}}});
    ASSERT_EQ(paths.size(), 3u);
    EXPECT_EQ(paths[1].length(), 0);
    EXPECT_NEAR(paths[0].length(), 4, 1e-6);
    EXPECT_NEAR(paths[2].length(), 4, 1e-6);
}

}
}
