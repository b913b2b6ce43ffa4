// A smooth way through points, by its length.
#pragma once

#include "scene/geometry.h"

#include <array>
#include <optional>
#include <utility>
#include <vector>

namespace stage::motion {

/// A cubic Bezier curve, metres. Immutable; thread-safe.
class Path {
public:
    Path() = default;
    /// Ends and handles of a cubic Bezier curve, metres; handles are offsets from their ends.
    Path(const V3d& from, const V3d& leaving, const V3d& arriving, const V3d& to);

    /// Metres.
    double length() const { return m_lengths.empty() ? 0 : m_lengths.back(); }
    /// The place at a share of the length. Below 0 and above 1 it runs straight on.
    V3d at(double share) const;
    /// The direction of travel there, a unit vector; nothing where the curve is a point.
    std::optional<V3d> direction(double share) const;
    /// Its control points, in the world.
    const std::array<V3d, 4>& points() const { return m_points; }
    /// The two parts of it up to and from a share of its length, which together are the same curve (de
    /// Casteljau).
    std::pair<Path, Path> split(double share) const;

private:
    V3d place(double t) const;
    V3d change(double t) const; ///< by the curve's parameter
    double lengthTo(double from, double to) const;
    double parameterAt(double length) const;
    std::array<V3d, 4> m_points{V3d(0), V3d(0), V3d(0), V3d(0)};
    std::vector<double> m_lengths; ///< up to each of evenly spaced parameters; empty: a point
};

/// A place that a way goes through.
struct PathPoint {
    V3d at{0};
    bool corner = false;                  ///< straight to it and on from it, unless a handle says otherwise
    std::optional<V3d> arriving, leaving; ///< handles, from the place
};
/// The ways from each point to the next: centripetal Catmull-Rom (Yuksel, Schaefer, Keyser 2011), each of
/// whose pieces is a cubic and so a Bezier curve, with the handles and corners that were set. Where there is
/// no neighbour, or it stands at the same place, the way is continued by reflection.
std::vector<Path> pathsThrough(const std::vector<PathPoint>& points);

}
