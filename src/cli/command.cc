#include "cli/command.h"

#include <cstdio>

namespace stage::cli {

V2i sizeFrom(const std::string& text) {
    int w = 0, h = 0;
    char rest = 0;
    if (std::sscanf(text.c_str(), "%dx%d%c", &w, &h, &rest) != 2 || w < 1 || h < 1)
        throw Failure{BadUsage, "'" + text + "' is not a size such as 1280x720."};
    return {w, h};
}

void saveTo(const scene::Scene& scene, const std::string& path) {
    if (path.empty()) throw Failure{BadUsage, "The name of the file to write is empty."};
    need(scene::save(scene, path), CannotWrite);
}

}
