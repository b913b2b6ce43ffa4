// Walking a camera: what stays in the picture, and the numbers said.
#include "motion/walking.h"

#include "optics/view.h"

#include <gtest/gtest.h>
#include <random>

namespace stage {
namespace {

const V2i frame(1920, 1080);

scene::Pose somePose(std::mt19937& random) {
    std::uniform_real_distribution<double> metres(-5, 5), degrees(-60, 60);
    scene::Pose pose;
    pose.position = {metres(random), metres(random), metres(random)};
    pose.pan = degrees(random);
    pose.tilt = degrees(random) * 0.6;
    pose.roll = degrees(random) * 0.2;
    return pose;
}

TEST(Walking, StepsAreAlongTheCamerasAxes) {
    scene::Pose pose;
    pose.pan = 90; // looks along +x; its right hand is +z
    const auto to = motion::stepped(pose, {.truck = 1, .pedestal = 2, .dolly = 3, .roll = 5});
    EXPECT_NEAR((to.position - V3d(3, 2, 1)).length(), 0, 1e-12);
    EXPECT_EQ(to.roll, 5);
    EXPECT_EQ(motion::stepped(pose, {.tilt = 200}).tilt, 89);
}

TEST(Walking, WhatWasGoneIsRead) {
    std::mt19937 random(3);
    for (int i = 0; i < 50; ++i) {
        const scene::Pose pose = somePose(random);
        const motion::Step step{0.3, -0.2, 1.5, 4, -3, 2},
            read = motion::stepBetween(pose, motion::stepped(pose, step));
        EXPECT_NEAR(read.truck, step.truck, 1e-9);
        EXPECT_NEAR(read.pedestal, step.pedestal, 1e-9);
        EXPECT_NEAR(read.dolly, step.dolly, 1e-9);
        EXPECT_NEAR(read.pan, step.pan, 1e-9);
        EXPECT_NEAR(read.tilt, step.tilt, 1e-9);
        EXPECT_NEAR(read.roll, step.roll, 1e-9);
    }
}

TEST(Walking, AnOrbitKeepsThePointInThePictureAndItsDistance) {
    std::mt19937 random(5);
    std::uniform_real_distribution<double> off(-1, 1);
    for (int i = 0; i < 100; ++i) {
        scene::Pose pose = somePose(random);
        pose.roll = 0;
        const auto view = optics::viewOf(pose, 36, frame);
        const V3d point = view.eye + view.forward * (4 + off(random)) + view.right * off(random);
        const auto before = optics::project(view, point);
        const scene::Pose to = motion::orbited(pose, point, 30 * off(random), 20 * off(random));
        const auto after = optics::project(optics::viewOf(to, 36, frame), point);
        ASSERT_TRUE(before && after);
        EXPECT_NEAR((*before - *after).length(), 0, 1e-6);
        EXPECT_NEAR((to.position - point).length(), (pose.position - point).length(), 1e-9);
    }
}

TEST(Walking, AQuarterOrbitIsWhereAQuarterCircleEnds) {
    scene::Pose pose; // looks along -z at a point 10 m ahead
    const scene::Pose aside = motion::orbited(pose, {0, 0, -10}, 90, 0);
    EXPECT_NEAR((aside.position - V3d(10, 0, -10)).length(), 0, 1e-9);
    EXPECT_NEAR(aside.pan, -90, 1e-12);
    const scene::Pose above = motion::orbited(pose, {0, 0, -10}, 0, 30);
    EXPECT_NEAR((above.position - V3d(0, 5, -10 + 10 * std::cos(radians(30)))).length(), 0, 1e-9);
    EXPECT_NEAR(above.tilt, -30, 1e-12);
}

TEST(Walking, LooksAtAPointTheShortWay) {
    scene::Pose pose;
    pose.pan = 350;
    pose = motion::lookingAt(pose, {1, 0, -1});
    EXPECT_NEAR(pose.pan, 405, 1e-9);
    EXPECT_NEAR(pose.tilt, 0, 1e-12);
    const scene::Pose same = motion::lookingAt(pose, pose.position);
    EXPECT_EQ(same, pose);
}

TEST(Walking, ADollyZoomKeepsTheSubjectsWidth) {
    scene::Pose pose;
    pose.focal = 35;
    pose.focus = 6;
    const auto width = [](const scene::Pose& p) {
        const auto view = optics::viewOf(p, 36, frame);
        return (*optics::project(view, {1, 0, -6}) - *optics::project(view, {-1, 0, -6})).length();
    };
    const auto near = motion::dollyZoomed(pose, 6, 4);
    ASSERT_TRUE(near);
    EXPECT_NEAR(width(*near), width(pose), 1e-9);
    EXPECT_NEAR(near->focal, 35.0 / 3, 1e-12);
    EXPECT_NEAR(near->focus, 2, 1e-12);
    EXPECT_FALSE(motion::dollyZoomed(pose, 6, 6));
    EXPECT_FALSE(motion::dollyZoomed(pose, 0, 1));
}

}
}
