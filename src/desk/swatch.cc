#include "desk/swatch.h"

#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

int byte(float linear) {
    return static_cast<int>(std::clamp(media::srgbFromLinear(std::max(0.f, linear)), 0.f, 1.f) * 255 + 0.5f);
}

}

QImage swatch(media::Sources& sources, const scene::Layer& layer, int side) {
    const auto pixels = layer.group() ? nullptr : sources.ready(layer, 0);
    if (!pixels) return {};
    const media::Level* level = &pixels->levels.back();
    for (const media::Level& each : pixels->levels)
        if (std::max(each.size.x, each.size.y) <= side) {
            level = &each;
            break;
        }
    QImage image(level->size.x, level->size.y, QImage::Format_ARGB32);
    for (int y = 0; y < level->size.y; ++y) {
        const Imath::half* row = level->row(y);
        for (int x = 0; x < level->size.x; ++x, row += 4) {
            const float a = row[3];
            const float k = a > 0 ? 1 / a : 0;
            image.setPixel(x, y,
                           qRgba(byte(row[0] * k), byte(row[1] * k), byte(row[2] * k),
                                 static_cast<int>(a * 255 + 0.5f)));
        }
    }
    return image;
}

QColor meanColour(media::Sources& sources, const scene::Layer& layer) {
    const auto pixels = layer.group() ? nullptr : sources.ready(layer, 0);
    if (!pixels) return QColor(0x7C, 0x78, 0x70);
    const Imath::half* mean = pixels->levels.back().row(0);
    const float a = mean[3];
    if (a <= 0) return QColor(0x7C, 0x78, 0x70);
    return QColor(byte(mean[0] / a), byte(mean[1] / a), byte(mean[2] / a));
}

}
