#include "desk/camera_view.h"

#include "desk/number_field.h"
#include "desk/theme.h"
#include "motion/frame.h"
#include "motion/measure.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPainter>
#include <QPainterPath>
#include <QPushButton>
#include <cmath>

namespace stage::desk {
namespace {

constexpr std::size_t cacheBytes = 768u << 20;

}

CameraView::CameraView(Session& session, QWidget* parent)
    : QWidget(parent), m_session(session), m_request(session.sharedSources()),
      m_ahead(session.sharedSources()) {
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
        const auto& off = m_session.offMove();
        if (!off) return;
        if (off->time == m_session.time())
            m_session.setMarkOffMove();
        else
            m_session.setFrame(frameAt(off->time, m_session.scene()->output.rate));
    });
    connect(m_bannerBack, &QPushButton::clicked, &m_session, &Session::backToMove);

    m_walkEnd.setSingleShot(true);
    m_walkEnd.setInterval(600);
    connect(&m_walkEnd, &QTimer::timeout, this, [this] {
        m_session.endWalk();
        m_say.clear();
        QWidget::update();
    });

    connect(&m_session, &Session::sceneChanged, this, &CameraView::forget);
    connect(&m_session, &Session::frameChanged, this, &CameraView::update);
    connect(&m_session, &Session::cameraChanged, this, &CameraView::update);
    connect(&m_session, &Session::selectionChanged, this, qOverload<>(&QWidget::update));
    connect(&m_request, &PictureRequest::ready, this, [this](const QImage& picture, qint64 tag, double ms) {
        m_picture = picture;
        m_milliseconds = ms;
        const bool onMove = !(m_session.offMove() && m_session.offMove()->time == m_session.time());
        if (tag == m_generation * (1ll << 32) + m_session.frame() && onMove)
            m_cache[m_session.frame()] = picture;
        QWidget::update();
        Q_EMIT cacheChanged();
        refill();
    });
    connect(&m_ahead, &PictureRequest::ready, this, [this](const QImage& picture, qint64 tag, double) {
        if (tag >> 32 != m_generation) return;
        m_cache[tag & 0xffffffff] = picture;
        Q_EMIT cacheChanged();
        refill();
    });
    updateBanner();
}

