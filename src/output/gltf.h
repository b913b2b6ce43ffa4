// The staged set and its camera as binary glTF 2.0 (Khronos, glTF 2.0 specification), for programs of space.
// Its axes are ours: metres, y up, a camera looks along -z. Thread-safe.
#pragma once

#include "media/pixel_cache.h"
#include "scene/error.h"
#include "scene/progress.h"
#include "scene/scene.h"

#include <filesystem>
#include <string>
#include <vector>

namespace stage::output {

enum class GltfContent {
    Set,   ///< layers as cards with their pictures, unlit, and the camera
    Camera ///< that alone
};

struct GltfWritten {
    int layers = 0, frames = 0;
    /// Names of layers that are not in it: particles and clouds are no cards.
    std::vector<std::string> leftOut;
};

/// Places and turns are those of every frame of the scene, the camera's too; pictures those of the frame in
/// which a layer is first visible, at most 4096 px a side. Where the focal length changes, it is told by
/// KHR_animation_pointer, which not every program reads. path: .glb; there when it is whole. Errors: media
/// that cannot be read; it cannot be written; stopped.
Result<GltfWritten> writeGltf(const scene::Scene& scene, const std::filesystem::path& path,
                              GltfContent content, media::PixelCache& sources, const Progress& progress = {});

}
