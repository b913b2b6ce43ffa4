#include "desk/camera/camera_view.h"

#include "desk/kit/number_field.h"
#include "desk/look/paper.h"
#include "desk/look/theme.h"
#include "motion/frame.h"
#include "motion/measure.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPainterPath>
#include <QPushButton>
#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

constexpr std::size_t mostFinals = 64;

}

CameraView::CameraView(Session& session, QWidget* parent)
    : QWidget(parent), m_session(session), m_request(session.sharedSources()),
      m_ahead(session.sharedSources()), m_final(session.sharedSources()) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(240, 150);
    setMouseTracking(false);
    setAccessibleName(tr("Camera view"));

    m_banner = new QWidget(this);
    m_banner->setObjectName(QStringLiteral("banner"));
    m_banner->setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(m_banner);
    row->setContentsMargins(12, 5, 6, 5);
    m_bannerText = new QLabel;
    m_bannerSet = new QPushButton;
    m_bannerBack = new QPushButton;
    m_bannerSet->setObjectName(QStringLiteral("bannerSet"));
    m_bannerBack->setObjectName(QStringLiteral("bannerBack"));
    row->addWidget(m_bannerText);
    row->addSpacing(10);
    row->addWidget(m_bannerSet);
    row->addWidget(m_bannerBack);
    m_banner->hide();
    connect(m_bannerSet, &QPushButton::clicked, this, [this] {
        const auto& off = m_session.camera.offMove();
        if (!off) return;
        if (off->time == m_session.playhead.time())
            m_session.camera.setMarkOffMove();
        else
            m_session.playhead.setFrame(frameAt(off->time, m_session.scene()->output.rate));
    });
    connect(m_bannerBack, &QPushButton::clicked, &m_session.camera, &ShownCamera::backToMove);

    m_cacheTold.setSingleShot(true);
    m_cacheTold.setInterval(120);
    connect(&m_cacheTold, &QTimer::timeout, this, &CameraView::cacheChanged);
    makeWalkBar();
    m_walkEnd.setSingleShot(true);
    m_walkEnd.setInterval(600);
    connect(&m_walkEnd, &QTimer::timeout, this, [this] {
        m_session.camera.endWalk();
        m_say.clear();
        QWidget::update();
    });

    connect(&m_session.document, &Document::sceneChanged, this, &CameraView::forget);
    connect(&m_session.playhead, &Playhead::frameChanged, this, &CameraView::update);
    connect(&m_session.camera, &ShownCamera::changed, this, &CameraView::update);
    connect(&m_session.selection, &Selection::layersChanged, this, qOverload<>(&QWidget::update));
    connect(&m_session.playhead, &Playhead::rangeChanged, this, &CameraView::refill);
    connect(&m_request, &ViewRenderer::ready, this, [this](const QImage& picture, qint64 tag, double ms) {
        m_picture = picture;
        m_milliseconds = ms;
        if (m_session.document.previewing() && !m_resting) // towards what takes 30 ms
            m_draft = std::clamp(m_draft * std::sqrt(30 / std::max(1.0, ms)), 0.25, 1.0);
        const bool onMove = !m_session.camera.offHere();
        if (tag == m_generation * (1ll << 32) + m_session.playhead.frame() && onMove)
            keep(m_session.playhead.frame(), picture);
        m_refined = false;
        m_shown = tag & 0xffffffff;
        QWidget::update();
        Q_EMIT pictureShown();
        refill();
        if (m_refining && !m_playing && !m_session.document.previewing()) m_still.start();
    });
    // A picture that takes long (fills are made, large files read) is spoken of.
    m_slow.setSingleShot(true);
    m_slow.setInterval(1000);
    connect(&m_slow, &QTimer::timeout, this, [this] {
        m_waiting = m_request.busy() && !m_playing;
        QWidget::update();
    });
    const auto came = [this] {
        m_slow.stop();
        m_waiting = false;
    };
    connect(&m_request, &ViewRenderer::ready, this, came);
    connect(&m_request, &ViewRenderer::failed, this, came);
    // What is previewed and stays so (a dialog, a hand that holds still) is shown at its full size.
    m_rest.setSingleShot(true);
    m_rest.setInterval(350);
    connect(&m_rest, &QTimer::timeout, this, [this] {
        if (!m_session.document.previewing()) return;
        m_resting = true;
        update();
    });
    m_still.setSingleShot(true);
    m_still.setInterval(120);
    connect(&m_still, &QTimer::timeout, this, &CameraView::refine);
    connect(&m_final, &ViewRenderer::piece, this, [this](const QImage& part, const QPoint& at, qint64 tag) {
        if (tag != m_generation * (1ll << 32) + m_session.playhead.frame()) return;
        QPainter painter(&m_picture);
        painter.setCompositionMode(QPainter::CompositionMode_Source);
        painter.drawImage(at, part);
        painter.end();
        QWidget::update();
    });
    connect(&m_final, &ViewRenderer::ready, this, [this](const QImage& picture, qint64 tag, double) {
        if (tag != m_generation * (1ll << 32) + m_session.playhead.frame()) return;
        m_picture = picture;
        m_refined = true;
        const bool onMove = !m_session.camera.offHere();
        if (m_finals.size() > mostFinals) m_finals.clear();
        if (onMove) m_finals[m_session.playhead.frame()] = picture;
        QWidget::update();
        Q_EMIT pictureRefined();
        refill();
    });
    connect(&m_ahead, &ViewRenderer::ready, this, [this](const QImage& picture, qint64 tag, double) {
        if (tag >> 32 != m_generation) return;
        keep(tag & 0xffffffff, picture);
        refill();
    });
    // What does not render is told, once; what was shown stays.
    const auto tell = [this](const QString& sentence) {
        if (sentence == std::exchange(m_failure, sentence)) return;
        Q_EMIT m_session.problem(sentence);
    };
    for (ViewRenderer* request : {&m_request, &m_final}) {
        connect(request, &ViewRenderer::failed, this, tell);
        connect(request, &ViewRenderer::ready, this, [this] { m_failure.clear(); });
    }
    updateBanner();
}

