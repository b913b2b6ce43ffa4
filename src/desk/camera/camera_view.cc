#include "desk/camera/camera_view.h"

#include "desk/camera/off_move_banner.h"
#include "desk/kit/number_field.h"
#include "desk/look/paper.h"
#include "desk/look/theme.h"
#include "motion/measure.h"
#include "scene/output_json.h"
#include "scene/scene_json.h"

#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

constexpr double armPixels = 26; ///< of the handle that turns, above the layer's edge
constexpr double smallPixels = 48;

}

CameraView::CameraView(Session& session, QWidget* parent)
    : QWidget(parent), m_session(session), m_picture(session, [this](double share) { return extent(share); }),
      m_flat(session, [this] { return extent(1); }), m_drag(session), m_pull(session),
      m_walk(new WalkTool(session, this)), m_banner(new OffMoveBanner(session, this)) {
    setAttribute(Qt::WA_OpaquePaintEvent);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(240, 150);
    setMouseTracking(false);
    setAccessibleName(tr("Camera view"));
    const auto repaint = qOverload<>(&QWidget::update);
    connect(&m_picture, &CameraPicture::changed, this, repaint);
    connect(&m_flat, &FlatPicture::changed, this, repaint);
    connect(m_walk, &WalkTool::changed, this, repaint);
    connect(&m_session.footSlip(), &FootSlip::changed, this, repaint);
    connect(&m_session.selection, &Selection::layersChanged, this, repaint);
    connect(&m_session.document, &Document::sceneChanged, this, &CameraView::placeBars);
    connect(&m_session.playhead, &Playhead::frameChanged, this, &CameraView::placeBars);
    connect(&m_session.camera, &ShownCamera::changed, this, &CameraView::placeBars);
    placeBars();
}

void CameraView::setTool(Tool tool) {
    if (tool == m_tool) return;
    m_tool = tool;
    setCursor(tool == Tool::Walk   ? Qt::SizeAllCursor
              : tool == Tool::Turn ? Qt::OpenHandCursor
              : tool == Tool::Push ? Qt::SizeVerCursor
                                   : Qt::ArrowCursor);
    m_walk->bar()->setVisible(tool == Tool::Walk);
    placeBars();
    update();
    Q_EMIT toolChanged();
}

void CameraView::setVariants(bool on) {
    m_variants = on;
    update();
}

void CameraView::setThirds(bool on) {
    m_thirds = on;
    update();
}

void CameraView::setSafe(bool on) {
    m_safe = on;
    update();
}

void CameraView::setGapMap(bool on) {
    m_gapMap = on;
    update();
}

void CameraView::setFindings(const Findings* findings) {
    m_findings = findings;
    connect(findings, &Findings::changed, this, qOverload<>(&QWidget::update));
}

void CameraView::setMissing(std::vector<std::int64_t> layers) {
    if (layers == m_missing) return;
    m_missing = std::move(layers);
    update();
}

// ---- where the frame lies

FrameFit CameraView::fit() const {
    return m_zoom.fit(size(), m_session.scene()->output.frame);
}

CameraPicture::Extent CameraView::extent(double share) const {
    if (width() < 2 || height() < 2) return {};
    const QRectF frame = frameRect(), seen = frame.intersected(QRectF(rect()));
    // Zoomed in, the whole frame is rendered finer, up to twice its own size.
    const double most = 2 * pixel();
    const double finer = std::min(devicePixelRatioF(), most) * share;
    const V2i size(std::max(1, static_cast<int>(std::lround(frame.width() * finer))),
                   std::max(1, static_cast<int>(std::lround(frame.height() * finer))));
    const double scale = size.x / frame.width();
    const QRectF pixels((seen.x() - frame.x()) * scale, (seen.y() - frame.y()) * scale, seen.width() * scale,
                        seen.height() * scale);
    const QRect box = pixels.toAlignedRect().adjusted(-1, -1, 1, 1);
    return {size,
            media::Box{box.left(), box.top(), box.right() + 1, box.bottom() + 1}.within(media::boxOf(size))};
}

