// Texels straight from pictures as clips mostly hold them, by the widest instructions that the machine has.
#pragma once

#include "media/raster.h"

#include <array>
#include <cstddef>
#include <cstdint>

namespace stage::media {

/// A picture of brightness and two differences of colour (Y'CbCr), of which the latter have one sample to 2 x
/// 2 pixels. Does not own its memory.
struct YuvPicture {
    /// Of each plane: its first value; each is a byte, or two in this machine's order.
    std::array<const std::uint8_t*, 3> plane{};
    std::array<std::ptrdiff_t, 3> stride{}; ///< from row to row, bytes
    V2i size{0, 0};                         ///< px, even
    bool words = false;                     ///< values of two bytes
    /// Encoded brightness 0..1 is (value - black) * scale; a difference of colour, -0.5..0.5, is (value -
    /// grey)
    /// * differenceScale.
    float black = 0, scale = 1, grey = 0, differenceScale = 1;
    /// Shares of red and blue in brightness.
    float red = 0.2126f, blue = 0.0722f;
    /// Where a sample is, from the middle of its four pixels, px to the right and down: -0.5, 0 or 0.5.
    std::array<float, 2> chroma{-0.5f, 0};
};

/// Scene-linear texels, opaque, of a box of level 0 or 1 (means of 2 x 2 pixels in light) that lies inside
/// it. Encoded colours are clipped to 0..1 and become linear by the sRGB curve. Between samples of colour
/// runs the cubic through them (Catmull, Rom 1974); beyond the border is what is at it. The outcome at a
/// place does not depend on the box.
Raster texelsOf(const YuvPicture& picture, int level, const Box& box);

}
