// Rays through the lens over a tile of the frame, card after card: the kernel of the final picture.
#pragma once

#include "render/brush.h"
#include "render/fill.h"
#include "render/glints.h"
#include "render/lens_points.h"
#include "render/occupancy.h"

#include <array>
#include <cstdint>
#include <stop_token>
#include <vector>

namespace stage::render {

/// A card over one tile, nearest first in a list of them. Places are texels of its patch, as a Brush has
/// them.
struct RayCard {
    /// u, v and w at a pixel for the middle of the lens; what a lens point adds to each; what time adds.
    TileLinear u, v, w, ru, rv, uu, uv;
    float rw = 0, uw = 0; ///< what a lens point to the right, and up, adds to w
    TileLinear tu, tv, tw, ttu, ttv, ttw;
    bool level = true, still = true;
    Patch fine, coarse;
    float between = 0; ///< share of the coarse one
    Patch sharp; ///< for glints that are seen past it: `sharper` times as fine as the fine one; may have no
                 ///< texels
    float sharper = 1;
    /// u, v, w, ru, rv, uu, uv and the six of time, side by side: at the tile's first pixel, and what each
    /// column and each row adds. Set by findPresent().
    static constexpr int lines = 16;
    alignas(64) float first[lines] = {}, perColumn[lines] = {}, perRow[lines] = {};
    /// Pixels of each row, from the right bit on, whose rays may meet something of it.
    std::array<std::uint32_t, Canvas::side> present = everywhere();
    float du = 0,
          dv = 0; ///< the long axis of a pixel's footprint, where it is longer than texels of the patch
    PatchEdges edges;
    float opacity = 1;
    bool hazy = false;
    Air air;
    float nearness = 1, perRight = 0, perUp = 0; ///< 1/depth = nearness w / (1 + p perRight + q perUp)
    /// Where the lens does not blur it: as the pinhole sees it, in the canvas's layout; then only nearness
    /// and w count.
    const float* fixed = nullptr;
    /// Not flat: met ray by ray; of the numbers above only those of patches, edges and light count.
    const Plane* mesh = nullptr;
    bool behind = false;          ///< what rays meet second of it, behind what they meet first
    float scaleU = 1, scaleV = 1; ///< texels of the fine patch for a share of 1 across, and down
    scene::Blend blend = scene::Blend::Normal;
    /// No card but space with what fills it, looked at ray by ray; then only nearness, w and blend count.
    std::shared_ptr<const FilledGap> filled;
    const void* of = nullptr;   ///< whose card it is, for glints
    std::vector<RayCard> group; ///< of a flattened group, which lies where nearness and w say

    static constexpr std::array<std::uint32_t, Canvas::side> everywhere() {
        std::array<std::uint32_t, Canvas::side> all{};
        all.fill(~std::uint32_t{0});
        return all;
    }
};

struct RayTile {
    const RayPoints* points = nullptr;
    Opening opening;
    int x0 = 0, y0 = 0, width = 0, height = 0; ///< in the frame
    float ground[4] = {0, 0, 0, 0};
    bool ordered = true; ///< each card is in front of the next for every ray, also within groups
    bool simple = true;  ///< all are laid over each other in light, without groups
    bool paint = false;  ///< mixed in encoded values; the ground is encoded
    /// Above 0: rays are added to a pixel until the noise expected around it is smaller; as Quality's.
    float noise = 0;
    std::uint16_t* counts = nullptr; ///< if given: rays of each pixel, from that of the tile's first on
    int countsStride = 0;
};

/// Once for a picture in which most pixels get no more rays than the first: each of them is looked up then.
void aimFirst(const Opening& opening, RayPoints& points);

/// Before rays are traced, for each card that is flat and not fixed: sets its linear functions side by side,
/// and where it is present, by what there is in its fine patch; null: everywhere.
void findPresent(const Occupancy* occupancy, int width, int height, RayCard& card);

/// The mean of all rays of each pixel into the canvas. cards: nearest first; of those that lie in one plane,
/// the one that is above first. stop is asked for every row.
void traceRays(const RayTile& tile, const std::vector<RayCard>& cards, Canvas& canvas,
               const std::stop_token& stop);

/// Adds glints, whose cards are among those given, to what the canvas shows: all of their discs, each place
/// as far as the cards in front of it let the ray through that goes through its own point of the lens.
void addGlints(const RayTile& tile, const std::vector<RayCard>& cards,
               const std::vector<const Glint*>& glints, Canvas& canvas);

}
