#include "desk/jobs/swatch.h"

#include "cutout/source.h"
#include "desk/jobs/workers.h"
#include "scene/chance.h"
#include "scene/cutout_json.h"
#include "scene/scene_json.h"

#include <QCoreApplication>
#include <QPainter>
#include <QPointer>

#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

constexpr int side = 64, coverSide = 256;
constexpr std::size_t most = 20'000;

int byte(float linear) {
    return static_cast<int>(std::clamp(media::srgbFromLinear(std::max(0.f, linear)), 0.f, 1.f) * 255 + 0.5f);
}

QRgb straight(const Imath::half* rgba) {
    const float a = rgba[3];
    const float k = a > 0 ? 1 / a : 0;
    return qRgba(byte(rgba[0] * k), byte(rgba[1] * k), byte(rgba[2] * k), static_cast<int>(a * 255 + 0.5f));
}

/// Empty for groups.
std::string keyOf(const scene::Layer& layer) {
    // Cut-outs are never changed once in a scene, so their place in memory tells them apart while they are
    // held.
    const std::string cut = '\n' + std::to_string(reinterpret_cast<std::uintptr_t>(layer.cutout.get()));
    if (const auto* picture = std::get_if<scene::Picture>(&layer.content))
        return picture->media.path + '\n' + picture->media.hash + '\n' + picture->part + cut;
    if (const auto* footage = std::get_if<scene::Footage>(&layer.content))
        return footage->media.path + '\n' + footage->media.hash + '\n' + std::to_string(footage->in) + cut;
    if (const auto* text = std::get_if<scene::Text>(&layer.content)) return scene::toJson(*text).dump() + cut;
    if (const auto* card = std::get_if<scene::Card>(&layer.content)) return scene::toJson(*card).dump() + cut;
    return {};
}

/// What stands for particles, a cloud or a lamp: dots or a soft disc of their colour.
Swatches::Swatch boxSwatch(const scene::Layer& layer) {
    const auto* particles = std::get_if<scene::Particles>(&layer.content);
    const auto* lamp = std::get_if<scene::Lamp>(&layer.content);
    const scene::Colour& own = particles ? particles->colour
                               : lamp    ? lamp->colour
                                         : std::get<scene::Cloud>(layer.content).colour;
    const Imath::half rgba[4] = {Imath::half(static_cast<float>(own.r)),
                                 Imath::half(static_cast<float>(own.g)),
                                 Imath::half(static_cast<float>(own.b)), Imath::half(1.f)};
    Swatches::Swatch swatch;
    swatch.colour = QColor(straight(rgba));
    swatch.picture = QImage(side, side, QImage::Format_ARGB32_Premultiplied);
    swatch.picture.fill(QColor(0x1C, 0x1F, 0x22));
    QPainter painter(&swatch.picture);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    if (particles) {
        painter.setBrush(swatch.colour);
        for (int i = 0; i < 14; ++i) {
            const double size = side * (0.02 + 0.04 * scene::chance(particles->seed, i, 2));
            painter.drawEllipse(QPointF(side * scene::chance(particles->seed, i),
                                        side * scene::chance(particles->seed, i, 1)),
                                size, size);
        }
    } else {
        QRadialGradient soft(side / 2.0, side / 2.0, side / 2.0);
        QColor clear = swatch.colour;
        clear.setAlpha(0);
        soft.setColorAt(0, swatch.colour);
        soft.setColorAt(1, clear);
        painter.setBrush(soft);
        painter.drawRect(0, 0, side, side);
    }
    return swatch;
}

