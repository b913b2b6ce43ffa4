// Lens arithmetic. Focal length and gate in mm, angles in degrees, depths in metres along the viewing axis.
// The frame fits the gate by its width. Thin-lens formulas of any optics text; focusing does not change
// the framing. Pure functions, thread-safe.
#pragma once

#include <cmath>
#include <limits>
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
/// Diameter in px of the disc into which a point at `depth` is blurred: A F |d - s| / (s d), where A is the
/// aperture's diameter in metres and F the pixels per unit of slope.
inline double blurDisc(double focal, double fstop, double focus, double depth, double perSlope) {
    return focal / 1000 / fstop * perSlope * std::abs(depth - focus) / (focus * depth);
}
/// What counts as sharp: a disc of at most 1.5 px in a frame 1920 px wide.
inline double sharpDisc(double frameWidth) {
    return 1.5 * frameWidth / 1920;
}
/// Between which depths discs are at most t px; far is infinite from the hyperfocal distance on.
struct SharpRange {
    double near, far;
};
inline SharpRange sharpRange(double focal, double fstop, double focus, double perSlope, double t) {
    const double lens = focal / 1000 / fstop * perSlope;
    return {focus * lens / (lens + t * focus),
            lens > t * focus ? focus * lens / (lens - t * focus) : std::numeric_limits<double>::infinity()};
}
/// The focus distance from which on all that is farther is sharp too: A F / t.
inline double hyperfocal(double focal, double fstop, double perSlope, double t) {
    return focal / 1000 / fstop * perSlope / t;
}

/// Width of what the frame shows of a plane facing the camera.
inline double widthAt(double depth, double focal, double gate) {
    return depth * gate / focal;
}

}
