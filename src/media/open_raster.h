// OpenRaster files (https://www.openraster.org, baseline). Nothing is unpacked to disk. Thread-safe.
#pragma once

#include "scene/error.h"
#include "scene/geometry.h"
#include "scene/scene.h"

#include <filesystem>
#include <string>
#include <vector>

namespace stage::media {

struct StackItem {
    std::string name;
    V2i offset{0, 0}; ///< of a layer's top left from the canvas's, px, summed over its stacks
    V2i size{0, 0};   ///< of a layer's picture
    double opacity = 1;
    bool visible = true;
    scene::Blend blend = scene::Blend::Normal;
    std::string part; ///< of a layer: its picture inside the archive
    bool isStack = false;
    std::vector<StackItem> items; ///< of a stack, lowest first
};

struct Stack {
    V2i canvas{0, 0};
    std::vector<StackItem> items; ///< lowest first
};

/// Errors: not a zip, no stack.xml, malformed XML, document type or entities in it, a part that is missing,
/// lies outside the archive or is no picture, too many layers. Each names the file and the layer.
Result<Stack> readStack(const std::filesystem::path& path);

/// One file out of a zip archive, at most `most` bytes of it.
Result<std::string> readMember(const std::filesystem::path& archive, const std::string& member,
                               std::size_t most);

}
