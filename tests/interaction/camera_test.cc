// The camera taken in views from outside and walked in its own picture. Figures are worked out by hand.
#include "interaction/camera_handles.h"
#include "interaction/camera_walk.h"
#include "interaction/picking.h"
#include "scene/scene_json.h"
#include "support/support.h"

#include <gtest/gtest.h>

namespace stage::interaction {
namespace {

using Kind = CameraHandle::Kind;

/// Three marks on a straight way: at 0 s, 2 s and 4 s, 4 m to the right and 4 m ahead of each other.
struct Camera : ::testing::Test {
    scene::Scene scene = scene::emptyScene();
    motion::CameraMove move{scene};
    void SetUp() override {
        change({{"edit", "mark"}, {"mark", 1}, {"position", {0, 1, 0}}});
        change({{"edit", "set-mark"}, {"time", "2"}, {"position", {4, 1, -4}}});
        change({{"edit", "set-mark"}, {"time", "4"}, {"position", {8, 1, -8}}});
    }
    void change(const edit::Edit& edit) {
        auto made = edit::apply(scene, edit);
        ASSERT_TRUE(made) << edit.dump() << made.error().sentence;
        scene = *made;
        move = motion::CameraMove(scene);
    }
    std::vector<CameraHandle> handles(Rational time) const {
        return cameraHandles(scene, move, time, move.at(time.toDouble()));
    }
    static const CameraHandle* find(const std::vector<CameraHandle>& all, Kind kind, int mark = -1) {
        for (const CameraHandle& each : all)
            if (each.kind == kind && each.mark == mark) return &each;
        return nullptr;
    }
    /// Drags the handle at a time to a place, takes what comes of it as the scene's or the camera's.
    scene::Pose drag(Rational time, Kind kind, int mark, const V3d& to, bool alone = false) {
        const auto all = handles(time);
        const CameraHandle* handle = find(all, kind, mark);
        EXPECT_TRUE(handle);
        const scene::Pose shown = move.at(time.toDouble());
        if (!handle) return shown;
        const auto begun = beginDrag(move, scene.camera.marks.size(), *handle, shown);
        const CameraChange changed = dragged(scene, begun, to, alone);
        if (const auto* edit = std::get_if<edit::Edit>(&changed)) change(*edit);
        if (const auto* pose = std::get_if<scene::Pose>(&changed)) return *pose;
        return shown;
    }
};

TEST_F(Camera, HandlesStandOnThePathAtTheMarkUnderThePlayhead) {
    EXPECT_EQ(markAtFrame(scene, frameAt(Rational(2), scene.output.rate)), 1);
    EXPECT_EQ(markAtFrame(scene, 5), -1);
    const auto between = handles(Rational(1));
    EXPECT_TRUE(find(between, Kind::Mark, 2));
    EXPECT_FALSE(find(between, Kind::Leaving, 0));
    const auto all = handles(Rational(2));
    const auto *arriving = find(all, Kind::Arriving, 1), *leaving = find(all, Kind::Leaving, 1);
    ASSERT_TRUE(arriving && leaving);
    // A straight way's handles are on it, either side of the mark.
    for (const auto* each : {arriving, leaving})
        EXPECT_NEAR((each->at - V3d(each->at.x, 1, -each->at.x)).length(), 0, 1e-9);
    EXPECT_LT(arriving->at.x, 4);
    EXPECT_GT(leaving->at.x, 4);
    EXPECT_FALSE(find(handles(Rational(0)), Kind::Arriving, 0));
    EXPECT_FALSE(find(handles(Rational(4)), Kind::Leaving, 2));
    EXPECT_FALSE(find(all, Kind::Target));
    change({{"edit", "mark"}, {"marks", {1, 2, 3}}, {"aim", {{"point", {1, 2, -30}}}}});
    const auto aimed = handles(Rational(1));
    ASSERT_TRUE(find(aimed, Kind::Target));
    EXPECT_EQ(find(aimed, Kind::Target)->at, V3d(1, 2, -30));
}

TEST_F(Camera, AMarkGoesWhereItIsDragged) {
    drag(Rational(1), Kind::Mark, 1, {4, 3, -5});
    EXPECT_EQ(scene.camera.marks[1].pose.position, V3d(4, 3, -5));
}

TEST_F(Camera, AHandleTurnsTheOtherAlongUnlessAlone) {
    const V3d mark(4, 1, -4);
    const auto before = handles(Rational(2));
    const double length = (find(before, Kind::Leaving, 1)->at - mark).length();
    drag(Rational(2), Kind::Arriving, 1, mark + V3d(0, 0, 3));
    const auto after = handles(Rational(2));
    EXPECT_NEAR((find(after, Kind::Arriving, 1)->at - (mark + V3d(0, 0, 3))).length(), 0, 1e-9);
    EXPECT_NEAR((find(after, Kind::Leaving, 1)->at - (mark + V3d(0, 0, -length))).length(), 0, 1e-9);
    drag(Rational(2), Kind::Arriving, 1, mark + V3d(-2, 0, 0), true);
    EXPECT_NEAR((find(handles(Rational(2)), Kind::Leaving, 1)->at - (mark + V3d(0, 0, -length))).length(), 0,
                1e-9);
}

TEST_F(Camera, TheBodyMovesAndWhatIsAheadTurnsIt) {
    EXPECT_EQ(drag(Rational(1), Kind::Body, -1, {7, 8, 9}).position, V3d(7, 8, 9));
    scene::Pose from;
    from.position = V3d(0);
    CameraDrag ahead{{Kind::Ahead, -1, V3d(0, 0, -10)}, from, {}};
    auto turned = std::get<scene::Pose>(dragged(scene, ahead, {10, 0, -10}, false));
    EXPECT_NEAR(turned.pan, 45, 1e-9); // positive to the right
    EXPECT_NEAR(turned.tilt, 0, 1e-9);
    ahead.handle.pans = false;
    turned = std::get<scene::Pose>(dragged(scene, ahead, {10, 0, -10}, false));
    EXPECT_EQ(turned.pan, 0);
}

TEST_F(Camera, ARayAtTheSideSetsTheFocalLength) {
    scene::Pose from;
    from.position = V3d(0);
    from.focal = 50;
    scene.camera.gate = 36;
    const auto focal = [&](Kind kind, V3d to) {
        const CameraChange changed = dragged(scene, {{kind, -1, V3d(0)}, from, {}}, to, false);
        const auto* pose = std::get_if<scene::Pose>(&changed);
        return pose ? pose->focal : 0;
    };
    EXPECT_NEAR(focal(Kind::SideRay, {5, 0, -10}), 36, 1e-9); // 18 mm aside at 36 mm
    EXPECT_NEAR(focal(Kind::SideRay, {-10, 0, -10}), 18, 1e-9);
    scene.output.frame = {1600, 800};
    EXPECT_NEAR(focal(Kind::TopRay, {0, 5, -10}), 18, 1e-9); // 9 mm up
    EXPECT_EQ(focal(Kind::SideRay, {5, 0, 10}), 0);          // behind: nothing
    EXPECT_EQ(focal(Kind::SideRay, {1e-5, 0, -1e6}), 2000);
    EXPECT_EQ(focal(Kind::SideRay, {1e3, 0, -10}), 1);
}

TEST_F(Camera, ATargetTakesAllMarksThatAimAtIt) {
    change({{"edit", "mark"}, {"marks", {1, 2}}, {"aim", {{"point", {1, 2, -30}}}}});
    drag(Rational(1), Kind::Target, -1, {0, 0, -20});
    EXPECT_EQ(scene.camera.marks[0].aim.point, V3d(0, 0, -20));
    EXPECT_EQ(scene.camera.marks[1].aim.point, V3d(0, 0, -20));
    EXPECT_NE(scene.camera.marks[2].aim.at, scene::Aim::At::Point);
}

TEST_F(Camera, TheFrameNearestToAPlaceIsFound) {
    const std::int64_t middle = frameAt(Rational(2), scene.output.rate);
    EXPECT_EQ(frameNearest(scene, move, [](const V3d& at) { return (at - V3d(4, 1, -4)).length(); }), middle);
    EXPECT_EQ(frameNearest(scene, move, [](const V3d& at) { return (at - V3d(-9, 1, 0)).length(); }), 0);
}

TEST_F(Camera, TicksTellTheSpeedAndWholeSeconds) {
    const PathTicks ticks = pathTicks(scene, move);
    ASSERT_EQ(ticks.places.size(), 97u); // 4 s at 24 a second
    EXPECT_EQ(ticks.places.front(), V3d(0, 1, 0));
    EXPECT_NEAR((ticks.places.back() - V3d(8, 1, -8)).length(), 0, 1e-9);
    EXPECT_EQ(std::count(ticks.wholeSeconds.begin(), ticks.wholeSeconds.end(), true), 5);
    EXPECT_TRUE(ticks.wholeSeconds[48]);
}

TEST_F(Camera, ItsWayIsTheOneThatTracksLeadIt) {
    EXPECT_NEAR((wayOf(scene, move).back() - V3d(8, 1, -8)).length(), 0, 1e-9);
    scene.camera.tracks.push_back({"up", {}, {}, {}, {{scene::Noise::Kind::Sway, 0.1, 1, 1}}});
    EXPECT_FALSE(wayTime(scene).byTracks) << "a hand leads it nowhere";
    // From 1 m at the beginning to 4 m at the end of the scene.
    const Rational end = scene::lastTime(scene);
    scene.camera.tracks.push_back({"up", {{0, 1.0}, {end, 4.0}}});
    scene.camera.tracks.erase(scene.camera.tracks.begin());
    const motion::CameraMove tracked(scene);
    const std::vector<V3d> way = wayOf(scene, tracked);
    EXPECT_NEAR(way.front().y, 1, 1e-9);
    EXPECT_NEAR(way.back().y, 4, 1e-9);
    EXPECT_NEAR(pathTicks(scene, tracked).places.back().y, 4, 0.05);
    // After the last mark, at 4 s, only the track leads on.
    EXPECT_EQ(frameNearest(scene, tracked, [](const V3d& at) { return std::abs(at.y - 4); }),
              scene.output.frames - 1);
}

/// Walked with 192 px a metre at 10 m: a lens of 36 mm behind 36 mm, 1920 x 1080.
struct Walk : ::testing::Test {
    CameraWalk walk;
    Walk() {
        walk.from.position = V3d(0, 1, 0);
        walk.from.focal = 36;
        walk.view = optics::viewOf(walk.from, 36, {1920, 1080});
        walk.frame = {1920, 1080};
        walk.around = V3d(0, 1, -10);
        walk.pressed = {960, 540};
    }
    scene::Pose to(WalkMode mode, V2d by, bool straight = false) const {
        const auto pose = walked(walk, mode, walk.pressed + by, straight, 12);
        EXPECT_TRUE(pose);
        return pose.value_or(walk.from);
    }
};

TEST_F(Walk, WhatIsDraggedStaysUnderThePointer) {
    const V3d point(0, 1, -10);
    const auto seen = [&](const scene::Pose& pose) {
        return *optics::project(optics::viewOf(pose, 36, {1920, 1080}), point);
    };
    for (const WalkMode mode : {WalkMode::Look, WalkMode::Slide}) {
        EXPECT_NEAR((seen(to(mode, {192, 0})) - V2d(960 + 192, 540)).length(), 0, 1e-6);
        EXPECT_NEAR((seen(to(mode, {0, -96})) - V2d(960, 540 - 96)).length(), 0, 1e-6);
    }
    EXPECT_NEAR(to(WalkMode::Slide, {192, 0}).position.x, -1, 1e-12);
    EXPECT_NEAR((seen(to(WalkMode::Orbit, {300, -80})) - V2d(960, 540)).length(), 0, 1e-6);
}

TEST_F(Walk, EachModeMovesByItsMeasure) {
    EXPECT_NEAR(to(WalkMode::Dolly, {8, -108}).position.z, -1,
                1e-12);                                      // a tenth of the height: of the distance
    EXPECT_EQ(to(WalkMode::Dolly, {8, -108}).position.x, 0); // within the slack
    EXPECT_NEAR(to(WalkMode::Dolly, {96, -108}).position.x, -0.5, 1e-12);
    EXPECT_NEAR(to(WalkMode::Dolly, {96, -108}, true).position.x, 0, 1e-12);
    const scene::Pose around =
        to(WalkMode::Orbit, {-960, 0}); // half of the width: a right angle, to its right
    EXPECT_NEAR((around.position - V3d(10, 1, -10)).length(), 0, 1e-9);
    EXPECT_NEAR(to(WalkMode::Zoom, {0, -540}).focal, 72, 1e-9);
    EXPECT_NEAR(to(WalkMode::Zoom, {0, 1080}).focal, 9, 1e-9);
    const scene::Pose nearer =
        to(WalkMode::DollyZoom, {0, -540}); // half of the way: half of the focal length
    EXPECT_NEAR(nearer.position.z, -5, 1e-12);
    EXPECT_NEAR(nearer.focal, 18, 1e-9);
    EXPECT_FALSE(walked(walk, WalkMode::DollyZoom, {960, 540 - 1080}, false, 12)); // all of the way
}

TEST_F(Walk, ThePictureRollsWithThePointer) {
    walk.pressed = {1160, 540};
    const auto pose = walked(walk, WalkMode::Roll, {960, 740}, false, 12); // a quarter clockwise
    ASSERT_TRUE(pose);
    EXPECT_NEAR(pose->roll, -90, 1e-9); // the camera the other way
}

TEST_F(Walk, DepthAndCentreComeFromTheSelectionTheAimOrThePointer) {
    scene::Scene scene = scene::emptyScene();
    scene.camera.marks[0].pose = walk.from;
    scene.homeDepth = 7;
    EXPECT_EQ(walkDepth(scene, walk.view, {}), 7);
    EXPECT_EQ(walkDepth(scene, walk.view, V3d(3, 1, -12)), 12);
    EXPECT_EQ(walkDepth(scene, walk.view, V3d(0, 1, 5)), 7); // behind
    scene.layers.push_back(test::pictureLayer(4, "wall", "wall.png", {100, 100}, 4, V3d(0, 1, -20)));
    const motion::ResolvedScene now(scene, Rational(0), walk.from);
    EXPECT_NEAR((walkCentre(now, scene, walk.view, {960, 540}, 0, 7, true) - V3d(0, 1, -7)).length(), 0,
                1e-9);
    EXPECT_NEAR((walkCentre(now, scene, walk.view, {1056, 540}, 4, 7, true) - V3d(1, 1, -20)).length(), 0,
                1e-9);
    scene.camera.marks[0].aim.at = scene::Aim::At::Layer;
    scene.camera.marks[0].aim.layer = 4;
    EXPECT_NEAR((walkCentre(now, scene, walk.view, {960, 540}, 0, 7, true) - V3d(0, 1, -20)).length(), 0,
                1e-9);
    EXPECT_NEAR((walkCentre(now, scene, walk.view, {960, 540}, 0, 7, false) - V3d(0, 1, -7)).length(), 0,
                1e-9);
}

TEST(Picking, TheNearestThatShowsSomethingAndIsFree) {
    scene::Scene scene = scene::emptyScene();
    scene::Pose pose;
    pose.position = V3d(0);
    pose.focal = 36;
    const auto add = [&](std::int64_t id, double depth, bool locked, bool visible) {
        auto layer = std::make_shared<scene::Layer>(
            *test::pictureLayer(id, "p", "p.png", {100, 100}, 4, V3d(0, 0, -depth)));
        layer->locked = locked;
        layer->visible = visible;
        scene.layers.push_back(layer);
    };
    add(1, 20, false, true);
    add(2, 10, false, true);
    add(3, 8, true, true);
    add(4, 6, false, false);
    auto group = std::make_shared<scene::Layer>();
    group->id = 5;
    group->content = scene::Group{{scene.layers[0]}};
    scene.layers[0] = group;
    const motion::ResolvedScene now(scene, Rational(0), pose);
    const optics::View view = optics::viewOf(pose, 36, {1920, 1080});
    const Covers all = [](const scene::LayerPath&, double, double) { return true; };
    const Covers leftHalf = [](const scene::LayerPath& found, double s, double) {
        return found.layer->id != 2 || s < 0.5;
    };
    EXPECT_EQ(layerAt(now, view, {960, 540}, all), 2);
    EXPECT_EQ(layerAt(now, view, {970, 540}, leftHalf), 1);
    EXPECT_EQ(layerAt(now, view, {950, 540}, leftHalf), 2);
    EXPECT_EQ(layerAt(now, view, {960 + 2.1 * 192, 540}, all), 0);
    EXPECT_TRUE(showsAt(now, now.find(5), view, {960, 540}, all));
    EXPECT_FALSE(showsAt(now, now.find(5), view, {960 + 2.1 * 96, 540}, all));
}

TEST(Picking, DistancesToLines) {
    const V2d line[] = {{0, 0}, {10, 0}, {10, 10}};
    EXPECT_EQ(distanceToPolyline(line, {5, 3}), 3);
    EXPECT_EQ(distanceToPolyline(line, {14, 13}), 5);
    EXPECT_EQ(distanceToPolyline(std::span(line, 1), {3, 4}), 5);
    EXPECT_EQ(distanceToPolyline({}, {0, 0}), 1e300);
    EXPECT_EQ(distanceToLine({0, 0}, {10, 0}, {500, 3}), 3);
    EXPECT_EQ(distanceToLine({1, 1}, {1, 1}, {0, 0}), 1e9);
}

}
}
