// Pictures as the renderer reads them: scene-linear Rec. 709, premultiplied alpha, half float, with all
// smaller levels.
#pragma once

#include "scene/geometry.h"

#include <Imath/half.h>
#include <memory>
#include <vector>

namespace stage::media {

/// RGBA, rows from the top, no padding.
struct Level {
    V2i size{0, 0};
    std::vector<Imath::half> rgba;

    Level() = default;
    explicit Level(V2i pixels) : size(pixels), rgba(static_cast<std::size_t>(pixels.x) * pixels.y * 4) {}
    Imath::half* row(int y) { return rgba.data() + static_cast<std::size_t>(y) * size.x * 4; }
    const Imath::half* row(int y) const { return rgba.data() + static_cast<std::size_t>(y) * size.x * 4; }
};

/// Level n has half the width and height of level n - 1, rounded up, down to one pixel: texel (x, y) of it
/// is the mean of the texels (2x..2x+1, 2y..2y+1) that exist below it. Immutable once shared.
struct Pyramid {
    std::vector<Level> levels;
    std::size_t bytes() const;
};
using PyramidPtr = std::shared_ptr<const Pyramid>;

PyramidPtr makePyramid(Level base);

/// The sRGB transfer curve (IEC 61966-2-1), encoded to linear and back, for values within 0..1 and beyond.
float linearFromSrgb(float encoded);
float srgbFromLinear(float linear);
/// The linear value of each 16-bit encoded one.
const std::vector<float>& linearFromSrgb16();

}