void CameraView::setTool(Tool tool) {
    if (tool == m_tool) return;
    m_tool = tool;
    setCursor(tool == Tool::Walk   ? Qt::SizeAllCursor
              : tool == Tool::Push ? Qt::SizeVerCursor
                                   : Qt::ArrowCursor);
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

void CameraView::setPlaying(bool playing) {
    m_playing = playing;
    refill();
}

// ---- pictures

QRectF CameraView::frameRect() const {
    const V2i frame = m_session.scene()->output.frame;
    const double scale =
        std::min(width() / static_cast<double>(frame.x), height() / static_cast<double>(frame.y));
    const QSizeF size(frame.x * scale, frame.y * scale);
    return {(width() - size.width()) / 2, (height() - size.height()) / 2, size.width(), size.height()};
}

V2i CameraView::pictureSize() const {
    const QRectF rect = frameRect();
    return {std::max(1, static_cast<int>(std::lround(rect.width() * devicePixelRatioF()))),
            std::max(1, static_cast<int>(std::lround(rect.height() * devicePixelRatioF())))};
}

void CameraView::forget() {
    m_cache.clear();
    ++m_generation;
    update();
    Q_EMIT cacheChanged();
}

void CameraView::update() {
    updateBanner();
    const std::int64_t frame = m_session.frame();
    const bool off = m_session.offMove() && m_session.offMove()->time == m_session.time();
    if (const auto cached = m_cache.find(frame); cached != m_cache.end() && !off) {
        m_picture = cached->second;
        QWidget::update();
        refill();
        return;
    }
    if (width() < 2 || height() < 2) return;
    // While playing, a picture under way is finished rather than dropped for the next: else none would ever
    // come when one takes longer than a frame lasts.
    if (m_playing && m_request.busy()) return;
    m_request.ask(motion::evaluate(*m_session.scene(), m_session.time(), pictureSize(), m_session.pose()),
                  m_generation * (1ll << 32) + frame);
}

/// While playing, renders the frames that will be needed next.
void CameraView::refill() {
    if (!m_playing || m_ahead.busy()) return;
    const scene::Scene& scene = *m_session.scene();
    const V2i size = pictureSize();
    if (m_cache.size() * static_cast<std::size_t>(size.x) * static_cast<std::size_t>(size.y) * 4 > cacheBytes)
        return;
    const std::int64_t count = scene.output.frames;
    for (std::int64_t i = 1; i < std::min<std::int64_t>(count, 1000); ++i) {
        const std::int64_t frame = (m_session.frame() + i) % count;
        if (m_cache.contains(frame)) continue;
        const Rational time = timeOfFrame(frame, scene.output.rate);
        m_ahead.ask(motion::evaluate(scene, time, size, m_session.move().at(time.toDouble())),
                    m_generation * (1ll << 32) + frame);
        return;
    }
}

void CameraView::resizeEvent(QResizeEvent*) {
    forget();
}

void CameraView::updateBanner() {
    const auto& off = m_session.offMove();
    m_banner->setVisible(off.has_value());
    if (!off) return;
    if (off->time == m_session.time()) {
        m_bannerText->setText(tr("Off the move: set a mark here, or go back"));
        m_bannerSet->setText(tr("Set a mark here"));
        m_bannerBack->setText(tr("Go back"));
    } else {
        const auto& rate = m_session.scene()->output.rate;
        m_bannerText->setText(
            tr("A pose off the move waits at %1")
                .arg(QString::fromStdString(scene::timecode(frameAt(off->time, rate), rate))));
        m_bannerSet->setText(tr("Show it"));
        m_bannerBack->setText(tr("Give it up"));
    }
    m_banner->adjustSize();
    m_banner->move((width() - m_banner->width()) / 2, static_cast<int>(frameRect().top()) + 10);
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

    painter.setClipRect(rect());
    const optics::View lens = view();
    const double scale = frame.width() / m_session.scene()->output.frame.x;
    for (const std::int64_t id : m_session.selection()) {
        const scene::Found found = scene::find(*m_session.scene(), id);
        if (!found.layer) continue;
        const motion::Measure measured = motion::measureAt(*m_session.scene(), found, lens);
        if (!measured.corners) continue;
        QPolygonF outline;
        for (const V2d& corner : *measured.corners)
            outline << QPointF(frame.left() + corner.x * scale, frame.top() + corner.y * scale);
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(QColor(0, 0, 0, 120), 3));
        painter.drawPolygon(outline);
        painter.setPen(QPen(theme::vermilion, 1.5));
        painter.drawPolygon(outline);
    }

    QString say = m_say;
    if (say.isEmpty() && m_tool == Tool::Walk)
        say = tr("drag: pan and tilt · Shift: truck and pedestal · wheel: dolly");
    if (m_session.scene()->layers.empty()) {
        painter.setPen(theme::dim);
        painter.setFont(theme::sans(14));
        painter.drawText(frame, Qt::AlignCenter,
                         tr("Drop pictures, layered files or footage here,\nor choose Bring in."));
    }
    if (!say.isEmpty()) {
        painter.setFont(theme::figures(12));
        const QRectF box = painter.fontMetrics().boundingRect(say).adjusted(-8, -4, 8, 4);
        const QRectF place(frame.left() + 10, std::min<double>(frame.bottom(), height()) - box.height() - 10,
                           box.width(), box.height());
        painter.setPen(Qt::NoPen);
        painter.setBrush(QColor(0x1C, 0x1F, 0x22, 215));
        painter.drawRoundedRect(place, 3, 3);
        painter.setPen(theme::text);
        painter.drawText(place, Qt::AlignCenter, say);
    }
    if (hasFocus()) {
        painter.setPen(QPen(theme::brass, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
    }
}

// ---- hands

optics::View CameraView::view() const {
    return optics::viewOf(m_session.pose(), m_session.scene()->camera.gate, m_session.scene()->output.frame);
}

V2d CameraView::toFrame(const QPointF& place) const {
    const QRectF frame = frameRect();
    const double scale = m_session.scene()->output.frame.x / frame.width();
    return V2d(place.x() - frame.left(), place.y() - frame.top()) * scale;
}

/// The nearest visible layer that shows something at the place.
std::int64_t CameraView::layerAt(const V2d& place) const {
    const optics::View lens = view();
    std::int64_t best = 0;
    double nearest = 1e300;
    scene::forEach(*m_session.scene(), [&](const scene::LayerPtr& layer,
                                           const std::vector<scene::LayerPtr>& holders) {
        if (layer->group() || !layer->visible) return;
        for (const scene::LayerPtr& holder : holders)
            if (!holder->visible) return;
        const optics::Card card = optics::cardOf(*layer, optics::worldOf(holders));
        const auto hit = optics::meet(lens, place, card.corner, card.normal());
        if (!hit) return;
        const V3d inside = *hit - card.corner;
        const double s = inside.dot(card.across) / card.across.length2(),
                     t = inside.dot(card.down) / card.down.length2();
        if (s < 0 || s >= 1 || t < 0 || t >= 1) return;
        if (const QImage cover = m_session.swatches().of(*m_session.scene(), layer).cover; !cover.isNull()) {
            const int x = std::min(static_cast<int>(s * cover.width()), cover.width() - 1),
                      y = std::min(static_cast<int>(t * cover.height()), cover.height() - 1);
            if (cover.constScanLine(y)[x] < 26) return;
        }
        const double depth = optics::depthOf(lens, *hit);
        if (depth <= nearest) nearest = depth, best = layer->id;
    });
    return best;
}

double CameraView::reach() const {
    const optics::View lens = view();
    if (const scene::Found found = m_session.selected(); found.layer) {
        const double depth =
            optics::depthOf(lens, optics::worldOf(found.holders)(found.layer->placement.position));
        if (depth > 0.05) return depth;
    }
    const double home = m_session.scene()->homeDepth -
                        (lens.eye - optics::firstView(*m_session.scene()).eye).dot(lens.forward);
    return std::max(0.5, home);
}

void CameraView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    if (event->button() != Qt::LeftButton) return;
    m_walkEnd.stop();
    m_session.endWalk();
    m_dragging = true;
    m_moved = false;
    m_from = m_last = event->position();
    m_walkFrom = m_session.pose();
    if (m_tool == Tool::Walk) return;
    const V2d place = toFrame(m_from);
    const std::int64_t layer = layerAt(place);
    m_session.click(layer, event->modifiers() & Qt::ControlModifier);
    if (const scene::Found found = scene::find(*m_session.scene(), layer); found.layer) {
        const optics::Card card = optics::cardOf(*found.layer, optics::worldOf(found.holders));
        const auto hit = optics::meet(view(), place, card.corner, card.normal());
        m_grip = hit ? *hit : card.centre();
        m_depthFrom = optics::depthOf(*m_session.scene(), found);
    } else {
        m_dragging = false;
    }
}

void CameraView::mouseMoveEvent(QMouseEvent* event) {
    if (!m_dragging) return;
    const QPointF place = event->position();
    if (!m_moved && (place - m_from).manhattanLength() < 3) return;
    m_moved = true;
    const double perPixel = m_session.scene()->output.frame.x / frameRect().width();
    if (m_tool == Tool::Walk) {
        const optics::View lens = view();
        const QPointF by = (place - m_last) * perPixel;
        m_last = place;
        if (event->modifiers() & Qt::ShiftModifier) {
            const double metres = reach() / lens.slope;
            walkBy(-by.x() * metres, by.y() * metres, 0, 0, 0);
        } else {
            walkBy(0, 0, 0, -degrees(std::atan(by.x() / lens.slope)),
                   degrees(std::atan(by.y() / lens.slope)));
        }
        return;
    }
    const auto& selection = m_session.selection();
    if (selection.empty()) return;
    if (m_tool == Tool::Push) {
        const double depth = m_depthFrom * std::exp((m_from.y() - place.y()) / 180.0);
        m_session.preview(edit::push(selection, depth, m_session.holdFraming()));
        m_say = tr("depth %1 m, from %2 m").arg(figure(depth, 2), figure(m_depthFrom, 2));
        return;
    }
    // In the layer's own plane: the point under the hand stays under the hand.
    const scene::Found found = scene::find(*m_session.history().scene(), selection.front());
    if (!found.layer) return;
    const optics::Card card = optics::cardOf(*found.layer, optics::worldOf(found.holders));
    const auto hit = optics::meet(view(), toFrame(place), m_grip, card.normal());
    if (!hit) return;
    V3d by = *hit - m_grip;
    if (event->modifiers() & Qt::ShiftModifier) { // along one edge only
        const V3d across = card.across.normalized(), down = card.down.normalized();
        const double a = by.dot(across), d = by.dot(down);
        by = std::abs(a) > std::abs(d) ? across * a : down * d;
    }
    m_session.preview(edit::slide(selection, by));
    m_say = tr("across %1 m, up %2 m")
                .arg(figure(by.dot(card.across.normalized()), 2), figure(-by.dot(card.down.normalized()), 2));
}

void CameraView::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !m_dragging) return;
    m_dragging = false;
    m_say.clear();
    m_session.commit();
    QWidget::update();
}

