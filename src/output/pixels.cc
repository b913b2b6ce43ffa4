#include "output/pixels.h"

#include "media/raster.h"

#include <algorithm>
#include <limits>

namespace stage::output {
namespace {

template <class Value> render::Samples<Value> widened(const render::Samples<Value>& from, V2i size, V2i to) {
    render::Samples<Value> out(static_cast<std::size_t>(to.x) * to.y * 4);
    for (int y = 0; y < to.y; ++y) {
        const Value* row = from.data() + static_cast<std::size_t>(std::min(y, size.y - 1)) * size.x * 4;
        Value* at = out.data() + static_cast<std::size_t>(y) * to.x * 4;
        at = std::copy_n(row, static_cast<std::size_t>(size.x) * 4, at);
        for (int x = size.x; x < to.x; ++x)
            at = std::copy_n(row + 4 * (size.x - 1), 4, at);
    }
    return out;
}

/// Scene-linear, associated.
render::Image linear(const Pixels& pixels) {
    render::Image picture(pixels.size);
    const auto from = [&](const auto& values) {
        using Value = typename std::decay_t<decltype(values)>::value_type;
        constexpr float most = static_cast<float>(std::numeric_limits<Value>::max());
        for (std::size_t i = 0; i < values.size(); i += 4) {
            const float alpha = static_cast<float>(values[i + 3]) / most;
            for (std::size_t c = 0; c < 3; ++c)
                picture.rgba[i + c] = media::linearFromSrgb(static_cast<float>(values[i + c]) / most) * alpha;
            picture.rgba[i + 3] = alpha;
        }
    };
    if (const auto* bytes = std::get_if<0>(&pixels.rgba)) from(*bytes);
    if (const auto* shorts = std::get_if<1>(&pixels.rgba)) from(*shorts);
    if (const auto* floats = std::get_if<2>(&pixels.rgba))
        std::copy(floats->begin(), floats->end(), picture.rgba.begin());
    return picture;
}

}

Pixels pixelsOf(const render::Image& picture, int bits, bool overBlack) {
    Pixels pixels;
    pixels.size = picture.size;
    if (bits == 8) {
        pixels.rgba = render::encoded<std::uint8_t>(picture, {.overBlack = overBlack, .dithered = true});
    } else if (bits == 16) {
        pixels.rgba = render::encoded<std::uint16_t>(picture, {.overBlack = overBlack});
    } else {
        render::Samples<float> values = picture.rgba;
        if (overBlack)
            for (std::size_t i = 3; i < values.size(); i += 4)
                values[i] = 1;
        pixels.rgba = std::move(values);
    }
    return pixels;
}

Pixels mixed(const Pixels& a, const Pixels& b, double share) {
    render::Image sum = linear(a);
    const render::Image other = linear(b);
    const auto part = static_cast<float>(share);
    for (std::size_t i = 0; i < sum.rgba.size(); ++i)
        sum.rgba[i] += (other.rgba[i] - sum.rgba[i]) * part;
    return pixelsOf(sum, a.bits(), false);
}

Pixels extended(const Pixels& pixels, V2i size) {
    if (size == pixels.size) return pixels;
    return {size, std::visit([&](const auto& values)
                                 -> decltype(Pixels::rgba) { return widened(values, pixels.size, size); },
                             pixels.rgba)};
}

}