void CameraView::fitAll() {
    m_zoom = {};
    forget();
}

void CameraView::fitSelection() {
    V2d low(1e300), high(-1e300);
    for (const std::int64_t id : m_session.selection.layers()) {
        const motion::Measure m = motion::measureAt(m_session.now(), m_session.now().find(id));
        if (!(m.high.x > m.low.x)) continue;
        low = {std::min(low.x, m.low.x), std::min(low.y, m.low.y)};
        high = {std::max(high.x, m.high.x), std::max(high.y, m.high.y)};
    }
    if (!(high.x > low.x)) return fitAll();
    m_zoom.show(low, high, size(), m_session.scene()->output.frame);
    forget();
}

/// Another part of the frame is in view.
void CameraView::forget() {
    m_picture.forget();
    m_flat.refresh();
}

void CameraView::resizeEvent(QResizeEvent*) {
    placeBars();
    forget();
}

void CameraView::placeBars() {
    const QRectF frame = frameRect();
    QWidget* bar = m_walk->bar();
    if (!bar->isHidden()) {
        bar->adjustSize();
        bar->move(static_cast<int>(std::max(0.0, frame.left())) + 8,
                  static_cast<int>(std::max(0.0, frame.top())) + 8);
    }
    m_banner->refresh(width() / 2.0, std::floor(frame.top()) + (bar->isHidden() ? 10 : 46));
}

// ---- what is drawn

