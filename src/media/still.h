// Pictures through OpenImageIO. Thread-safe.
// Integer formats are taken as sRGB-encoded, float formats as scene-linear, unless the file says otherwise;
// an embedded ICC profile of RGB or grey is honoured (LittleCMS); EXIF orientation is applied. Errors name
// the file and say what is wrong.
#pragma once

#include "media/raster.h"
#include "scene/error.h"
#include "scene/progress.h"

#include <filesystem>
#include <string>
#include <vector>

namespace stage::media {

struct StillInfo {
    V2i size;            ///< as shown, after the turn that EXIF asks for
    bool upright = true; ///< no turn is asked for
};

/// Header only.
Result<StillInfo> probeStill(const std::filesystem::path& path);
/// bytes: the whole file; name: for errors.
Result<StillInfo> probeStill(const std::string& bytes, const std::string& name);

/// Reads a picture. part: which of several in the file, as in scene::Picture (`#2`, `#0:diffuse`); empty: the
/// first.
Result<Raster> readStill(const std::filesystem::path& path, const std::string& part = {},
                         const Progress& progress = {});
/// The same from bytes; name is used to tell the format and in errors.
Result<Raster> readStill(const std::string& bytes, const std::string& name);

/// Reads a picture that is upright in strips from the top, until one is not taken.
Result<void> readStrips(const std::filesystem::path& path, const std::string& part, const TakeStrip& take,
                        const Progress& progress = {});
Result<void> readStrips(const std::string& bytes, const std::string& name, const TakeStrip& take,
                        const Progress& progress = {});

/// Whether a JPEG file ends before its picture does; readers fill up the rest with grey. False for all else.
bool endsEarly(const std::filesystem::path& path);

/// One of the pictures in a file that holds several.
struct SubPicture {
    std::string part, name;
    V2i offset{0, 0}, size{0, 0}; ///< on the canvas, px
};
struct SubPictures {
    V2i canvas{0, 0};
    bool light = false;               ///< float values: mixed in linear light
    bool merged = false;              ///< the file's first picture is all of them merged
    std::vector<SubPicture> pictures; ///< lowest first; empty: the file is a single plain picture
};
/// Headers only. Of a file whose first picture has no name while the others do, the first is left out: it is
/// the merged one (`#0`).
Result<SubPictures> readSubPictures(const std::filesystem::path& path);

}
