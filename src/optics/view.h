// A posed camera with its frame, and projection through it. Frame coordinates are pixels, x to the right and
// y down from the frame's top left corner; pixel (0,0) covers 0..1. Pure functions, thread-safe.
#pragma once

#include "scene/scene.h"

#include <optional>
#include <utility>

namespace stage::optics {

struct View {
    V3d eye{0};
    V3d right{1, 0, 0}, up{0, 1, 0}, forward{0, 0, -1}; ///< orthonormal
    double slope = 1;                                   ///< pixels per unit of slope
    V2d centre{0};                                      ///< where the axis meets the frame, px
    double aperture = 0;                                ///< the lens's radius f / 2N in metres; 0: a pinhole
    double focus = 10;                                  ///< depth of the plane that is sharp, metres
};

/// gate: width in mm of what is exposed, about the lens's axis; frame: px.
View viewOf(const scene::Pose& pose, double gate, V2i frame);
/// Through the gate of a camera, which may be shifted from the axis.
View viewOf(const scene::Pose& pose, const scene::Camera& camera, V2i frame);

/// Where the frame of a size variant lies in the scene's own: its corners towards the upper left and the lower
/// right, px of the scene's frame. The same for every pose.
std::pair<V2d, V2d> variantInFrame(const scene::Scene& scene, const scene::Variant& variant);

/// Metres along the viewing axis, positive ahead.
inline double depthOf(const View& view, const V3d& point) {
    return (point - view.eye).dot(view.forward);
}

/// Where a point lands in the frame; nothing when it is at or behind the eye's plane.
std::optional<V2d> project(const View& view, const V3d& point);

/// Direction (depth component 1) of the ray through a place in the frame.
V3d rayThrough(const View& view, const V2d& place);

/// The point of the plane through `point` with this normal that the ray through `place` meets; nothing
/// when it meets it behind the eye or not at all.
std::optional<V3d> meet(const View& view, const V2d& place, const V3d& point, const V3d& normal);

/// What a pose sees sharply in a frame of that size.
struct Sharpness {
    double near, far;  ///< distances along its axis; far may be infinite
    double hyperfocal; ///< focused there, all beyond is sharp too
    double disc;       ///< px that still count as sharp
};
/// gate: mm; frame: px. Distances in metres, the disc in px.
Sharpness sharpnessOf(const scene::Pose& pose, double gate, V2i frame);

/// Unit vector along which a pose looks.
V3d forwardOf(double pan, double tilt);

}
