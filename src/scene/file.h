// Scene files on disk. Thread-safe; two writers of one path are not.
#pragma once

#include "scene/error.h"
#include "scene/scene.h"

#include <filesystem>
#include <functional>
#include <string_view>

namespace stage::scene {

/// Whole file as bytes; a sentence for what is missing, unreadable, a folder, or larger than `most`.
Result<std::string> readFile(const std::filesystem::path& path, std::size_t most = Limits::fileBytes);

/// What a path stands for once symbolic links at its end are followed; need not exist.
std::filesystem::path behindLinks(const std::filesystem::path& path);

/// Writes beside the path (or what it links to), flushes to the disk and renames, so that the path holds
/// either the old or the new contents whatever happens; on error the old file is untouched and nothing is
/// left beside it.
Result<void> writeFileAtomically(const std::filesystem::path& path, std::string_view contents);

/// Reads a `.ostage` file; media paths become absolute. Errors name the file and what is wrong where.
Result<Scene> load(const std::filesystem::path& path);

/// Saves atomically; media paths become relative to the file's folder.
Result<void> save(const Scene& scene, const std::filesystem::path& path);

/// The scene with every media path put through change(path).
Scene withMediaPaths(Scene scene, const std::function<std::string(const std::string&)>& change);

}
