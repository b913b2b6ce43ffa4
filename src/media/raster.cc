#include "media/raster.h"

#include <cmath>

namespace stage::media {

float linearFromSrgb(float v) {
    if (v <= 0.04045f) return v / 12.92f;
    return std::pow((v + 0.055f) / 1.055f, 2.4f);
}

float srgbFromLinear(float v) {
    if (v <= 0.0031308f) return v * 12.92f;
    return 1.055f * std::pow(v, 1 / 2.4f) - 0.055f;
}

const std::vector<float>& linearFromSrgb16() {
    static const std::vector<float> table = [] {
        std::vector<float> t(65536);
        for (std::size_t i = 0; i < t.size(); ++i)
            t[i] = linearFromSrgb(static_cast<float>(i) / 65535.f);
        return t;
    }();
    return table;
}

}
