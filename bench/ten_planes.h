// The scene that the renderer is measured on: an opaque backdrop, six planes of about 30 % cover, three of
// about 15 % at the borders, blurred into discs of up to 40 px radius at 1920 wide, with small bright
// highlights. Or more planes of the same cover in all, or ten that are transparent all over.
#pragma once

#include "scene/scene.h"

#include <filesystem>
#include <string>
#include <vector>

namespace stage::bench {

/// Writes its pictures (half float EXR) into the folder.
scene::Scene tenPlanes(const std::filesystem::path& folder);
/// The same cover in all by a hundred planes, each of a tenth of it.
scene::Scene hundredPlanes(const std::filesystem::path& folder);
/// Ten, each full-frame at half opacity: nothing to skip.
scene::Scene veils(const std::filesystem::path& folder);

}
