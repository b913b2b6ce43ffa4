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
    V2i offset{0, 0}, size{0, 0};      ///< of a single picture on the canvas
    std::string name;                  ///< for the layer, or the group of layers
    std::optional<Stack> stack;        ///< a layered picture
    bool paint = false;                ///< its layers were mixed in encoded values
    std::optional<std::string> merged; ///< the part that shows all of it as one picture, where there is one
    std::optional<scene::Footage> footage; ///< a clip or a sequence; no stack either: a single picture
    std::vector<std::string> notes;        ///< sentences on what is not quite as one would think
};

/// Tells by content, not by name, whether a file is a layered picture, a picture or footage. A single picture
/// is read to its end, so that a broken one is refused at the door and not when it is first drawn. A path
/// with a run of
/// `#` in its name is a sequence of pictures; gaps in it are noted, the picture before one is shown there.
Result<Contents> probe(const std::filesystem::path& path, const Progress& progress = {});

/// The sequence that a numbered picture belongs to ("rain.0012.png": "rain.####.png"), if there are others of
/// it.
std::optional<std::filesystem::path> sequenceOf(const std::filesystem::path& picture);

/// Size and sha256 (over size, first and last MiB) of a file, with its absolute path.
Result<scene::Media> identify(const std::filesystem::path& path);

}
