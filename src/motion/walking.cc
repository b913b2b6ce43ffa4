#include "motion/walking.h"

#include "optics/view.h"

#include <algorithm>
#include <cmath>

namespace stage::motion {
namespace {

constexpr double steepest = 89;

optics::View axesOf(const scene::Pose& pose) {
    return optics::viewOf(pose, 36, {1920, 1080});
}

}

scene::Pose stepped(scene::Pose pose, const Step& step) {
    const optics::View lens = axesOf(pose);
    pose.position += lens.right * step.truck + lens.up * step.pedestal + lens.forward * step.dolly;
    pose.pan += step.pan;
    if (step.tilt != 0) pose.tilt = std::clamp(pose.tilt + step.tilt, -steepest, steepest);
    pose.roll += step.roll;
    return pose;
}

Step stepBetween(const scene::Pose& from, const scene::Pose& to) {
    const optics::View lens = axesOf(from);
    const V3d by = to.position - from.position;
    return {by.dot(lens.right), by.dot(lens.up),     by.dot(lens.forward),
            to.pan - from.pan,  to.tilt - from.tilt, to.roll - from.roll};
}

scene::Pose orbited(scene::Pose pose, const V3d& around, double across, double up) {
    up = std::clamp(pose.tilt - up, -steepest, steepest) - pose.tilt; // up over it: looks further down
    // About the camera's level right-hand axis, then about the upright one; the camera turns along.
    const double pan = radians(pose.pan);
    const V3d right(std::cos(pan), 0, std::sin(pan));
    const auto turned = [](const V3d& v, const V3d& axis, double degrees) {
        return Quatd().setAxisAngle(axis, radians(degrees)).rotateVector(v);
    };
    const V3d off = turned(turned(pose.position - around, right, up), V3d(0, 1, 0), across);
    pose.position = around + off;
    pose.tilt += up;
    pose.pan -= across; // a turn to the left seen from above is a pan to the left
    return pose;
}

scene::Pose lookingAt(scene::Pose pose, const V3d& point) {
    const V3d to = point - pose.position;
    if (!(to.length() > 1e-9)) return pose;
    const double pan = degrees(std::atan2(to.x, -to.z));
    pose.tilt = degrees(std::asin(std::clamp(to.y / to.length(), -1.0, 1.0)));
    pose.pan += std::remainder(pan - pose.pan, 360);
    return pose;
}

std::optional<scene::Pose> dollyZoomed(scene::Pose pose, double depth, double metres) {
    const double left = depth - metres;
    if (!(depth > 0) || !(left > depth * 0.01)) return {};
    const double focal = pose.focal * left / depth;
    if (!(focal >= 0.1 && focal <= 10'000)) return {};
    const double focus = pose.focus - metres;
    pose = stepped(pose, {.dolly = metres});
    pose.focal = focal;
    if (focus > 1e-3) pose.focus = focus;
    return pose;
}

}
