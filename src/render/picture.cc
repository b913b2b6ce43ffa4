#include "render/picture.h"

#include "render/curve.h"

#include <algorithm>
#include <limits>
#include <cstdlib>
#include <oneapi/tbb/parallel_for.h>
#include <sys/mman.h>

namespace stage::render {

void* takeRoom(std::size_t bytes) {
    constexpr std::size_t page = std::size_t{2} << 20;
    const std::size_t alignment = bytes >= page ? page : 64;
    void* at = std::aligned_alloc(alignment, (bytes + alignment - 1) / alignment * alignment);
    if (!at) throw std::bad_alloc();
    if (bytes >= page) ::madvise(at, bytes, MADV_HUGEPAGE); // advice: it works without
    return at;
}

void giveRoom(void* at) {
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
