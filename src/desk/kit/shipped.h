// What ships with the program as files: the guide and the demo.
#pragma once

#include <filesystem>

namespace stage::desk {

/// A file or folder of the program's own, such as "docs/guide.md": of where it is installed, else of the
/// folder that it was built from. Empty when it is in neither.
std::filesystem::path shipped(const std::filesystem::path& part);

}
