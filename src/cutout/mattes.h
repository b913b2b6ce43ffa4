// The mattes of a layer over a box of its picture. Used by source.cc; thread-safe.
#pragma once

#include "cutout/mask.h"
#include "media/pixel_cache.h"
#include "motion/pixels.h"

namespace stage::cutout {

/// What mattes of one layer look at.
struct Ground {
    media::PixelSourcePtr picture; ///< before anything is cut
    double scale = 1;              ///< its pixels per pixel of the layer
    motion::Pixels pixels;
};

/// The layer's picture at a frame of its footage, and its scale as in Ground; null for groups.
media::PixelSourcePtr pictureOf(const motion::Pixels& pixels, std::int64_t frame, double& scale);

/// A level of another source as the base.
media::PixelSourcePtr atLevel(media::PixelSourcePtr source, int level);

/// A box that may reach beyond the picture, whose border then continues outwards.
Result<media::Raster> readOn(media::PixelCache& cache, const media::PixelSourcePtr& source, const Box& box,
                             const Progress& progress);

/// All mattes, as scene::Matte says, over a box of the ground's picture.
Result<Mask> combined(const std::vector<scene::Matte>& mattes, const Ground& ground, const Box& box,
                      media::PixelCache& cache, const Progress& progress);

/// What a list of mattes comes to, as text; the same text, the same mask.
std::string keyOf(const std::vector<scene::Matte>& mattes, const motion::Pixels& pixels);

}