void CameraView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), theme::edge);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.setRenderHint(QPainter::Antialiasing);
    const FrameFit place = fit();
    drawPicture(painter, place.rect);
    if (m_gapMap && m_findings) drawGapMap(painter, place.rect, m_findings->report());
    if (m_thirds) drawThirds(painter, place.rect);
    if (m_safe) drawSafeAreas(painter, place.rect);
    if (m_variants) drawVariants(painter, place, *m_session.scene());
    drawGuides(painter, place.rect, size(), m_session.scene()->output.guides, m_guide);
    if (m_zoom.zoom != 1) { // the frame's edge, when there is something around it
        painter.setPen(QPen(theme::dim, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(place.rect);
    }
    drawSnapLines(painter, place, size(), m_drag.uprightLines(), m_drag.levelLines());
    drawMissing(painter, place, rect(), m_session, m_missing);
    drawOutlines(painter, place, m_session);
    drawSlip(painter, place, m_session);
    drawHandles(painter, handles());
    if (const QString text = hint(); !text.isEmpty()) drawHint(painter, hintRect(), text);
    paper::focusRim(painter, *this);
}

/// The staged one, the flat one, or what of both.
void CameraView::drawPicture(QPainter& painter, const QRectF& frame) {
    const QImage &staged = m_picture.image(), &flat = m_flat.image();
    const FlatPicture::Show show = m_flat.show();
    const bool both = show != FlatPicture::Show::Staged && !flat.isNull();
    const QImage& whole = !both                                   ? staged
                          : show == FlatPicture::Show::Flat       ? flat
                          : show == FlatPicture::Show::Difference ? m_flat.difference(staged)
                                                                  : staged;
    if (!whole.isNull()) painter.drawImage(frame, whole);
    if (!both || show != FlatPicture::Show::Wipe) return;
    painter.save();
    painter.setClipRect(QRectF(frame.topLeft(), QSizeF(frame.width() * m_flat.line(), frame.height())));
    painter.drawImage(frame, flat);
    painter.restore();
    drawWipe(painter, frame, m_flat.line());
}

bool CameraView::wipeAt(const QPointF& place) const {
    const QRectF frame = frameRect();
    return m_flat.show() == FlatPicture::Show::Wipe &&
           std::abs(place.x() - frame.left() - frame.width() * m_flat.line()) < 8 && frame.contains(place);
}

QString CameraView::hint() const {
    if (m_pull.active()) return tr("click what is sharp at mark %1 · Esc ends").arg(m_pull.mark() + 1);
    if (!m_say.isEmpty()) return m_say;
    if (!m_walk->said().isEmpty()) return m_walk->said();
    if (m_picture.late()) return tr("the picture is being made");
    if (m_tool == Tool::Walk) return m_walk->hint();
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

PlacedHandles CameraView::handles() const {
    PlacedHandles all;
    if (m_tool != Tool::Move || m_session.selection.layers().size() != 1 || m_session.movable().empty())
        return all;
    const auto plane =
        LayerDrag::planeOf(m_session, m_session.now().find(m_session.selection.layers().front()));
    if (!plane) return all;
    const FrameFit place = fit();
    for (const interaction::Handle& handle :
         interaction::handlesOf(*plane, m_session.now().view, armPixels * pixel()))
        all.emplace_back(handle, place.toView(handle.place));
    if (const checks::Slip* slip = m_session.footSlip().slip(); slip && !plane->group) {
        const interaction::Handle foot{interaction::Handle::Kind::Foot, slip->foot, V2d(0)};
        if (const auto at = optics::project(m_session.now().view, plane->card.at(foot.share.x, foot.share.y)))
            all.emplace(all.begin(), foot, place.toView(*at));
    }
    // A small one is all handles: then only its corners are, and a little way out.
    QRectF around;
    for (const auto& [handle, at] : all)
        if (handle.kind == interaction::Handle::Kind::Corner)
            around |= QRectF(at - QPointF(0.5, 0.5), QSizeF(1, 1));
    if (std::min(around.width(), around.height()) < smallPixels)
        std::erase_if(all,
                      [](const auto& each) { return each.first.kind == interaction::Handle::Kind::Edge; });
    return all;
}

// ---- what is under the pointer

std::int64_t CameraView::layerAt(const V2d& place) const {
    return m_session.layerAt(m_session.now().view, place);
}

bool CameraView::shows(const scene::LayerPath& found, const V2d& place) const {
    return interaction::showsAt(m_session.now(), found, m_session.now().view, place, m_session.covers());
}

// ---- guides

int CameraView::guideAt(const QPointF& place) const {
    const QRectF frame = frameRect();
    const auto& guides = m_session.scene()->output.guides;
    for (std::size_t i = 0; i < guides.size(); ++i) {
        const double at = guides[i].upright ? frame.left() + frame.width() * guides[i].at
                                            : frame.top() + frame.height() * guides[i].at;
        if (std::abs((guides[i].upright ? place.x() : place.y()) - at) < 4) return static_cast<int>(i);
    }
    return -1;
}

void CameraView::addGuide(bool upright, const QPointF& place) {
    auto guides = m_session.scene()->output.guides;
    guides.push_back({upright, std::clamp(fit().shareAt(place, upright), 0.0, 1.0)});
    m_session.document.apply({{"edit", "guides"}, {"guides", scene::toJson(guides)}});
}

QString CameraView::dragGuide(const QPointF& place) {
    auto guides = m_session.document.history().scene()->output.guides;
    if (m_guide < 0 || m_guide >= static_cast<int>(guides.size())) return {};
    scene::Guide& guide = guides[static_cast<std::size_t>(m_guide)];
    const bool upright = guide.upright;
    const double at = fit().shareAt(place, upright);
    if (at < -0.02 || at > 1.02) // dragged out of the frame it is gone
        guides.erase(guides.begin() + m_guide);
    else
        guide.at = std::clamp(at, 0.0, 1.0);
    m_session.document.preview({{"edit", "guides"}, {"guides", scene::toJson(guides)}});
    return (upright ? tr("guide at %1 %") : tr("level guide at %1 %")).arg(figure(at * 100, 1));
}

// ---- focus pull

void CameraView::startPull() {
    m_pull.start();
    setCursor(Qt::CrossCursor);
    setFocus();
    update();
}

void CameraView::endPull() {
    m_pull.end();
    unsetCursor();
    update();
}

// ---- pointer

void CameraView::say(const QString& text) {
    m_say = text;
    update();
}

void CameraView::hold(Held held) {
    m_held = held;
    const bool panned = held == Held::View;
    m_picture.setHeld(held != Held::Nothing && !panned, panned);
}

bool CameraView::holdHandle(const QPointF& place, Qt::KeyboardModifiers keys) {
    if (keys & Qt::ControlModifier) return false;
    // The middle of a layer is where it is grabbed to be moved, so its pivot is moved with Shift only.
    const bool pivots = keys & Qt::ShiftModifier;
    for (const auto& [handle, at] : handles()) {
        if (handle.kind == interaction::Handle::Kind::Pivot && !pivots) continue;
        const double reach = handle.kind == interaction::Handle::Kind::Turn ? 12 : 9;
        if (std::hypot(at.x() - place.x(), at.y() - place.y()) > reach) continue;
        if (m_drag.begin(handle, toFrame(place))) return true;
    }
    return false;
}

void CameraView::holdLayer(const V2d& place, bool also) {
    const std::int64_t nearest = layerAt(place);
    std::int64_t layer = nearest;
    m_clicked.reset();
    m_alone = !also;
    // What is selected is dragged from wherever it shows, also through what lies in front of it; only a click
    // that does not become a drag goes to the nearest.
    if (!also)
        for (const std::int64_t id : m_session.movable())
            if (id != nearest && (m_tool != Tool::Move || shows(m_session.now().find(id), place))) {
                layer = id;
                m_clicked = nearest;
            }
    if (!m_clicked) m_session.selection.click(layer, also);
    if (!m_session.now().find(layer).layer || m_session.movable().empty()) return hold(Held::Nothing);
    m_drag.begin(layer, place);
    hold(Held::Layer);
}

void CameraView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    if (m_held != Held::Nothing) return;
    if (m_pull.active() && event->button() == Qt::LeftButton) {
        m_pull.click(layerAt(toFrame(event->position())));
        return m_pull.active() ? update() : endPull();
    }
    m_from = m_last = event->position();
    m_moved = false;
    if (event->button() == Qt::MiddleButton) return hold(Held::View);
    if (event->button() != Qt::LeftButton) return;
    m_walk->end();
    m_drag.end();
    const V2d place = toFrame(m_from);
    if (m_tool == Tool::Walk && !wipeAt(m_from)) {
        m_walk->begin(place, layerAt(place));
        return hold(Held::Camera);
    }
    if (wipeAt(m_from)) return hold(Held::Wipe);
    if (holdHandle(m_from, event->modifiers())) return hold(Held::Handle);
    m_guide = guideAt(m_from);
    if (m_guide >= 0) return hold(Held::Guide);
    holdLayer(place, event->modifiers() & Qt::ControlModifier);
}

void CameraView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF place = event->position();
    if (m_held == Held::Nothing) return;
    if (m_held == Held::View) {
        m_zoom.shift += place - m_last;
        m_last = place;
        return forget(); // other parts of the frame come into view
    }
    if (!m_moved && (place - m_from).manhattanLength() < 3) return;
    m_moved = true;
    const V2d by(place.x() - m_from.x(), place.y() - m_from.y());
    if (m_held == Held::Wipe)
        m_flat.setLine(fit().shareAt(place, true));
    else if (m_held == Held::Guide)
        say(dragGuide(place));
    else if (m_held == Held::Camera)
        m_walk->dragTo(toFrame(place), event->modifiers(), pixel());
    else if (m_held == Held::Handle)
        say(m_drag.handleTo(toFrame(place), event->modifiers()));
    else if (m_tool == Tool::Turn)
        say(m_drag.turnBy(by, event->modifiers()));
    else if (m_tool == Tool::Push)
        say(m_drag.pushBy(std::exp(-by.y / 180)));
    else
        say(m_drag.slideTo(toFrame(place), event->modifiers(), pixel()));
}

