// A scene with all files that it uses, in one zip file, and back. Thread-safe.
#pragma once

#include "scene/error.h"
#include "scene/progress.h"
#include "scene/scene.h"

#include <filesystem>
#include <set>
#include <string>
#include <vector>

namespace stage::output {

struct Archived {
    std::size_t files = 0;       ///< beside the scene
    std::int64_t bytes = 0;      ///< of them
    std::set<std::string> fonts; ///< that texts ask for; they are not in the archive
};
/// The archive holds scene.ostage, whose paths are relative, media/ with a name for each file that no other
/// has, and, where there are texts, fonts.txt. Whole or not at all. Errors: a file is missing or cannot be
/// read; the archive cannot be written.
Result<Archived> writeArchive(const scene::Scene& scene, const std::filesystem::path& archive,
                              const Progress& progress = {});

/// Makes the folder, which must not be there yet, with all that is in the archive. Gives the scene's file in
/// it, called as the archive. Errors: it is no such archive; a member would lie outside the folder, is a
/// link, or comes twice; there is not enough room; the scene in it cannot be read. Then there is no folder.
Result<std::filesystem::path> unpackArchive(const std::filesystem::path& archive,
                                            const std::filesystem::path& folder,
                                            const Progress& progress = {});

}
