// Pictures for views, rendered off the interface thread.
#pragma once

#include "media/pixel_cache.h"
#include "motion/frame.h"

#include <QImage>
#include <QObject>
#include <memory>

namespace stage::desk {

/// One view's wish for a picture: only the latest counts, what it replaces is stopped, and nothing comes any
/// more when this is destroyed. Signals arrive on the interface thread.
class PictureRequest : public QObject {
    Q_OBJECT
public:
    explicit PictureRequest(std::shared_ptr<media::PixelCache> sources, QObject* parent = nullptr);
    ~PictureRequest() override;

    /// tag comes back with the picture. finish: what is being rendered is shown before this one, so that
    /// something comes however fast wishes follow each other, as in a drag.
    void ask(motion::Frame frame, qint64 tag, bool finish = false);
    bool busy() const { return m_busy; }

Q_SIGNALS:
    void ready(const QImage& picture, qint64 tag, double milliseconds);
    void failed(const QString& sentence);

private:
    void start();
    struct Job;
    std::shared_ptr<media::PixelCache> m_sources;
    std::shared_ptr<Job> m_running, m_next;
    bool m_busy = false;
};

}
