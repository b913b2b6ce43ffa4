// Rows of texels by the widest instructions that the machine has.
#pragma once

#include <Imath/half.h>
#include <cstddef>
#include <cstdint>

namespace stage::media {

/// The mean of each four texels of two rows: out[i] of 2 i and 2 i + 1 of both. RGBA, halfs by their bits.
/// count: of out, texels.
void meanOfFour(const std::uint16_t* upper, const std::uint16_t* lower, int count, std::uint16_t* out);

/// A row of sRGB values, 0..65535, each colour in a row of its own, as opaque scene-linear texels: within an
/// ulp of half floats of linearFromSrgb(). count: texels.
void linearTexels(const std::uint16_t* red, const std::uint16_t* green, const std::uint16_t* blue, int count,
                  std::uint16_t* out);

/// A row of texels between others (RGBA, halfs by their bits), of which there are width x height: each at a
/// place from the middle of the first, mixed of the four around it; what lies beyond the border is the
/// border's. count: texels.
void sampledTexels(const std::uint16_t* texels, int width, int height, const float* x, const float* y,
                   int count, std::uint16_t* out);

/// The alpha of a row of texels, RGBA. count: texels.
void alphaOfTexels(const Imath::half* texels, int count, float* alpha);
void floatsOfHalfs(const Imath::half* halfs, int count, float* floats);
/// What is above 65000 becomes that.
void halfsOfFloats(const float* floats, int count, Imath::half* halfs);

/// What a cell of 8 x 8 texels (RGBA, halfs by their bits) has.
struct CellRange {
    std::uint16_t most = 0;       ///< bits without sign of the largest value of all channels
    std::uint16_t leastAlpha = 0; ///< bits without sign
};
/// first: of its upper left texel. stride: from row to row, numbers.
CellRange rangeOfCell(const std::uint16_t* first, std::ptrdiff_t stride);

}
