// The handles on a selected layer in the Camera view: at the corners and edges of what is seen of it, to
// scale it; at its pivot; at its foot; and one to turn it in its own plane. All of it works in the layer's plane, so it
// holds for turned layers too. Pure functions; places are frame coordinates.
#pragma once

#include "optics/placing.h"

#include <optional>
#include <vector>

namespace stage::interaction {

struct Handle {
    enum class Kind { Corner, Edge, Turn, Pivot, Foot } kind = Kind::Corner;
    V2d share{0}; ///< where it is on the layer: across and down, 0..1 on its picture
    V2d place{0}; ///< where that is in the frame
};

/// The plane of a layer's picture; a group has the box around it, at its pivot, facing the camera.
struct HandlePlane {
    optics::Surface card; ///< flat
    V2d pivot{0};         ///< share
    bool group = false;
};
/// corners: of the box around a group, px. Nothing where it is behind the camera or seen edge-on.
std::optional<HandlePlane> handlePlane(const scene::LayerPath& found, const optics::View& view,
                                       const V2d& low, const V2d& high);

/// armPixels: how far above the top edge the turning handle is.
std::vector<Handle> handlesOf(const HandlePlane& plane, const optics::View& view, double armPixels);

/// The share of the plane under a place in the frame.
std::optional<V2d> shareAt(const HandlePlane& plane, const optics::View& view, const V2d& place);

/// The factors across and up by which a layer grows about its pivot when a corner or edge is dragged from one
/// share to another; locked: the same both ways. At least 0.001.
V2d growth(const HandlePlane& plane, const Handle& handle, const V2d& from, const V2d& to, bool locked);

/// Degrees counter-clockwise, as seen on the layer's front, from one share to another about the pivot.
double turnBetween(const HandlePlane& plane, const V2d& from, const V2d& to);

}
