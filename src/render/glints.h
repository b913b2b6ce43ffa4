// Small very bright spots, taken out of what rays sample and thrown as whole discs instead: sampling alone
// leaves them grainy however many rays there are.
#pragma once

#include "media/pixel_cache.h"
#include "render/plane.h"

#include <vector>

namespace stage::render {

/// What is brighter than this, and than four times what is around it (a square of 32 texels), is a glint's.
inline constexpr float glintFloor = 2;
inline constexpr float glintContrast = 4;

/// A source without its glints, and the glints alone (black elsewhere). Together they are the source.
media::PixelSourcePtr withoutGlints(const media::PixelSourcePtr& source);
/// The same picture with nothing but its glints.
media::PixelSourcePtr glintsAlone(const media::PixelSourcePtr& source);

/// A spot of light as the lens throws it onto the frame: a disc about (x, y), each place of which is seen
/// through its own point of the lens.
struct Glint {
    float x = 0, y = 0;       ///< px
    float radius = 0;         ///< px; below 0: what is in front of the focus plane, the other way round
    float time = 0;           ///< during the exposure, -1..1
    float nearness = 0;       ///< 1 / depth
    float rgb[3] = {0, 0, 0}; ///< what a pixel well inside its disc gets
    const void* of = nullptr; ///< the card that it is on
};

/// The glints of a card that show in a frame of that size, gathered from `bright` (glintsAlone) over the
/// texels that are there. share: the lens's opening over a circle; apart: spots closer than their disc over
/// this become one. Brightness is for an opacity of 1 and clear air.
void throwGlints(const Plane& plane, const media::Pyramid& bright, V2i frame, double share, double apart,
                 const void* of, std::vector<Glint>& out);

}
