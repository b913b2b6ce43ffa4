#include "scene/black_body.h"

#include <algorithm>

namespace stage::scene {

V2d planckianLocus(double kelvin) {
    const double t = std::clamp(kelvin, 1000.0, 15'000.0);
    return {(0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) /
                (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t),
            (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) /
                (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)};
}

V2d chromaticityOf(const V2d& uv) {
    const double below = 2 * uv.x - 8 * uv.y + 4;
    return {3 * uv.x / below, 2 * uv.y / below};
}

}
