// What of a camera and of its move a pointer can take in a view from outside (Plan, Section, Model), and what
// a drag of it changes. A view says where a handle is on its paper, and where the pointer is in the world; it
// is decided here what that does, so that all views do alike. World metres, y up; degrees. Pure functions;
// errors: none.
#pragma once

#include "edit/edit.h"
#include "motion/camera_move.h"

#include <functional>
#include <optional>
#include <variant>
#include <vector>

namespace stage::interaction {

struct CameraHandle {
    enum class Kind {
        Mark, ///< a mark's place
        Arriving,
        Leaving, ///< the handles of the path at a mark
        Body,    ///< the camera shown
        Ahead,   ///< a place ahead of it: turns it
        Target,  ///< the point that it is aimed at
        SideRay,
        TopRay ///< a ray at the side, or the top, of what it sees: the focal length
    };
    Kind kind = Kind::Mark;
    int mark = -1;                  ///< from 0, for the first three
    V3d at{0};                      ///< in the world
    bool pans = true, tilts = true; ///< what Ahead does: in a Plan it pans only, in a Section it tilts only
};

/// The mark, from 0, that stands at a frame; -1: none.
int markAtFrame(const scene::Scene& scene, std::int64_t frame);

/// Marks, the handles of the path at the mark under the playhead, the body, and the point that is aimed at.
/// Ahead and the rays have no one place: views find them by themselves. move: of that scene. shown: where the
/// camera is shown.
std::vector<CameraHandle> cameraHandles(const scene::Scene& scene, const motion::CameraMove& move,
                                        Rational time, const scene::Pose& shown);

/// One drag of a handle, as it began. A value.
struct CameraDrag {
    CameraHandle handle;
    scene::Pose from;            ///< of the camera shown
    std::optional<V3d> opposite; ///< of a handle of the path: the one on the other side, from its mark
};
CameraDrag beginDrag(const motion::CameraMove& move, std::size_t marks, const CameraHandle& handle,
                     const scene::Pose& shown);

/// What a drag has done by now: nothing, an edit of the scene as it was before, or another pose of the camera
/// shown.
using CameraChange = std::variant<std::monostate, edit::Edit, scene::Pose>;
/// place: where the handle is now. alone: the handle on the other side of a mark stays; else it is turned
/// along, so that the path goes straight through the mark, unless that is a corner.
CameraChange dragged(const scene::Scene& before, const CameraDrag& drag, const V3d& place, bool alone);

/// When the camera is on its way: from its first mark to its last, or, where tracks of its place lead it (by
/// keys or a link; noise alone does not), over the whole scene.
struct WayTime {
    Rational begin, end; ///< seconds; alike where it stands
    bool byTracks = false;
};
WayTime wayTime(const scene::Scene& scene);
/// The places that a line through its way goes by, world metres; empty where it stands.
std::vector<V3d> wayOf(const scene::Scene& scene, const motion::CameraMove& move);

/// The frame, of those when it is on its way, at which the camera comes nearest to something;
/// distance: of a place of the camera from that, in any unit.
std::int64_t frameNearest(const scene::Scene& scene, const motion::CameraMove& move,
                          const std::function<double(const V3d&)>& distance);

/// Places of the camera at equal steps of time along its way: they stand dense where it is slow. At most
/// some 150 steps, unless the move lasts longer than a day.
struct PathTicks {
    std::vector<V3d> places;
    std::vector<bool> wholeSeconds;
};
/// Of all of the move.
PathTicks pathTicks(const scene::Scene& scene, const motion::CameraMove& move);

}
