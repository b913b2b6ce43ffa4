// Rows of what is bright and of the light that it spreads, by the widest instructions that the machine has.
// Pure, thread-safe.
#pragma once

#include "media/raster.h"

#include <array>
#include <cstddef>

namespace stage::cutout {

/// Adds to sums (RGBA) what of texels is brighter than a threshold by the largest of its colours: the
/// colours, as much as they are above it. Alpha stays. Whether there is any.
bool addBright(const Imath::half* texels, int count, float threshold, float* sums);
bool addBright(const float* texels, int count, float threshold, float* sums);
/// Means of places `step` texels across and down, of sums of texels over their rows: RGBA.
void meansOf(const float* sums, int step, int count, float* means);

/// out[i] = the sum of weights[k] * from[i + k * apart], for i below count and k below `weightCount`.
void weightedSums(const float* from, std::ptrdiff_t apart, const float* weights, int weightCount, int count,
                  float* out);

/// Between two rows of a grid's places.
struct GridRow {
    const float *above, *below; ///< RGBA of places from the first on
    float share;                ///< of the lower one
    int step;                   ///< texels from place to place
    int first;                  ///< the first texel's, of those of the first place
};
/// Texels, and what a grid has, even between the middles of its places, times a tint; alpha stays. `to` may
/// be `from`.
void addGrid(const GridRow& row, const std::array<float, 3>& tint, int count, const Imath::half* from,
             Imath::half* to);
void addGrid(const GridRow& row, const std::array<float, 3>& tint, int count, const float* from, float* to);

}
