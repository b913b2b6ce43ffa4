#include "cutout/match.h"

#include "cutout/keys.h"

#include <algorithm>

namespace stage::cutout {

Colours coloursOf(const media::Raster& picture) {
    Colours colours;
    std::array<double, 3> light{}, sum{}, squares{};
    for (std::size_t i = 0; i + 3 < picture.rgba.size(); i += 4) {
        const float alpha = picture.rgba[i + 3];
        if (alpha <= 0.01f) continue;
        const Triple c = {float(picture.rgba[i]) / alpha, float(picture.rgba[i + 1]) / alpha,
                          float(picture.rgba[i + 2]) / alpha};
        const Triple lab = oklabOf(c);
        for (std::size_t k = 0; k < 3; ++k) {
            light[k] += static_cast<double>(c[k]) * alpha;
            sum[k] += static_cast<double>(lab[k]) * alpha;
            squares[k] += static_cast<double>(lab[k]) * lab[k] * alpha;
        }
        colours.weight += alpha;
    }
    if (colours.weight <= 0) return colours;
    for (std::size_t k = 0; k < 3; ++k) {
        const double mean = sum[k] / colours.weight;
        colours.light[k] = static_cast<float>(light[k] / colours.weight);
        colours.mean[k] = static_cast<float>(mean);
        colours.spread[k] =
            static_cast<float>(std::sqrt(std::max(0.0, squares[k] / colours.weight - mean * mean)));
    }
    return colours;
}

Matching::Matching(const scene::Match& match, const Colours& own, const Colours* like)
    : m_strength(static_cast<float>(match.strength)) {
    Triple grey = {1, 1, 1};
    if (match.grey)
        grey = {static_cast<float>(match.grey->r), static_cast<float>(match.grey->g),
                static_cast<float>(match.grey->b)};
    else if (match.automatic && own.weight > 0)
        grey = own.light;
    const float y = luminance(grey);
    for (std::size_t k = 0; k < 3; ++k) {
        const float gain = grey[k] > 1e-4f ? std::clamp(y / grey[k], 0.1f, 10.f) : 1.f;
        m_gain[k] = 1 + (gain - 1) * m_strength;
    }
    if (!like || like->weight <= 0 || own.weight <= 0) return;
    m_likes = true;
    m_target = like->mean;
    for (std::size_t k = 0; k < 3; ++k) {
        m_mean[k] = own.mean[k];
        m_ratio[k] = own.spread[k] > 1e-4f ? std::clamp(like->spread[k] / own.spread[k], 1 / 3.f, 3.f) : 1.f;
    }
}

Triple Matching::operator()(const Triple& straight) const {
    Triple c;
    for (std::size_t k = 0; k < 3; ++k)
        c[k] = straight[k] * m_gain[k];
    if (!m_likes) return c;
    Triple lab = oklabOf(c);
    for (std::size_t k = 0; k < 3; ++k)
        lab[k] += ((lab[k] - m_mean[k]) * m_ratio[k] + m_target[k] - lab[k]) * m_strength;
    c = rgbOf(lab);
    for (float& v : c)
        v = std::max(0.f, v);
    return c;
}

}
