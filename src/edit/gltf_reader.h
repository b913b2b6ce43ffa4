// What the plugin "gltf_reader" gives: cameras of glTF files, read by tinygltf.
#pragma once

#include <string>
#include <vector>

namespace stage::edit {

struct GltfCamera {
    std::string name;
    struct Sample {
        double seconds = 0;      ///< of the file's own time
        double toWorld[16] = {}; ///< from the camera's axes, columns one after the other
        double angle = 0;        ///< up and down, radians; 0: it has none, as it looks without perspective
    };
    std::vector<Sample> samples; ///< at even steps; one: it stands still
};

struct GltfReader {
    /// The camera of a name, or the first one where it is empty, so many times a second. False: `problem`
    /// says why, a sentence without the file's name. Thread-safe.
    bool (*readCamera)(const std::string& path, const std::string& name, double rate, std::size_t mostSamples,
                       GltfCamera& camera, std::string& problem);
};

}
