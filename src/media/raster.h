// Pieces of pictures as the renderer reads them: scene-linear Rec. 709, premultiplied alpha, half float.
#pragma once

#include "media/buffer_pool.h"
#include "scene/geometry.h"

#include <Imath/half.h>
#include <algorithm>
#include <functional>
#include <memory>
#include <vector>

namespace stage::media {

/// Pixels x0..x1-1, y0..y1-1.
struct Box {
    int x0 = 0, y0 = 0, x1 = 0, y1 = 0;

    V2i size() const { return {x1 - x0, y1 - y0}; }
    bool empty() const { return x1 <= x0 || y1 <= y0; }
    /// On each side; below 0: shrunk.
    Box grown(int by) const { return {x0 - by, y0 - by, x1 + by, y1 + by}; }
    Box within(const Box& o) const {
        return {std::max(x0, o.x0), std::max(y0, o.y0), std::min(x1, o.x1), std::min(y1, o.y1)};
    }
    /// The smallest box that holds both; what is empty does not count.
    Box with(const Box& o) const {
        if (empty()) return o;
        if (o.empty()) return *this;
        return {std::min(x0, o.x0), std::min(y0, o.y0), std::max(x1, o.x1), std::max(y1, o.y1)};
    }
    Box shifted(V2i by) const { return {x0 + by.x, y0 + by.y, x1 + by.x, y1 + by.y}; }
    bool operator==(const Box&) const = default;
};
/// From 0, 0.
inline Box boxOf(V2i size) {
    return {0, 0, size.x, size.y};
}

using Halfs = std::vector<Imath::half, BufferAllocator<Imath::half>>;

/// RGBA, rows from the top, no padding.
struct Raster {
    V2i size{0, 0};
    Halfs rgba;

    Raster() = default;
    /// Clear.
    explicit Raster(V2i pixels) : size(pixels), rgba(numbers(), Imath::half(0.f)) {}
    /// All of whose pixels are set before they are read.
    static Raster unfilled(V2i pixels) {
        Raster raster;
        raster.size = pixels;
        raster.rgba.resize(raster.numbers());
        return raster;
    }
    /// RGBA of a row from the top.
    Imath::half* row(int y) { return rgba.data() + static_cast<std::size_t>(y) * size.x * 4; }
    const Imath::half* row(int y) const { return rgba.data() + static_cast<std::size_t>(y) * size.x * 4; }

private:
    std::size_t numbers() const {
        return static_cast<std::size_t>(size.x) * static_cast<std::size_t>(size.y) * 4;
    }
};

/// Takes rows of a picture from row y on; false: no more are wanted.
using TakeStrip = std::function<bool(int y, const Raster& strip)>;

/// The sRGB transfer curve (IEC 61966-2-1), encoded to linear and back, for values within 0..1 and beyond.
float linearFromSrgb(float encoded);
/// The inverse of linearFromSrgb.
float srgbFromLinear(float linear);
/// The linear value of each 16-bit encoded one.
const std::vector<float>& linearFromSrgb16();

}
