// Coverage over a box of pixels, and what is done to it. Values are 0..1. Pure functions, thread-safe.
#pragma once

#include "media/raster.h"

#include <algorithm>
#include <vector>

namespace stage::cutout {

using media::Box;

/// One value for each pixel of a box; coordinates are those of the picture, also outside of it.
struct Mask {
    Box box;
    std::vector<float> values;

    Mask() = default;
    explicit Mask(const Box& over, float value = 0)
        : box(over),
          values(static_cast<std::size_t>(over.size().x) * static_cast<std::size_t>(over.size().y), value) {}
    /// The row with that coordinate, so that row(y)[x] is the value at (x, y); within the box.
    float* row(int y) {
        return values.data() + static_cast<std::size_t>(y - box.y0) * static_cast<std::size_t>(box.size().x) -
               box.x0;
    }
    const float* row(int y) const { return const_cast<Mask*>(this)->row(y); }
    /// Within the box.
    float at(int x, int y) const { return row(y)[x]; }
};

/// The edge moved outwards by `by` px (inwards where below 0), also by parts of a pixel:
/// out(p) = max over q of in(q) * clamp(by + 1 - |p - q|, 0, 1); inwards the same of the complement.
/// `in` covers the box wanted, grown by reachOfGrow(by).
Mask grown(const Mask& in, double by, const Box& wanted);
/// Pixels around a box that it is grown from.
int reachOfGrow(double by);

/// Gaussian of deviation feather / 2, cut off at three deviations and normalised.
/// `in` covers the box wanted, grown by reachOfFeather(feather).
Mask feathered(const Mask& in, double feather, const Box& wanted);
/// Pixels around a box that it is feathered from.
int reachOfFeather(double feather);

/// The part of a mask within a box that it covers.
Mask cropped(const Mask& in, const Box& wanted);

/// The same Gaussian of the values of a plane, in place; its border continues outwards.
void soften(std::vector<float>& plane, V2i size, double deviation);

}
