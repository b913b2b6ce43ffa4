// Painting a flat card over a tile of the frame: the pinhole's kernel.
#pragma once

#include "render/canvas.h"
#include "render/patch.h"

#include <string>

namespace stage::render {

/// a + b x + c y, x and y in pixels from the middle of a tile's first.
struct TileLinear {
    float a = 0, b = 0, c = 0;
};

/// Light that comes from the air in front of a card rather than from the card.
struct Air {
    float colour[3] = {0, 0, 0};
    float density = 0; ///< per metre; 0: none
    float start = 0;   ///< metres
};

/// What of a card's colour at 1/depth `nearness` comes through the air, in place.
void throughAir(const Air& air, double nearness, float* rgba);

/// A card ready to be painted over one tile. Places on it are texels of the finest of its patches, from the
/// middle of that patch's first.
struct Brush {
    static constexpr int mostLevels = 4;
    TileLinear u, v, w; ///< place u/w, v/w; where level, w is 1 all over
    bool level = true;
    Patch patches[mostLevels]; ///< of that many levels, each half as fine as the one before
    int levels = 1;            ///< 0: nothing of it shows in the tile
    TileLinear lod;            ///< above that of the finest patch
    int taps = 1;
    float du = 0, dv = 0; ///< from tap to tap
    Edges edges;
    float opacity = 1;
    /// Bit 4 j + i: nothing is in the block of 8 x 8 pixels that is the i-th across and the j-th down.
    std::uint16_t clear = 0;
    bool hazy = false;
    Air air;
    TileLinear nearness; ///< 1 / depth
};

/// A share of a level below this is not worth reading it.
inline constexpr float leastShare = 0.04f;

/// Paints under what the canvas shows already.
void paintUnder(const Brush& brush, Canvas& canvas);

/// Readies a brush for the box of the frame from (x0, y0), or says that it is too steep there to be painted
/// in one go (it meets the horizon, or spans too many levels). `reach` is that of the box. The patches live
/// in the arena. skip: blocks in which nothing is are found and left out.
bool readyBrush(Brush& brush, const Plane& plane, const media::Pyramid& pixels, const Reach& reach, int x0,
                int y0, int width, int height, PatchArena& arena, bool skip = true);

/// The instruction sets that this machine runs, and a way to keep to one, for tests: "" is the best.
std::vector<std::string> instructionSets();
void useInstructionSet(const std::string& name);

}
