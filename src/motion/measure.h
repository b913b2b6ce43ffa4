// What the lens makes of a layer, in numbers.
#pragma once

#include "motion/camera_move.h"
#include "optics/placing.h"

#include <array>
#include <optional>

namespace stage::motion {

struct Measure {
    double depth = 0;    ///< of its centre, metres from the first mark along its axis
    double distance = 0; ///< of its centre from the camera at that time, metres
    /// Where its corners land in the frame, px: top left, top right, bottom right, bottom left of the
    /// picture. Nothing when a corner is behind the camera. A group has those of what it holds.
    std::optional<std::array<V2d, 4>> corners;
    V2d size{0};       ///< width and height of the box around the corners, px
    double travel = 0; ///< length of its centre's path in the frame over all frames of the scene, px
};

/// All but the travel, seen through one view of the scene's own frame.
Measure measureAt(const scene::Scene& scene, const scene::Found& found, const optics::View& view);

/// For frames of the scene's own size. travel is summed over frames at which the centre is ahead of the
/// camera.
Measure measure(const scene::Scene& scene, const scene::Found& found, const CameraMove& move, Rational time);

}