void CameraView::setTool(Tool tool) {
    if (tool == m_tool) return;
    m_tool = tool;
    setCursor(tool == Tool::Walk   ? Qt::SizeAllCursor
              : tool == Tool::Turn ? Qt::OpenHandCursor
              : tool == Tool::Push ? Qt::SizeVerCursor
                                   : Qt::ArrowCursor);
    m_walkBar->setVisible(tool == Tool::Walk);
    placeWalkBar();
    updateBanner();
    QWidget::update();
    Q_EMIT toolChanged();
}

void CameraView::setThirds(bool on) {
    m_thirds = on;
    QWidget::update();
}

void CameraView::setSafe(bool on) {
    m_safe = on;
    QWidget::update();
}

void CameraView::show(const ViewExposure& exposure) {
    if (exposure == m_exposure) return;
    m_exposure = exposure;
    forget();
}

void CameraView::setRefining(bool on) {
    m_refining = on;
    forget();
}

void CameraView::setMissing(std::vector<std::int64_t> layers) {
    if (layers == m_missing) return;
    m_missing = std::move(layers);
    QWidget::update();
}

void CameraView::setPlaying(bool playing) {
    m_playing = playing;
    if (playing)
        m_final.drop();
    else
        update();
    refill();
}

// ---- pictures

QRectF CameraView::frameRect() const {
    const V2i frame = m_session.scene()->output.frame;
    const double scale =
        std::min(width() / static_cast<double>(frame.x), height() / static_cast<double>(frame.y));
    const QSizeF size(frame.x * scale * m_zoom, frame.y * scale * m_zoom);
    return {(width() - size.width()) / 2 + m_shift.x(), (height() - size.height()) / 2 + m_shift.y(),
            size.width(), size.height()};
}

void CameraView::fitAll() {
    m_zoom = 1;
    m_shift = {};
    forget();
}

