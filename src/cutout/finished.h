// What spreads light or dark around in a layer's picture: soft focus, drop shadow, glow.
#pragma once

#include "media/pixel_source.h"
#include "motion/pixels.h"

namespace stage::cutout {

/// `below`, finished as the pixels say, at any level, larger by their margin on each side; itself where there
/// is nothing to do. Spread by a cubic B-spline that ends at its reach and keeps all light.
media::PixelSourcePtr finished(const motion::Pixels& pixels, media::PixelSourcePtr below);

}
