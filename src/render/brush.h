// Painting a flat card over a tile of the frame: the pinhole's kernel.
#pragma once

#include "render/blocks.h"
#include "render/canvas.h"
#include "render/patch.h"

#include <cmath>
#include <optional>
#include <string>
#include <vector>

namespace stage::render {

/// a + b x + c y, x and y in pixels from the middle of a tile's first.
struct TileLinear {
    float a = 0, b = 0, c = 0;
};

/// Light that comes from the air in front of a card rather than from the card. Distances are along the ray
/// from the eye through the middle of a pixel.
struct Air {
    float colour[3] = {0, 0, 0};
    float density = 0;              ///< per metre; 0: none
    float start = 0;                ///< metres
    float centreX = 0, centreY = 0; ///< where the axis meets the frame, px
    float perPixel = 0;             ///< slope of a ray for each px from there

    /// The same for places counted from the middle of pixel (x0, y0), in pixels `size` times as large.
    Air from(double x0, double y0, double size = 1) const;
    /// Distance over depth of what is seen at a place.
    float stretchAt(float x, float y) const {
        const float right = (x - centreX) * perPixel, down = (y - centreY) * perPixel;
        return std::sqrt(1 + right * right + down * down);
    }
};

/// What of a card's colour at 1/depth `nearness`, seen at a place, comes through the air, in place.
void throughAir(const Air& air, float x, float y, double nearness, float* rgba);

/// A card ready to be painted over one tile. Places on it are texels of the finest of its patches, from the
/// middle of that patch's first.
struct Brush {
    static constexpr int mostLevels = 4;
    TileLinear u, v, w; ///< place u/w, v/w; where level, w is 1 all over
    bool level = true;
    Patch patches[mostLevels]; ///< of that many levels, each half as fine as the one before
    int levels = 1;            ///< 0: nothing of it shows in the tile
    TileLinear lod;            ///< above that of the finest patch
    bool soft = false;         ///< levels are mixed by their variance, not evenly
    int taps = 1;
    float du = 0, dv = 0; ///< from tap to tap
    PatchEdges edges;
    float opacity = 1;
    Blocks without = 0; ///< which are not painted
    bool hazy = false;
    Air air;             ///< from the middle of the tile's first pixel
    TileLinear nearness; ///< 1 / depth
};

/// A share of a level below this is not worth reading it.
inline constexpr float leastShare = 0.04f;

/// Paints under what the canvas shows already.
void paintUnder(const Brush& brush, Canvas& canvas);

/// How a flat card's picture is read in a box of the frame.
struct Look {
    int fine = 0, levels = 0; ///< the finest of so many levels; 0: too steep to be painted in one go (it
                              ///< meets the horizon, or spans too many)
    TileLinear lod;           ///< above that of the finest
    int taps = 1;
    double du = 0, dv = 0;       ///< base texels from tap to tap
    double spanU = 0, spanV = 0; ///< base texels that they reach on each side
    bool soft = false;           ///< levels are mixed by their variance
    double edge = 1;             ///< how many times as wide as a pixel the card's edges are
};
/// For the box of the frame from (x0, y0), whose reach is that. soft: as the lens blurs it, by reading what
/// is as wide as its discs.
Look lookAt(const Plane& plane, const media::Pyramid& pixels, const Reach& reach, int x0, int y0, int width,
            int height, bool soft = false);

/// Readies a brush for that box, but for blocks in which nothing is to be painted. The patches live in the
/// arena.
Brush brushOf(const Look& look, const Plane& plane, const media::Pyramid& pixels, const Reach& reach, int x0,
              int y0, int width, int height, const BlockGrid& grid, Blocks without, PatchArena& arena);

/// The same in one step, without the blocks in which nothing is, or none where it is too steep.
/// oneLevel: a card that lies straight in the frame is read from the level nearest to its own fineness alone,
/// which is as good as between two where it is blurred afterwards.
std::optional<Brush> brushOf(const Plane& plane, const media::Pyramid& pixels, const Reach& reach, int x0,
                             int y0, int width, int height, PatchArena& arena, bool oneLevel = false);

/// The instruction sets that this machine runs, and a way to keep to one, for tests: "" is the best.
std::vector<std::string> instructionSets();
void useInstructionSet(const std::string& name);

}
