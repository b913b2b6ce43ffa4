#include "motion/frame.h"
#include "motion/measure.h"
#include "support/moves.h"

#include <gtest/gtest.h>

namespace stage::motion {
namespace {

using test::mark;
using test::sceneOf;

TEST(PaceCurve, MatchesCssEaseInOut) {
    // cubic-bezier(.42,0,.58,1): reference values by solving x(t) to 1e-12 with bisection in extended
    // precision
    const scene::Pace soft{.42, 0, .58, 1};
    EXPECT_NEAR(paceAt(soft, 0.25), 0.12916193, 1e-6);
    EXPECT_NEAR(paceAt(soft, 0.5), 0.5, 1e-9);
    EXPECT_NEAR(paceAt(soft, 0.75), 0.87083807, 1e-6);
    EXPECT_EQ(paceAt(soft, 0), 0);
    EXPECT_EQ(paceAt(soft, 1), 1);
    EXPECT_NEAR(paceAt({}, 0.3), 0.3, 1e-12);
}

TEST(PaceCurve, SlopeIsTheDerivative) {
    for (const scene::NamedPace& named : scene::namedPaces)
        for (double x = 0.05; x < 1; x += 0.05) {
            const double h = 1e-6;
            const double expected = (paceAt(named.pace, x + h) - paceAt(named.pace, x - h)) / (2 * h);
            EXPECT_NEAR(paceSlope(named.pace, x), expected, 1e-4 * std::max(1.0, expected))
                << named.name << " at " << x;
        }
    // at the end of a soft start: from the handle (.42, 0) straight to (1, 1)
    EXPECT_NEAR(paceSlope({.42, 0, 1, 1}, 1), 1 / 0.58, 1e-3);
}

TEST(Measure, EnlargementIsPixelsOfTheFrameForOneOfThePicture) {
    // 640 px over 6.4 m at 10 m, a lens as long as its gate is wide: the frame shows 10 m there with 1920 px.
    scene::Scene scene = sceneOf({mark(1, 0, {0, 0, 0})});
    scene.camera.gate = 36;
    scene.camera.marks[0].pose.focal = 36;
    scene.output.frame = {1920, 1080};
    auto layer = test::card(7, {0, 0, -10});
    layer->pixels = {640, 640};
    layer->metresPerPixel = 0.01;
    scene.layers = {layer};
    const auto all = measureAll(scene, CameraMove(scene), Rational(0));
    ASSERT_EQ(all.size(), 1u);
    EXPECT_NEAR(all[0].enlargement, 1.92, 1e-9);
}

TEST(CameraMove, EvenPaceHasOneSpeedAlongACurve) {
    const auto scene = sceneOf({mark(1, 0, {0, 0, 0}), mark(2, 2, {3, 1, -2}), mark(3, 5, {2, 0, -7})});
    const CameraMove move(scene);
    for (const auto& [from, to] : {std::pair{0.0, 2.0}, std::pair{2.0, 5.0}}) {
        const double stride = (to - from) / 50;
        const double mean = move.length(from < 1 ? 0 : 1) / (to - from);
        for (int i = 0; i < 50; ++i) {
            // chords of the path as walked, against its length over its time
            double walked = 0;
            for (int k = 0; k < 10; ++k)
                walked += (move.at(from + stride * (i + (k + 1) / 10.0)).position -
                           move.at(from + stride * (i + k / 10.0)).position)
                              .length();
            EXPECT_NEAR(walked / stride, mean, mean * 1e-3);
        }
    }
}

TEST(CameraMove, PassesThroughItsMarks) {
    const auto scene = sceneOf(
        {mark(1, 0, {0, 0, 0}, 10, 5), mark(2, 2, {3, 1, -2}, 40, -10), mark(3, 5, {2, 0, -7}, 200, 0)});
    const CameraMove move(scene);
    for (const scene::Mark& m : scene.camera.marks) {
        const scene::Pose pose = move.at(m.time.toDouble());
        EXPECT_NEAR((pose.position - m.pose.position).length(), 0, 1e-9);
        EXPECT_NEAR(std::remainder(pose.pan - m.pose.pan, 360), 0, 1e-6);
        EXPECT_NEAR(pose.tilt, m.pose.tilt, 1e-6);
    }
    // and comes close to them from both sides
    EXPECT_LT((move.at(1.9999).position - scene.camera.marks[1].pose.position).length(), 1e-3);
    EXPECT_LT((move.at(2.0001).position - scene.camera.marks[1].pose.position).length(), 1e-3);
}

TEST(CameraMove, TwoMarksGoStraight) {
    const CameraMove move(sceneOf({mark(1, 0, {0, 0, 0}), mark(2, 4, {4, 2, -4})}));
    EXPECT_NEAR((move.at(1).position - V3d(1, 0.5, -1)).length(), 0, 1e-9);
    EXPECT_NEAR(move.length(0), 6, 1e-9);
    EXPECT_NEAR(move.speed(1), 1.5, 1e-6);
}

TEST(CameraMove, TurnsTheShorterWayAndStaysLevel) {
    const CameraMove move(sceneOf({mark(1, 0, {0, 0, 0}, 350, 0), mark(2, 1, {0, 0, 0}, 10, 0)}));
    EXPECT_NEAR(std::remainder(move.at(0.5).pan, 360), 0, 1e-9);
    EXPECT_NEAR(move.turning(0.5), 20, 0.05);
    EXPECT_EQ(move.speed(0.5), 0);
    const CameraMove tilted(sceneOf({mark(1, 0, {0, 0, 0}, 0, 30), mark(2, 1, {0, 0, 0}, 90, 30)}));
    EXPECT_EQ(tilted.at(0.5).roll, 0);
}

TEST(CameraMove, StandsBeforeAndAfterAndBetweenEqualMarks) {
    const CameraMove move(sceneOf({mark(1, 1, {1, 2, 3}), mark(2, 2, {1, 2, 3}), mark(3, 3, {5, 2, 3})}));
    EXPECT_EQ(move.at(0).position, V3d(1, 2, 3));
    EXPECT_EQ(move.at(1.5).position, V3d(1, 2, 3));
    EXPECT_EQ(move.at(9).position, V3d(5, 2, 3));
    EXPECT_EQ(move.speed(9), 0);
    const CameraMove single(sceneOf({mark(1, 0, {1, 2, 3})}));
    EXPECT_EQ(single.at(7).position, V3d(1, 2, 3));
}

TEST(Measures, TravelOfATruck) {
    // a 0.5 m truck at f=35, W=1920: 186.667 px at 5 m, 18.667 px at 50 m
    for (const auto& [depth, travel] : {std::pair{5.0, 186.667}, std::pair{50.0, 18.667}}) {
        scene::Scene scene = scene::emptyScene();
        scene.camera.marks.push_back(mark(2, scene::lastTime(scene), {0.5, 0, 0}));
        scene.layers.push_back(test::card(1, {0, 0, -depth}));
        const Measure m = measure(scene, 1, CameraMove(scene), 0);
        EXPECT_NEAR(m.travel, travel, 1e-3);
        EXPECT_NEAR(m.depth, depth, 1e-12);
    }
}

TEST(Measures, TravelOfALayerThatMovesOnACarrier) {
    // 0.3 m on a carrier twice as large that goes 0.1 m, all at 5 m: 0.7 m, 373.333 px each
    scene::Scene scene = scene::emptyScene();
    auto group = test::card(1, {0, 0, -5});
    group->placement.scale = {2, 2};
    const auto rises = [](double by) {
        return scene::Track{"across", {{Rational(0), 0}, {scene::lastTime(scene::emptyScene()), by}}};
    };
    group->tracks = {rises(0.1)};
    auto rider = test::card(2, {0, 0, 0});
    rider->follows = 1;
    rider->tracks = {rises(0.3)};
    scene.layers = {group, rider};
    EXPECT_NEAR(measure(scene, 2, CameraMove(scene), 0).travel, 0.7 * 373.3333, 1e-3);
}

TEST(Measures, WhatRunsAwayBesideTheLensDoesNotTravel) {
    // Passed 0.1 m aside: just before, a frame's step would be thousands of px.
    scene::Scene scene = scene::emptyScene();
    scene.camera.marks.push_back(mark(2, scene::lastTime(scene), {0, 0, -10}));
    scene.layers.push_back(test::card(1, {0.1, 0, -5}));
    const Measure m = measure(scene, 1, CameraMove(scene), 0);
    EXPECT_GT(m.travel, 0.4 * 1920);
    EXPECT_LT(m.travel, 1.5 * 1920);
}

TEST(Measures, CornersOfACard) {
    scene::Scene scene = scene::emptyScene();
    scene.layers.push_back(test::card(1, {0.5, 0.25, -5}));
    const Measure m = measure(scene, 1, CameraMove(scene), 0);
    ASSERT_TRUE(m.corners);
    // 1 m x 0.5 m, its lower left corner on the axis; 1 m at 5 m is 35/36*1920/5 = 373.333 px
    EXPECT_NEAR((*m.corners)[3].x, 960, 1e-9);
    EXPECT_NEAR((*m.corners)[3].y, 540, 1e-9);
    EXPECT_NEAR((*m.corners)[1].x, 960 + 373.3333, 1e-3);
    EXPECT_NEAR((*m.corners)[1].y, 540 - 186.6667, 1e-3);
    EXPECT_NEAR(m.size().x, 373.3333, 1e-3);
    EXPECT_NEAR(m.size().y, 186.6667, 1e-3);
}

TEST(Measures, BehindTheCameraHasNoCorners) {
    scene::Scene scene = scene::emptyScene();
    scene.layers.push_back(test::card(1, {0, 0, 5}));
    const Measure m = measure(scene, 1, CameraMove(scene), 0);
    EXPECT_FALSE(m.corners);
    EXPECT_EQ(m.travel, 0);
}

TEST(Frames, FootageTimeHoldsItsEnds) {
    scene::Scene scene = scene::emptyScene();
    auto clip = std::make_shared<scene::Layer>(*test::card(1, {0, 0, -5}));
    clip->content = scene::Footage{{"x", 0, ""}, Rational(12), 10, 0, Rational(1)};
    scene.layers = {clip};
    const auto shown = [&](Rational time) {
        return evaluate(scene, time, {64, 36}).items.at(0).pixels->footage.frame;
    };
    EXPECT_EQ(shown(0), 0);
    EXPECT_EQ(shown(1), 0);
    EXPECT_EQ(shown(Rational(13, 12)), 1);
    EXPECT_EQ(shown(Rational(13, 12) - Rational(1, 1000)), 0);
    EXPECT_EQ(shown(5), 9);
}

TEST(Frames, HiddenLayersAndPlainGroupsAreResolved) {
    scene::Scene scene = scene::emptyScene();
    auto hidden = std::make_shared<scene::Layer>(*test::card(1, {0, 0, -5}));
    hidden->visible = false;
    auto group = std::make_shared<scene::Layer>();
    group->id = 9;
    group->placement.position = {0, 0, -2};
    group->content = scene::Group{{test::card(1, {0, 0, -3}), hidden}};
    scene.layers = {group};
    const Frame frame = evaluate(scene, 0, {64, 36});
    ASSERT_EQ(frame.items.size(), 1u);
    EXPECT_FALSE(frame.items[0].flattened);
    EXPECT_NEAR(frame.items[0].card.centre().z, -5, 1e-12);
    auto faded = std::make_shared<scene::Layer>(*group);
    faded->opacity = 0.5;
    scene.layers = {faded};
    EXPECT_TRUE(evaluate(scene, 0, {64, 36}).items.at(0).flattened);
}

}
}

