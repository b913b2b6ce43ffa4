// The Camera view's walking tool: the camera moved by hand, with what it has gone said in units.
#include "desk/camera/camera_view.h"

#include "desk/kit/number_field.h"
#include "optics/lens.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QToolButton>
#include <cmath>

namespace stage::desk {
namespace {

struct WalkEntry {
    CameraView::Walk walk;
    const char *name, *tip, *hint;
};
const WalkEntry entries[] = {
    {CameraView::Walk::Look, QT_TRANSLATE_NOOP("CameraView", "Look"),
     QT_TRANSLATE_NOOP("CameraView", "Drag: pan and tilt (1)"),
     QT_TRANSLATE_NOOP("CameraView", "drag: pan and tilt · Shift: slide · Ctrl: orbit · wheel: dolly")},
    {CameraView::Walk::Slide, QT_TRANSLATE_NOOP("CameraView", "Slide"),
     QT_TRANSLATE_NOOP("CameraView", "Drag: truck and pedestal (2)"),
     QT_TRANSLATE_NOOP("CameraView", "drag: truck and pedestal · L: along one axis")},
    {CameraView::Walk::Dolly, QT_TRANSLATE_NOOP("CameraView", "Dolly"),
     QT_TRANSLATE_NOOP("CameraView", "Drag up and down: dolly; to the side: truck (3)"),
     QT_TRANSLATE_NOOP("CameraView", "drag up and down: dolly · to the side: truck · L: along one axis")},
    {CameraView::Walk::Orbit, QT_TRANSLATE_NOOP("CameraView", "Orbit"),
     QT_TRANSLATE_NOOP("CameraView", "Drag: around the aim, or what is under the pointer (4)"),
     QT_TRANSLATE_NOOP("CameraView", "drag: around the aim, or what is under the pointer · L: one axis")},
    {CameraView::Walk::Roll, QT_TRANSLATE_NOOP("CameraView", "Roll"),
     QT_TRANSLATE_NOOP("CameraView", "Drag around the middle: roll (5)"),
     QT_TRANSLATE_NOOP("CameraView", "drag around the middle: roll")},
    {CameraView::Walk::Zoom, QT_TRANSLATE_NOOP("CameraView", "Zoom"),
     QT_TRANSLATE_NOOP("CameraView", "Drag up and down: focal length (6)"),
     QT_TRANSLATE_NOOP("CameraView", "drag up and down: focal length")},
    {CameraView::Walk::DollyZoom, QT_TRANSLATE_NOOP("CameraView", "Dolly zoom"),
     QT_TRANSLATE_NOOP("CameraView",
                       "Drag up and down: dolly, while what is under the pointer keeps its size (7)"),
     QT_TRANSLATE_NOOP("CameraView", "drag up and down: what is under the pointer keeps its size")}};

}

void CameraView::makeWalkBar() {
    m_walkBar = new QWidget(this);
    m_walkBar->setObjectName(QStringLiteral("walkBar"));
    m_walkBar->setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(m_walkBar);
    row->setContentsMargins(4, 3, 4, 3);
    row->setSpacing(2);
    for (const WalkEntry& entry : entries) {
        auto* button = new QToolButton;
        button->setObjectName(QStringLiteral("flat"));
        button->setText(tr(entry.name));
        button->setToolTip(tr(entry.tip));
        button->setCheckable(true);
        button->setFocusPolicy(Qt::NoFocus);
        connect(button, &QToolButton::clicked, this, [this, walk = entry.walk] { setWalk(walk); });
        row->addWidget(button);
        m_walkButtons.push_back(button);
    }
    m_walkButtons.front()->setChecked(true);
    m_walkBar->hide();
}

void CameraView::placeWalkBar() {
    m_walkBar->adjustSize();
    const QRectF frame = frameRect();
    m_walkBar->move(static_cast<int>(std::max(0.0, frame.left())) + 8,
                    static_cast<int>(std::max(0.0, frame.top())) + 8);
}

void CameraView::setWalk(Walk walk) {
    m_walk = walk;
    for (std::size_t i = 0; i < m_walkButtons.size(); ++i)
        m_walkButtons[i]->setChecked(entries[i].walk == walk);
    QWidget::update();
}

QString CameraView::walkHint() const {
    return tr(entries[static_cast<std::size_t>(m_walk)].hint);
}

/// What is under the pointer, or at the distance at which hands work; an aim goes before both.
void CameraView::beginWalk(const V2d& place) {
    m_level = false;
    m_wasOff = m_session.offHere();
    const optics::View lens = view();
    m_around = lens.eye + lens.forward * reach();
    if (const std::int64_t id = layerAt(place)) {
        const scene::Found& found = m_session.now().find(id);
        if (const auto met =
                optics::meet(lens, place, optics::cardOf(*found.layer, optics::worldOf(found.carriers))))
            m_around = lens.eye + optics::rayThrough(lens, place) * met->depth;
    }
    if (m_walk == Walk::DollyZoom) return;
    const auto& marks = m_session.scene()->camera.marks;
    for (const scene::Mark& mark : marks)
        if (mark.time <= m_session.time() || &mark == &marks.front()) {
            if (mark.aim.at == scene::Aim::At::Point) m_around = mark.aim.point;
            if (mark.aim.at == scene::Aim::At::Layer)
                if (const scene::Found& at = m_session.now().find(mark.aim.layer); at.layer)
                    m_around = optics::pivotOf(at);
        }
}

void CameraView::walkTo(const QPointF& place, Qt::KeyboardModifiers keys) {
    m_last = place;
    m_walkKeys = keys;
    const optics::View lens =
        optics::viewOf(m_walkFrom, m_session.scene()->camera.gate, m_session.scene()->output.frame);
    const double perPixel = m_session.scene()->output.frame.x / frameRect().width();
    QPointF by = (place - m_from) * perPixel;
    Walk walk = m_walk;
    if (walk == Walk::Look && keys & Qt::ShiftModifier) walk = Walk::Slide;
    if (walk == Walk::Look && keys & Qt::ControlModifier) walk = Walk::Orbit;
    if (m_level) (std::abs(by.x()) > std::abs(by.y()) ? by.ry() : by.rx()) = 0;
    const double depth = std::max(0.05, optics::depthOf(lens, m_around));
    const double metres = depth / lens.slope; // what is under the hand stays there
    const double turn = 180.0 / m_session.scene()->output.frame.x;
    const double ahead = -by.y() / m_session.scene()->output.frame.y; // of the frame's height
    switch (walk) {
    case Walk::Look:
        return walked(motion::stepped(m_walkFrom, {.pan = -degrees(std::atan(by.x() / lens.slope)),
                                                   .tilt = degrees(std::atan(by.y() / lens.slope))}));
    case Walk::Slide:
        return walked(motion::stepped(m_walkFrom, {.truck = -by.x() * metres, .pedestal = by.y() * metres}));
    case Walk::Dolly:
        return walked(motion::stepped(
            m_walkFrom, {.truck = m_level || std::abs(by.x()) > 12 * perPixel ? -by.x() * metres : 0.0,
                         .dolly = ahead * depth}));
    case Walk::Orbit:
        return walked(motion::orbited(m_walkFrom, m_around, -by.x() * turn, by.y() * turn));
    case Walk::Roll: {
        const QPointF middle = frameRect().center(), a = m_from - middle, b = place - middle;
        const double turned = degrees(std::atan2(a.x() * b.y() - a.y() * b.x(), QPointF::dotProduct(a, b)));
        return walked(motion::stepped(m_walkFrom, {.roll = -turned})); // the picture turns with the hand
    }
    case Walk::Zoom: {
        scene::Pose pose = m_walkFrom;
        pose.focal = std::clamp(pose.focal * std::exp2(2 * ahead), 1.0, 2000.0);
        return walked(pose);
    }
    case Walk::DollyZoom:
        if (const auto pose = motion::dollyZoomed(m_walkFrom, depth, ahead * depth)) walked(*pose);
        return;
    }
}

void CameraView::walkBy(const motion::Step& step) {
    if (!m_walkEnd.isActive() && !m_dragging) m_walkFrom = m_session.pose();
    walked(motion::stepped(m_session.pose(), step));
    if (!m_dragging) m_walkEnd.start(); // a row of turns or presses is one step
}

void CameraView::walked(const scene::Pose& pose) {
    m_session.walk(pose);
    const scene::Pose now = m_session.pose();
    const motion::Step gone = motion::stepBetween(m_walkFrom, now);
    QStringList parts;
    const auto part = [&](double value, const QString& text, int decimals) {
        if (std::abs(value) > 0.5 * std::pow(10, -decimals)) parts << text.arg(figure(value, decimals));
    };
    part(gone.truck, tr("truck %1 m"), 2);
    part(gone.pedestal, tr("pedestal %1 m"), 2);
    part(gone.dolly, tr("dolly %1 m"), 2);
    part(gone.pan, tr("pan %1°"), 1);
    part(gone.tilt, tr("tilt %1°"), 1);
    part(gone.roll, tr("roll %1°"), 1);
    if (std::abs(now.focal - m_walkFrom.focal) > 0.05)
        parts << tr("%1 mm, from %2").arg(figure(now.focal, 1), figure(m_walkFrom.focal, 1));
    m_say = parts.isEmpty() ? tr("where it was") : parts.join(QStringLiteral(" · "));
    QWidget::update();
}

void CameraView::stopWalk() {
    m_level = false;
    m_session.dropWalk(m_wasOff ? std::optional(m_walkFrom) : std::nullopt);
}

void CameraView::wheelWalk(QWheelEvent* event) {
    const double turns = event->angleDelta().y() / 120.0;
    if (event->modifiers() & Qt::ControlModifier || m_walk == Walk::Zoom) {
        if (!m_walkEnd.isActive() && !m_dragging) m_walkFrom = m_session.pose();
        scene::Pose pose = m_session.pose();
        pose.focal = std::clamp(pose.focal * std::exp2(turns / 24), 1.0, 2000.0);
        walked(pose);
        if (!m_dragging) m_walkEnd.start();
    } else {
        walkBy({.dolly = turns * reach() * 0.02});
    }
    event->accept();
}

bool CameraView::walkKey(QKeyEvent* event) {
    if (m_dragging && event->key() == Qt::Key_L) {
        m_level = true;
        if (m_moved) walkTo(m_last, m_walkKeys);
        return true;
    }
    if (const int digit = event->key() - Qt::Key_1; digit >= 0 && digit < walks && !event->modifiers()) {
        setWalk(entries[digit].walk);
        return true;
    }
    const double k = event->modifiers() & Qt::ControlModifier ? 0.1 : 1;
    const bool turn = event->modifiers() & Qt::ShiftModifier;
    const double step = reach() * 0.01 * k, degrees = 0.5 * k;
    motion::Step by;
    switch (event->key()) {
    case Qt::Key_Left:
        (turn ? by.pan : by.truck) = turn ? -degrees : -step;
        break;
    case Qt::Key_Right:
        (turn ? by.pan : by.truck) = turn ? degrees : step;
        break;
    case Qt::Key_Up:
        (turn ? by.tilt : by.dolly) = turn ? degrees : step;
        break;
    case Qt::Key_Down:
        (turn ? by.tilt : by.dolly) = turn ? -degrees : -step;
        break;
    case Qt::Key_PageUp:
        (turn ? by.roll : by.pedestal) = turn ? -degrees : step;
        break;
    case Qt::Key_PageDown:
        (turn ? by.roll : by.pedestal) = turn ? degrees : -step;
        break;
    default:
        return false;
    }
    walkBy(by);
    return true;
}

void CameraView::keyReleaseEvent(QKeyEvent* event) {
    if (event->key() != Qt::Key_L || !m_level || event->isAutoRepeat())
        return QWidget::keyReleaseEvent(event);
    m_level = false;
    if (m_dragging && m_moved) walkTo(m_last, m_walkKeys);
}

bool CameraView::event(QEvent* event) {
    // While the camera is walked these keys are its own.
    if (event->type() == QEvent::ShortcutOverride && m_tool == Tool::Walk) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if ((m_dragging && key->key() == Qt::Key_L) ||
            (!key->modifiers() && key->key() >= Qt::Key_1 && key->key() < Qt::Key_1 + walks)) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

}
