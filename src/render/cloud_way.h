// What a cloud has along a way, by the widest instructions that the machine has.
#pragma once

#include "render/cloud_density.h"

namespace stage::render {

/// Adds to `count` numbers (room for mostPlaces) what an octave has at their places.
void addOctave(const CloudDensity::Line& line, int count, float* out);

/// How a cloud's noise becomes its density.
struct Thinning {
    float density; ///< per metre, where it is whole
    bool even;     ///< noise does not count
    float covered; ///< added to the noise, of which what is above 0 is dense
    float soft;    ///< half of the width of noise over which it begins
    /// Across the box each way: where the first place is and how far the next one, in such shares that a side
    /// is at 0 and its soft border ends at 1 from it. Where there are borders.
    bool borders;
    float half[3], at[3], step[3];
};
/// Makes `count` numbers of noise (room for mostPlaces) densities.
void thinOut(const Thinning& thinning, int count, float* noise);

/// out[n] = exp(-values[n]). count: numbers.
void exponentials(const float* values, int count, float* out);

}
