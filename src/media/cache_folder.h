// Where what can be made again is kept on disk.
#pragma once

#include <filesystem>

namespace stage::media {

/// The program's folder below XDG_CACHE_HOME (or ~/.cache), made if need be; the system's temporary folder
/// where that cannot be. Thread-safe.
std::filesystem::path cacheFolder();

}
