// The view that turns around a point.
#include "interaction/orbit_view.h"

#include <gtest/gtest.h>

namespace stage::interaction {
namespace {

constexpr V2i size(800, 600);

TEST(OrbitView, LooksAtItsTargetFromItsDistance) {
    OrbitView orbit;
    for (int i = 0; i < 5; ++i) {
        const auto seen = optics::project(orbit.view(size), orbit.target);
        ASSERT_TRUE(seen);
        EXPECT_NEAR((*seen - V2d(400, 300)).length(), 0, 1e-9);
        EXPECT_NEAR((orbit.pose().position - orbit.target).length(), 40, 1e-9);
        orbit.turn(37, 29);
    }
    EXPECT_EQ(orbit.tilt, 89);
    orbit.turn(0, -1000);
    EXPECT_EQ(orbit.tilt, -89);
}

TEST(OrbitView, ShiftingTakesWhatIsSeenAlong) {
    OrbitView orbit;
    const V3d point = orbit.target;
    orbit.shift({50, -20}, size);
    EXPECT_NEAR((*optics::project(orbit.view(size), point) - V2d(450, 280)).length(), 0, 1e-9);
}

TEST(OrbitView, ZoomingKeepsWhatIsUnderThePointer) {
    OrbitView orbit;
    const V2d place(120, 500);
    const optics::View before = orbit.view(size);
    const V3d under = before.eye + optics::rayThrough(before, place) * orbit.distance;
    orbit.zoom(0.5, place, size);
    EXPECT_NEAR(orbit.distance, 20, 1e-12);
    EXPECT_NEAR((*optics::project(orbit.view(size), under) - place).length(), 0, 1e-6);
}

TEST(OrbitView, FittingShowsAllAsNearAsItCan) {
    OrbitView orbit;
    const std::vector<V3d> points = {{-3, 0, -5}, {4, 2, -9}, {0, 6, -30}, {1, 1, 0}};
    orbit.fit(points, size);
    V2d low(1e9), high(-1e9);
    for (const V3d& point : points) {
        const auto seen = optics::project(orbit.view(size), point);
        ASSERT_TRUE(seen);
        low = {std::min(low.x, seen->x), std::min(low.y, seen->y)};
        high = {std::max(high.x, seen->x), std::max(high.y, seen->y)};
    }
    EXPECT_GT(low.x, 36);
    EXPECT_GT(low.y, 24);
    EXPECT_LT(high.x, 776);
    EXPECT_LT(high.y, 570);
    // It touches the room kept around it on one of the axes.
    EXPECT_TRUE(std::min(low.x - 36, 776 - high.x) < 12 || std::min(low.y - 24, 570 - high.y) < 12);
    const OrbitView before = orbit;
    orbit.fit({}, size);
    EXPECT_EQ(orbit.target, before.target);
}

/// One point to a side of the target: as near as it can be, the point is at the room that is kept there.
struct Side {
    double right, up; ///< of the view
    double V2d::*axis;
    double at; ///< px
};
class OrbitViewMargins : public ::testing::TestWithParam<Side> {};

TEST_P(OrbitViewMargins, AreKeptAndNoMore) {
    const Side side = GetParam();
    OrbitView orbit;
    const optics::View before = orbit.view(size);
    const V3d point = orbit.target + (before.right * side.right + before.up * side.up) * 5;
    orbit.comeNear({point}, size);
    const auto seen = optics::project(orbit.view(size), point);
    ASSERT_TRUE(seen);
    EXPECT_NEAR((*seen).*side.axis, side.at, 0.01);
}

INSTANTIATE_TEST_SUITE_P(Sides, OrbitViewMargins,
                         ::testing::Values(Side{-1, 0, &V2d::x, 36}, Side{1, 0, &V2d::x, 776},
                                           Side{0, 1, &V2d::y, 24}, Side{0, -1, &V2d::y, 570}));

TEST(OrbitView, LinesAreCutWhereTheyPassTheEye) {
    scene::Pose pose;
    pose.position = V3d(0);
    pose.focal = 36;
    const optics::View view = optics::viewOf(pose, 36, {1000, 500}); // 1000 px a metre at 1 m
    const auto whole = seenLine(view, {0, 0, -10}, {1, 0, -10}, 0.1);
    ASSERT_TRUE(whole);
    EXPECT_NEAR((whole->second - whole->first - V2d(100, 0)).length(), 0, 1e-9);
    const auto cut = seenLine(view, {0.1, 0, -10}, {0.1, 0, 10}, 0.1); // up to 0.1 m ahead
    ASSERT_TRUE(cut);
    EXPECT_NEAR(cut->second.x, 500 + 1000, 1e-6);
    EXPECT_FALSE(seenLine(view, {0, 0, 1}, {1, 0, 2}, 0.1));
}

TEST(OrbitView, AnArrowFollowsThePointerAlongWhatIsSeenOfIt) {
    scene::Pose pose;
    pose.position = V3d(0);
    pose.focal = 36;
    const optics::View view = optics::viewOf(pose, 36, {1000, 500});
    const auto gone = alongArrow(view, {0, 0, -10}, {1, 0, 0}, 2, {50, 400}); // 200 px long
    ASSERT_TRUE(gone);
    EXPECT_NEAR(*gone, 0.5, 1e-12);
    EXPECT_FALSE(alongArrow(view, {0, 0, -10}, {0, 0, -1}, 2, {50, 0}));
}

}
}
