// What the renderer makes of a frame before it looks at pixels.
#pragma once

#include "media/pixel_cache.h"
#include "motion/frame.h"
#include "render/brush.h"
#include "render/render.h"

#include <vector>

namespace stage::render {

/// An item of the frame with what is needed to draw it.
struct Entry {
    Plane plane;
    media::PyramidPtr pixels;
    float opacity = 1;
    scene::Blend blend = scene::Blend::Normal;
    media::Box box; ///< pixels of the frame that may show it
    std::vector<Entry> group; ///< of a flattened group
};

/// Reads what the quality needs of the frame's pictures. Errors as render().
Result<std::vector<Entry>> entriesOf(const motion::Frame& frame, const Quality& quality, media::PixelCache& cache,
                                     const Progress& progress);

}
