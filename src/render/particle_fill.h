// Particles as the lens sees them.
#pragma once

#include "media/pixel_cache.h"
#include "motion/frame.h"
#include "render/brush.h"
#include "render/fill.h"
#include "render/render.h"

namespace stage::render {

/// The particles of an item that has some, each a disc of light that the lens throws: its own shape, blurred
/// by the opening and drawn out along its way during the exposure, in closed form, so that it is free of
/// noise. Nearer to the lens than its own radius they are not seen. What their pictures show is read here.
/// Errors: pictures that cannot be read; stopped. air: in front of each.
Result<FillPtr> particleFill(const motion::Item& item, const motion::Frame& frame, const Quality& quality,
                             const Air& air, media::PixelCache& cache, const Progress& progress);

}
