// Which state of a file is meant, and what is in it. Thread-safe.
#pragma once

#include <string>

namespace stage::media {

/// Path, size, time of change and number of the file, as a part of a key: what was made of the file is kept
/// in memory under this. The file is only asked for, not read.
std::string fileState(const std::string& path);

/// A key in which each file state is replaced by a checksum (SHA-256) of what the file holds, so that it says
/// the same of a copy, and in years. Reads files of up to 512 MB whose checksum is not in the cache folder
/// yet; larger ones keep their state. Empty: a file has changed since the key was made, or cannot be read.
std::string contentKey(const std::string& key);

}
