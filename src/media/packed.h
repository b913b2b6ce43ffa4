// Bytes packed fast and without loss (LZ4 frames with checksums). Thread-safe.
#pragma once

#include "media/buffer_pool.h"

#include <cstddef>
#include <vector>

namespace stage::media {

using PackedBytes = std::vector<char, BufferAllocator<char>>;

/// level: 0, or below 0 for less time and more bytes. Empty: there is no memory.
PackedBytes packed(const void* from, std::size_t bytes, int level = 0);

/// Into `size` bytes. False: it is damaged, or not of that size.
bool unpack(const void* from, std::size_t bytes, void* to, std::size_t size);

}
