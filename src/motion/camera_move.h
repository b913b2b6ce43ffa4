// The camera's way through its marks, with its pace, aims, focus and tracks. A path by arc length
// (motion/path.h), so that the pace alone sets the speed. Where a mark has no aim of its own: a spherical
// spline through the marks' directions, the shortest way. Roll, focal length and f-stop run along with it,
// and so does the focus, in dioptres.
#pragma once

#include "motion/pace.h"
#include "motion/path.h"
#include "motion/values.h"
#include "scene/scene.h"

#include <unordered_map>

namespace stage::motion {

/// Immutable once made; thread-safe.
class CameraMove {
public:
    /// Keeps a copy of the scene, which shares its layers.
    explicit CameraMove(const scene::Scene& scene);

    /// The pose at a time in seconds; before the first and after the last mark the camera stands there.
    scene::Pose at(double seconds) const;
    /// Where it is at a time: its position alone, for less.
    V3d place(double seconds) const;
    /// What its marks alone say, without aims, focus on layers and tracks.
    scene::Pose posed(double seconds) const;
    /// Metres per second through space.
    double speed(double seconds) const;
    /// Degrees per second by which the viewing axis turns.
    double turning(double seconds) const;
    /// Length of the path between mark i and the next, metres.
    double length(std::size_t move) const { return m_moves[move].path.length(); }
    /// From mark `move` to the next one.
    const Path& path(std::size_t move) const { return m_moves[move].path; }
    /// A point of the path between mark i and the next; fraction of its length, 0..1.
    V3d point(std::size_t move, double fraction) const { return m_moves[move].path.at(fraction); }
    /// The move that goes on at a time, from which mark, and the share of its way that is done then; nothing
    /// before the first and after the last mark.
    struct Place {
        std::size_t move;
        double share;
    };
    /// Nothing where it stands still.
    std::optional<Place> placeIn(double seconds) const;
    /// When mark i is passed, seconds: its own time, or what follows from the pace over the whole move.
    double arrival(std::size_t mark) const;

private:
    struct Move {
        Path path;
        std::array<Quatd, 4> aims; ///< its Bezier points
        bool turns = false;
        std::size_t run = 0; ///< of m_runs; noRun: by its own pace
    };
    /// Moves that have one pace together.
    struct Run {
        std::size_t first, last;  ///< marks
        std::vector<double> ways; ///< metres up to each mark of it
        double begin, end;        ///< seconds
    };
    static constexpr std::size_t noRun = static_cast<std::size_t>(-1);
    struct Moment {
        std::size_t move;
        double done;   ///< share of the move's way, by its pace
        bool standing; ///< outside the marks
    };
    void turn();
    Moment momentAt(double seconds) const;
    V3d ownDirection(const Moment& moment) const;
    std::optional<V3d> targetOf(const scene::Aim& aim, double seconds, const V3d& eye) const;
    std::optional<V3d> direction(const Moment& moment, double seconds, const V3d& eye) const;
    double focus(const Moment& moment, double seconds, const scene::Pose& pose) const;
    std::optional<V3d> pivot(std::int64_t layer, double seconds, const V3d& eye) const;

    scene::Pose tracked(const scene::Pose& pose, double seconds) const;

    /// What is aimed at or focused on.
    struct Target {
        scene::LayerPath found;
        std::optional<V3d> fixed; ///< where it is, if nothing of it moves
    };
    scene::Scene m_scene;
    std::unordered_map<std::int64_t, Target> m_targets;
    std::vector<Move> m_moves;
    std::vector<Run> m_runs;
    bool m_aims = false, m_focuses = false; ///< some mark aims, or focuses on a layer
};

}
