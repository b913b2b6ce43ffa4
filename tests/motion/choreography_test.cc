// Paths, paces, aims, focus and tracks, held against independent answers.
#include "motion/camera_move.h"
#include "motion/frame.h"
#include "motion/resolved_scene.h"
#include "motion/values.h"
#include "optics/view.h"
#include "scene/property.h"
#include "support/moves.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>

namespace stage::motion {
namespace {

using test::card;
using test::mark;
using test::sceneOf;

scene::Track track(std::string property, std::vector<scene::Key<double>> keys = {}) {
    scene::Track made;
    made.property = std::move(property);
    made.keys = std::move(keys);
    return made;
}

// ---- path

TEST(Path, AQuarterOfACircleHasItsLength) {
    // the usual cubic of a quarter circle is off it by less than 0.03 %, and so is its length
    const double k = 4.0 / 3 * (std::numbers::sqrt2 - 1), radius = 5;
    const Path path({radius, 0, 0}, {radius, 0, -k * radius}, {k * radius, 0, -radius}, {0, 0, -radius});
    EXPECT_NEAR(path.length(), radius * std::numbers::pi / 2, 3e-4 * radius);
    for (const double share : {0.0, 0.1, 0.37, 0.5, 0.9, 1.0}) {
        const double angle = share * std::numbers::pi / 2;
        EXPECT_NEAR((path.at(share) - V3d(std::cos(angle), 0, -std::sin(angle)) * radius).length(), 0, 6e-3);
        EXPECT_NEAR((*path.direction(share) - V3d(-std::sin(angle), 0, -std::cos(angle))).length(), 0, 6e-3);
    }
    EXPECT_NEAR((path.at(1.2) - (V3d(-0.2 * path.length(), 0, -radius))).length(), 0, 1e-6); // straight on
    EXPECT_FALSE(Path({1, 1, 1}, {1, 1, 1}, {1, 1, 1}, {1, 1, 1}).direction(0.5));
}

/// Barry and Goldman's pyramid, evaluated from its definition.
V3d pyramid(const V3d (&p)[4], double u) {
    double t[4] = {0, 0, 0, 0};
    for (int i = 1; i < 4; ++i)
        t[i] = t[i - 1] + std::sqrt((p[i] - p[i - 1]).length());
    const double at = t[1] + (t[2] - t[1]) * u;
    const auto mix = [&](const V3d& a, const V3d& b, double from, double to) {
        return a * ((to - at) / (to - from)) + b * ((at - from) / (to - from));
    };
    const V3d a = mix(p[0], p[1], t[0], t[1]), b = mix(p[1], p[2], t[1], t[2]),
              c = mix(p[2], p[3], t[2], t[3]);
    return mix(mix(a, b, t[0], t[2]), mix(b, c, t[1], t[3]), t[1], t[2]);
}

TEST(Path, IsTheCentripetalSpline) {
    const V3d p[4] = {{0, 0, 0}, {1, 2, -1}, {4, 2.5, -3}, {4.5, 0, -9}};
    const auto paths = pathsThrough({{p[0]}, {p[1]}, {p[2]}, {p[3]}});
    ASSERT_EQ(paths.size(), 3u);
    // Every point of the pyramid lies on the path: at the share of its own length.
    double walked = 0;
    V3d last = p[1];
    constexpr int steps = 20'000;
    for (int i = 1; i <= steps; ++i) {
        const V3d at = pyramid(p, i / static_cast<double>(steps));
        walked += (at - last).length();
        last = at;
        if (i % 1000 == 0) {
            EXPECT_NEAR((paths[1].at(walked / paths[1].length()) - at).length(), 0, 1e-5);
        }
    }
    EXPECT_NEAR(paths[1].length(), walked, 1e-5);
}

TEST(Path, CornersAreStraightAndHandlesLead) {
    std::vector<PathPoint> points{{V3d(0, 0, 0)}, {V3d(2, 0, 0)}, {V3d(2, 0, -3)}};
    points[1].corner = true;
    const auto straight = pathsThrough(points);
    EXPECT_NEAR(straight[0].length(), 2, 1e-9);
    EXPECT_NEAR(straight[1].length(), 3, 1e-9);
    EXPECT_NEAR((straight[1].at(0.25) - V3d(2, 0, -0.75)).length(), 0, 1e-9);
    points[1].leaving = V3d(1, 0, 0);
    const auto led = pathsThrough(points);
    EXPECT_NEAR((*led[1].direction(0) - V3d(1, 0, 0)).length(), 0, 1e-6);
    EXPECT_GT(led[1].length(), 3.05);
}

// ---- pace

TEST(Pace, DrawnSpeedsAreGoneThroughInProportion) {
    const scene::Pace pace{0, 0, 1, 1, {0, 1, 1, 0}}; // up, level, down: way 0.5 + 1 + 0.5
    EXPECT_NEAR(paceAt(pace, 1 / 3.0), 0.25, 1e-12);
    EXPECT_NEAR(paceAt(pace, 1 / 6.0), 0.0625, 1e-12); // a quarter of the half: the speed is half there
    EXPECT_NEAR(paceAt(pace, 0.5), 0.5, 1e-12);
    EXPECT_NEAR(paceSlope(pace, 0.5), 1.5, 1e-12);
    EXPECT_NEAR(paceTime(pace, 0.25), 1 / 3.0, 1e-9);
    EXPECT_NEAR(paceTime({.42, 0, .58, 1, {}}, 0.12916193), 0.25, 1e-6);
}

/// Speed by small steps of what the move gives, against even, along paths of every kind.
TEST(Pace, OverTheWholeMoveDoesNotStopAtMarks) {
    scene::Scene scene = sceneOf({mark(1, 0, {0, 0, 0}), mark(2, 1, {3, 1, -2}), mark(3, 5, {2, 0, -7}),
                                  mark(4, 6, {2.2, 0.5, -7.5})});
    scene.camera.marks[2].corner = true;
    scene.camera.pace = scene::Pace{};
    const CameraMove move(scene);
    const double whole = move.length(0) + move.length(1) + move.length(2), mean = whole / 6;
    for (double t = 0.01; t < 5.98; t += 0.037) {
        // along the way: in short steps, which cut the corner by as little as can be
        const double h = 1e-4;
        const double speed = (move.at(t + h).position - move.at(t).position).length() / h;
        EXPECT_NEAR(speed, mean, mean * 0.005) << t;
        EXPECT_NEAR(move.speed(t), mean, mean * 1e-6);
    }
    EXPECT_NEAR(move.arrival(1), move.length(0) / mean, 1e-6);
    EXPECT_NEAR((move.at(move.arrival(2)).position - V3d(2, 0, -7)).length(), 0, 1e-6);
    // soft at both ends of all, not at the marks
    scene.camera.pace = scene::Pace{.42, 0, .58, 1, {}};
    const CameraMove soft(scene);
    EXPECT_LT(soft.speed(0.01), 0.05 * mean);
    EXPECT_GT(soft.speed(soft.arrival(1)), 0.5 * mean);
    EXPECT_NEAR((soft.at(3).position - move.at(3).position).length(), 0, 1e-9); // its middle is the middle
}

TEST(Pace, AWholeMoveRestsWhereTheCameraStands) {
    scene::Scene scene = sceneOf(
        {mark(1, 0, {0, 0, 0}), mark(2, 2, {4, 0, 0}), mark(3, 3, {4, 0, 0}), mark(4, 5, {4, 0, -6})});
    scene.camera.pace = scene::Pace{};
    const CameraMove move(scene);
    EXPECT_NEAR(move.speed(1), 2, 1e-9);
    EXPECT_EQ(move.speed(2.5), 0);
    EXPECT_NEAR(move.speed(4), 3, 1e-9);
}

// ---- aim and focus

TEST(Aim, AtAPointTheAxisMeetsIt) {
    scene::Scene scene = sceneOf({mark(1, 0, {-3, 1, 0}), mark(2, 4, {3, 2, 0})});
    const V3d target(0.5, 1.5, -6);
    for (scene::Mark& m : scene.camera.marks)
        m.aim = {scene::Aim::At::Point, target, 0};
    const CameraMove move(scene);
    for (double t = 0; t <= 4; t += 0.25) {
        const auto at = optics::project(optics::viewOf(move.at(t), 36, {1920, 1080}), target);
        ASSERT_TRUE(at);
        EXPECT_NEAR(at->x, 960, 1e-6);
        EXPECT_NEAR(at->y, 540, 1e-6);
    }
}

TEST(Aim, AtAMovingLayerAndFromOneToAnother) {
    scene::Scene scene = sceneOf({mark(1, 0, {0, 0, 0}), mark(2, 4, {1, 0, -1}), mark(3, 8, {1, 1, -2})});
    auto mover = card(7, {0, 0, -8});
    mover->tracks = {track("across", {{0, -3}, {4, 3}})};
    scene.layers = {mover, card(8, {5, 2, -9})};
    scene.camera.marks[0].aim = scene.camera.marks[1].aim = {scene::Aim::At::Layer, V3d(0), 7};
    scene.camera.marks[2].aim = {scene::Aim::At::Layer, V3d(0), 8};
    scene.camera.marks[2].focusOn = 8;
    scene.camera.marks[1].focusOn = 7;
    const CameraMove move(scene);
    const auto seenAt = [&](double t, const V3d& point) {
        return optics::project(optics::viewOf(move.at(t), 36, {1920, 1080}), point).value_or(V2d(-1));
    };
    for (const double t : {0.0, 1.0, 2.5, 4.0}) // -3 + 1.5 t, as the track has it
        EXPECT_NEAR((seenAt(t, {-3 + 1.5 * t, 0, -8}) - V2d(960, 540)).length(), 0, 1e-6) << t;
    EXPECT_NEAR((seenAt(8, {5, 2, -9}) - V2d(960, 540)).length(), 0, 1e-6);
    EXPECT_NEAR((seenAt(6, {4, 1, -8.5}) - V2d(960, 540)).length(), 0, 1e-6); // half way between the two
    // The focus is on what it is to be on, and goes from one to the other in dioptres.
    const auto depth = [&](double t, const V3d& point) {
        return optics::depthOf(optics::viewOf(move.at(t), 36, {1920, 1080}), point);
    };
    EXPECT_NEAR(move.at(4).focus, depth(4, {3, 0, -8}), 1e-9);
    EXPECT_NEAR(move.at(8).focus, depth(8, {5, 2, -9}), 1e-9);
    EXPECT_NEAR(1 / move.at(6).focus, (1 / depth(6, {3, 0, -8}) + 1 / depth(6, {5, 2, -9})) / 2, 1e-9);
    // One that is gone is as if there were none.
    scene.layers.clear();
    EXPECT_EQ(CameraMove(scene).at(8).pan, 0);
    EXPECT_EQ(CameraMove(scene).at(8).focus, scene.camera.marks[2].pose.focus);
}

/// A layer that a group carries which turns to the camera is elsewhere for every place of the camera.
/// Between marks: lens and stop by their numbers, focus by dioptres.
TEST(Moves, LensStopAndFocusGoFromMarkToMark) {
    scene::Scene scene = sceneOf({mark(1, 0, {0, 0, 0}), mark(2, 4, {1, 0, 0})});
    scene::Pose &from = scene.camera.marks[0].pose, &to = scene.camera.marks[1].pose;
    from.focal = 24, from.fstop = 2, from.focus = 2, from.roll = -10;
    to.focal = 80, to.fstop = 8, to.focus = 50, to.roll = 30;
    scene.camera.marks[0].pace = {0, 0, 1, 1, {}}; // even
    const scene::Pose pose = CameraMove(scene).at(1);
    EXPECT_NEAR(pose.focal, 24 + 56 / 4.0, 1e-6);
    EXPECT_NEAR(pose.fstop, 2 + 6 / 4.0, 1e-6);
    EXPECT_NEAR(pose.roll, 0, 1e-6);
    EXPECT_NEAR(1 / pose.focus, 0.75 / 2 + 0.25 / 50, 1e-8);
}

TEST(Aim, AtALayerInAGroupThatFacesTheCamera) {
    scene::Scene scene = sceneOf({mark(1, 0, {-6, 1, 0}), mark(2, 4, {6, 0, -2})});
    auto group = std::make_shared<scene::Layer>();
    group->id = 9;
    group->name = "group";
    group->content = scene::Group{{card(7, {3, 0.5, 0})}};
    group->placement.position = {0, 0, -8};
    group->hanging.facing = scene::Facing::Upright;
    scene.layers = {group};
    for (auto& each : scene.camera.marks)
        each.aim = {scene::Aim::At::Layer, V3d(0), 7};
    const CameraMove move(scene);
    for (const double t : {0.0, 1.0, 2.5, 4.0}) {
        const scene::Pose pose = move.at(t);
        // The group's right arm of 3 m lies square to the way to the camera, seen from above.
        V3d away = V3d(0, 0, -8) - pose.position;
        away.y = 0;
        away.normalize();
        const V3d at = V3d(0, 0.5, -8) + V3d(-away.z, 0, away.x) * 3;
        const auto seen = optics::project(optics::viewOf(pose, 36, {1920, 1080}), at);
        ASSERT_TRUE(seen);
        EXPECT_NEAR((*seen - V2d(960, 540)).length(), 0, 1e-6) << t;
    }
}

/// Standing still, straight ahead as its pose says, then after 2 s, by an even pace, at a point.
scene::Scene aimedAt(const V3d& point) {
    scene::Scene scene = scene::emptyScene();
    scene::Mark& first = scene.camera.marks[0];
    first.pose.position = V3d(0);
    first.pace = {0, 0, 1, 1, {}};
    scene::Mark second = first;
    second.id = first.id + 1;
    second.time = Rational(2);
    second.aim = {scene::Aim::At::Point, point, 0};
    scene.camera.marks.push_back(second);
    return scene;
}

TEST(Aim, FromOneToAnotherOnTheShortestArc) {
    // As its pose says, straight ahead, then at a point 60 degrees to the right: by an even pace 30 degrees a
    // second.
    const scene::Scene scene = aimedAt(V3d(10 * std::sin(radians(60)), 0, -10 * std::cos(radians(60))));
    const CameraMove move(scene);
    const auto forward = [&](double t) {
        return optics::viewOf(move.at(t), scene.camera.gate, scene.output.frame).forward;
    };
    for (const double t : {0.0, 0.5, 1.0, 1.5, 2.0}) {
        const double angle = std::atan2(forward(t).x, -forward(t).z);
        EXPECT_NEAR(forward(t).y, 0, 1e-9) << t;
        EXPECT_NEAR(angle, radians(30 * t), 1e-6) << t;
    }
}

TEST(Aim, TurnsInThePlaneOfBothDirections) {
    // From straight ahead to half right and half up: half way along the arc is their mean, brought to unit
    // length.
    const scene::Scene scene = aimedAt({3, 3, 0});
    const V3d forward =
        optics::viewOf(CameraMove(scene).at(1), scene.camera.gate, scene.output.frame).forward;
    EXPECT_NEAR(forward.x, 0.5, 1e-9);
    EXPECT_NEAR(forward.y, 0.5, 1e-9);
    EXPECT_NEAR(forward.z, -std::sqrt(0.5), 1e-9);
}

TEST(Aim, AlongThePath) {
    scene::Scene scene = sceneOf({mark(1, 0, {0, 0, 0}), mark(2, 2, {3, 0, -2}), mark(3, 4, {4, 1, -7})});
    for (scene::Mark& m : scene.camera.marks)
        m.aim.at = scene::Aim::At::Path;
    const CameraMove move(scene);
    for (double t = 0.1; t < 3.9; t += 0.2) {
        const V3d along = (move.at(t + 1e-4).position - move.at(t - 1e-4).position).normalized();
        const scene::Pose pose = move.at(t);
        EXPECT_NEAR((optics::forwardOf(pose.pan, pose.tilt) - along).length(), 0, 2e-3) << t;
    }
}

// ---- tracks

TEST(Tracks, AreExtrapolatedAsTheySay) {
    scene::Track t = track("turn", {{1, 10}, {3, 30}});
    const auto at = [&](scene::Extrapolation beside, double seconds) {
        t.extrapolation = beside;
        return keysAt(t, seconds);
    };
    using scene::Extrapolation;
    EXPECT_EQ(at(Extrapolation::Hold, 0), 10);
    EXPECT_EQ(at(Extrapolation::Hold, 9), 30);
    EXPECT_NEAR(at(Extrapolation::Hold, 1.5), 15, 1e-12);
    EXPECT_NEAR(at(Extrapolation::Loop, 3.5), 15, 1e-12);
    EXPECT_NEAR(at(Extrapolation::Loop, 0.5), 25, 1e-12);
    EXPECT_NEAR(at(Extrapolation::PingPong, 3.5), 25, 1e-12);
    EXPECT_NEAR(at(Extrapolation::PingPong, 5.5), 15, 1e-12);
    EXPECT_NEAR(at(Extrapolation::LoopWithOffset, 3.5), 35, 1e-12);
    EXPECT_NEAR(at(Extrapolation::LoopWithOffset, 7.5), 75, 1e-12);
    EXPECT_NEAR(at(Extrapolation::LoopWithOffset, 0.5), 5, 1e-12);
    t.keys[0].hold = true;
    EXPECT_EQ(at(Extrapolation::Hold, 2.9), 10);
    t.keys = {{1, 4}};
    EXPECT_EQ(at(Extrapolation::Loop, 7), 4);
}

scene::Layer with(const auto& content) {
    scene::Layer layer = *card(1, {1, 2, -3});
    layer.content = content;
    return layer;
}

TEST(Tracks, EveryPropertyIsSetAndRead) {
    for (const auto& property : scene::layerProperties()) {
        auto layer = card(1, {1, 2, -3});
        for (const scene::Layer& each : {with(scene::Particles{}), with(scene::Cloud{}), with(scene::Lamp{})})
            if (property.has && !property.has(*layer) && property.has(each)) *layer = each;
        layer->displacements = {{}};
        layer->grade = std::make_shared<const scene::Grade>();
        layer->finish = std::make_shared<const scene::Finish>();
        layer->shading = std::make_shared<const scene::Shading>();
        layer->shadows = {{}};
        const double value = std::clamp(0.6, property.low, property.high);
        layer->tracks = {track(std::string(property.name), {{0, value}})};
        scene::Scene scene = sceneOf({mark(1, 0, {0, 0, 0})});
        scene.layers = {layer};
        EXPECT_EQ(property.get(*resolved(scene, 0, V3d(0)).layers[0]), value) << property.name;
        EXPECT_TRUE(resolved(scene, 0, V3d(0)).layers[0]->tracks.empty());
    }
    for (const auto& property : scene::cameraProperties()) {
        scene::Scene scene = sceneOf({mark(1, 0, {1, 2, 3}, 10, 5), mark(2, 2, {3, 2, 1}, 20, 0)});
        scene.camera.tracks = {track(std::string(property.name), {{0, 1.25}})};
        EXPECT_EQ(property.get(CameraMove(scene).at(1)), 1.25) << property.name;
    }
    for (const auto& property : scene::pictureProperties()) {
        scene::Scene scene = sceneOf({mark(1, 0, {0, 0, 0})});
        scene.camera.tracks = {track(std::string(property.name), {{0, 1.25}})};
        EXPECT_EQ(property.get(resolved(scene, 1, V3d(0))), 1.25) << property.name;
        EXPECT_NE(property.get(scene), 1.25) << property.name;
        EXPECT_EQ(cameraValue(scene, CameraMove(scene), property.name, 1), 1.25) << property.name;
    }
}

TEST(Links, FollowWithFactorOffsetAndDelay) {
    auto leader = card(1, {0, 0, -5}), follower = card(2, {0, 0, -6});
    leader->tracks = {track("across", {{0, 0}, {10, 10}})};
    scene::Track link = track("up");
    link.link = scene::Link{1, "across", -2, 0.5, Rational(3, 2)};
    follower->tracks = {link};
    scene::Scene scene = sceneOf({mark(1, 0, {0, 0, 0}), mark(2, 10, {0, 0, -5})});
    scene.layers = {leader, follower};
    EXPECT_NEAR(resolved(scene, 4, V3d(0)).layers[1]->placement.position.y, -2 * 2.5 + 0.5, 1e-9);
    // the camera leads
    link.link = scene::Link{0, "along", 0.5, 0, Rational(0)};
    auto led = card(2, {0, 0, -6});
    led->tracks = {link};
    scene.layers = {leader, led};
    EXPECT_NEAR(resolved(scene, 4, V3d(0)).layers[1]->placement.position.y, 0.5 * 2, 1e-9);
    EXPECT_EQ(whyNotLinked(scene), "");
    // in a circle: said, and no harm done
    link.link = scene::Link{2, "up", 1, 1, Rational(0)};
    auto round = card(1, {0, 0, -5});
    round->tracks = {link};
    auto back = card(2, {0, 0, -6});
    link.link->layer = 1;
    back->tracks = {link};
    scene.layers = {round, back};
    EXPECT_NE(whyNotLinked(scene).find("circle"), std::string::npos);
    EXPECT_TRUE(std::isfinite(resolved(scene, 4, V3d(0)).layers[1]->placement.position.y));
    link.link->layer = 99;
    back = card(2, {0, 0, -6});
    back->tracks = {link};
    scene.layers = {back};
    EXPECT_NE(whyNotLinked(scene).find("not there"), std::string::npos);
}

TEST(Noises, AreTheSameInAnyOrderAndWithinTheirAmount) {
    for (const auto kind :
         {scene::Noise::Kind::Sway, scene::Noise::Kind::Jitter, scene::Noise::Kind::Flicker}) {
        const scene::Noise noise{kind, 0.5, 3, 11};
        std::vector<double> forth, back;
        for (int i = 0; i <= 600; ++i)
            forth.push_back(noiseAt(noise, i / 24.0 - 5));
        for (int i = 600; i >= 0; --i)
            back.push_back(noiseAt(noise, i / 24.0 - 5));
        std::reverse(back.begin(), back.end());
        EXPECT_EQ(forth, back);
        const auto [low, high] = std::minmax_element(forth.begin(), forth.end());
        EXPECT_GE(*low, -0.5);
        EXPECT_LE(*high, kind == scene::Noise::Kind::Flicker ? 0 : 0.5);
        EXPECT_LT(*low, -0.2); // and it does make use of it
        const scene::Noise other{kind, 0.5, 3, 12};
        std::vector<double> others;
        for (int i = 0; i <= 600; ++i)
            others.push_back(noiseAt(other, i / 24.0 - 5));
        EXPECT_NE(forth, others);
        if (kind == scene::Noise::Kind::Sway) { // smooth: no step between close times
            for (double t = 0; t < 5; t += 0.01)
                EXPECT_LT(std::abs(noiseAt(noise, t + 1e-4) - noiseAt(noise, t)), 2e-3);
        }
    }
    // On top of a track, and of the marks.
    scene::Scene scene = sceneOf({mark(1, 0, {0, 0, 0}), mark(2, 4, {0, 0, -4})});
    scene::Track t = track("tilt", {{0, 5}});
    t.noises = {{scene::Noise::Kind::Sway, 1, 1, 4}};
    scene::Track sway = track("across");
    sway.noises = {{scene::Noise::Kind::Sway, 0.02, 1, 5}};
    scene.camera.tracks = {t, sway};
    const CameraMove move(scene);
    EXPECT_NEAR(move.at(2.2).tilt, 5 + noiseAt(t.noises[0], 2.2), 1e-12);
    EXPECT_NEAR(move.at(2.2).position.x, noiseAt(sway.noises[0], 2.2), 1e-12);
    EXPECT_NEAR(move.at(2.2).position.z, -2.2, 1e-9);
}

// ---- layers in time

TEST(Showing, FadesInTimeAndByDistance) {
    scene::Showing showing;
    showing.in = Rational(1), showing.out = Rational(5);
    showing.fadeIn = Rational(1), showing.fadeOut = Rational(2);
    EXPECT_EQ(shownAt(showing, Rational(1, 2)), 0);
    EXPECT_NEAR(shownAt(showing, Rational(3, 2)), 0.5, 1e-12);
    EXPECT_EQ(shownAt(showing, Rational(5, 2)), 1);
    EXPECT_NEAR(shownAt(showing, Rational(9, 2)), 0.25, 1e-12);
    EXPECT_EQ(shownAt(showing, Rational(5)), 0);
    scene::Showing near;
    near.nearGone = 1, near.nearFull = 3, near.farFull = 20, near.farGone = 40;
    EXPECT_EQ(shownFrom(near, 0.5), 0);
    EXPECT_NEAR(shownFrom(near, 2), 0.5, 1e-12);
    EXPECT_EQ(shownFrom(near, 10), 1);
    EXPECT_NEAR(shownFrom(near, 35), 0.25, 1e-12);
    EXPECT_EQ(shownFrom(near, 99), 0);
    // in a frame, from the camera as it comes closer
    scene::Scene scene = sceneOf({mark(1, 0, {0, 0, 0}), mark(2, 4, {0, 0, -4})});
    auto layer = card(1, {0, 0, -4.5});
    layer->content = scene::Card{};
    layer->showing = near;
    scene.layers = {layer};
    ASSERT_EQ(evaluate(scene, 0, {192, 108}).items.size(), 1u);
    EXPECT_EQ(evaluate(scene, 0, {192, 108}).items[0].opacity, 1);
    EXPECT_NEAR(evaluate(scene, 2, {192, 108}).items[0].opacity, 0.75, 1e-9); // 2.5 m away
    EXPECT_TRUE(evaluate(scene, 4, {192, 108}).items.empty());
}

}
}
