// The flat picture that a staging is compared with.
#pragma once

#include "motion/frame.h"

namespace stage::motion {

/// The layers at a time in seconds as the first mark sees them: by a pinhole that stands still, without haze
/// and without a shutter. Its size is that of the picture, px. Thread-safe.
Frame evaluateFlat(const scene::Scene& scene, Rational time, V2i size);

}
