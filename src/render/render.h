// The one door to pictures. Thread-safe; uses all cores; deterministic: the same frame gives the same
// bits whatever the number of threads.
#pragma once

#include "media/pixel_cache.h"
#include "motion/frame.h"
#include "render/picture.h"
#include "scene/error.h"
#include "scene/progress.h"

namespace stage::render {

struct Quality {
    /// A layer whose media cannot be read is drawn as a hatched card instead of failing the picture.
    bool placeholders = false;
};

/// What the lens sees, layers mixed far to near by their true distance at every pixel; where two lie in one
/// plane, the one later in the scene is above. Errors: media that cannot be read; stopped.
Result<Picture> render(const motion::Frame& frame, const Quality& quality, media::PixelCache& cache,
                       const Progress& progress = {});

}
