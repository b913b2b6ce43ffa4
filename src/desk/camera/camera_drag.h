// The camera in views from outside: what of it, and of its way, hands can take. A view draws these places of
// the world and tells where the pointer is in the world; what a drag does is decided here, so that Plan,
// Section and Model do alike. Interface thread.
#pragma once

#include "desk/session/session.h"

#include <functional>

namespace stage::desk {

struct CameraHand {
    enum class Kind {
        Mark, ///< a mark's place
        Arriving,
        Leaving, ///< the handles of the path at a mark
        Body,    ///< the camera shown
        Look,    ///< ahead of it: turns it
        Target,  ///< the point that it is aimed at
        Across,
        Up ///< its sight lines, at the side and above: the focal length
    };
    Kind kind = Kind::Mark;
    int mark = -1;                  ///< from 0, for the first three
    V3d at{0};                      ///< in the world
    bool pans = true, tilts = true; ///< what turning it does: the Plan pans only, the Section tilts only
};

/// Marks, the handles at the mark under the playhead, the body, and the point that is aimed at. Sight lines
/// and the way ahead have no one place: views find them by themselves.
std::vector<CameraHand> cameraHands(const Session& session);

/// One drag of a hand. What it changes is previewed, and becomes a step of history with commit(), or is the
/// pose off the move.
class CameraDrag {
public:
    CameraDrag(Session& session, const CameraHand& hand);
    /// The hand's place in the world is now there. keys: Ctrl moves a handle of the path on its own. Gives
    /// what to say, in units.
    QString to(const V3d& place, Qt::KeyboardModifiers keys);
    const CameraHand& hand() const { return m_hand; }
    /// As it was before.
    void drop();

private:
    Session& m_session;
    CameraHand m_hand;
    scene::Pose m_from;
    bool m_wasOff;              ///< the move, as the drag began
    std::optional<V3d> m_other; ///< the handle on the other side, as it was
};

/// The frame, within the move, at which the camera comes nearest to a place; nearest: as seen by distance().
std::int64_t frameNearest(const Session& session, const std::function<double(const V3d&)>& distance);

/// Places of the camera at equal steps of time along its move, as many as tell its speed; seconds: which of
/// them are whole ones.
struct Ticks {
    std::vector<V3d> places;
    std::vector<bool> seconds;
};
Ticks ticksOf(const Session& session);

}
