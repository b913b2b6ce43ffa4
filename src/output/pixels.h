// Pictures as files take them. Values; thread-safe.
#pragma once

#include "render/image.h"

#include <cstdint>
#include <variant>
#include <vector>

namespace stage::output {

/// RGBA, rows from the top, no padding.
struct Pixels {
    V2i size{0, 0};
    /// sRGB-encoded with straight alpha, of 8 or 16 bits; or scene-linear Rec. 709 with associated alpha.
    std::variant<render::Samples<std::uint8_t>, render::Samples<std::uint16_t>, render::Samples<float>> rgba;

    /// Of a channel.
    int bits() const { return rgba.index() == 0 ? 8 : rgba.index() == 1 ? 16 : 32; }
};

/// bits: 8, 16 or 32. overBlack: alpha is full, and colours are as they show over black. To 8 bits colours
/// are dithered, so that slow changes show no steps.
Pixels pixelsOf(const render::Image& picture, int bits, bool overBlack);

/// One put over the other in light, of the same size and bits. share: of b, 0..1.
Pixels mixed(const Pixels& a, const Pixels& b, double share);

/// With its last column and row repeated up to a size that is not smaller.
Pixels extended(const Pixels& pixels, V2i size);

}
