// Handles on the sides of a box of particles or cloud, by which it is made larger and smaller. Metres; pure
// functions.
#pragma once

#include "edit/edit.h"
#include "optics/placing.h"

#include <array>
#include <vector>

namespace stage::interaction {

/// The side of a layer's box: the opposite one stays where it is when it is dragged.
struct BoxSide {
    std::int64_t layer = 0;
    int axis = 0;    ///< across, up, in depth
    int way = 1;     ///< which of the two
    V3d middle{0};   ///< in the world
    V3d outwards{0}; ///< in the world, for each metre of the box
    V3d box{0};
    bool cloud = false;
};

/// Corners of a layer's box in the world: bit 0 is right, bit 1 up, bit 2 towards its front. found: a layer
/// that has one.
std::array<V3d, 8> boxCorners(const scene::LayerPath& found);
/// Pairs of corners that edges are between.
inline constexpr std::array<std::array<int, 2>, 12> boxEdges = {
    {{0, 1}, {2, 3}, {4, 5}, {6, 7}, {0, 2}, {1, 3}, {4, 6}, {5, 7}, {0, 4}, {1, 5}, {2, 6}, {3, 7}}};
/// How far a lamp reaches: a ring about it through two directions of the world, of length 1; empty where a
/// layer is no lamp.
std::vector<V3d> reachRing(const scene::LayerPath& found, const V3d& one, const V3d& other);
/// None where the layer has no box.
std::vector<BoxSide> boxSides(const scene::LayerPath& found);

/// The box with a side dragged so far through the world (what of that is along its way counts). It stays
/// larger than a millimetre.
edit::Edit boxDragged(const BoxSide& side, const V3d& by);

}
