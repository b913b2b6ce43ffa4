#include "desk/picture_request.h"

#include "render/render.h"

#include <QElapsedTimer>
#include <QPointer>
#include <QThreadPool>
#include <stop_token>

namespace stage::desk {

struct PictureRequest::Job {
    motion::Frame frame;
    qint64 tag;
    std::stop_source stop;
};

PictureRequest::PictureRequest(std::shared_ptr<media::PixelCache> sources, QObject* parent)
    : QObject(parent), m_sources(std::move(sources)) {}

PictureRequest::~PictureRequest() {
    if (m_running) m_running->stop.request_stop();
}

void PictureRequest::ask(motion::Frame frame, qint64 tag, bool finish) {
    m_next = std::make_shared<Job>(Job{std::move(frame), tag, {}});
    if (!m_busy)
        start();
    else if (!finish)
        m_running->stop.request_stop();
}

void PictureRequest::start() {
    m_running = std::exchange(m_next, nullptr);
    m_busy = true;
    QThreadPool::globalInstance()->start([self = QPointer(this), job = m_running, sources = m_sources] {
        QElapsedTimer timer;
        timer.start();
        QImage image;
        const auto picture =
            render::render(job->frame, {.placeholders = true}, *sources, {{}, job->stop.get_token()});
        if (picture) {
            const auto rgba = render::encoded<std::uint8_t>(*picture);
            image = QImage(rgba.data(), picture->size.x, picture->size.y, picture->size.x * 4,
                           QImage::Format_RGBA8888)
                        .convertToFormat(QImage::Format_ARGB32_Premultiplied);
        }
        const double ms = static_cast<double>(timer.nsecsElapsed()) / 1e6;
        // The application is the context, for the request may be gone by now; the pointer is read there.
        QMetaObject::invokeMethod(
            qApp, [self, job, image, ms,
                   problem = picture ? QString() : QString::fromStdString(picture.error().sentence)] {
                if (!self) return;
                self->m_busy = false;
                if (self->m_next) self->start();
                if (!image.isNull())
                    Q_EMIT self->ready(image, job->tag, ms);
                else if (!job->stop.stop_requested())
                    Q_EMIT self->failed(problem);
            });
    });
}

}
