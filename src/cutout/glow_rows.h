// Rows of what is bright and of the light that it spreads, by the widest instructions that the machine has.
// Pure, thread-safe.
#pragma once

#include "media/raster.h"

#include <array>

namespace stage::cutout {

/// Adds to sums (RGBA) what of texels is brighter than a threshold by the largest of its colours: the
/// colours, as much as they are above it. Alpha stays. Whether there is any.
bool addBright(const Imath::half* texels, int count, float threshold, float* sums);
bool addBright(const float* texels, int count, float threshold, float* sums);
/// Means of places `step` texels across and down, of sums of texels over their rows: RGBA.
void meansOf(const float* sums, int step, int count, float* means);

/// Between two rows of a grid's places.
struct GridRow {
    const float *above, *below; ///< RGBA of places from the first on
    float share;                ///< of the lower one
    int step;                   ///< texels from place to place
    int first;                  ///< the first texel's, of those of the first place
};
/// Adds what a grid has, even between the middles of its places, times a tint to texels; alpha stays.
void addGrid(const GridRow& row, const std::array<float, 3>& tint, int count, Imath::half* texels);
void addGrid(const GridRow& row, const std::array<float, 3>& tint, int count, float* texels);

}
