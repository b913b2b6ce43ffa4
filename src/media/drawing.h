// SVG drawings through librsvg: one layer for each top-level group, kept as vectors. Links to other files are
// not followed. Thread-safe.
#pragma once

#include "media/open_raster.h"
#include "media/pixel_source.h"

#include <filesystem>

namespace stage::media {

/// The groups of a drawing, lowest first, each with its part `#n` and the box of its ink on the canvas.
/// Things between groups make layers of their own. Errors: not an SVG, no size, nothing drawn.
Result<Stack> readDrawing(const std::filesystem::path& path);

/// A part of a drawing, sharp at every level; size: of the part at natural size, px. Empty part: all of it.
PixelSourcePtr drawingSource(const std::string& key, const std::filesystem::path& path,
                             const std::string& part, V2i size);

/// How much finer than its natural size a vector picture of this size is offered, as a power of two.
int finerLevels(V2i natural);

}
