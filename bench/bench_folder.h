// A folder for the files of one run.
#pragma once

#include <cstdlib>
#include <filesystem>
#include <string>

namespace stage::bench {

/// The same for all of a program, removed at its end.
inline const std::filesystem::path& folder() {
    struct Folder {
        std::filesystem::path path;
        Folder() {
            std::string name = (std::filesystem::temp_directory_path() / "open-stage-bench-XXXXXX").string();
            if (!::mkdtemp(name.data())) std::exit(1);
            path = name;
        }
        ~Folder() { std::filesystem::remove_all(path); }
    };
    static const Folder made;
    return made.path;
}

}
