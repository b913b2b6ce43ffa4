// What is known of a card in blocks of a tile, without sampling it.
#pragma once

#include "media/pyramid.h"
#include "render/plane.h"
#include "render/reach.h"

#include <cstdint>

namespace stage::render {

/// Blocks of 8 x 8 pixels of a tile: bit 4 j + i is the i-th across and the j-th down.
using Blocks = std::uint16_t;
inline constexpr int blockSide = 8, blocksAcross = 4;

/// Those of a tile of that size.
Blocks blocksOf(int width, int height);

/// Where the corners of a flat card's blocks are on its picture, base texels.
class BlockGrid {
public:
    /// A tile of the frame from (x0, y0), no corner of which looks past the card's plane.
    BlockGrid(const Plane& plane, int x0, int y0, int width, int height);
    /// The box of the picture that a block shows.
    Reach reachOf(int block) const;
    /// That of all blocks but some; margins as in `whole`.
    Reach reachWithout(Blocks some, const Reach& whole) const;
    Blocks all() const { return m_all; }

private:
    double m_u[blocksAcross + 1][blocksAcross + 1], m_v[blocksAcross + 1][blocksAcross + 1];
    Blocks m_all;
};

/// In which blocks nothing of a card is, and in which it lets nothing through.
struct Known {
    Blocks clear = 0, opaque = 0;
};
/// By the cells of the levels that are read, from `fine` on. whole: the reach of the tile; spans: base texels
/// more on each side that are looked at.
Known knownOf(const Plane& plane, const media::Pyramid& pixels, const BlockGrid& grid, const Reach& whole,
              int fine, int levels, double spanU, double spanV);

}
