// Single pictures through OpenImageIO. Thread-safe.
#pragma once

#include "media/pyramid.h"
#include "scene/error.h"

#include <filesystem>
#include <string>

namespace stage::media {

struct StillInfo {
    V2i size; ///< as shown, after the turn that EXIF asks for
};

/// Header only.
Result<StillInfo> probeStill(const std::filesystem::path& path);

/// Reads a picture: integer formats are taken as sRGB-encoded, float formats as scene-linear, unless the
/// file says otherwise; EXIF orientation is applied. Errors name the file and say what is wrong.
Result<Level> readStill(const std::filesystem::path& path);

/// The same from bytes; name is used to tell the format and in errors.
Result<Level> readStill(const std::string& bytes, const std::string& name);
Result<StillInfo> probeStill(const std::string& bytes, const std::string& name);

}
