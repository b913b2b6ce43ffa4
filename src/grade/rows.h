// Changes of rows of colours, by the widest instructions that the machine has. All pure, thread-safe; four
// numbers a pixel.
#pragma once

#include "scene/geometry.h"

#include <array>
#include <cstddef>

namespace stage::grade {

/// Premultiplied pixels as straight ones of alpha 1; colours of pixels without alpha stay.
void straighten(const float* rgba, std::size_t pixels, float* straight);
/// Straight colours back into the pixels that they come from, whose alpha stays. What comes out is finite;
/// black without alpha stays as it is.
void putBack(const float* straight, std::size_t pixels, float* rgba);

/// What becomes `of` times the colour, a column, plus `plus`.
struct Affine {
    M33d of;
    V3d plus{0, 0, 0};
    /// This, and then another.
    Affine then(const Affine& next) const;
};
/// straight: alpha is 1 before and after.
void apply(const Affine& affine, float* straight, std::size_t pixels);

/// What is above 0 becomes factor v^power, by the colour's own factor and power; the rest stays.
struct Powers {
    std::array<float, 3> power, factor; ///< factors above 0
};
/// straight: alpha stays. Off by up to 1e-6 of the value times the power's size.
void apply(const Powers& powers, float* straight, std::size_t pixels);

}