Swatches::Swatch swatchOf(const media::Raster& small) {
    Swatches::Swatch swatch;
    swatch.cover = QImage(small.size.x, small.size.y, QImage::Format_Grayscale8);
    QImage picture(small.size.x, small.size.y, QImage::Format_ARGB32);
    double sum[4] = {};
    for (int y = 0; y < small.size.y; ++y) {
        for (int x = 0; x < small.size.x; ++x) {
            const Imath::half* p = small.row(y) + 4 * x;
            picture.setPixel(x, y, straight(p));
            swatch.cover.scanLine(y)[x] = static_cast<uchar>(std::clamp(float(p[3]), 0.f, 1.f) * 255 + 0.5f);
            for (int c = 0; c < 4; ++c)
                sum[c] += p[c];
        }
    }
    swatch.picture = picture.scaled(side, side, Qt::KeepAspectRatio, Qt::SmoothTransformation);
    if (picture.width() <= side && picture.height() <= side) swatch.picture = picture;
    const double count = static_cast<double>(small.size.x) * small.size.y;
    const Imath::half mean[4] = {
        Imath::half(static_cast<float>(sum[0] / count)), Imath::half(static_cast<float>(sum[1] / count)),
        Imath::half(static_cast<float>(sum[2] / count)), Imath::half(static_cast<float>(sum[3] / count))};
    if (float(mean[3]) > 0) swatch.colour = QColor(straight(mean));
    return swatch;
}

}

Swatches::Swatches(std::shared_ptr<media::PixelCache> cache, QObject* parent)
    : QObject(parent), m_cache(std::move(cache)) {}

Swatches::Swatch Swatches::of(const scene::Scene& scene, const scene::LayerPtr& layer) {
    if (layer->box()) return boxSwatch(*layer);
    const std::string key = keyOf(*layer);
    if (key.empty()) return {};
    if (const auto kept = m_kept.find(key); kept != m_kept.end()) return kept->second;
    const auto last = m_last.find(layer->id);
    const Swatch until = last == m_last.end() ? Swatch{} : last->second;
    if (!m_loading.insert(key).second) return until;
    const auto pixels = motion::pixelsAt(scene, layer, Rational(0));
    if (!pixels) return until;
    onWorker([self = QPointer(this), cache = m_cache, pixels, key, id = layer->id, cutout = layer->cutout] {
        Swatch swatch;
        const auto small = guarded([&]() -> Result<media::Raster> {
            const auto source = cutout::sourceOf(*pixels);
            if (!source) return media::Raster();
            int level = 0;
            const auto sizeAt = [&] { return media::levelSize(source->size(), level); };
            while (std::max(sizeAt().x, sizeAt().y) > coverSide)
                ++level;
            return cache->read(source, level, media::boxOf(sizeAt()));
        });
        if (small && small->size.x > 0) swatch = swatchOf(*small);
        // The application is the context, for the swatches may be gone by now; the pointer is read there.
        onInterface([self, key, id, swatch, cutout] {
            if (!self) return;
            self->m_loading.erase(key);
            if (swatch.picture.isNull()) {
                self->m_kept.emplace(key, Swatch{}); // its problem is told elsewhere
                return;
            }
            if (self->m_kept.size() >= most) self->m_kept.clear();
            self->m_kept.emplace(key, swatch);
            self->m_last[id] = swatch;
            Q_EMIT self->loaded();
        });
    });
    return until;
}

void Swatches::forget() {
    m_kept.clear();
}

bool Swatches::covers(const scene::Scene& scene, const scene::LayerPtr& layer, double s, double t) {
    const QImage cover = of(scene, layer).cover;
    if (cover.isNull()) return true;
    const auto inside = [](double at, const scene::Extension& low, const scene::Extension& high) {
        return at >= 0 && at <= 1 ? at : scene::folded(at, at < 0 ? low.beyond : high.beyond);
    };
    const scene::Extensions& on = layer->hanging.extensions;
    const int x = std::clamp(static_cast<int>(inside(s, on.left, on.right) * cover.width()), 0,
                             cover.width() - 1),
              y = std::clamp(static_cast<int>(inside(t, on.top, on.bottom) * cover.height()), 0,
                             cover.height() - 1);
    return cover.constScanLine(y)[x] >= 26;
}

}
