// Walking a camera: poses from poses. Metres, degrees. Pure functions, thread-safe.
#pragma once

#include "scene/scene.h"

#include <optional>

namespace stage::motion {

/// Along the camera's own axes, then turned.
struct Step {
    double truck = 0;    ///< to its right
    double pedestal = 0; ///< up
    double dolly = 0;    ///< ahead
    double pan = 0;      ///< positive to the right
    double tilt = 0;     ///< positive up
    double roll = 0;     ///< positive clockwise, as seen from behind
    bool operator==(const Step&) const = default;
};
/// Tilts stay within 89 degrees of the level.
scene::Pose stepped(scene::Pose pose, const Step& step);
/// What was gone from one pose to another, along the axes of the first.
Step stepBetween(const scene::Pose& from, const scene::Pose& to);

/// Around a point that stays where it is in the picture: across (positive: the camera goes to its right)
/// about the upright axis through the point, and up over it. It stays within 89 degrees of the level.
scene::Pose orbited(scene::Pose pose, const V3d& around, double across, double up);

/// Turned by pan and tilt to look at a point; as it was where it stands there.
scene::Pose lookingAt(scene::Pose pose, const V3d& point);

/// Ahead by metres, with the focal length that keeps the size of what is `depth` ahead; what is in focus
/// stays so. Nothing where it would come nearer than a hundredth of that depth, or the lens would leave what
/// can be.
std::optional<scene::Pose> dollyZoomed(scene::Pose pose, double depth, double metres);

}
