// Handles on a layer, and what a drag of each does to it; catching on lines. Figures are worked out by hand.
#include "interaction/box_handles.h"
#include "interaction/handles.h"
#include "interaction/snapping.h"
#include "scene/scene_json.h"
#include "support/support.h"

#include <gtest/gtest.h>

namespace stage::interaction {
namespace {

/// A layer of 9.6 x 5.4 m at 10 m, seen by a lens of 36 mm behind a gate of 36 mm: 192 px a metre in a frame
/// of 1920 x 1080.
struct Seen {
    std::shared_ptr<scene::Layer> layer = std::make_shared<scene::Layer>(
        *test::pictureLayer(1, "wall", "wall.png", {192, 108}, 9.6, V3d(0, 0, -10)));
    scene::Pose pose;
    optics::View view;
    Seen() {
        pose.focal = 36;
        pose.position = V3d(0);
        view = optics::viewOf(pose, 36, {1920, 1080});
    }
    std::optional<HandlePlane> plane() const {
        return handlePlane(scene::LayerPath{layer, {}, {}}, view, {0, 0}, {0, 0});
    }
};

std::optional<V2d> placeOf(const std::vector<Handle>& handles, Handle::Kind kind, V2d share) {
    for (const Handle& each : handles)
        if (each.kind == kind && (each.share - share).length() < 1e-9) return each.place;
    return {};
}

TEST(Handles, StandWhereTheLayerIsSeen) {
    const Seen seen;
    const auto plane = seen.plane();
    ASSERT_TRUE(plane);
    const auto handles = handlesOf(*plane, seen.view, 26);
    const auto corner = placeOf(handles, Handle::Kind::Corner, {0, 0}),
               edge = placeOf(handles, Handle::Kind::Edge, {1, 0.5}),
               pivot = placeOf(handles, Handle::Kind::Pivot, {0.5, 0.5});
    ASSERT_TRUE(corner && edge && pivot);
    EXPECT_NEAR((*corner - V2d(960 - 4.8 * 192, 540 - 2.7 * 192)).length(), 0, 1e-9);
    EXPECT_NEAR((*edge - V2d(960 + 4.8 * 192, 540)).length(), 0, 1e-9);
    EXPECT_NEAR((*pivot - V2d(960, 540)).length(), 0, 1e-9);
    const auto share = shareAt(*plane, seen.view, {960 + 96, 540 - 192});
    ASSERT_TRUE(share);
    EXPECT_NEAR((*share - V2d(0.5 + 0.5 / 9.6, 0.5 - 1 / 5.4)).length(), 0, 1e-9);
}

/// A group's handles are around what is seen of it, in a plane through its place.
TEST(Handles, OfAGroupStandAroundWhatIsSeenOfIt) {
    const Seen seen;
    auto group = std::make_shared<scene::Layer>();
    group->id = 2;
    group->content = scene::Group{{seen.layer}};
    group->placement.position = {0, 0, -5};
    const auto plane = handlePlane(scene::LayerPath{group, {}, {}}, seen.view, {600, 300}, {1100, 700});
    ASSERT_TRUE(plane);
    EXPECT_TRUE(plane->group);
    // 384 px a metre at 5 m
    EXPECT_NEAR((plane->card.corner - V3d(-360 / 384.0, 240 / 384.0, -5)).length(), 0, 1e-9);
    EXPECT_NEAR((plane->card.across - V3d(500 / 384.0, 0, 0)).length(), 0, 1e-9);
    EXPECT_NEAR((plane->card.down - V3d(0, -400 / 384.0, 0)).length(), 0, 1e-9);
    EXPECT_NEAR((plane->pivot - V2d(360 / 500.0, 240 / 400.0)).length(), 0, 1e-9);
    EXPECT_FALSE(handlePlane(scene::LayerPath{group, {}, {}}, seen.view, {600, 300}, {600, 700}))
        << "nothing is seen";
}

TEST(Handles, AreNotThereForWhatIsSeenEdgeOn) {
    Seen seen;
    seen.layer->placement.turn = {0, 90, 0};
    EXPECT_FALSE(seen.plane());
}

TEST(Handles, CornersScaleBothWaysEdgesOne) {
    const Seen seen;
    const HandlePlane plane = *seen.plane();
    const Handle corner{Handle::Kind::Corner, {1, 1}, {}}, side{Handle::Kind::Edge, {1, 0.5}, {}},
        top{Handle::Kind::Edge, {0.5, 0}, {}};
    EXPECT_NEAR((growth(plane, corner, {1, 1}, {1.5, 1.5}, true) - V2d(2)).length(), 0, 1e-12);
    EXPECT_NEAR((growth(plane, corner, {1, 1}, {1.5, 1.25}, false) - V2d(2, 1.5)).length(), 0, 1e-12);
    EXPECT_NEAR((growth(plane, side, {1, 0.5}, {0.75, 3}, true) - V2d(0.5, 1)).length(), 0, 1e-12);
    EXPECT_NEAR((growth(plane, top, {0.5, 0}, {0.9, -0.25}, true) - V2d(1, 1.5)).length(), 0, 1e-12);
    // Never turned inside out.
    EXPECT_EQ(growth(plane, corner, {1, 1}, {-3, -3}, true), V2d(0.001));
}

TEST(Handles, ALockedCornerTakesWhatGoesAlongItsArmInMetres) {
    const Seen seen;
    const HandlePlane plane = *seen.plane();
    // Straight across the arm, which is (4.8, -2.7) m: nothing grows.
    const double across = 2.7 / 9.6, down = 4.8 / 5.4;
    const V2d to(1 + across, 1 - down);
    EXPECT_NEAR(growth(plane, {Handle::Kind::Corner, {1, 1}, {}}, {1, 1}, to, true).x, 1, 1e-12);
}

TEST(Handles, TurningIsCounterclockwiseInMetres) {
    const Seen seen;
    const HandlePlane plane = *seen.plane();
    EXPECT_NEAR(turnBetween(plane, {1, 0.5}, {0.5, 0}), 90, 1e-9);
    EXPECT_NEAR(turnBetween(plane, {1, 0.5}, {0.5, 1}), -90, 1e-9);
    // (2.7, 2.7) m from the pivot: half of a right angle, though the picture is not square.
    EXPECT_NEAR(turnBetween(plane, {1, 0.5}, {0.5 + 2.7 / 9.6, 0}), 45, 1e-9);
}

TEST(Snapping, TheNearestOfAllIsCaughtWithinReach) {
    const double places[] = {10, 20, 30};
    const SnapLine lines[] = {{33, "far"}, {18, "near"}};
    const auto caught = snap(places, lines, 6);
    ASSERT_TRUE(caught);
    EXPECT_EQ(caught->by, -2);
    EXPECT_STREQ(caught->line.name, "near");
    EXPECT_TRUE(snap(places, lines, 2));
    EXPECT_FALSE(snap(places, lines, 1.99));
    EXPECT_FALSE(snap({}, lines, 100));
}

TEST(BoxSides, AreDraggedWhileTheOppositeOneStays) {
    auto layer = std::make_shared<scene::Layer>();
    layer->id = 3;
    layer->name = "box";
    scene::Particles particles;
    particles.box = {4, 2, 6};
    layer->content = particles;
    layer->fitToBox();
    layer->placement = {{1, 2, -9}, {0, 30, 0}, {2, 2}};
    scene::Scene scene = scene::emptyScene();
    scene.layers = {layer};
    for (const BoxSide& side : boxSides(scene::find(scene, 3))) {
        const V3d unit = side.outwards.normalized();
        const auto next = edit::apply(scene, boxDragged(side, unit * 3 + unit.cross(V3d(0.3, 1, 0.2))));
        ASSERT_TRUE(next) << next.error().sentence;
        EXPECT_NEAR((*next->layers[0]->box())[side.axis], particles.box[side.axis] + 1.5,
                    1e-9); // twice as large
        for (const BoxSide& after : boxSides(scene::find(*next, 3))) {
            if (after.axis != side.axis) continue;
            const V3d by = after.way == side.way ? unit * 3 : V3d(0);
            const auto before = boxSides(scene::find(scene, 3));
            const auto same = std::find_if(before.begin(), before.end(), [&](const BoxSide& each) {
                return each.axis == after.axis && each.way == after.way;
            });
            EXPECT_LT((after.middle - same->middle - by).length(), 1e-9);
        }
        // Pushed through the opposite side it stays a box.
        const auto least = edit::apply(scene, boxDragged(side, unit * -100));
        ASSERT_TRUE(least);
        EXPECT_NEAR((*least->layers[0]->box())[side.axis], 1e-3, 1e-12);
    }
    EXPECT_TRUE(boxSides(scene::LayerPath{}).empty());
}

}
}
