#include "media/cache_folder.h"

#include <cstdlib>

namespace stage::media {

std::filesystem::path cacheFolder() {
    const char* xdg = std::getenv("XDG_CACHE_HOME");
    const char* home = std::getenv("HOME");
    std::filesystem::path folder = xdg && *xdg     ? std::filesystem::path(xdg)
                                   : home && *home ? std::filesystem::path(home) / ".cache"
                                                   : std::filesystem::temp_directory_path();
    folder /= "open-stage";
    std::error_code code;
    std::filesystem::create_directories(folder, code);
    return code ? std::filesystem::temp_directory_path() : folder;
}

}
