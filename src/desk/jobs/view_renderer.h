// Pictures for views, rendered off the interface thread.
#pragma once

#include "media/pixel_cache.h"
#include "motion/frame.h"
#include "render/render.h"

#include <QImage>
#include <QObject>
#include <memory>

namespace stage::desk {

/// How a picture is shown; changes nothing of what is rendered.
struct ViewExposure {
    double stops = 0; ///< view exposure
    /// Hatched: what is brighter than white can be, and where nothing covers the background.
    bool warnings = false;
    bool operator==(const ViewExposure&) const = default;
};

/// What it is hatched with.
inline constexpr QRgb hatchBright = 0xFFE24B2C, hatchGap = 0xFF2E9E93;

struct RenderRequest {
    motion::Frame frame;
    qint64 tag = 0; ///< comes back with the picture
    render::Quality quality{.method = render::Method::Draft, .samples = 64, .placeholders = true};
    ViewExposure exposure;
    /// What is being rendered is shown before this one, so that something comes however fast requests follow
    /// each other, as in a drag.
    bool finish = false;
    bool pieces = false; ///< each piece is told of as it is done
};

/// The pictures of one view: only the latest counts, what it replaces is stopped, and nothing comes any
/// more when this is destroyed. Signals arrive on the interface thread.
class ViewRenderer : public QObject {
    Q_OBJECT
public:
    explicit ViewRenderer(std::shared_ptr<media::PixelCache> sources, QObject* parent = nullptr);
    ~ViewRenderer() override;

    void ask(RenderRequest request);
    /// Stops what is being rendered and forgets what was asked for.
    void drop();
    bool busy() const { return m_busy; }

Q_SIGNALS:
    void ready(const QImage& picture, qint64 tag, double milliseconds);
    void piece(const QImage& picture, const QPoint& at, qint64 tag);
    void failed(const QString& sentence);

private:
    void start();
    struct Job;
    std::shared_ptr<media::PixelCache> m_sources;
    std::shared_ptr<Job> m_running, m_next;
    bool m_busy = false;
};

}
