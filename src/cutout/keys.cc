#include "cutout/keys.h"

#include "media/raster.h"

#include <algorithm>

namespace stage::cutout {
namespace {

float ramp(float v, double from, double to) {
    if (to <= from) return v > from ? 1.f : 0.f;
    return static_cast<float>(std::clamp((v - from) / (to - from), 0.0, 1.0));
}

}

KeyedPixel keyedBy(const scene::ColourKey& key, const Triple& c) {
    const Triple k = {static_cast<float>(key.screen.r), static_cast<float>(key.screen.g),
                      static_cast<float>(key.screen.b)};
    const std::size_t p = static_cast<std::size_t>(std::max_element(k.begin(), k.end()) - k.begin());
    const std::size_t q = (p + 1) % 3, r = (p + 2) % 3;
    const auto excess = [&](const Triple& v) { return v[p] - std::max(v[q], v[r]); };
    const float whole = excess(k);
    if (whole <= 1e-5f) return {c, 1}; // a grey screen has no colour to go by
    const double from = 1 - (key.tolerance + key.softness) / 100, to = 1 - key.tolerance / 100;
    const float t = ramp(excess(c) / whole, from, to);
    KeyedPixel out;
    out.alpha = 1 - t;
    if (out.alpha <= 0) return {{0, 0, 0}, 0};
    Triple f;
    for (std::size_t i = 0; i < 3; ++i)
        f[i] = std::max(0.f, c[i] - t * k[i]) / out.alpha;
    const float spill = std::max(0.f, excess(f)) * static_cast<float>(key.spill);
    const Triple weights = {0.2126f, 0.7152f, 0.0722f};
    f[p] -= spill;
    const float back = spill * weights[p] * static_cast<float>(key.keepLight);
    for (std::size_t i = 0; i < 3; ++i)
        out.colour[i] = (f[i] + back) * out.alpha;
    return out;
}

KeyedPixel keyedBy(const scene::BrightnessKey& key, const Triple& c) {
    const float bright = media::srgbFromLinear(std::max(0.f, luminance(c)));
    const float share = ramp(100 * bright, key.low, key.high);
    KeyedPixel out;
    out.alpha = key.invert ? 1 - share : share;
    for (std::size_t i = 0; i < 3; ++i)
        out.colour[i] = key.invert ? std::max(0.f, c[i] - (1 - out.alpha))
                                   : c[i] * std::min(1.f, out.alpha / std::max(bright, 1e-6f));
    return out;
}

KeyedPixel keyedBy(const scene::DifferenceKey& key, const Triple& c, const Triple& plate) {
    KeyedPixel out;
    out.alpha = ramp(difference(oklabOf(c), oklabOf(plate)), key.tolerance, key.tolerance + key.softness);
    for (std::size_t i = 0; i < 3; ++i)
        out.colour[i] = std::max(0.f, c[i] - (1 - out.alpha) * plate[i]);
    return out;
}

}
