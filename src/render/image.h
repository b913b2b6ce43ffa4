// Rendered pictures.
#pragma once

#include "scene/geometry.h"

#include <cstdint>
#include <new>
#include <utility>
#include <vector>

namespace stage::render {

void* allocateBytes(std::size_t bytes);
void giveRoom(void* at, std::size_t bytes);

/// Room for pictures: large pages, and numbers that are not set before they are written.
template <class T> struct ImageAllocator {
    using value_type = T;
    ImageAllocator() = default;
    template <class U> explicit ImageAllocator(const ImageAllocator<U>&) {}
    T* allocate(std::size_t count) { return static_cast<T*>(allocateBytes(count * sizeof(T))); }
    void deallocate(T* at, std::size_t count) { giveRoom(at, count * sizeof(T)); }
    template <class U> void construct(U* at) { ::new (static_cast<void*>(at)) U; }
    template <class U, class... A> void construct(U* at, A&&... from) {
        ::new (static_cast<void*>(at)) U(std::forward<A>(from)...);
    }
    bool operator==(const ImageAllocator&) const { return true; }
};

/// Scene-linear Rec. 709, premultiplied alpha, RGBA float, rows from the top, no padding.
struct Image {
    V2i size{0, 0};
    std::vector<float, ImageAllocator<float>> rgba; ///< of a new picture: anything

    Image() = default;
    explicit Image(V2i pixels) : size(pixels), rgba(static_cast<std::size_t>(pixels.x) * pixels.y * 4) {}
    float* row(int y) { return rgba.data() + static_cast<std::size_t>(y) * size.x * 4; }
    const float* row(int y) const { return rgba.data() + static_cast<std::size_t>(y) * size.x * 4; }
};

/// How a picture becomes whole numbers.
struct Encoding {
    /// Put over black: alpha is full, and colours are as they show. Else straight alpha.
    bool overBlack = false;
    /// Colours are rounded up or down by blue noise, the same in every picture, so that what changes slowly
    /// does not show steps; on the mean they stay. Else to the nearest.
    bool dithered = false;
};

/// sRGB-encoded RGBA in `Int`'s range. What is no number is 0.
template <class Int> std::vector<Int> encoded(const Image& picture, const Encoding& encoding = {});
extern template std::vector<std::uint8_t> encoded(const Image&, const Encoding&);
extern template std::vector<std::uint16_t> encoded(const Image&, const Encoding&);

}
