// Ready moves, by what the lens sees of them.
#include "motion/camera_move.h"
#include "motion/ready_moves.h"
#include "optics/view.h"

#include <gtest/gtest.h>

namespace stage::motion {
namespace {

class ReadyMoves : public ::testing::Test {
protected:
    ReadyMoves() {
        scene = scene::emptyScene();
        scene::Pose& pose = scene.camera.marks[0].pose;
        pose.position = {0.5, 1.6, 1};
        pose.pan = 12, pose.tilt = -4, pose.focal = 50, pose.focus = 6;
        auto layer = std::make_shared<scene::Layer>();
        layer->id = 7;
        layer->name = "subject";
        layer->pixels = {100, 100};
        layer->metresPerPixel = 0.02;
        layer->placement.position = {1.6, 1.2, -7};
        scene.layers = {layer};
    }
    CameraMove done(ReadyMove move) {
        move.start = Rational(1), move.duration = Rational(6);
        auto marks = marksOf(scene, move);
        EXPECT_TRUE(marks) << (marks ? "" : marks.error().sentence);
        scene::Scene after = scene;
        after.camera.marks = *marks;
        return CameraMove(after);
    }
    V2d seen(const CameraMove& move, double t, const V3d& point) const {
        return optics::project(optics::viewOf(move.at(t), 36, {1920, 1080}), point).value_or(V2d(-1e9));
    }
    scene::Scene scene;
};

TEST_F(ReadyMoves, BeginWhereTheCameraIsAndGoTheirWay) {
    const CameraMove still(scene);
    const V3d eye = scene.camera.marks[0].pose.position;
    const V3d ahead = optics::forwardOf(12, -4);
    for (std::size_t i = 0; i < readyNames.size(); ++i) {
        ReadyMove ready{static_cast<Ready>(i)};
        ready.subject = 7;
        const CameraMove move = done(ready);
        EXPECT_NEAR((move.at(1).position - eye).length(), 0, 1e-9) << readyNames[i];
        EXPECT_NEAR(move.at(1).tilt, -4, 1e-6) << readyNames[i];
        EXPECT_NEAR(move.at(1).pan, 12, 1e-6) << readyNames[i];
        EXPECT_NEAR(move.at(1).focal, 50, 1e-9);
        EXPECT_GT((move.at(4).position - eye).length(), 0.05) << readyNames[i];
    }
    EXPECT_NEAR((done({Ready::PushIn, 2}).at(7).position - (eye + ahead * 2)).length(), 0, 1e-9);
    EXPECT_NEAR((done({Ready::PullBack, 2}).at(7).position - (eye - ahead * 2)).length(), 0, 1e-9);
    EXPECT_NEAR(done({Ready::Truck, 2}).at(7).position.y, 1.6, 1e-9);
    EXPECT_NEAR(done({Ready::Rise, 2}).at(7).position.y, 3.6, 1e-9);
}

TEST_F(ReadyMoves, ADollyZoomKeepsTheSubjectsWidth) {
    for (const double amount : {3.0, -5.0})
        for (const auto& named : scene::namedPaces) {
            ReadyMove ready{Ready::DollyZoom, amount};
            ready.subject = 7;
            ready.pace = named.pace;
            const CameraMove move = done(ready);
            // two points across the subject, at its depth
            const auto view = optics::viewOf(move.at(1), 36, {1920, 1080});
            const double depth = optics::depthOf(view, {1.6, 1.2, -7});
            const V3d on = view.eye + view.forward * depth, left = on - view.right, right = on + view.right;
            const double wide = seen(move, 1, right).x - seen(move, 1, left).x;
            for (double t = 1; t <= 7; t += 1 / 24.0)
                ASSERT_NEAR(seen(move, t, right).x - seen(move, t, left).x, wide, 0.1)
                    << named.name << " " << t;
        }
    ReadyMove through{Ready::DollyZoom, 20};
    through.subject = 7;
    EXPECT_FALSE(marksOf(scene, through));
}

TEST_F(ReadyMoves, AnArcStaysAsFarAndKeepsItsSubject) {
    const auto view = optics::viewOf(scene.camera.marks[0].pose, 36, {1920, 1080});
    const V3d subject = view.eye + view.forward * 6;
    const double radius = std::hypot(view.eye.x - subject.x, view.eye.z - subject.z);
    for (const auto& [kind, degrees_] :
         {std::pair(Ready::Arc, 100.0), {Ready::Arc, -30.0}, {Ready::OrbitLoop, 360.0}}) {
        const CameraMove move = done({kind, degrees_});
        for (double t = 1 + 1 / 24.0; t < 6.99; t += 1 / 24.0) {
            const V3d at = move.at(t).position;
            ASSERT_NEAR(std::hypot(at.x - subject.x, at.z - subject.z), radius, 1e-3);
            ASSERT_NEAR(at.y, 1.6, 1e-9);
            ASSERT_NEAR((seen(move, t, subject) - V2d(960, 540)).length(), 0, 1e-6);
            ASSERT_NEAR(move.speed(t), radius * std::abs(radians(degrees_)) / 6, 0.005 * radius);
        }
        // anticlockwise from above: by the cross product of where it was and is
        const V3d a = view.eye - subject, b = move.at(2).position - subject;
        EXPECT_GT((a.z * b.x - a.x * b.z) * degrees_, 0);
    }
    const CameraMove loop = done({Ready::OrbitLoop});
    EXPECT_NEAR((loop.at(7).position - loop.at(1).position).length(), 0, 1e-12);
    EXPECT_NEAR(std::remainder(loop.at(7).pan - loop.at(1).pan, 360), 0, 1e-9);
}

TEST_F(ReadyMoves, AnArcsPaceIsThatOfTheWhole) {
    ReadyMove ready{Ready::Arc, 120};
    ready.pace = {.42, 0, .58, 1, {}};
    const CameraMove move = done(ready);
    const auto angle = [&](double t) { return -(move.at(t).pan - move.at(1).pan); };
    for (double x = 0.05; x < 1; x += 0.05)
        EXPECT_NEAR(angle(1 + 6 * x), 120 * paceAt(ready.pace, x), 0.05) << x;
}

/// No jump: for an even pace the change of speed of what is seen stays near its median.
TEST_F(ReadyMoves, NothingJumpsFromFrameToFrame) {
    for (std::size_t i = 0; i < readyNames.size(); ++i) {
        ReadyMove ready{static_cast<Ready>(i)};
        if (ready.kind == Ready::FlyThrough) continue; // passes the subject, which leaves the frame
        const CameraMove move = done(ready);
        std::vector<double> changes;
        for (double f = 25; f < 7 * 24 - 1; ++f) {
            const auto at = [&](double frame) { return seen(move, frame / 24, {1.2, 1.9, -5}); };
            changes.push_back((at(f + 1) - at(f) * 2 + at(f - 1)).length());
        }
        std::sort(changes.begin(), changes.end());
        const double median = changes[changes.size() / 2];
        EXPECT_LT(changes.back(), 1.5 * median + 0.01) << readyNames[i] << " median " << median;
    }
}

}
}
