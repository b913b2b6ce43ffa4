// Cameras that other programs have made, such as one solved from footage. Thread-safe.
#pragma once

#include "edit/edit.h"

#include <filesystem>

namespace stage::edit {

struct CameraFileOptions {
    std::string camera; ///< its name in the file; empty: the first
    bool marks = false; ///< as few marks as tell the move within 1 cm and 0.1°; else tracks of each frame
    double metresPerUnit = 1; ///< of the file's own lengths
    Rational at{0};           ///< when its move begins in the scene, seconds
};

/// The `camera-path` that gives the scene a camera of a glTF 2.0 file (.glb, .gltf), looked at in every frame
/// of the scene. Its angle up and down becomes a focal length on the scene's gate. Errors: the file cannot be
/// read; there is no such camera in it.
Result<Edit> cameraFrom(const scene::Scene& scene, const std::filesystem::path& file,
                        const CameraFileOptions& options = {});

}
