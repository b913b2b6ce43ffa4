// From files to layers. Thread-safe.
#pragma once

#include "edit/edit.h"
#include "scene/progress.h"

#include <filesystem>

namespace stage::edit {

/// Where new layers land: at home depth on the first mark's axis, facing it.
struct Home {
    scene::Placement placement;
    double width = 0, height = 0; ///< of what the frame shows there, metres
};
/// Of the first mark, at the scene's home depth.
Home homeOf(const scene::Scene& scene);

/// A layered picture as its layers, as one group of them, or as the one picture merged from them.
enum class As { Layers, Group, OneLayer };

struct BringInOptions {
    As as = As::Layers;
    bool keepFrame = false;         ///< the scene's frame and rate stay, also when it has no layers yet
    std::vector<std::string> parts; ///< of layered files: only these layers; empty: all
};

struct BroughtIn {
    Edit edit;
    std::vector<std::string> notes; ///< sentences on what is not quite as one would think
};

/// The edit that brings files into the scene: each file's canvas fills the frame at home depth. In a scene
/// without layers the frame becomes the first file's canvas (scaled down to at most 3840 px), and a layered
/// picture is mixed as it was made, so that it looks as it did. All files or none.
Result<BroughtIn> bringIn(const scene::Scene& scene, std::span<const std::filesystem::path> files,
                          const BringInOptions& options = {}, const Progress& progress = {});

/// A scene that shows one file, flat, before a camera that stands still, in the frame and over the time of
/// another: what that is compared with.
Result<scene::ScenePtr> flatPicture(const scene::Scene& scene, const std::filesystem::path& file,
                                    const Progress& progress = {});

/// A `replace` with what its file holds put into it (as `contents`), so that applying it reads no file.
Result<Edit> withContents(Edit replace, const Progress& progress = {});

}
