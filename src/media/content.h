// The pixels that a layer shows, before anything is cut out of them.
#pragma once

#include "media/pixel_cache.h"
#include "media/pixel_source.h"
#include "scene/scene.h"

namespace stage::media {

/// Where the pixels of a flat layer (not a group) come from; frame: of its footage; layers of other kinds
/// ignore it. Its size is the layer's natural one, or for drawings and texts a power of two times that. Files
/// are only asked for their size and time of change, so that a changed file is read anew; of plates and of
/// stills above 48 Mpx the header is read, once. Thread-safe.
PixelSourcePtr contentOf(const scene::Layer& layer, std::int64_t frame);

/// A file that stands beside a layer's own (a clean plate): a still, or the n-th frame of a clip.
PixelSourcePtr plateOf(const std::string& path, V2i size, std::int64_t frame);

/// The mean colour of 3 x 3 pixels of what contentOf gives, about a place of the layer's own picture, px.
/// Errors: outside of the picture, or nothing is there; the file cannot be read.
Result<scene::Colour> pickedColour(const scene::Layer& layer, std::int64_t frame, const V2d& at,
                                   PixelCache& cache);

/// Whether the file that a layer shows exists; true for layers without one.
bool isThere(const scene::Layer& layer);

/// The picture of a sequence: "rain.####.png", 12 gives "rain.0012.png".
std::string sequenceFile(const std::string& pattern, std::int64_t number);

}