void CameraView::fitSelection() {
    V2d low(1e300), high(-1e300);
    const motion::ResolvedScene& now = m_session.now();
    for (const std::int64_t id : m_session.selection.layers()) {
        const motion::Measure m = motion::measureAt(now, m_session.now().find(id));
        if (!(m.high.x > m.low.x)) continue;
        low = {std::min(low.x, m.low.x), std::min(low.y, m.low.y)};
        high = {std::max(high.x, m.high.x), std::max(high.y, m.high.y)};
    }
    if (!(high.x > low.x)) return fitAll();
    fitAll();
    const QRectF frame = frameRect();
    const double scale = frame.width() / m_session.scene()->output.frame.x;
    m_zoom = std::clamp(
        0.85 * std::min(width() / ((high.x - low.x) * scale), height() / ((high.y - low.y) * scale)), 0.2,
        16.0);
    const V2d off = (low + high) / 2.0 - V2d(m_session.scene()->output.frame) / 2.0;
    m_shift = {-off.x * scale * m_zoom, -off.y * scale * m_zoom};
    forget();
}

V2i CameraView::pictureSize() const {
    const QRectF rect = frameRect();
    // Zoomed in, the whole frame is rendered finer, up to twice its own size.
    const double most = 2.0 * m_session.scene()->output.frame.x / rect.width();
    // While something is dragged, coarser where the last picture took too long to follow the hand.
    const double scale =
        std::min(devicePixelRatioF(), most) * (m_session.document.previewing() && !m_resting ? m_draft : 1);
    return {std::max(1, static_cast<int>(std::lround(rect.width() * scale))),
            std::max(1, static_cast<int>(std::lround(rect.height() * scale)))};
}

media::Box CameraView::inView(V2i size) const {
    const QRectF frame = frameRect(), seen = frame.intersected(QRectF(rect()));
    const double scale = size.x / frame.width();
    const QRectF pixels((seen.x() - frame.x()) * scale, (seen.y() - frame.y()) * scale, seen.width() * scale,
                        seen.height() * scale);
    const QRect box = pixels.toAlignedRect().adjusted(-1, -1, 1, 1);
    return media::Box{box.left(), box.top(), box.right() + 1, box.bottom() + 1}.within(media::boxOf(size));
}

RenderRequest CameraView::request(std::int64_t frame) const {
    RenderRequest request;
    request.tag = m_generation * (1ll << 32) + frame;
    request.exposure = m_exposure;
    request.quality.region = inView(pictureSize());
    return request;
}

/// What is shown, as it will be written.
void CameraView::refine() {
    if (!m_refining || m_playing || m_session.document.previewing() || m_picture.isNull()) return;
    const V2i size = pictureSize();
    if (m_picture.width() != size.x || m_picture.height() != size.y) return;
    RenderRequest wanted = request(m_session.playhead.frame());
    const auto& off = m_session.camera.offMove();
    wanted.frame = off && off->time == m_session.playhead.time()
                       ? motion::evaluate(*m_session.scene(), m_session.playhead.time(), size,
                                          m_session.camera.pose(), true)
                       : motion::evaluate(*m_session.scene(), m_session.playhead.time(), size, true);
    wanted.quality.way = render::Way::Final;
    wanted.pieces = true;
    m_final.ask(std::move(wanted));
}

void CameraView::forget() {
    m_resting = false;
    if (m_session.document.previewing()) m_rest.start();
    m_cache.clear();
    m_ahead.drop();
    m_finals.clear();
    ++m_generation;
    update();
    if (!m_cacheTold.isActive()) m_cacheTold.start();
}

void CameraView::update() {
    updateBanner();
    m_final.drop();
    m_still.stop();
    m_refined = false;
    const std::int64_t frame = m_session.playhead.frame();
    const bool off =
        m_session.camera.offMove() && m_session.camera.offMove()->time == m_session.playhead.time();
    if (const auto final = m_finals.find(frame); final != m_finals.end() && !off && !m_playing) {
        m_picture = final->second;
        m_refined = true;
        m_shown = frame;
        QWidget::update();
        Q_EMIT pictureRefined();
        refill();
        return;
    }
    m_cache.setPlayhead(frame);
    if (const QImage* cached = off ? nullptr : m_cache.find(frame)) {
        m_picture = *cached;
        m_shown = frame;
        QWidget::update();
        refill();
        if (m_refining && !m_playing) m_still.start();
        return;
    }
    if (width() < 2 || height() < 2) return;
    // While playing, a picture under way is finished rather than dropped for the next: else none would ever
    // come when one takes longer than a frame lasts.
    if (m_playing && m_request.busy()) return;
    RenderRequest wanted = request(frame);
    wanted.frame = motion::evaluate(*m_session.scene(), m_session.playhead.time(), pictureSize(),
                                    m_session.camera.pose());
    wanted.finish = m_session.document.previewing() || m_panning;
    m_request.ask(std::move(wanted));
    if (!m_slow.isActive() && !m_waiting) m_slow.start();
}

