// The colour of what glows by its heat. Pure functions, thread-safe.
#pragma once

#include "scene/geometry.h"

namespace stage::scene {

/// Where a black body lies in CIE 1960 UCS (u, v): Krystek, An algorithm to calculate correlated colour
/// temperature, 1985. kelvin: 1000 to 15 000, kept within.
V2d planckianLocus(double kelvin);

/// CIE 1931 x and y of a place in CIE 1960 UCS.
V2d chromaticityOf(const V2d& uv);

}