void CameraView::mouseReleaseEvent(QMouseEvent* event) {
    const Held held = m_held;
    if (held == Held::Nothing || event->button() != (held == Held::View ? Qt::MiddleButton : Qt::LeftButton))
        return;
    hold(Held::Nothing);
    if (held == Held::View || held == Held::Wipe) return;
    const std::int64_t layer = m_drag.layer();
    m_drag.end();
    m_guide = -1;
    if (held == Held::Camera) m_walk->end();
    m_session.document.commit();
    // A click that did not become a drag of several selects the one alone.
    if (!m_moved && m_alone && layer && m_tool == Tool::Move) {
        const std::int64_t clicked = m_clicked.value_or(layer);
        m_session.selection.select(clicked ? std::vector{clicked} : std::vector<std::int64_t>{});
    }
    m_clicked.reset();
    say({});
}

void CameraView::cancelDrag() {
    const bool walked = m_held == Held::Camera;
    hold(Held::Nothing);
    m_drag.end();
    m_guide = -1;
    if (walked) m_walk->cancel();
    m_session.document.dropPreview();
    say({});
}

void CameraView::contextMenuEvent(QContextMenuEvent* event) {
    if (const std::int64_t layer = layerAt(toFrame(event->pos()));
        layer && !m_session.selection.contains(layer))
        m_session.selection.click(layer, false);
    Q_EMIT menuAsked(event->globalPos(), event->pos());
}

