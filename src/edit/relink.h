// Finding media that are no longer where a scene says. Thread-safe.
#pragma once

#include "edit/edit.h"
#include "scene/progress.h"

#include <filesystem>

namespace stage::edit {

struct Relinked {
    Edit edit;                        ///< `relink`; null when nothing was found
    std::vector<std::string> missing; ///< names of files that are not in the folder either
};

/// Looks for missing media by their names in a folder and those inside it, at most 200,000 files; of several
/// of one name the one of the same contents is taken, else the first by its path.
/// Errors: nothing is missing; the folder cannot be read; stopped.
Result<Relinked> findMissing(const scene::Scene& scene, const std::filesystem::path& folder,
                             const Progress& progress = {});

}
