// Which state of a file is meant: changes as the file changes. Thread-safe.
#pragma once

#include <string>

namespace stage::media {

/// Path, size, time of change and number of the file: what was made of it is kept under this. The file is
/// only asked for, not read.
std::string fileState(const std::string& path);

}
