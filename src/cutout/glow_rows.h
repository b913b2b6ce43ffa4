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

/// Rows of places, RGBA.
struct PlaceRows {
    const float* first;
    std::ptrdiff_t apart; ///< numbers from row to row
};
/// Weighted sums down the columns, turned: for y below `rows` and x below `places`, place y of the row x of
/// out is the sum of weights[k] * place x of the row y + k, for k below `weightCount`. outApart: numbers.
void turnedSums(const PlaceRows& from, const float* weights, int weightCount, int rows, int places,
                float* out, std::ptrdiff_t outApart);

/// A row of a grid's places, at texels, even between the middles of the places, times a tint; alpha is 0. All
/// are RGBA. step: texels from place to place. first: the first texel, of those of the first place. Whether
/// there is any.
bool lightOfRow(const float* places, int step, int first, const std::array<float, 3>& tint, int count,
                float* light);
/// Texels, and between two such rows, of which the lower one has a share. `to` may be `from`.
void addLight(const float* above, const float* below, float share, int count, const Imath::half* from,
              Imath::half* to);
void addLight(const float* above, const float* below, float share, int count, const float* from, float* to);

}
