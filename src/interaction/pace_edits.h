// The pace of the camera at a time, and a speed drawn over it by hand. Seconds, metres per second. Pure
// functions and values.
#pragma once

#include "edit/edit.h"
#include "motion/camera_move.h"

#include <optional>
#include <vector>

namespace stage::interaction {

/// What one pace is of: the whole move, or what lies between two marks.
struct PaceScope {
    bool whole = false;
    std::size_t move = 0; ///< from mark `move` to the next, from 0
    double begin = 0, end = 0;
};
/// Nothing where there is no move.
std::optional<PaceScope> paceAtTime(const scene::Scene& scene, double seconds);
/// Of one move between marks, or of the whole.
const scene::Pace& paceOf(const scene::Camera& camera, const PaceScope& scope);
/// An edit that gives it a pace.
edit::Edit paceEdit(const PaceScope& scope, edit::Edit pace);
/// An edit that gives one pace to the whole move, that which it has at a time; or gives each move its own.
edit::Edit wholePaceEdit(const scene::Scene& scene, double seconds, bool whole);

/// Speeds over a part of a move while they are drawn: at first those that it has.
class DrawnPace {
public:
    static constexpr std::size_t steps = 49;
    /// Of the pace as it is now, which is drawn over.
    DrawnPace(const motion::CameraMove& move, const PaceScope& scope);
    /// What it is the pace of.
    const PaceScope& scope() const { return m_scope; }
    /// At even steps of the time from its begin to its end.
    const std::vector<double>& speeds() const { return m_speeds; }
    /// One stroke from a time and a speed to others, in a straight line; speeds below 0 become 0.
    void draw(double fromSeconds, double fromSpeed, double toSeconds, double toSpeed);
    /// An edit that gives the part this pace, each speed a little nearer to its neighbours. Nothing where it
    /// would stand all the time.
    std::optional<edit::Edit> edit() const;

private:
    PaceScope m_scope;
    std::vector<double> m_speeds;
};

}
