// Looking into a file before it becomes layers. Thread-safe.
#pragma once

#include "media/open_raster.h"
#include "scene/error.h"
#include "scene/progress.h"
#include "scene/scene.h"

#include <optional>

namespace stage::media {

/// What a file holds.
struct Contents {
    scene::Media media;
    V2i canvas{0, 0};
    std::string name;                      ///< for the layer, or the group of layers
    std::optional<Stack> stack;            ///< a layered picture
    std::optional<scene::Footage> footage; ///< a clip; neither: a single picture
};

/// Tells by content, not by name, whether a file is a layered picture, a picture or footage. A single picture is
/// read to its end, so that a broken one is refused at the door and not when it is first drawn.
Result<Contents> probe(const std::filesystem::path& path, const Progress& progress = {});

/// Size and sha256 (over size, first and last MiB) of a file, with its absolute path.
Result<scene::Media> identify(const std::filesystem::path& path);

}
