// The camera's way through its marks. Path: centripetal Catmull-Rom through the marks' positions,
// parametrised by arc length (Yuksel, Schaefer, Keyser 2011; Barry-Goldman evaluation), so that the pace
// alone sets the speed. Aim: spherical spline through the marks' directions, the shortest way; roll and
// focal length run along with it.
#pragma once

#include "scene/scene.h"

namespace stage::motion {

/// y of the CSS cubic-bezier timing curve at x within 0..1.
double paceAt(const scene::Pace& pace, double x);
/// dy/dx of it.
double paceSlope(const scene::Pace& pace, double x);

/// Immutable once made; thread-safe.
class CameraMove {
public:
    explicit CameraMove(const scene::Camera& camera);

    /// The pose at a time in seconds; before the first and after the last mark the camera stands there.
    scene::Pose at(double seconds) const;
    /// Metres per second along the path.
    double speed(double seconds) const;
    /// Degrees per second by which the viewing axis turns.
    double turning(double seconds) const;
    /// Length of the path between mark i and the next, metres.
    double length(std::size_t move) const { return m_moves[move].lengths.back(); }
    /// A point of the path between mark i and the next; fraction of its length, 0..1.
    V3d point(std::size_t move, double fraction) const;

private:
    struct Move {
        V3d knots[4];
        double times[4];             ///< centripetal parameter at the knots
        std::vector<double> lengths; ///< arc length up to each of equally spaced parameters
        Quatd aims[4];
        bool turns = false;
    };
    struct Moment {
        std::size_t move;
        double fraction; ///< of the move's duration
        bool standing;   ///< outside the marks
    };
    Moment momentAt(double seconds) const;
    V3d direction(const Move& move, double fraction) const;

    std::vector<scene::Mark> m_marks;
    std::vector<Move> m_moves;
};

}
