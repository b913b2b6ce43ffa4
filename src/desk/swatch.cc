#include "desk/swatch.h"

#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

constexpr int side = 64;
constexpr std::size_t most = 20'000;

int byte(float linear) {
    return static_cast<int>(std::clamp(media::srgbFromLinear(std::max(0.f, linear)), 0.f, 1.f) * 255 + 0.5f);
}

QRgb straight(const Imath::half* rgba) {
    const float a = rgba[3];
    const float k = a > 0 ? 1 / a : 0;
    return qRgba(byte(rgba[0] * k), byte(rgba[1] * k), byte(rgba[2] * k), static_cast<int>(a * 255 + 0.5f));
}

/// Empty for what has no pixels of its own.
std::string keyOf(const scene::Layer& layer) {
    if (const auto* picture = std::get_if<scene::Picture>(&layer.content))
        return picture->media.path + '\n' + picture->media.hash + '\n' + picture->part;
    if (const auto* footage = std::get_if<scene::Footage>(&layer.content))
        return footage->media.path + '\n' + footage->media.hash;
    if (const auto* text = std::get_if<scene::Text>(&layer.content)) {
        const scene::Colour& c = text->fill;
        return text->text + '\n' + text->font + '\n' + std::to_string(c.r) + ' ' + std::to_string(c.g) + ' ' +
               std::to_string(c.b) + ' ' + std::to_string(c.a);
    }
    return {};
}

}

Swatches::Swatch Swatches::of(const scene::Layer& layer) {
    const std::string key = keyOf(layer);
    if (key.empty()) return {};
    if (const auto kept = m_kept.find(key); kept != m_kept.end()) return kept->second;
    const auto pixels = m_sources.ready(layer, 0);
    if (!pixels) return {};
    const auto& levels = pixels->levels;
    const auto small = std::find_if(levels.begin(), levels.end(), [](const media::Level& level) {
        return std::max(level.size.x, level.size.y) <= side;
    });
    Swatch swatch;
    swatch.picture = QImage(small->size.x, small->size.y, QImage::Format_ARGB32);
    for (int y = 0; y < small->size.y; ++y)
        for (int x = 0; x < small->size.x; ++x)
            swatch.picture.setPixel(x, y, straight(small->row(y) + 4 * x));
    if (const Imath::half* mean = levels.back().row(0); float(mean[3]) > 0)
        swatch.colour = QColor(straight(mean));
    if (m_kept.size() >= most) m_kept.clear();
    m_kept.emplace(key, swatch);
    return swatch;
}

}