void CameraView::walkBy(double truck, double pedestal, double dolly, double pan, double tilt) {
    const optics::View lens = view();
    scene::Pose pose = m_session.pose();
    pose.position += lens.right * truck + lens.up * pedestal + lens.forward * dolly;
    pose.pan += pan;
    pose.tilt = std::clamp(pose.tilt + tilt, -89.0, 89.0);
    m_session.walk(pose);
    const V3d gone = m_session.pose().position - m_walkFrom.position;
    m_say = tr("truck %1 m · pedestal %2 m · dolly %3 m · pan %4° · tilt %5°")
                .arg(figure(gone.dot(lens.right), 2), figure(gone.dot(lens.up), 2),
                     figure(gone.dot(lens.forward), 2), figure(pose.pan, 1), figure(pose.tilt, 1));
    QWidget::update();
}

void CameraView::wheelEvent(QWheelEvent* event) {
    if (m_tool != Tool::Walk) return event->ignore();
    if (!m_walkEnd.isActive() && !m_dragging) m_walkFrom = m_session.pose();
    walkBy(0, 0, event->angleDelta().y() / 120.0 * reach() * 0.02, 0, 0);
    if (!m_dragging) m_walkEnd.start(); // a row of turns is one step
    event->accept();
}

void CameraView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && m_dragging) {
        m_dragging = false;
        m_say.clear();
        if (m_tool == Tool::Walk) m_session.walk(m_walkFrom);
        m_session.dropPreview();
        QWidget::update();
        return;
    }
    const bool fine = event->modifiers() & Qt::ControlModifier, turn = event->modifiers() & Qt::ShiftModifier;
    const double k = fine ? 0.1 : 1;
    V2d arrow(0);
    double rise = 0;
    switch (event->key()) {
    case Qt::Key_Left:
        arrow.x = -1;
        break;
    case Qt::Key_Right:
        arrow.x = 1;
        break;
    case Qt::Key_Up:
        arrow.y = 1;
        break;
    case Qt::Key_Down:
        arrow.y = -1;
        break;
    case Qt::Key_PageUp:
        rise = 1;
        break;
    case Qt::Key_PageDown:
        rise = -1;
        break;
    default:
        return QWidget::keyPressEvent(event);
    }
    if (m_tool == Tool::Walk) {
        if (!m_walkEnd.isActive()) m_walkFrom = m_session.pose();
        const double step = reach() * 0.01 * k;
        if (turn)
            walkBy(0, 0, 0, arrow.x * 0.5 * k, arrow.y * 0.5 * k);
        else
            walkBy(arrow.x * step, rise * step, arrow.y * step, 0, 0);
        m_walkEnd.start();
        return;
    }
    if (m_session.selection().empty()) return QWidget::keyPressEvent(event);
    const optics::View lens = view();
    const double pixel = reach() / lens.slope * (turn ? 10 : k);
    m_session.apply(
        edit::slide(m_session.selection(), (lens.right * arrow.x + lens.up * (arrow.y + rise)) * pixel));
}

}
