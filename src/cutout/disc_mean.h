// The mean of numbers over a disc, by the widest instructions that the machine has.
#pragma once

#include <cstddef>

namespace stage::cutout {

/// Four places beside each other: first, first + step ... in texels from the middle of a row's (or column's)
/// first texel on; all within its first 8, so first at least 0 and the last at most 7.
struct DiscPlaces {
    static constexpr int texels = 8;
    float first, step;
};

/// Of 12 places, a square of 4 x 4 without its corners; between texels it goes evenly from one to the next.
/// from: the upper left of 8 x 8 texels, all of which must be there; rows are `stride` numbers apart. NaN if
/// one of the rows needed has one.
float discMean(const float* from, std::ptrdiff_t stride, DiscPlaces x, DiscPlaces y);

}