namespace stage::motion {
namespace {

std::vector<std::int64_t> framesOf(const scene::Footage& footage, int count, int rate = 12) {
    std::vector<std::int64_t> frames;
    for (int n = -2; n < count; ++n) {
        const auto shown = footageAt(footage, Rational(n, rate));
        frames.push_back(shown ? shown->frame : -1);
    }
    return frames;
}
using List = std::vector<std::int64_t>;

scene::Footage clip() {
    scene::Footage footage;
    footage.rate = Rational(12);
    footage.frames = 10;
    footage.in = 2;
    footage.out = 6; // 2, 3, 4, 5
    return footage;
}

TEST(FootageTime, EndsHoldLoopSwingOrVanish) {
    scene::Footage footage = clip();
    EXPECT_EQ(framesOf(footage, 7), (List{2, 2, 2, 3, 4, 5, 5, 5, 5}));
    footage.ends = scene::Ends::Loop;
    EXPECT_EQ(framesOf(footage, 7), (List{4, 5, 2, 3, 4, 5, 2, 3, 4}));
    footage.ends = scene::Ends::PingPong;
    EXPECT_EQ(framesOf(footage, 8), (List{4, 3, 2, 3, 4, 5, 4, 3, 2, 3}));
    footage.ends = scene::Ends::Vanish;
    EXPECT_EQ(framesOf(footage, 6), (List{-1, -1, 2, 3, 4, 5, -1, -1}));
    footage.in = 5; // one frame only
    footage.ends = scene::Ends::PingPong;
    EXPECT_EQ(framesOf(footage, 3), (List{5, 5, 5, 5, 5}));
}

TEST(FootageTime, SpeedReverseAndFreeze) {
    scene::Footage footage = clip();
    footage.speed = Rational(-1);
    EXPECT_EQ(framesOf(footage, 6), (List{5, 5, 5, 4, 3, 2, 2, 2}));
    footage.speed = Rational(1, 2);
    EXPECT_EQ(framesOf(footage, 5), (List{2, 2, 2, 2, 3, 3, 4}));
    footage.speed = Rational(2);
    EXPECT_EQ(framesOf(footage, 3), (List{2, 2, 2, 4, 5}));
    footage.freeze = 9;
    EXPECT_EQ(framesOf(footage, 2), (List{9, 9, 9, 9}));
    footage.freeze = 99; // beyond the clip: its last
    EXPECT_EQ(framesOf(footage, 1), (List{9, 9, 9}));
}

TEST(FootageTime, SlowMotionMixesNeighbours) {
    scene::Footage footage = clip();
    footage.speed = Rational(1, 4);
    footage.mix = true;
    const auto shown = footageAt(footage, Rational(3, 12));
    ASSERT_TRUE(shown);
    EXPECT_EQ(shown->frame, 2);
    EXPECT_EQ(shown->next, 3);
    EXPECT_DOUBLE_EQ(shown->share, 0.75);
    EXPECT_EQ(footageAt(footage, Rational(0))->share, 0);
    EXPECT_EQ(footageAt(footage, Rational(100))->share, 0); // at its end there is no neighbour
    footage.ends = scene::Ends::Loop;
    const auto wrapped = footageAt(footage, Rational(14, 12)); // 3.5 frames in
    EXPECT_EQ(wrapped->frame, 5);
    EXPECT_EQ(wrapped->next, 2);
    EXPECT_DOUBLE_EQ(wrapped->share, 0.5);
}

TEST(FootageTime, SpeedMayFollowACurve) {
    scene::Footage footage = clip();
    footage.in = 0;
    footage.out = 0;
    footage.frames = 1000;
    footage.start = Rational(1);
    // from standing to twice the speed over two seconds: t^2 / 2 seconds in after t
    footage.speeds = {{Rational(0), 0, {}, false}, {Rational(2), 2, {}, false}};
    for (int n = 1; n < 24; ++n) {
        const double t = n / 12.0;
        const auto shown = footageAt(footage, Rational(1) + Rational(n, 12));
        EXPECT_EQ(shown->frame, static_cast<std::int64_t>(std::floor(t * t / 2 * 12 + 1e-4))) << n;
    }
    EXPECT_EQ(footageAt(footage, Rational(4))->frame, 48); // 2 seconds' worth, then one at twice the speed
    footage.speeds[0].hold = true;                         // stands, then runs
    EXPECT_EQ(footageAt(footage, Rational(3) - Rational(1, 100))->frame, 0);
    EXPECT_EQ(footageAt(footage, Rational(4))->frame, 24);
    EXPECT_EQ(footageAt(footage, Rational(0))->frame, 0);
}

TEST(FootageTime, HugeNumbersDoNotOverflow) {
    scene::Footage footage = clip();
    footage.rate = Rational(99'999'999, 1'000'003);
    footage.speed = Rational(999'999'937, 1'000'000'007);
    footage.start = Rational(123'456'789, 999'999'937);
    const auto shown = footageAt(footage, Rational(1'000'000));
    ASSERT_TRUE(shown);
    EXPECT_EQ(shown->frame, 5);
}

}
}
