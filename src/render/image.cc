#include "render/image.h"

#include <algorithm>
#include <cstdlib>
#include <mutex>
#include <sys/mman.h>
#include <utility>
#include <vector>

namespace stage::render {
namespace {

constexpr std::size_t page = std::size_t{2} << 20;

/// Large rooms given back, of which a few are kept: the system clears what it hands out, which takes longer
/// than one thinks.
struct FreeBlocks {
    std::mutex lock;
    std::vector<std::pair<std::size_t, void*>> rooms; ///< with their sizes, latest first
    static constexpr std::size_t most = 3, mostBytes = std::size_t{256} << 20;
};
FreeBlocks& freeBlocks() {
    static FreeBlocks* const made = new FreeBlocks; // outlives all pictures
    return *made;
}

}

void* allocateBytes(std::size_t bytes) {
    if (bytes >= page) {
        FreeBlocks& store = freeBlocks();
        const std::lock_guard guard(store.lock);
        for (auto room = store.rooms.begin(); room != store.rooms.end(); ++room)
            if (room->first == bytes) {
                void* const at = room->second;
                store.rooms.erase(room);
                return at;
            }
    }
    const std::size_t alignment = bytes >= page ? page : 64;
    void* const at = std::aligned_alloc(alignment, (bytes + alignment - 1) / alignment * alignment);
    if (!at) throw std::bad_alloc();
    if (bytes >= page) ::madvise(at, bytes, MADV_HUGEPAGE); // advice: it works without
    return at;
}

void giveRoom(void* at, std::size_t bytes) {
    if (bytes < page) return std::free(at);
    FreeBlocks& store = freeBlocks();
    const std::lock_guard guard(store.lock);
    store.rooms.insert(store.rooms.begin(), {bytes, at});
    std::size_t sum = 0, keep = 0;
    for (; keep < std::min(store.rooms.size(), FreeBlocks::most); ++keep)
        if ((sum += store.rooms[keep].first) > FreeBlocks::mostBytes) break;
    for (std::size_t i = keep; i < store.rooms.size(); ++i)
        std::free(store.rooms[i].second);
    store.rooms.resize(keep);
}

}
