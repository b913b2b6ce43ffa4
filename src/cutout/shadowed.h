// Shadows of other layers on a layer's picture, in its own pixels.
#pragma once

#include "media/pixel_source.h"
#include "motion/pixels.h"

namespace stage::cutout {

/// `below` with the shadows that fall on it, at any level; itself where there are none. Where they are alone,
/// their picture, of the layer's natural size; `below` is not looked at then.
media::PixelSourcePtr shadowed(const motion::Pixels& pixels, media::PixelSourcePtr below);

}
