#include "desk/camera/flat_picture.h"

#include "desk/jobs/workers.h"
#include "edit/bring_in.h"
#include "motion/flat.h"

#include <QPointer>
#include <algorithm>
#include <cstdlib>

namespace stage::desk {

FlatPicture::FlatPicture(Session& session, std::function<CameraPicture::Extent()> extent)
    : m_session(session), m_extent(std::move(extent)), m_renderer(session.sharedSources()) {
    connect(&m_renderer, &ViewRenderer::ready, this, [this](const QImage& picture) {
        m_image = picture;
        Q_EMIT changed();
    });
    connect(&m_session.document, &Document::sceneChanged, this, &FlatPicture::refresh);
    connect(&m_session.playhead, &Playhead::frameChanged, this, &FlatPicture::refresh);
    connect(&m_session.document, &Document::begun, this, [this] { setPicture({}); });
}

void FlatPicture::setShow(Show show) {
    if (show == m_show) return;
    m_show = show;
    refresh();
    Q_EMIT changed();
}

void FlatPicture::setLine(double share) {
    m_line = std::clamp(share, 0.0, 1.0);
    Q_EMIT changed();
}

void FlatPicture::setPicture(const std::filesystem::path& file) {
    m_file = file;
    m_against.reset();
    if (file.empty()) return refresh();
    onWorker([self = QPointer(this), file, scene = m_session.scene()] {
        auto made = guarded([&] { return edit::flatPicture(*scene, file); });
        onInterface([self, file, made = std::move(made)] {
            if (!self || self->m_file != file) return;
            if (made) {
                self->m_against = *made;
            } else {
                self->m_file.clear();
                Q_EMIT self->m_session.problem(QString::fromStdString(made.error().sentence));
            }
            self->refresh();
            Q_EMIT self->changed();
        });
    });
}

void FlatPicture::refresh() {
    const auto [size, seen] = m_extent();
    if (m_show == Show::Staged || size.x < 1 || size.y < 1) {
        m_renderer.drop();
        m_image = {};
        return;
    }
    RenderRequest wanted;
    const Rational time = m_session.playhead.time();
    wanted.frame = m_against ? motion::evaluate(*m_against, time, size)
                             : motion::evaluateFlat(*m_session.scene(), time, size);
    wanted.quality.method = render::Method::Pinhole;
    wanted.quality.region = seen;
    wanted.finish = true;
    m_renderer.ask(std::move(wanted));
}

const QImage& FlatPicture::difference(const QImage& staged) {
    if (m_differenceOf[0] == staged.cacheKey() && m_differenceOf[1] == m_image.cacheKey())
        return m_difference;
    m_differenceOf[0] = staged.cacheKey(), m_differenceOf[1] = m_image.cacheKey();
    m_difference = {};
    if (m_image.isNull() || staged.isNull()) return m_difference;
    const QImage a = staged.convertToFormat(QImage::Format_RGB32),
                 b = m_image.scaled(staged.size(), Qt::IgnoreAspectRatio, Qt::SmoothTransformation)
                         .convertToFormat(QImage::Format_RGB32);
    m_difference = QImage(a.size(), QImage::Format_RGB32);
    for (int y = 0; y < a.height(); ++y) {
        const auto *p = reinterpret_cast<const QRgb*>(a.constScanLine(y)),
                   *q = reinterpret_cast<const QRgb*>(b.constScanLine(y));
        auto* out = reinterpret_cast<QRgb*>(m_difference.scanLine(y));
        for (int x = 0; x < a.width(); ++x) {
            const auto apart = [](int u, int v) { return std::min(255, amplified * std::abs(u - v)); };
            out[x] = qRgb(apart(qRed(p[x]), qRed(q[x])), apart(qGreen(p[x]), qGreen(q[x])),
                          apart(qBlue(p[x]), qBlue(q[x])));
        }
    }
    return m_difference;
}

}
