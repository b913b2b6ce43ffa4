// Rendered pictures.
#pragma once

#include "media/buffer_pool.h"
#include "scene/geometry.h"

#include <cstdint>
#include <vector>

namespace stage::render {

/// Samples of a picture; of a new one: anything.
template <class Sample> using Samples = std::vector<Sample, media::BufferAllocator<Sample>>;

/// Scene-linear Rec. 709, premultiplied alpha, RGBA float, rows from the top, no padding.
struct Image {
    V2i size{0, 0};
    Samples<float> rgba;

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
template <class Int> Samples<Int> encoded(const Image& picture, const Encoding& encoding = {});
extern template Samples<std::uint8_t> encoded(const Image&, const Encoding&);
extern template Samples<std::uint16_t> encoded(const Image&, const Encoding&);

}
