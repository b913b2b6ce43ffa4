// Rendered pictures.
#pragma once

#include "scene/geometry.h"

#include <cstdint>
#include <vector>

namespace stage::render {

/// Scene-linear Rec. 709, premultiplied alpha, RGBA float, rows from the top, no padding.
struct Picture {
    V2i size{0, 0};
    std::vector<float> rgba;

    Picture() = default;
    explicit Picture(V2i pixels) : size(pixels), rgba(static_cast<std::size_t>(pixels.x) * pixels.y * 4) {}
    float* row(int y) { return rgba.data() + static_cast<std::size_t>(y) * size.x * 4; }
    const float* row(int y) const { return rgba.data() + static_cast<std::size_t>(y) * size.x * 4; }
};

/// sRGB-encoded RGBA, straight alpha, rounded to the nearest of `Int`'s steps.
template <class Int> std::vector<Int> encoded(const Picture& picture);
extern template std::vector<std::uint8_t> encoded(const Picture&);
extern template std::vector<std::uint16_t> encoded(const Picture&);

}
