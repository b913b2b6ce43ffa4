#include "render/curve.h"

#include "media/pyramid.h"

#include <array>
#include <cmath>

namespace stage::render {
namespace {

/// Encoding is steep near black, so its table is spaced evenly in the square root.
constexpr int steps = encodeSteps;

const std::array<float, steps + 2>& encodings() {
    static const auto table = [] {
        std::array<float, steps + 2> t{};
        for (int i = 0; i < steps + 2; ++i) {
            const float root = static_cast<float>(i) / steps;
            t[static_cast<std::size_t>(i)] = media::srgbFromLinear(root * root);
        }
        return t;
    }();
    return table;
}

const std::array<float, steps + 2>& decodeTable() {
    static const auto table = [] {
        std::array<float, steps + 2> t{};
        for (int i = 0; i < steps + 2; ++i)
            t[static_cast<std::size_t>(i)] = media::linearFromSrgb(static_cast<float>(i) / steps);
        return t;
    }();
    return table;
}

float lerp(const std::array<float, steps + 2>& table, float place) {
    const auto index = static_cast<std::size_t>(place);
    const float f = place - static_cast<float>(index);
    return table[index] + (table[index + 1] - table[index]) * f;
}

}

const float* encodeTable() {
    return encodings().data();
}

float encode(float linear) {
    if (!(linear > 0)) return 0;
    if (linear > 1) return media::srgbFromLinear(linear);
    return lerp(encodings(), std::sqrt(linear) * steps);
}

float decode(float encoded) {
    if (!(encoded > 0)) return 0;
    if (encoded > 1) return media::linearFromSrgb(encoded);
    return lerp(decodeTable(), encoded * steps);
}

}
