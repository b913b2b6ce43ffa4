// Texels of one level around what a box of the frame shows, in one piece.
#pragma once

#include "media/pyramid.h"
#include "render/plane.h"
#include "render/reach.h"

#include <cstdint>
#include <memory>

namespace stage::render {

/// Half float RGBA. Places are texels of the level, counted from the picture's left and top; below 0 and
/// beyond its size the picture goes on as its extensions say. At least two texels across and down, so that
/// two that are neighbours can be read at once.
struct Patch {
    const std::uint16_t* texels = nullptr; ///< of (x0, y0)
    std::ptrdiff_t stride = 0;             ///< from row to row, in numbers (a texel has four)
    int x0 = 0, y0 = 0, width = 0, height = 0;
};

/// Texels of a level around what a box of the frame shows, spans more (base texels) on each side, and what
/// mixing reads.
media::Box texelsAround(const Reach& reach, double spanU, double spanV, int level);

/// Where a card ends, as texels of a patch from the middle of its first.
struct PatchEdges {
    bool any = false; ///< some pixels are at them or beyond
    float left = 0, top = 0, right = 0, bottom = 0;
    float reachU = 1, reachV = 1; ///< what a pixel covers
};
/// For a patch of that level, in a box whose reach is that; `covers`: base texels that a pixel covers.
PatchEdges edgesOf(const Plane& plane, const Reach& reach, const Patch& patch, int level, const V2d& covers);

/// Where patches that had to be put together live. For one thread.
class PatchArena {
public:
    /// The texels of a box of the level, cut to where the card is. Without copying where they lie in one
    /// tile. Texels that are not there are clear.
    Patch take(const Plane& plane, const media::Pyramid& pixels, int level, const media::Box& box);
    /// Gives up all patches taken.
    void reset() { m_block = 0, m_used = 0; }

private:
    std::uint16_t* room(std::size_t numbers);
    struct Block {
        std::unique_ptr<std::uint16_t[]> numbers;
        std::size_t size = 0;
    };
    std::vector<Block> m_blocks;
    std::size_t m_block = 0, m_used = 0;
};

}
