// The camera walked by a pointer in its own picture. Places are px of the scene's frame, from its upper left;
// world metres; degrees. Pure functions.
#pragma once

#include "motion/resolved_scene.h"
#include "optics/view.h"
#include "scene/scene.h"

#include <optional>

namespace stage::interaction {

enum class WalkMode {
    Look,  ///< pan and tilt
    Slide, ///< truck and pedestal: what is dragged stays under the pointer
    Dolly, ///< up and down: dolly; to the side: truck
    Orbit, ///< around a point
    Roll,  ///< about the axis, by the angle around the frame's middle
    Zoom,  ///< up and down: focal length
    DollyZoom
};

/// One drag, as it began. A value.
struct CameraWalk {
    scene::Pose from;
    optics::View view; ///< of that pose, for the scene's frame
    V2i frame{1};      ///< px
    V3d around{0};     ///< what an orbit goes around, and a dolly zoom keeps as large as it is
    V2d pressed{0};
};

/// The pose when the pointer is at a place. straight: only the longer way of the pointer, across or up,
/// counts. slack: px that the pointer may go aside before Dolly also trucks. Nothing where a dolly zoom
/// cannot go that far.
std::optional<scene::Pose> walked(const CameraWalk& walk, WalkMode mode, const V2d& place, bool straight,
                                  double slack);

/// Depth at which a dragged camera follows the pointer: of the pivot of the one selected layer where there is
/// one ahead, else of the scene's home depth; at least 0.05 m and 0.5 m.
double walkDepth(const scene::Scene& scene, const optics::View& view, const std::optional<V3d>& selected);

/// What an orbit goes around: the point or the layer that the mark at or before the time is aimed at; else
/// what is under the pointer (layer, 0: nothing); else the point at a depth on the axis. aims: false leaves
/// out the first.
V3d walkCentre(const motion::ResolvedScene& now, const scene::Scene& scene, const optics::View& view,
               const V2d& place, std::int64_t layer, double depth, bool aims);

}
