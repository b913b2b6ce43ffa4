// A picture in the light of lamps.
#pragma once

#include "media/pixel_source.h"
#include "motion/lamps.h"
#include "motion/pixels.h"

namespace stage::cutout {

/// What `below` shows, lit as the pixels say, in the picture's own pixels, so that it is made once as long as
/// neither lamp nor layer moves; itself where it takes no light. Made at the level that is asked for.
media::PixelSourcePtr lit(const motion::Pixels& pixels, media::PixelSourcePtr below);

}
