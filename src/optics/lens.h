// Lens arithmetic. Focal length and gate in mm, angles in degrees, depths in metres along the viewing axis.
// The frame fits the gate by its width. Thin-lens formulas of any optics text; focusing does not change
// the framing. Pure functions, thread-safe.
#pragma once

#include <cmath>
#include <numbers>

namespace stage::optics {

/// Horizontal angle of view, 2 atan(g / 2f).
inline double angleOfView(double focal, double gate) {
    return 2 * std::atan(gate / (2 * focal)) * 180 / std::numbers::pi;
}
/// The focal length that sees this angle; angle within (0, 180).
inline double focalFor(double angle, double gate) {
    return gate / (2 * std::tan(angle * std::numbers::pi / 360));
}
/// Pixels per unit of slope: a point at slope 1 from the axis lands this far from the frame's centre.
inline double pixelsPerSlope(double focal, double gate, double frameWidth) {
    return focal / gate * frameWidth;
}
/// Width of what the frame shows of a plane facing the camera.
inline double widthAt(double depth, double focal, double gate) {
    return depth * gate / focal;
}

}
