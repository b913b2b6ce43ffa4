#include "desk/camera/scopes.h"

#include "desk/jobs/view_renderer.h"

#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

/// So many are enough to be drawn, and counted in a moment.
constexpr double enough = 300'000;
constexpr double kr = 0.2126, kb = 0.0722, kg = 1 - kr - kb;

}

ColourDifference differenceOf(double red, double green, double blue) {
    const double luma = kr * red + kg * green + kb * blue;
    return {(blue - luma) / (2 * (1 - kb)), (red - luma) / (2 * (1 - kr))};
}

Scopes scopesOf(const QImage& picture, int columns, bool hatched) {
    Scopes scopes;
    scopes.columns = std::clamp(columns, 1, std::max(1, picture.width()));
    for (auto& waveform : scopes.waveforms)
        waveform.resize(static_cast<std::size_t>(scopes.columns) * Scopes::levels);
    scopes.vectors.resize(Scopes::levels * Scopes::levels);
    const double pixels = static_cast<double>(picture.width()) * picture.height();
    const int step = std::max(1, static_cast<int>(std::ceil(std::sqrt(pixels / enough))));
    for (int y = step / 2; y < picture.height(); y += step) {
        const auto* row = reinterpret_cast<const QRgb*>(picture.constScanLine(y));
        // No column is left out, however few there are.
        for (int x = y / step % step; x < picture.width(); x += step) {
            const QRgb pixel = row[x];
            if (qAlpha(pixel) == 0) continue;
            if (hatched && (pixel == hatchBright || pixel == hatchGap)) continue;
            const int rgb[3] = {qRed(pixel), qGreen(pixel), qBlue(pixel)};
            const double luma = kr * rgb[0] + kg * rgb[1] + kb * rgb[2];
            const int values[4] = {static_cast<int>(luma + 0.5), rgb[0], rgb[1], rgb[2]};
            const auto column =
                static_cast<std::size_t>(static_cast<std::int64_t>(x) * scopes.columns / picture.width());
            for (std::size_t v = 0; v < 4; ++v) {
                const auto level = static_cast<std::size_t>(values[v]);
                ++scopes.waveforms[v][column * Scopes::levels + level];
                ++scopes.histograms[v][level];
            }
            const auto [cb, cr] = differenceOf(rgb[0] / 255.0, rgb[1] / 255.0, rgb[2] / 255.0);
            const auto at = [](double v) {
                return static_cast<std::size_t>(std::clamp((v + 0.5) * Scopes::levels, 0.0, 255.0));
            };
            ++scopes.vectors[at(cr) * Scopes::levels + at(cb)];
            ++scopes.counted;
            scopes.tooBright += std::max({rgb[0], rgb[1], rgb[2]}) == 255;
            scopes.tooDark += std::max({rgb[0], rgb[1], rgb[2]}) == 0;
        }
    }
    return scopes;
}

}