void CameraView::wheelEvent(QWheelEvent* event) {
    if (m_tool == Tool::Walk) {
        m_walk->wheel(*event);
    } else {
        m_zoom.zoomAt(event->position(), size(), std::pow(1.0015, event->angleDelta().y()));
        forget();
    }
    event->accept();
}

// ---- keys

void CameraView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && m_pull.active()) return endPull();
    if (event->key() == Qt::Key_Escape && m_held != Held::Nothing && m_held != Held::View)
        return cancelDrag();
    const bool done = m_tool == Tool::Walk ? m_walk->press(*event) : moveByKey(*event);
    if (!done) QWidget::keyPressEvent(event);
}

bool CameraView::moveByKey(const QKeyEvent& event) {
    struct Arrow {
        int key;
        V2d by;     ///< across and up
        bool depth; ///< also pushes, with the tool for it
    };
    static const Arrow arrows[] = {{Qt::Key_Left, {-1, 0}, false}, {Qt::Key_Right, {1, 0}, false},
                                   {Qt::Key_Up, {0, 1}, true},     {Qt::Key_Down, {0, -1}, true},
                                   {Qt::Key_PageUp, {0, 1}, true}, {Qt::Key_PageDown, {0, -1}, true}};
    const auto arrow = std::find_if(std::begin(arrows), std::end(arrows),
                                    [&](const Arrow& each) { return each.key == event.key(); });
    if (arrow == std::end(arrows) || m_session.movable().empty()) return false;
    const double fine = event.modifiers() & Qt::ControlModifier ? 0.1 : 1;
    const bool far = event.modifiers() & Qt::ShiftModifier;
    if (m_tool == Tool::Push) {
        if (arrow->depth)
            m_session.document.apply(m_session.push({{"by", arrow->by.y * (far ? 1.0 : 0.1 * fine)}}));
        return true;
    }
    const optics::View& lens = m_session.now().view;
    const double metres = m_walk->reach() / lens.slope * (far ? 10 : fine);
    const V3d by = (lens.right * arrow->by.x + lens.up * arrow->by.y) * metres;
    m_session.document.apply(m_session.onSelection("slide", {{"by", {by.x, by.y, by.z}}}));
    return true;
}

void CameraView::keyReleaseEvent(QKeyEvent* event) {
    if (!m_walk->release(*event)) QWidget::keyReleaseEvent(event);
}

bool CameraView::event(QEvent* event) {
    // While the camera is walked these keys are its own.
    if (event->type() == QEvent::ShortcutOverride && m_tool == Tool::Walk &&
        m_walk->claims(*static_cast<QKeyEvent*>(event))) {
        event->accept();
        return true;
    }
    return QWidget::event(event);
}

}
