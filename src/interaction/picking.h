// What is under a pointer. Places are px of a view. Pure functions.
#pragma once

#include "motion/resolved_scene.h"
#include "optics/placing.h"

#include <functional>
#include <span>

namespace stage::interaction {

/// It, or a group that holds it, is locked.
bool isLocked(const scene::LayerPath& found);
/// It and all groups that hold it are visible.
bool isVisible(const scene::LayerPath& found);

/// Whether a layer shows something at a share of its picture's width and height, which may lie beyond its
/// edges.
using Covers = std::function<bool(const scene::LayerPath& found, double s, double t)>;

/// The nearest visible layer, not locked, that shows something at a place of a view; 0: none. What fills a
/// box lets the pointer through.
std::int64_t layerAt(const motion::ResolvedScene& now, const optics::View& view, const V2d& place,
                     const Covers& covers);
/// Whether a layer, or one in a group, shows something at a place, whatever lies before it.
bool showsAt(const motion::ResolvedScene& now, const scene::LayerPath& found, const optics::View& view,
             const V2d& place, const Covers& covers);

/// px from a place to the nearest point of a line through points; of one point: to that; 1e300 without any.
double distanceToPolyline(std::span<const V2d> line, const V2d& place);
/// px from a place to a line through two points, endless both ways; 1e9 where they are the same.
double distanceToLine(const V2d& a, const V2d& b, const V2d& place);

}
