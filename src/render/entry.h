// What the renderer makes of a frame before it looks at pixels.
#pragma once

#include "media/pixel_cache.h"
#include "motion/frame.h"
#include "render/brush.h"
#include "render/fill.h"
#include "render/glints.h"
#include "render/render.h"

#include <vector>

namespace stage::render {

/// An item of the frame with what is needed to draw it.
struct Entry {
    Plane plane;
    media::PixelSourcePtr source; ///< null for a placeholder
    bool dimmed = false;          ///< its glints are taken out of its pixels
    media::PyramidPtr pixels;
    float opacity = 1;
    scene::Blend blend = scene::Blend::Normal;
    media::Box box;           ///< pixels of the frame that may show it
    std::vector<Entry> group; ///< of a flattened group
    FillPtr fill;             ///< of what is no card but fills space; then only blend and box count beside it
};

/// Haze as the frame's camera sees it.
Air airOf(const motion::Frame& frame);
/// Pixels of the frame that are wanted, as whole pieces.
media::Box regionOf(const motion::Frame& frame, const Quality& quality);
/// Cards out of focus are read as finely as so many rays for each pixel need.
int raysRead(const Quality& quality);

/// All of a frame. Glints refer to the entries by their addresses.
struct Entries {
    std::vector<Entry> list;
    std::vector<Glint> glints; ///< taken out of what their entries show
};

/// Reads what the quality needs of the frame's pictures. Errors as render().
Result<Entries> entriesOf(const motion::Frame& frame, const Quality& quality, media::PixelCache& cache,
                          const Progress& progress);

}
