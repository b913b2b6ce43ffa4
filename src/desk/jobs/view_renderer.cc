#include "desk/jobs/view_renderer.h"

#include "desk/jobs/workers.h"
#include "media/parallel.h"
#include "render/curve.h"

#include <QElapsedTimer>
#include <QPointer>
#include <cmath>
#include <stop_token>

namespace stage::desk {
namespace {

/// What of a pixel counts as covered.
constexpr float covered = 0.998f;

/// The box of the picture as the screen shows it, over the background where that was kept out of the picture.
QImage imageOf(const render::Image& picture, const media::Box& box, const ViewExposure& exposure,
               const scene::Colour& background) {
    const V2i size = box.size();
    QImage image(size.x, size.y, QImage::Format_ARGB32_Premultiplied);
    const auto gain = static_cast<float>(std::exp2(exposure.stops));
    const float ground[4] = {static_cast<float>(background.r), static_cast<float>(background.g),
                             static_cast<float>(background.b), static_cast<float>(background.a)};
    uchar* const bits = image.bits();
    const auto row = [&](int y) {
        const float* in = picture.row(y) + 4 * box.x0;
        auto* out = reinterpret_cast<QRgb*>(bits + (y - box.y0) * image.bytesPerLine());
        for (int x = box.x0; x < box.x1; ++x, in += 4, ++out) {
            float c[4] = {in[0], in[1], in[2], in[3]};
            if (exposure.warnings) {
                const bool bright = std::max({c[0], c[1], c[2]}) > 1, gap = c[3] < covered;
                if (bright && (x + y) % 8 < 3) {
                    *out = hatchBright;
                    continue;
                }
                if (gap && (x - y + 65536) % 8 < 3) {
                    *out = hatchGap;
                    continue;
                }
                for (int k = 0; k < 4; ++k)
                    c[k] += (1 - in[3]) * ground[k];
            }
            const float alpha = std::clamp(c[3], 0.f, 1.f), straight = alpha > 0 ? gain / alpha : 0;
            const auto eight = [&](float v) {
                return static_cast<int>(std::clamp(render::encode(v * straight), 0.f, 1.f) * alpha * 255 +
                                        0.5f);
            };
            *out = qRgba(eight(c[0]), eight(c[1]), eight(c[2]), static_cast<int>(alpha * 255 + 0.5f));
        }
    };
    if (size.y > render::pieceSide)
        media::inParallel(box.y0, box.y1, row);
    else // told of by one of many threads
        for (int y = box.y0; y < box.y1; ++y)
            row(y);
    return image;
}

}

struct ViewRenderer::Job {
    RenderRequest request;
    std::stop_source stop;
};

ViewRenderer::ViewRenderer(std::shared_ptr<media::PixelCache> sources, QObject* parent)
    : QObject(parent), m_sources(std::move(sources)) {}

ViewRenderer::~ViewRenderer() {
    if (m_running) m_running->stop.request_stop();
}

void ViewRenderer::ask(RenderRequest request) {
    const bool finish = request.finish;
    m_next = std::make_shared<Job>(Job{std::move(request), {}});
    if (!m_busy)
        start();
    else if (!finish)
        m_running->stop.request_stop();
}

void ViewRenderer::drop() {
    m_next.reset();
    if (m_busy) m_running->stop.request_stop();
}

void ViewRenderer::start() {
    m_running = std::exchange(m_next, nullptr);
    m_busy = true;
    onWorker([self = QPointer(this), job = m_running, sources = m_sources] {
        QElapsedTimer timer;
        timer.start();
        RenderRequest& request = job->request;
        const scene::Colour background = request.frame.background;
        if (request.exposure.warnings) request.frame.background = {0, 0, 0, 0};
        const auto shown = [&](const render::Image& picture, const media::Box& box) {
            return imageOf(picture, box, request.exposure, background);
        };
        // The application is the context, for the request may be gone by then; the pointer is read there.
        if (request.pieces)
            request.quality.piece = [&](const render::Image& picture, const media::Box& box) {
                onInterface([self, job, image = shown(picture, box), box] {
                    if (self && !job->stop.stop_requested())
                        Q_EMIT self->piece(image, {box.x0, box.y0}, job->request.tag);
                });
            };
        const auto image = guarded([&]() -> Result<QImage> {
            const auto picture =
                render::render(request.frame, request.quality, *sources, {{}, job->stop.get_token()});
            if (!picture) return tl::unexpected(picture.error());
            QImage made = shown(*picture, media::boxOf(picture->size));
            if (made.isNull()) return fail("There is not enough memory for a picture of this size.");
            return made;
        });
        const double ms = static_cast<double>(timer.nsecsElapsed()) / 1e6;
        onInterface([self, job, image, ms] {
            if (!self) return;
            self->m_busy = false;
            if (self->m_next) self->start();
            if (image)
                Q_EMIT self->ready(*image, job->request.tag, ms);
            else if (!job->stop.stop_requested())
                Q_EMIT self->failed(QString::fromStdString(image.error().sentence));
        });
    });
}

}
