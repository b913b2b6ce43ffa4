// The pixels of a layer as its cut-out leaves them.
#pragma once

#include "cutout/mask.h"
#include "media/pixel_cache.h"
#include "motion/pixels.h"

namespace stage::cutout {

/// Sources on top of each other: content, fills, clones, key and mattes and edges, match. Building it decodes
/// and computes nothing; files are asked for as contentOf says (media/content.h). Null for groups.
/// Thread-safe.
media::PixelSourcePtr sourceOf(const motion::Pixels& pixels);

/// Mattes of a layer laid over each other, as scene::Matte says, over a box of its own pixels (natural size).
/// What the desk draws over a picture while mattes are edited. Blocks.
Result<Mask> mattesOver(const motion::Pixels& pixels, const std::vector<scene::Matte>& mattes, const Box& box,
                        media::PixelCache& cache, const Progress& progress = {});

}