void CameraView::keep(std::int64_t frame, const QImage& picture) {
    m_cache.setPlayhead(m_session.playhead.frame());
    m_cache.keep(frame, picture);
    if (!m_cacheTold.isActive()) m_cacheTold.start();
}

void CameraView::setPlayBudget(std::size_t bytes) {
    m_cache.setBudget(bytes);
    if (!m_cacheTold.isActive()) m_cacheTold.start();
    refill();
}

/// Renders the frames that will be needed next: while it plays, and when nothing else is to be done.
void CameraView::refill() {
    if (m_ahead.busy() || m_session.document.previewing() || m_dragging || m_panning) return;
    if (!m_playing && (m_request.busy() || (m_refining && !m_refined))) return;
    const scene::Scene& scene = *m_session.scene();
    if (scene.layers.empty()) return;
    const V2i size = pictureSize();
    const auto [first, last] = m_session.playhead.range();
    m_cache.setRange(first, last);
    m_cache.setPlayhead(m_session.playhead.frame());
    const auto bytes = inView(size).size();
    const auto frame =
        m_cache.wanted(4 * static_cast<std::size_t>(bytes.x) * static_cast<std::size_t>(bytes.y));
    if (!frame) return;
    const Rational time = timeOfFrame(*frame, scene.output.rate);
    RenderRequest wanted = request(*frame);
    wanted.frame = motion::evaluate(scene, time, size, m_session.move().at(time.toDouble()));
    m_ahead.ask(std::move(wanted));
}

void CameraView::resizeEvent(QResizeEvent*) {
    placeWalkBar();
    forget();
}

void CameraView::updateBanner() {
    const auto& off = m_session.camera.offMove();
    m_banner->setVisible(off.has_value());
    if (!off) return;
    if (off->time == m_session.playhead.time()) {
        m_bannerText->setText(tr("Off the move: set a mark here, or go back"));
        m_bannerSet->setText(tr("Set a mark here"));
        m_bannerBack->setText(tr("Go back"));
    } else {
        const auto& rate = m_session.scene()->output.rate;
        m_bannerText->setText(
            tr("A pose off the move waits at %1")
                .arg(QString::fromStdString(scene::timecode(frameAt(off->time, rate), rate))));
        m_bannerSet->setText(tr("Show it"));
        m_bannerBack->setText(tr("Discard"));
    }
    m_banner->adjustSize();
    m_banner->move((width() - m_banner->width()) / 2,
                   static_cast<int>(frameRect().top()) + (m_walkBar->isVisible() ? 46 : 10));
}

