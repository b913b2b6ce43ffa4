// OKLab (Björn Ottosson, 2020): a space in which distances look alike. From and to linear Rec. 709; L is 0..1
// from black to white. Pure functions, thread-safe.
#pragma once

#include <array>
#include <cmath>

namespace stage::cutout {

using Triple = std::array<float, 3>;

/// {L, a, b} of linear {r, g, b}.
inline Triple oklabOf(const Triple& rgb) {
    const float l = std::cbrt(0.4122214708f * rgb[0] + 0.5363325363f * rgb[1] + 0.0514459929f * rgb[2]);
    const float m = std::cbrt(0.2119034982f * rgb[0] + 0.6806995451f * rgb[1] + 0.1073969566f * rgb[2]);
    const float s = std::cbrt(0.0883024619f * rgb[0] + 0.2817188376f * rgb[1] + 0.6299787005f * rgb[2]);
    return {0.2104542553f * l + 0.7936177850f * m - 0.0040720468f * s,
            1.9779984951f * l - 2.4285922050f * m + 0.4505937099f * s,
            0.0259040371f * l + 0.7827717662f * m - 0.8086757660f * s};
}

/// The inverse; channels may be below 0 or above 1.
inline Triple rgbOf(const Triple& lab) {
    const auto cube = [](float v) { return v * v * v; };
    const float l = cube(lab[0] + 0.3963377774f * lab[1] + 0.2158037573f * lab[2]);
    const float m = cube(lab[0] - 0.1055613458f * lab[1] - 0.0638541728f * lab[2]);
    const float s = cube(lab[0] - 0.0894841775f * lab[1] - 1.2914855480f * lab[2]);
    return {4.0767416621f * l - 3.3077115913f * m + 0.2309699292f * s,
            -1.2684380046f * l + 2.6097574011f * m - 0.3413193965f * s,
            -0.0041960863f * l - 0.7034186147f * m + 1.7076147010f * s};
}

/// Percent of the way from black to white.
inline float difference(const Triple& labA, const Triple& labB) {
    const float l = labA[0] - labB[0], a = labA[1] - labB[1], b = labA[2] - labB[2];
    return 100 * std::sqrt(l * l + a * a + b * b);
}

}
