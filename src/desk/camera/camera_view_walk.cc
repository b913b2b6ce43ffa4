// The Camera view's walking tool: the camera moved by hand, with what it has gone said in units.
#include "desk/camera/camera_view.h"

#include "desk/kit/number_field.h"
#include "optics/lens.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QToolButton>
#include <cmath>

namespace stage::desk {

using interaction::WalkMode;

namespace {

struct WalkEntry {
    WalkMode walk;
    const char *name, *tip, *hint;
};
const WalkEntry entries[] = {
    {WalkMode::Look, QT_TRANSLATE_NOOP("CameraView", "Look"),
     QT_TRANSLATE_NOOP("CameraView", "Drag: pan and tilt (1)"),
     QT_TRANSLATE_NOOP("CameraView", "drag: pan and tilt · Shift: slide · Ctrl: orbit · wheel: dolly")},
    {WalkMode::Slide, QT_TRANSLATE_NOOP("CameraView", "Slide"),
     QT_TRANSLATE_NOOP("CameraView", "Drag: truck and pedestal (2)"),
     QT_TRANSLATE_NOOP("CameraView", "drag: truck and pedestal · L: along one axis")},
    {WalkMode::Dolly, QT_TRANSLATE_NOOP("CameraView", "Dolly"),
     QT_TRANSLATE_NOOP("CameraView", "Drag up and down: dolly; to the side: truck (3)"),
     QT_TRANSLATE_NOOP("CameraView", "drag up and down: dolly · to the side: truck · L: along one axis")},
    {WalkMode::Orbit, QT_TRANSLATE_NOOP("CameraView", "Orbit"),
     QT_TRANSLATE_NOOP("CameraView", "Drag: around the aim, or what is under the pointer (4)"),
     QT_TRANSLATE_NOOP("CameraView", "drag: around the aim, or what is under the pointer · L: one axis")},
    {WalkMode::Roll, QT_TRANSLATE_NOOP("CameraView", "Roll"),
     QT_TRANSLATE_NOOP("CameraView", "Drag around the middle: roll (5)"),
     QT_TRANSLATE_NOOP("CameraView", "drag around the middle: roll")},
    {WalkMode::Zoom, QT_TRANSLATE_NOOP("CameraView", "Zoom"),
     QT_TRANSLATE_NOOP("CameraView", "Drag up and down: focal length (6)"),
     QT_TRANSLATE_NOOP("CameraView", "drag up and down: focal length")},
    {WalkMode::DollyZoom, QT_TRANSLATE_NOOP("CameraView", "Dolly zoom"),
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

void CameraView::setWalk(WalkMode walk) {
    m_walk = walk;
    for (std::size_t i = 0; i < m_walkButtons.size(); ++i)
        m_walkButtons[i]->setChecked(entries[i].walk == walk);
    QWidget::update();
}

QString CameraView::walkHint() const {
    return tr(entries[static_cast<std::size_t>(m_walk)].hint);
}

void CameraView::beginWalk(const V2d& place) {
    m_level = false;
    m_wasOff = m_session.camera.offHere();
    const scene::Scene& scene = *m_session.scene();
    m_walking = {m_walkFrom, view(), scene.output.frame, V3d(0), place};
    m_walking.around = interaction::walkCentre(m_session.now(), scene, m_walking.view, place, layerAt(place),
                                               reach(), m_walk != WalkMode::DollyZoom);
}

void CameraView::walkTo(const QPointF& place, Qt::KeyboardModifiers keys) {
    m_last = place;
    m_walkKeys = keys;
    WalkMode mode = m_walk;
    if (mode == WalkMode::Look && keys & Qt::ShiftModifier) mode = WalkMode::Slide;
    if (mode == WalkMode::Look && keys & Qt::ControlModifier) mode = WalkMode::Orbit;
    const double perPixel = m_session.scene()->output.frame.x / frameRect().width();
    if (const auto pose = interaction::walked(m_walking, mode, toFrame(place), m_level, 12 * perPixel))
        walked(*pose);
}

void CameraView::walkBy(const motion::Step& step) {
    if (!m_walkEnd.isActive() && !m_dragging) m_walkFrom = m_session.camera.pose();
    walked(motion::stepped(m_session.camera.pose(), step));
    if (!m_dragging) m_walkEnd.start(); // a row of turns or presses is one step
}

void CameraView::walked(const scene::Pose& pose) {
    m_session.camera.walk(pose);
    const scene::Pose now = m_session.camera.pose();
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
    m_session.camera.cancelWalk(m_wasOff ? std::optional(m_walkFrom) : std::nullopt);
}

void CameraView::wheelWalk(QWheelEvent* event) {
    const double turns = event->angleDelta().y() / 120.0;
    if (event->modifiers() & Qt::ControlModifier || m_walk == WalkMode::Zoom) {
        if (!m_walkEnd.isActive() && !m_dragging) m_walkFrom = m_session.camera.pose();
        scene::Pose pose = m_session.camera.pose();
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
