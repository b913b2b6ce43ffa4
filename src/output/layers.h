// Frames whose layers stay apart: OpenEXR with a part for each, deep OpenEXR, OpenRaster.
#pragma once

#include "output/write.h"

namespace stage::output {

/// One frame under its final name, whole or not at all. Layers are as the lens sees them, without the glare and
/// the grade of the whole picture: laid over each other in their order they are the frame. path: without #.
/// Errors: as write().
Result<void> writeLayers(const scene::Scene& scene, const Job& job, std::int64_t frame,
                         const std::filesystem::path& path, media::PixelCache& sources,
                         const Progress& progress = {});

}
