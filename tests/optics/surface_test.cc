// Layers as surfaces in the world, flat and bent, and the placements that frames stand for. Figures are
// worked out by hand.
#include "optics/placing.h"
#include "support/support.h"

#include <gtest/gtest.h>

namespace stage::optics {
namespace {

/// 8 x 4 m at (1, 2, -10).
std::shared_ptr<scene::Layer> wall() {
    return std::make_shared<scene::Layer>(
        *test::pictureLayer(1, "wall", "wall.png", {160, 80}, 8, V3d(1, 2, -10)));
}
void expectNear(const V3d& a, const V3d& b, double most = 1e-12) {
    EXPECT_NEAR((a - b).length(), 0, most) << a.x << ' ' << a.y << ' ' << a.z;
}

TEST(FlatSurface, HasItsCornersAroundItsPlace) {
    const Surface flat = surfaceOf(*wall(), {});
    expectNear(flat.at(0, 0), {-3, 4, -10});
    expectNear(flat.at(1, 0), {5, 4, -10});
    expectNear(flat.at(1, 1), {5, 0, -10});
    expectNear(flat.at(0, 1), {-3, 0, -10});
    expectNear(flat.centre(), {1, 2, -10});
    expectNear(flat.front, {0, 0, 1});
    const auto around = flat.outline();
    ASSERT_EQ(around.size(), 4u); // clockwise from its top left
    expectNear(around[0], {-3, 4, -10});
    expectNear(around[1], {5, 4, -10});
    expectNear(around[2], {5, 0, -10});
    expectNear(around[3], {-3, 0, -10});
}

TEST(FlatSurface, GoesOnBeyondEachEdgeByItsOwnShare) {
    auto layer = wall();
    layer->hanging.extensions = {{scene::Beyond::Mirror, 0.5},
                                 {scene::Beyond::Repeat, 0.25},
                                 {scene::Beyond::Stretch, 1},
                                 {scene::Beyond::Nothing, 7}};
    const auto around = surfaceOf(*layer, {}).outline();
    ASSERT_EQ(around.size(), 4u);
    expectNear(around[0], {-3 - 4, 4 + 4, -10});
    expectNear(around[2], {5 + 2, 0, -10});
}

TEST(FlatSurface, ItsPivotStandsAtItsPlaceAndCarriersCarryIt) {
    auto layer = wall();
    layer->hanging.pivot = {4, -2}; // its lower right corner
    layer->placement.turn = {0, 0, 90};
    const Surface turned = surfaceOf(*layer, {});
    expectNear(turned.at(1, 1), {1, 2, -10});
    expectNear(turned.at(0, 1), {1, -6, -10}); // what was to its left is below it now
    auto carrier = std::make_shared<scene::Layer>();
    carrier->content = scene::Group{};
    carrier->placement.position = {10, 0, 0};
    carrier->placement.scale = {2, 3};
    const Affine world = worldOf({carrier});
    expectNear(world({1, 1, 1}), {12, 3, 2}); // in depth as across
    expectNear(world.inverse({12, 3, 2}), {1, 1, 1});
    expectNear(surfaceOf(*layer, world).at(1, 1), {12, 6, -20});
}

TEST(BentSurface, KeepsItsLengthOnItsArc) {
    auto layer = wall();
    layer->hanging.bend = 90;
    const Surface bent = surfaceOf(*layer, {});
    const double radius = 8 / radians(90); // hollow towards its front
    expectNear(bent.at(0.5, 0.5), {1, 2, -10});
    const V3d middle(1, 4, -10 + radius);
    for (const double s : {0.0, 0.3, 1.0})
        EXPECT_NEAR((bent.at(s, 0) - middle).length(), radius, 1e-9) << s;
    expectNear(bent.at(1, 0), middle + V3d(std::sqrt(0.5), 0, -std::sqrt(0.5)) * radius, 1e-9);
    const auto around = bent.outline();
    ASSERT_EQ(around.size(), 2u * 31); // every three degrees
    expectNear(around.front(), bent.at(0, 0), 1e-9);
    expectNear(around[30], bent.at(1, 0), 1e-9);
    expectNear(around[31], bent.at(1, 1), 1e-9);
    expectNear(around.back(), bent.at(0, 1), 1e-9);
}

class Turns : public ::testing::TestWithParam<V3d> {};

TEST_P(Turns, PlacementsComeBackFromTheirFrames) {
    scene::Placement place{{1, 2, 3}, GetParam(), {2, 0.5}};
    auto layer = wall();
    layer->placement = place;
    layer->hanging.pivot = {1.5, -0.5};
    const auto again = placementOf(frameOf(*layer), layer->hanging.pivot);
    ASSERT_TRUE(again);
    expectNear(again->position, place.position, 1e-9);
    EXPECT_NEAR(again->scale.x, 2, 1e-9);
    EXPECT_NEAR(again->scale.y, 0.5, 1e-9);
    // The same turn, whatever its angles: the same axes.
    const Affine was = frameOf(place), is = frameOf(*again);
    expectNear(is.x, was.x, 1e-9);
    expectNear(is.y, was.y, 1e-9);
    expectNear(is.z, was.z, 1e-9);
}

INSTANTIATE_TEST_SUITE_P(AlsoStraightUpAndDown, Turns,
                         ::testing::Values(V3d(0), V3d(10, 20, 30), V3d(-80, 170, -95), V3d(90, 0, 0),
                                           V3d(-90, 40, 0), V3d(90, 25, 70)));

TEST(Placement, AMirroredOneHasANegativeScale) {
    auto layer = wall();
    layer->placement.scale = {-1, 1};
    const auto again = placementOf(frameOf(*layer), V2d(0));
    ASSERT_TRUE(again);
    EXPECT_LT(again->scale.x * again->scale.y, 0);
    expectNear(frameOf(*again).x, {-1, 0, 0}, 1e-9);
    EXPECT_FALSE(placementOf({{1, 0, 0}, {0.5, 1, 0}, {0, 0, 1}, V3d(0)}, V2d(0))); // sheared
    EXPECT_FALSE(placementOf({{0, 0, 0}, {0, 1, 0}, {0, 0, 1}, V3d(0)}, V2d(0)));
}

/// A cylinder of radius 8 m / 90 degrees, whose middle is where the flat one is; its ends come forward.
TEST(BentSurface, ItsOutlineFollowsTheCylinderAllAround) {
    auto layer = wall();
    layer->hanging.bend = 90;
    layer->hanging.extensions = {{scene::Beyond::Mirror, 0.25},
                                 {scene::Beyond::Mirror, 0.125},
                                 {scene::Beyond::Mirror, 0.5},
                                 {scene::Beyond::Nothing, 0}};
    const auto around = surfaceOf(*layer, {}).outline();
    const std::size_t half = around.size() / 2;
    ASSERT_EQ(around.size() % 2, 0u);
    const double radius = 8 / radians(90);
    for (std::size_t i = 0; i < half; ++i) {
        const double s = -0.25 + 1.375 * static_cast<double>(i) / static_cast<double>(half - 1);
        const double angle = (s - 0.5) * radians(90);
        const V3d below(1 + radius * std::sin(angle), 0, -10 + radius * (1 - std::cos(angle)));
        expectNear(around[i], below + V3d(0, 4 * 1.5, 0), 1e-9);
        expectNear(around[around.size() - 1 - i], below, 1e-9);
    }
}

TEST(Meeting, OnlyOnTheSurfaceAndAhead) {
    scene::Pose pose;
    pose.position = V3d(0);
    pose.focal = 36;
    const View view = viewOf(pose, 36, {1000, 500}); // 1000 px a metre at 1 m
    Surface flat = surfaceOf(*wall(), {});
    const auto met = meet(view, {500 + 100, 250 - 200}, flat); // (1, 2, -10)
    ASSERT_TRUE(met);
    EXPECT_NEAR(met->s, 0.5, 1e-12);
    EXPECT_NEAR(met->t, 0.5, 1e-12);
    EXPECT_NEAR(met->depth, 10, 1e-12);
    EXPECT_FALSE(meet(view, {500 + 501, 250}, flat));
    EXPECT_TRUE(meet(view, {500 + 499, 250 - 1}, flat));
    flat.corner.z = 10; // behind
    EXPECT_FALSE(meet(view, {600, 50}, flat));
    flat.across = V3d(0); // nothing of it
    EXPECT_FALSE(meet(view, {600, 50}, flat));
}

}
}
