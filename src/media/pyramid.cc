#include "media/pyramid.h"

#include <algorithm>
#include <cmath>
#include <oneapi/tbb/parallel_for.h>

namespace stage::media {

std::size_t Pyramid::bytes() const {
    std::size_t sum = 0;
    for (const Level& level : levels)
        sum += level.rgba.size() * sizeof(Imath::half);
    return sum;
}

PyramidPtr makePyramid(Level base) {
    auto pyramid = std::make_shared<Pyramid>();
    pyramid->levels.push_back(std::move(base));
    while (pyramid->levels.back().size.x > 1 || pyramid->levels.back().size.y > 1) {
        const Level& from = pyramid->levels.back();
        Level to(V2i((from.size.x + 1) / 2, (from.size.y + 1) / 2));
        oneapi::tbb::parallel_for(0, to.size.y, [&](int y) {
            const int y0 = 2 * y, y1 = std::min(2 * y + 1, from.size.y - 1);
            const Imath::half* upper = from.row(y0);
            const Imath::half* lower = from.row(y1);
            Imath::half* out = to.row(y);
            for (int x = 0; x < to.size.x; ++x) {
                const int a = 8 * x, b = 4 * std::min(2 * x + 1, from.size.x - 1);
                for (int c = 0; c < 4; ++c)
                    out[4 * x + c] = 0.25f * (float(upper[a + c]) + float(upper[b + c]) +
                                              float(lower[a + c]) + float(lower[b + c]));
            }
        });
        pyramid->levels.push_back(std::move(to));
    }
    return pyramid;
}

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
