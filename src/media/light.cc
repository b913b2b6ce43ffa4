#include "media/light.h"

#include <algorithm>
#include <cmath>

namespace stage::media {

float nitsFromPq(float encoded) {
    constexpr double m1 = 2610.0 / 16384, m2 = 2523.0 / 4096 * 128;
    constexpr double c1 = 3424.0 / 4096, c2 = 2413.0 / 4096 * 32, c3 = 2392.0 / 4096 * 32;
    const double p = std::pow(std::clamp(static_cast<double>(encoded), 0.0, 1.0), 1 / m2);
    return static_cast<float>(10000 * std::pow(std::max(p - c1, 0.0) / (c2 - c3 * p), 1 / m1));
}

float sceneFromHlg(float encoded) {
    constexpr double a = 0.17883277, b = 1 - 4 * a;
    const double c = 0.5 - a * std::log(4 * a);
    const double e = std::clamp(static_cast<double>(encoded), 0.0, 1.0);
    return static_cast<float>(e <= 0.5 ? e * e / 3 : (std::exp((e - c) / a) + b) / 12);
}

void nitsFromHlgScene(std::array<float, 3>& rgb) {
    const float luma = 0.2627f * rgb[0] + 0.6780f * rgb[1] + 0.0593f * rgb[2];
    const float gain = luma > 0 ? 1000 * std::pow(luma, 0.2f) : 0;
    for (float& v : rgb)
        v *= gain;
}

void rec709FromRec2020(std::array<float, 3>& rgb) {
    const auto [r, g, b] = rgb;
    rgb = {1.660491f * r - 0.587641f * g - 0.072850f * b, -0.124550f * r + 1.132900f * g - 0.008349f * b,
           -0.018151f * r - 0.100579f * g + 1.118730f * b};
}

}
