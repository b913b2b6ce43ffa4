// A picture whose pixels are displaced over time.
#pragma once

#include "media/pixel_source.h"
#include "motion/pixels.h"

namespace stage::cutout {

/// What `below` shows, displaced as the pixels say, one displacement after the other; itself where there are
/// none. Made at the level that is asked for.
media::PixelSourcePtr displaced(const motion::Pixels& pixels, media::PixelSourcePtr below);

}
