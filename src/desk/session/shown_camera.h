// The camera as it is shown at the playhead: on its move, or walked off it. Interface thread.
#pragma once

#include "desk/session/playhead.h"

namespace stage::desk {

class ShownCamera : public QObject {
    Q_OBJECT
public:
    ShownCamera(Document& document, Playhead& playhead);

    /// The move's at the playhead, or the pose off it.
    scene::Pose pose() const;
    /// Index of the mark under the playhead, or -1.
    int markHere() const;
    /// Walks to a pose: on a mark it changes the mark, elsewhere it leaves the move.
    void walk(const scene::Pose& pose);
    void endWalk();
    /// Back to where it was before: off the move at that pose, or on it.
    void cancelWalk(const std::optional<scene::Pose>& off);
    struct OffMove {
        Rational time;
        scene::Pose pose; ///< as it would be seen, were it a mark
        edit::Edit edit;  ///< that makes it one
    };
    const std::optional<OffMove>& offMove() const { return m_offMove; }
    /// The pose shown is off the move.
    bool offHere() const { return m_offMove && m_offMove->time == m_playhead.time(); }
    /// A mark at the playhead with the pose shown.
    void setMarkHere();
    void setMarkOffMove(); ///< makes the pose off the move a mark at its time
    void backToMove();     ///< discards the pose

Q_SIGNALS:
    void changed(); ///< without the scene

private:
    void followMark(std::int64_t id);
    bool makeMark(const edit::Edit& edit);

    Document& m_document;
    Playhead& m_playhead;
    std::optional<OffMove> m_offMove;
    std::int64_t m_walked = 0; ///< the mark that is being walked; 0: none
    scene::Pose m_walkSeen;    ///< what was seen as the walk began
};

}
