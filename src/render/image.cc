#include "render/image.h"

#include "media/parallel.h"
#include "render/curve.h"

#include <algorithm>
#include <cstdlib>
#include <limits>
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

template <class Int> std::vector<Int> encoded(const Image& picture) {
    constexpr float top = std::numeric_limits<Int>::max();
    std::vector<Int> out(picture.rgba.size());
    media::inParallel(0, picture.size.y, [&](int y) {
        const float* in = picture.row(y);
        Int* to = out.data() + static_cast<std::size_t>(y) * picture.size.x * 4;
        for (int x = 0; x < picture.size.x; ++x, in += 4, to += 4) {
            const float alpha = std::clamp(in[3], 0.f, 1.f);
            const float straight = alpha > 0 ? 1 / alpha : 0;
            for (int c = 0; c < 3; ++c)
                to[c] = static_cast<Int>(std::clamp(encode(in[c] * straight), 0.f, 1.f) * top + 0.5f);
            to[3] = static_cast<Int>(alpha * top + 0.5f);
        }
    });
    return out;
}

template std::vector<std::uint8_t> encoded(const Image&);
template std::vector<std::uint16_t> encoded(const Image&);

}
