// One octave of a cloud's noise along a way, by the widest instructions that the machine has.
#pragma once

#include "render/cloud_density.h"

namespace stage::render {

/// Adds to `count` numbers (room for mostPlaces) what an octave has at their places.
void addOctave(const CloudDensity::Line& line, int count, float* out);

}
