// How much of each pixel lies within shapes that overlap: for shapes so many and so much alike that drawing
// one after the other takes too long.
#pragma once

#include "scene/geometry.h"

#include <array>
#include <cstdint>
#include <vector>

namespace stage::interaction {

/// Corners, px from the upper left of the picture, in any order; anywhere, also outside it. One with a corner
/// that is no number has no inside.
using Triangle = std::array<V2d, 3>;

/// The share of each pixel that lies within any of the triangles, 0..255, rows from the top without padding:
/// exact along a row for convex outlines, of four places down a pixel. Pure, thread-safe.
std::vector<std::uint8_t> coverageOf(const std::vector<Triangle>& triangles, V2i size);

}
