#include "render/blend.h"

#include <algorithm>
#include <cmath>

namespace stage::render {
namespace {

using scene::Blend;

struct Rgb {
    float v[3];
};

float luminosity(const Rgb& c) {
    return 0.3f * c.v[0] + 0.59f * c.v[1] + 0.11f * c.v[2];
}

float saturation(const Rgb& c) {
    return std::max({c.v[0], c.v[1], c.v[2]}) - std::min({c.v[0], c.v[1], c.v[2]});
}

Rgb clipColour(Rgb c) {
    const float l = luminosity(c);
    const float n = std::min({c.v[0], c.v[1], c.v[2]}), x = std::max({c.v[0], c.v[1], c.v[2]});
    for (float& v : c.v) {
        if (n < 0) v = l + (v - l) * l / (l - n);
    }
    for (float& v : c.v) {
        if (x > 1) v = l + (v - l) * (1 - l) / (x - l);
    }
    return c;
}

Rgb withLuminosity(Rgb c, float l) {
    const float d = l - luminosity(c);
    for (float& v : c.v)
        v += d;
    return clipColour(c);
}

Rgb withSaturation(const Rgb& c, float s) {
    const float low = std::min({c.v[0], c.v[1], c.v[2]}), range = saturation(c);
    Rgb result{};
    if (range > 0)
        for (int i = 0; i < 3; ++i)
            result.v[i] = (c.v[i] - low) * s / range;
    return result;
}

float softLight(float b, float s) {
    if (s <= 0.5f) return b - (1 - 2 * s) * b * (1 - b);
    const float d = b <= 0.25f ? ((16 * b - 12) * b + 4) * b : std::sqrt(b);
    return b + (2 * s - 1) * (d - b);
}

float hardLight(float b, float s) {
    return s <= 0.5f ? b * 2 * s : b + (2 * s - 1) - b * (2 * s - 1);
}

float separable(Blend blend, float b, float s) {
    switch (blend) {
    case Blend::Multiply:
        return b * s;
    case Blend::Screen:
        return b + s - b * s;
    case Blend::Overlay:
        return hardLight(s, b);
    case Blend::Darken:
        return std::min(b, s);
    case Blend::Lighten:
        return std::max(b, s);
    case Blend::ColorDodge:
        return b <= 0 ? 0 : s >= 1 ? 1 : std::min(1.f, b / (1 - s));
    case Blend::ColorBurn:
        return b >= 1 ? 1 : s <= 0 ? 0 : 1 - std::min(1.f, (1 - b) / s);
    case Blend::HardLight:
        return hardLight(b, s);
    case Blend::SoftLight:
        return softLight(b, s);
    case Blend::Difference:
        return std::abs(b - s);
    case Blend::Exclusion:
        return b + s - 2 * b * s;
    default:
        return s;
    }
}

Rgb mixed(Blend blend, const Rgb& b, const Rgb& s) {
    switch (blend) {
    case Blend::Hue:
        return withLuminosity(withSaturation(s, saturation(b)), luminosity(b));
    case Blend::Saturation:
        return withLuminosity(withSaturation(b, saturation(s)), luminosity(b));
    case Blend::Color:
        return withLuminosity(s, luminosity(b));
    case Blend::Luminosity:
        return withLuminosity(b, luminosity(s));
    default:
        break;
    }
    Rgb result{};
    for (int i = 0; i < 3; ++i)
        result.v[i] = separable(blend, b.v[i], s.v[i]);
    return result;
}

}

void blendOnto(float* below, const float* source, float opacity, Blend blend) {
    const float as = source[3] * opacity, ab = below[3];
    if (blend == Blend::Normal) {
        for (int c = 0; c < 4; ++c)
            below[c] = source[c] * opacity + below[c] * (1 - as);
        return;
    }
    if (blend == Blend::Add) {
        for (int c = 0; c < 3; ++c)
            below[c] += source[c] * opacity;
        below[3] = std::min(1.f, ab + as);
        return;
    }
    if (as <= 0) return;
    Rgb b{}, s{};
    for (int c = 0; c < 3; ++c) {
        b.v[c] = ab > 0 ? below[c] / ab : 0;
        s.v[c] = source[c] / source[3];
    }
    const Rgb m = mixed(blend, b, s);
    for (int c = 0; c < 3; ++c)
        below[c] = source[c] * opacity * (1 - ab) + as * ab * m.v[c] + (1 - as) * below[c];
    below[3] = as + ab * (1 - as);
}

void blendRow(float* below, const float* source, int pixels, float opacity, Blend blend) {
    if (blend == Blend::Normal) {
        for (int i = 0; i < 4 * pixels; i += 4)
            blendOnto(below + i, source + i, opacity, Blend::Normal);
        return;
    }
    for (int i = 0; i < 4 * pixels; i += 4)
        if (const float* s = source + i; s[0] != 0 || s[1] != 0 || s[2] != 0 || s[3] != 0)
            blendOnto(below + i, s, opacity, blend);
}

}
