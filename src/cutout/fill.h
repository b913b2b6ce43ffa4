// Filling a hole from what surrounds it. Thread-safe.
#pragma once

#include "cutout/mask.h"
#include "scene/error.h"
#include "scene/progress.h"

namespace stage::cutout {

struct FillOptions {
    int seed = 0;
    bool draft = false; ///< a quarter of the size, in a fraction of a second
};

/// Colours of the pixels where the hole is 0.5 and more are made anew from those around it; all others stay
/// as they are, to the bit. They become opaque. Patches are matched on sRGB-encoded values. The same input
/// gives the same output. Errors: the hole leaves nothing to fill from; cancelled.
/// from: where not null, only pixels where it is 0.5 and more are taken from.
Result<media::Raster> filled(const media::Raster& picture, const Mask& hole, const Mask* from,
                             const FillOptions& options, const Progress& progress = {});

}
