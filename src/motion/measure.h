// What the lens makes of a layer, in numbers.
#pragma once

#include "motion/camera_move.h"
#include "motion/resolved_scene.h"
#include "optics/placing.h"

#include <array>
#include <optional>
#include <vector>

namespace stage::motion {

struct Measure {
    double depth = 0; ///< of its pivot, metres from the first mark along its axis
    double ahead = 0; ///< of its pivot along the axis of the camera at that time, metres; below 0: behind it
    double distance = 0; ///< of its pivot from the camera at that time, metres, whichever way
    V2d metres{0};       ///< width and height of its picture in the world; of a group, of the box around it
    /// Where its picture's corners land in the frame, px: top left, top right, bottom right, bottom left.
    /// Nothing when a corner is behind the camera. A group has those of the box around what it holds.
    std::optional<std::array<V2d, 4>> corners;
    V2d low{0}, high{0}; ///< the box around all of it in the frame, px; empty when it is behind
    double enlargement =
        0;           ///< the most frame pixels on a pixel of its picture; 0 when it has none or is behind
    double blur = 0; ///< diameter of the blur disc at its pivot, px; 0 when it is behind
    /// Length of its pivot's path over all frames of the scene, px; where it is ahead and not further than a
    /// frame beside the picture.
    double travel = 0;
    /// Px; 0 where it is behind.
    V2d size() const { return high - low; }
};

/// All but the travel.
Measure measureAt(const ResolvedScene& resolved, const scene::LayerPath& found);

/// For frames of the scene's own size. travel looks at all of them.
Measure measure(const scene::Scene& scene, std::int64_t layer, const CameraMove& move, Rational time);
/// The same of all layers, in the order of scene::all: what they share is looked at once.
std::vector<Measure> measureAll(const scene::Scene& scene, const CameraMove& move, Rational time);

/// The world's points that bound a layer, or everything in a group.
std::vector<V3d> outlineOf(const ResolvedScene& resolved, const scene::LayerPath& found);

}
