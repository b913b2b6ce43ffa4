// Light that the lens spreads over a whole picture from what is brighter than white.
#pragma once

#include "media/raster.h"
#include "motion/frame.h"
#include "render/image.h"

namespace stage::render {

/// px around a place from which its glare comes; 0 where there is none.
int reachOfGlare(const motion::Frame& frame);

/// Adds the glare of a part of the picture to it; what is outside of it counts as dark. Streaks go straight
/// off the blades' edges, so there are as many as blades, or twice as many of an odd number, and fade to a
/// hundredth along their length. To rounding the same whatever the part, within reachOfGlare() of its border.
/// fast: a place may be off by a tenth of the brightest of it.
void addGlare(const motion::Frame& frame, const media::Box& part, bool fast, Image& picture);

}