void CameraView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), theme::edge);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.setRenderHint(QPainter::Antialiasing);
    const QRectF frame = frameRect();
    if (!m_picture.isNull()) painter.drawImage(frame, m_picture);

    if (m_thirds) {
        painter.setPen(QPen(QColor(255, 255, 255, 56), 1));
        for (const double k : {1 / 3.0, 2 / 3.0}) {
            painter.drawLine(QPointF(frame.left() + frame.width() * k, frame.top()),
                             QPointF(frame.left() + frame.width() * k, frame.bottom()));
            painter.drawLine(QPointF(frame.left(), frame.top() + frame.height() * k),
                             QPointF(frame.right(), frame.top() + frame.height() * k));
        }
    }
    if (m_safe) {
        painter.setPen(QPen(QColor(255, 255, 255, 110), 1, Qt::DashLine));
        painter.setBrush(Qt::NoBrush);
        for (const double k : {0.05, 0.10})
            painter.drawRect(frame.adjusted(frame.width() * k, frame.height() * k, -frame.width() * k,
                                            -frame.height() * k));
    }

    const auto& guides = m_session.scene()->output.guides;
    for (std::size_t i = 0; i < guides.size(); ++i) {
        painter.setPen(QPen(theme::brass, static_cast<int>(i) == m_guide ? 1.6 : 1, Qt::DashDotLine));
        if (guides[i].upright)
            painter.drawLine(QPointF(frame.left() + frame.width() * guides[i].at, 0),
                             QPointF(frame.left() + frame.width() * guides[i].at, height()));
        else
            painter.drawLine(QPointF(0, frame.top() + frame.height() * guides[i].at),
                             QPointF(width(), frame.top() + frame.height() * guides[i].at));
    }
    if (m_zoom != 1) { // the frame's edge, when there is something around it
        painter.setPen(QPen(theme::dim, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(frame);
    }
    painter.setPen(QPen(theme::vermilion, 1));
    for (const interaction::SnapLine& line : m_across)
        painter.drawLine(QPointF(toView({line.at, 0}).x(), 0), QPointF(toView({line.at, 0}).x(), height()));
    for (const interaction::SnapLine& line : m_up)
        painter.drawLine(QPointF(0, toView({0, line.at}).y()), QPointF(width(), toView({0, line.at}).y()));
    drawMissing(painter);
    drawHandles(painter);

    if (const QString say = hint(); !say.isEmpty()) {
        painter.setFont(theme::figures(12));
        const QRectF place = hintRect();
        painter.setPen(Qt::NoPen);
        painter.setBrush(QColor(0x1C, 0x1F, 0x22, 215));
        painter.drawRoundedRect(place, 3, 3);
        painter.setPen(theme::text);
        painter.drawText(place, Qt::AlignCenter | Qt::TextWordWrap, say);
    }
    paper::focusRim(painter, *this);
}

QString CameraView::hint() const {
    if (m_pull >= 0) return tr("click what is sharp at mark %1 · Esc ends").arg(m_pull + 1);
    if (!m_say.isEmpty()) return m_say;
    if (m_waiting) return tr("the picture is being made");
    if (m_tool == Tool::Walk) return walkHint();
    if (m_tool == Tool::Turn) return tr("drag: turn and lean · Shift: roll · Ctrl: steps of 15°");
    return {};
}

/// At the frame's foot, but whole: a narrow frame or one that is zoomed in does not clip it.
QRectF CameraView::hintRect() const {
    const QRectF frame = frameRect();
    const QRectF box = QFontMetrics(theme::figures(12))
                           .boundingRect(QRect(0, 0, std::max(60, width() - 36), height()),
                                         Qt::AlignCenter | Qt::TextWordWrap, hint())
                           .adjusted(-8, -4, 8, 4);
    return {std::clamp(frame.left() + 10, 10.0, std::max(10.0, width() - box.width() - 10)),
            std::max(box.height() + 10, std::min(frame.bottom(), height() - 0.0) - 10) - box.height(),
            box.width(), box.height()};
}

void CameraView::drawMissing(QPainter& painter) const {
    const motion::ResolvedScene& now = m_session.now();
    painter.setFont(theme::sans(12, true));
    for (const std::int64_t id : m_missing) {
        const scene::LayerPath& found = m_session.now().find(id);
        if (!found.layer || !interaction::isVisible(found)) continue;
        const motion::Measure m = motion::measureAt(now, found);
        if (!m.corners) continue;
        const scene::Media* media = scene::mediaOf(*found.layer);
        const QString text =
            tr("▲ %1: %2 is missing")
                .arg(QString::fromStdString(found.layer->name),
                     media ? QString::fromStdString(std::filesystem::path(media->path).filename().string())
                           : QString());
        // In the middle of what the frame shows of it.
        const QRectF seen =
            QRectF(toView(m.low), toView(m.high)).intersected(frameRect()).intersected(QRectF(rect()));
        if (seen.isEmpty()) continue;
        QRectF box = painter.fontMetrics().boundingRect(text).adjusted(-8, -4, 8, 4);
        box.moveCenter(seen.center());
        painter.setPen(Qt::NoPen);
        painter.setBrush(QColor(0x1C, 0x1F, 0x22, 225));
        painter.drawRoundedRect(box, 3, 3);
        painter.setPen(QColor(0xF0, 0xA5, 0x8F));
        painter.drawText(box, Qt::AlignCenter, text);
    }
}

void CameraView::drawHandles(QPainter& painter) const {
    const motion::ResolvedScene& now = m_session.now();
    for (const std::int64_t id : m_session.selection.layers()) {
        const scene::LayerPath& found = m_session.now().find(id);
        if (!found.layer) continue;
        const motion::Measure measured = motion::measureAt(now, found);
        if (!measured.corners) continue;
        QPolygonF outline;
        if (found.layer->group())
            for (const V2d& corner : *measured.corners)
                outline << toView(corner);
        else
            for (const V3d& point : motion::outlineOf(m_session.now(), found))
                if (const auto place = optics::project(now.view, point)) outline << toView(*place);
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(QColor(0, 0, 0, 120), 3));
        painter.drawPolygon(outline);
        painter.setPen(
            QPen(theme::vermilion, 1.5, interaction::isLocked(found) ? Qt::DashLine : Qt::SolidLine));
        painter.drawPolygon(outline);
    }
    const auto all = handles();
    QPointF middle;
    int corners = 0;
    for (const auto& [handle, at] : all)
        if (handle.kind == interaction::Handle::Kind::Corner) middle += at, ++corners;
    if (corners == 0) return;
    middle /= corners;
    const auto neighbour = [&](const interaction::Handle& handle, bool along) {
        for (const auto& [other, at] : all)
            if (other.kind == interaction::Handle::Kind::Corner &&
                (along ? other.share.y == handle.share.y && other.share.x != handle.share.x
                       : other.share.x == handle.share.x && other.share.y != handle.share.y))
                return at;
        return middle;
    };
    const auto stroke = [&](const QPolygonF& points) {
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(QColor(0x1C, 0x1F, 0x22), 5.5, Qt::SolidLine, Qt::FlatCap, Qt::MiterJoin));
        painter.drawPolyline(points);
        painter.setPen(QPen(theme::paper, 3, Qt::SolidLine, Qt::FlatCap, Qt::MiterJoin));
        painter.drawPolyline(points);
    };
    const auto toward = [](const QPointF& from, const QPointF& to, double pixels) {
        const QPointF by = to - from;
        const double length = std::hypot(by.x(), by.y());
        return length > 0 ? from + by * (std::min(pixels, length / 2) / length) : from;
    };
    // Corners are held as prints are held in an album.
    for (const auto& [handle, at] : all) {
        switch (handle.kind) {
        case interaction::Handle::Kind::Corner:
            stroke({toward(at, neighbour(handle, true), 12), at, toward(at, neighbour(handle, false), 12)});
            break;
        case interaction::Handle::Kind::Edge: {
            // along its edge: towards the corners at its ends
            QPointF ends[2] = {middle, middle};
            int n = 0;
            for (const auto& [other, place] : all)
                if (other.kind == interaction::Handle::Kind::Corner && n < 2 &&
                    (handle.share.x == 0.5 ? other.share.y == handle.share.y
                                           : other.share.x == handle.share.x))
                    ends[n++] = place;
            stroke({toward(at, ends[0], 7), at, toward(at, ends[1], 7)});
            break;
        }
        case interaction::Handle::Kind::Turn:
            painter.setPen(QPen(QColor(0x1C, 0x1F, 0x22), 4.5));
            painter.setBrush(Qt::NoBrush);
            painter.drawArc(QRectF(at.x() - 8, at.y() - 8, 16, 16), -30 * 16, 240 * 16);
            painter.setPen(QPen(theme::paper, 2.2));
            painter.drawArc(QRectF(at.x() - 8, at.y() - 8, 16, 16), -30 * 16, 240 * 16);
            break;
        case interaction::Handle::Kind::Pivot:
            stroke({at + QPointF(-6, 0), at + QPointF(6, 0)});
            stroke({at + QPointF(0, -6), at + QPointF(0, 6)});
            break;
        }
    }
}

}
