// Checks of moves: what is found, where, and that the fix that is offered mends it.
#include "checks/choreography.h"

#include "edit/edit.h"
#include "motion/camera_move.h"
#include "support/moves.h"

#include <gtest/gtest.h>

namespace stage {
namespace {

using checks::Kind;
using test::card;
using test::mark;
using test::sceneOf;

checks::Report look(const scene::Scene& scene) {
    auto report = checks::choreography(scene);
    EXPECT_TRUE(report);
    return report ? *report : checks::Report{};
}

std::optional<checks::Finding> find(const checks::Report& report, Kind kind) {
    for (const checks::Finding& each : report.findings)
        if (each.kind == kind) return each;
    return {};
}

scene::Scene mended(const scene::Scene& scene, const checks::Fix& fix) {
    auto after = edit::apply(scene, fix.edit);
    EXPECT_TRUE(after) << fix.name << ": " << (after ? "" : after.error().sentence);
    return after ? *after : scene;
}

scene::Pace paceNamed(std::string_view name) {
    for (const auto& each : scene::namedPaces)
        if (each.name == name) return each.pace;
    return {};
}

/// 6 s of even straight travel, by so many metres.
scene::Scene straight(double metres) {
    scene::Scene scene = sceneOf({mark(1, 0, {0, 1.5, 0}), mark(2, 6, {0, 1.5, -metres})});
    scene.output.frames = 145;
    return scene;
}

TEST(Checks, SpeedOfAnEvenMoveIsWayOverTime) {
    const auto report = look(straight(3));
    EXPECT_NEAR(report.speed, 0.5, 1e-6);
    EXPECT_NEAR(report.acceleration, 0, 1e-6);
    EXPECT_NEAR(report.turning, 0, 1e-9);
    EXPECT_TRUE(report.findings.empty());
    EXPECT_EQ(report.rig, scene::Rig::Hand);
}

TEST(Checks, EachRigHasTheLimitsOfTheTable) {
    const struct {
        scene::Rig rig;
        double speed, turning;
    } table[] = {{scene::Rig::Hand, 1.5, 90},
                 {scene::Rig::Dolly, 2, 45},
                 {scene::Rig::Crane, 3, 30},
                 {scene::Rig::Drone, 15, 60}};
    for (const auto& row : table)
        for (const double over : {0.98, 1.02}) {
            scene::Scene fast = straight(row.speed * over * 6);
            fast.camera.rig = row.rig;
            EXPECT_EQ(find(look(fast), Kind::Speed).has_value(), over > 1);
            // Turning on the spot, evenly: the spline between two marks is the great circle.
            scene::Scene turns = sceneOf({mark(1, 0, {0, 1, 0}), mark(2, 1, {0, 1, 0}, row.turning * over)});
            turns.camera.rig = row.rig;
            turns.output.frames = 25;
            const auto report = look(turns);
            EXPECT_NEAR(report.turning, row.turning * over, row.turning * 0.002);
            EXPECT_EQ(find(report, Kind::Turning).has_value(), over > 1);
        }
}

TEST(Checks, TooFastIsMendedByTakingLongerOrAnotherRig) {
    const scene::Scene scene = straight(15); // 2.5 m/s on a dolly
    const auto fast = find(look(scene), Kind::Speed);
    ASSERT_TRUE(fast);
    EXPECT_EQ(fast->from, Rational(0));
    EXPECT_EQ(fast->to, Rational(6));
    EXPECT_NE(fast->sentence.find("2.50 m/s"), std::string::npos) << fast->sentence;
    ASSERT_EQ(fast->fixes.size(), 2u);
    const scene::Scene slow = mended(scene, fast->fixes[0]);
    EXPECT_FALSE(find(look(slow), Kind::Speed));
    EXPECT_NEAR(scene::lastTime(slow).toDouble(), 7.575, 0.05); // 6 s x 1.25 and a hundredth
    EXPECT_EQ(fast->fixes[1].name, "Take a crane for it");
    EXPECT_FALSE(find(look(mended(scene, fast->fixes[1])), Kind::Speed));
}

TEST(Checks, AccelerationOfASoftStartIsThatOfItsCurve) {
    scene::Scene scene = straight(6);
    scene.camera.marks[0].pace = paceNamed("soft both");
    const auto report = look(scene);
    // The greatest (y'' x' - y' x'') / x'^3 along cubic-bezier(.42 0 .58 1), in steps of a 200 000th,
    // is 4.4377.
    EXPECT_NEAR(report.acceleration, 4.4377 * 6 / 36, 0.01);
}

TEST(Checks, TooHardAStartIsMendedByTime) {
    scene::Scene scene = sceneOf({mark(1, 0, {0, 1, 0}), mark(2, 1, {0, 1, -1})});
    scene.camera.marks[0].pace = paceNamed("soft both"); // 3.8 m/s2 at its start
    scene.output.frames = 25;
    const auto hard = find(look(scene), Kind::Acceleration);
    ASSERT_TRUE(hard);
    ASSERT_FALSE(hard->fixes.empty());
    EXPECT_FALSE(find(look(mended(scene, hard->fixes[0])), Kind::Acceleration));
}

TEST(Checks, JerkWhereTheSpeedChangesAtOnce) {
    scene::Scene scene = sceneOf({mark(1, 0, {0, 1, 0}), mark(2, 2, {0, 1, -1}), mark(3, 4, {0, 1, -4})});
    scene.output.frames = 97;
    const auto jerk = find(look(scene), Kind::Jerk);
    ASSERT_TRUE(jerk);
    EXPECT_EQ(jerk->at, Rational(2));
    EXPECT_NE(jerk->sentence.find("mark 2: from 0.50 to 1.50 m/s"), std::string::npos) << jerk->sentence;
    ASSERT_EQ(jerk->fixes.size(), 2u);
    for (const checks::Fix& fix : jerk->fixes)
        EXPECT_FALSE(find(look(mended(scene, fix)), Kind::Jerk)) << fix.name;
}

TEST(Checks, JerkAtACornerIsRounded) {
    scene::Scene scene = sceneOf({mark(1, 0, {0, 1, 0}), mark(2, 2, {0, 1, -2}), mark(3, 4, {2, 1, -2})});
    scene.camera.marks[1].corner = true;
    scene.output.frames = 97;
    const auto jerk = find(look(scene), Kind::Jerk);
    ASSERT_TRUE(jerk);
    ASSERT_FALSE(jerk->fixes.empty());
    EXPECT_EQ(jerk->fixes[0].name, "Round the corner");
    const auto after = look(mended(scene, jerk->fixes[0]));
    EXPECT_FALSE(find(after, Kind::Jerk));
}

TEST(Checks, JerkWhereAStandingCameraStartsAtOnce) {
    scene::Scene scene = sceneOf({mark(1, 1, {0, 1, 0}), mark(2, 3, {0, 1, -2})});
    scene.output.frames = 97;
    const auto report = look(scene);
    ASSERT_EQ(std::count_if(report.findings.begin(), report.findings.end(),
                            [](const auto& f) { return f.kind == Kind::Jerk; }),
              2); // at the start and at the end
    const auto start = *find(report, Kind::Jerk);
    EXPECT_EQ(start.at, Rational(1));
    const auto after = look(mended(scene, start.fixes.back()));
    EXPECT_EQ(std::count_if(after.findings.begin(), after.findings.end(),
                            [](const auto& f) { return f.kind == Kind::Jerk; }),
              1);
}

TEST(Checks, SmoothMovesThroughMarksDoNotJerk) {
    scene::Scene scene = sceneOf({mark(1, 0, {0, 1, 0}, 0), mark(2, 2, {0.5, 1, -1}, 4),
                                  mark(3, 4, {0, 1.4, -2}, -2), mark(4, 6, {0, 1, -3}, 0)});
    scene.output.frames = 145;
    scene.camera.pace = paceNamed("soft both");
    const auto report = look(scene);
    EXPECT_FALSE(find(report, Kind::Jerk)) << find(report, Kind::Jerk)->sentence;
    EXPECT_FALSE(find(report, Kind::Jump));
}

TEST(Checks, ThroughALayerIsFoundAtItsFrameAndFaded) {
    scene::Scene scene = straight(6); // 1 m/s
    auto wall = card(1, {0, 1.5, -2.5});
    auto beside = card(2, {1.2, 1.5, -2.5}); // 1 m wide: from 0.7 to 1.7 m aside
    scene.layers = {wall, beside};
    const auto report = look(scene);
    const auto through = find(report, Kind::Through);
    ASSERT_TRUE(through);
    EXPECT_EQ(through->layer, 1);
    EXPECT_NEAR(through->at.toDouble(), 2.5, 1.1 / 24);
    EXPECT_EQ(std::count_if(report.findings.begin(), report.findings.end(),
                            [](const auto& f) { return f.kind == Kind::Through; }),
              1);
    ASSERT_FALSE(through->fixes.empty());
    EXPECT_FALSE(find(look(mended(scene, through->fixes[0])), Kind::Through));
}

TEST(Checks, HiddenLayersAreFlownThroughFreely) {
    scene::Scene scene = straight(6);
    auto wall = card(1, {0, 1.5, -2.5});
    wall->visible = false;
    scene.layers = {wall};
    EXPECT_TRUE(look(scene).findings.empty());
}

TEST(Checks, BehindTheCameraIsHungAhead) {
    scene::Scene scene = straight(1);
    scene.layers = {card(1, {0, 1.5, 4}), card(2, {0, 1.5, -8})};
    const auto report = look(scene);
    const auto behind = find(report, Kind::Behind);
    ASSERT_TRUE(behind);
    EXPECT_EQ(behind->layer, 1);
    EXPECT_EQ(report.findings.size(), 1u);
    EXPECT_FALSE(find(look(mended(scene, behind->fixes.at(0))), Kind::Behind));
}

TEST(Checks, LoopsMeetTheirBeginning) {
    scene::Scene scene = straight(1);
    EXPECT_FALSE(find(look(scene), Kind::Ends)); // it is not shown again and again
    scene.output.loop = true;
    const auto ends = find(look(scene), Kind::Ends);
    ASSERT_TRUE(ends);
    EXPECT_NE(ends->sentence.find("1.00 m"), std::string::npos) << ends->sentence;
    EXPECT_FALSE(find(look(mended(scene, ends->fixes.at(0))), Kind::Ends));
}

TEST(Checks, LayersOfALoopMeetTheirBeginning) {
    scene::Scene scene = sceneOf({mark(1, 0, {0, 1.5, 0})});
    scene.output.frames = 49;
    scene.output.loop = true;
    auto boat = card(7, {0, 1.5, -5});
    boat->tracks.push_back({"across", {{Rational(0), 0.25}, {Rational(1), 1.0}}});
    scene.layers = {boat};
    const auto ends = find(look(scene), Kind::Ends);
    ASSERT_TRUE(ends);
    EXPECT_EQ(ends->layer, 7);
    EXPECT_NE(ends->sentence.find("0.75 m"), std::string::npos) << ends->sentence;
    EXPECT_FALSE(find(look(mended(scene, ends->fixes.at(0))), Kind::Ends));
    // What swings on after its keys has no such fix: a key at the end would change how it swings.
    auto swings = std::make_shared<scene::Layer>(*boat);
    swings->tracks[0].extrapolation = scene::Extrapolation::LoopWithOffset;
    scene.layers = {swings};
    const auto on = find(look(scene), Kind::Ends);
    ASSERT_TRUE(on);
    EXPECT_TRUE(on->fixes.empty());
}

TEST(Checks, AKeyThatHoldsUpToAnotherJumps) {
    scene::Scene scene = straight(3);
    scene::Track height{"up", {{Rational(1), 1.5}, {Rational(2), 2.0}, {Rational(4), 2.0}}};
    scene.camera.tracks = {height};
    EXPECT_FALSE(find(look(scene), Kind::Jump));
    scene.camera.tracks[0].keys[0].hold = true; // half a metre up within no time
    scene.camera.tracks[0].keys[1].hold = true; // on to the same height
    const checks::Report report = look(scene);
    const auto jump = find(report, Kind::Jump);
    ASSERT_TRUE(jump);
    EXPECT_EQ(jump->at, Rational(2));
    EXPECT_NE(jump->sentence.find("0.50 m"), std::string::npos) << jump->sentence;
    EXPECT_EQ(report.findings.size(), 1u); // and not too fast as well: beside the jump it goes at 0.5 m/s
    EXPECT_NEAR(report.speed, 0.5, 1e-6);
    EXPECT_FALSE(find(look(mended(scene, jump->fixes.at(0))), Kind::Jump));
}

TEST(Checks, AStopTokenStops) {
    std::stop_source stop;
    stop.request_stop();
    EXPECT_FALSE(checks::choreography(straight(1), stop.get_token()));
}

}
}
