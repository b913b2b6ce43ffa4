#include "render/picture.h"

#include "render/curve.h"

#include <algorithm>
#include <cstdlib>
#include <limits>
#include <map>
#include <mutex>
#include <oneapi/tbb/parallel_for.h>
#include <sys/mman.h>

namespace stage::render {

namespace {

/// Rooms given back, of which a few are kept: the system clears what it hands out, which takes longer than
/// one thinks.
struct Kept {
    std::mutex lock;
    std::vector<std::pair<std::size_t, void*>> rooms; ///< with their sizes
    std::map<void*, std::size_t> out;
    static constexpr std::size_t most = 3, mostBytes = std::size_t{256} << 20;
};
Kept& kept() {
    static Kept* const made = new Kept; // outlives all pictures
    return *made;
}

}

void* takeRoom(std::size_t bytes) {
    constexpr std::size_t page = std::size_t{2} << 20;
    Kept& store = kept();
    const std::lock_guard guard(store.lock);
    for (auto room = store.rooms.begin(); room != store.rooms.end(); ++room)
        if (room->first == bytes) {
            void* const at = room->second;
            store.rooms.erase(room);
            store.out[at] = bytes;
            return at;
        }
    const std::size_t alignment = bytes >= page ? page : 64;
    void* at = std::aligned_alloc(alignment, (bytes + alignment - 1) / alignment * alignment);
    if (!at) throw std::bad_alloc();
    if (bytes >= page) {
        ::madvise(at, bytes, MADV_HUGEPAGE); // advice: it works without
        store.out[at] = bytes;
    }
    return at;
}

void giveRoom(void* at) {
    Kept& store = kept();
    const std::lock_guard guard(store.lock);
    if (const auto known = store.out.find(at); known != store.out.end()) {
        store.rooms.insert(store.rooms.begin(), {known->second, at});
        store.out.erase(known);
        std::size_t bytes = 0;
        for (std::size_t i = 0; i < store.rooms.size(); ++i) {
            bytes += store.rooms[i].first;
            if (i < Kept::most && bytes <= Kept::mostBytes) continue;
            for (std::size_t k = i; k < store.rooms.size(); ++k)
                std::free(store.rooms[k].second);
            store.rooms.resize(i);
        }
        return;
    }
    std::free(at);
}

template <class Int> std::vector<Int> encoded(const Picture& picture) {
    constexpr float top = std::numeric_limits<Int>::max();
    std::vector<Int> out(picture.rgba.size());
    oneapi::tbb::parallel_for(0, picture.size.y, [&](int y) {
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

template std::vector<std::uint8_t> encoded(const Picture&);
template std::vector<std::uint16_t> encoded(const Picture&);

}
