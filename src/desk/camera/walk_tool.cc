#include "desk/camera/walk_tool.h"

#include "desk/kit/number_field.h"
#include "optics/lens.h"
#include "optics/placing.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QToolButton>
#include <algorithm>
#include <cmath>

namespace stage::desk {

using interaction::WalkMode;

namespace {

struct Entry {
    WalkMode mode;
    const char *name, *tip, *hint;
};
const Entry entries[WalkTool::modes] = {
    {WalkMode::Look, QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Look"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Drag: pan and tilt (1)"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool",
                       "drag: pan and tilt · Shift: slide · Ctrl: orbit · wheel: dolly")},
    {WalkMode::Slide, QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Slide"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Drag: truck and pedestal (2)"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool", "drag: truck and pedestal · L: along one axis")},
    {WalkMode::Dolly, QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Dolly"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Drag up and down: dolly; to the side: truck (3)"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool",
                       "drag up and down: dolly · to the side: truck · L: along one axis")},
    {WalkMode::Orbit, QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Orbit"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Drag: around the aim, or what is under the pointer (4)"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool",
                       "drag: around the aim, or what is under the pointer · L: one axis")},
    {WalkMode::Roll, QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Roll"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Drag around the middle: roll (5)"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool", "drag around the middle: roll")},
    {WalkMode::Zoom, QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Zoom"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Drag up and down: focal length (6)"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool", "drag up and down: focal length")},
    {WalkMode::DollyZoom, QT_TRANSLATE_NOOP("stage::desk::WalkTool", "Dolly zoom"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool",
                       "Drag up and down: dolly, while what is under the pointer keeps its size (7)"),
     QT_TRANSLATE_NOOP("stage::desk::WalkTool",
                       "drag up and down: what is under the pointer keeps its size")}};

constexpr double slackPixels = 12; ///< of the view, that a dolly may go aside before it trucks
constexpr int rowMilliseconds = 600;

}

WalkTool::WalkTool(Session& session, QWidget* view) : QObject(view), m_session(session) {
    makeBar(view);
    m_rowEnd.setSingleShot(true);
    m_rowEnd.setInterval(rowMilliseconds);
    connect(&m_rowEnd, &QTimer::timeout, this, &WalkTool::end);
}

void WalkTool::makeBar(QWidget* view) {
    m_bar = new QWidget(view);
    m_bar->setObjectName(QStringLiteral("walkBar"));
    m_bar->setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(m_bar);
    row->setContentsMargins(4, 3, 4, 3);
    row->setSpacing(2);
    for (const Entry& entry : entries) {
        auto* button = new QToolButton;
        button->setObjectName(QStringLiteral("flat"));
        button->setText(tr(entry.name));
        button->setToolTip(tr(entry.tip));
        button->setCheckable(true);
        button->setFocusPolicy(Qt::NoFocus);
        connect(button, &QToolButton::clicked, this, [this, mode = entry.mode] { setMode(mode); });
        row->addWidget(button);
        m_buttons.push_back(button);
    }
    m_buttons.front()->setChecked(true);
    m_bar->hide();
}

void WalkTool::setMode(WalkMode mode) {
    m_mode = mode;
    for (std::size_t i = 0; i < m_buttons.size(); ++i)
        m_buttons[i]->setChecked(entries[i].mode == mode);
    Q_EMIT changed();
}

QString WalkTool::hint() const {
    return tr(entries[static_cast<std::size_t>(m_mode)].hint);
}

optics::View WalkTool::view() const {
    return optics::viewOf(m_session.camera.pose(), m_session.scene()->camera,
                          m_session.scene()->output.frame);
}

double WalkTool::reach() const {
    std::optional<V3d> selected;
    if (m_session.selection.layers().size() == 1)
        selected = optics::pivotOf(m_session.now().find(m_session.selection.layers().front()));
    return interaction::walkDepth(*m_session.scene(), view(), selected);
}

// ---- a drag

void WalkTool::begin(const V2d& place, std::int64_t layer) {
    m_straight = m_moved = false;
    m_dragging = true;
    m_wasOff = m_session.camera.offHere();
    m_from = m_session.camera.pose();
    const scene::Scene& scene = *m_session.scene();
    m_walk = {m_from, view(), scene.output.frame, V3d(0), place};
    m_walk.around = interaction::walkCentre(m_session.now(), scene, m_walk.view, place, layer, reach(),
                                            m_mode != WalkMode::DollyZoom);
}

void WalkTool::dragTo(const V2d& place, Qt::KeyboardModifiers keys, double pixel) {
    m_moved = true;
    m_last = place;
    m_keys = keys;
    m_pixel = pixel;
    WalkMode mode = m_mode;
    if (mode == WalkMode::Look && keys & Qt::ShiftModifier) mode = WalkMode::Slide;
    if (mode == WalkMode::Look && keys & Qt::ControlModifier) mode = WalkMode::Orbit;
    if (const auto pose = interaction::walked(m_walk, mode, place, m_straight, slackPixels * pixel))
        show(*pose);
}

void WalkTool::end() {
    m_rowEnd.stop();
    m_dragging = false;
    m_session.camera.endWalk();
    m_said.clear();
    Q_EMIT changed();
}

void WalkTool::cancel() {
    m_straight = m_dragging = false;
    m_said.clear();
    m_session.camera.cancelWalk(m_wasOff ? std::optional(m_from) : std::nullopt);
}

// ---- steps

void WalkTool::beginRow() {
    if (!m_rowEnd.isActive() && !m_dragging) m_from = m_session.camera.pose();
    if (!m_dragging) m_rowEnd.start(); // a row of turns or presses is one step
}

void WalkTool::step(const motion::Step& step) {
    beginRow();
    show(motion::stepped(m_session.camera.pose(), step));
}

void WalkTool::show(const scene::Pose& pose) {
    m_session.camera.walk(pose);
    const scene::Pose now = m_session.camera.pose();
    const motion::Step gone = motion::stepBetween(m_from, now);
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
    if (std::abs(now.focal - m_from.focal) > 0.05)
        parts << tr("%1 mm, from %2").arg(figure(now.focal, 1), figure(m_from.focal, 1));
    m_said = parts.isEmpty() ? tr("where it was") : parts.join(QStringLiteral(" · "));
    Q_EMIT changed();
}

void WalkTool::wheel(const QWheelEvent& event) {
    const double turns = event.angleDelta().y() / 120.0;
    if (event.modifiers() & Qt::ControlModifier || m_mode == WalkMode::Zoom) {
        beginRow();
        scene::Pose pose = m_session.camera.pose();
        pose.focal = std::clamp(pose.focal * std::exp2(turns / 24), 1.0, 2000.0);
        show(pose);
    } else {
        step({.dolly = turns * reach() * 0.02});
    }
}

bool WalkTool::press(const QKeyEvent& event) {
    if (m_dragging && event.key() == Qt::Key_L) {
        m_straight = true;
        if (m_moved) dragTo(m_last, m_keys, m_pixel);
        return true;
    }
    if (const int digit = event.key() - Qt::Key_1; digit >= 0 && digit < modes && !event.modifiers()) {
        setMode(entries[digit].mode);
        return true;
    }
    struct Arrow {
        int key;
        double motion::Step::*move;
        double motion::Step::*turn; ///< with Shift
        double by;
    };
    static const Arrow arrows[] = {{Qt::Key_Left, &motion::Step::truck, &motion::Step::pan, -1},
                                   {Qt::Key_Right, &motion::Step::truck, &motion::Step::pan, 1},
                                   {Qt::Key_Up, &motion::Step::dolly, &motion::Step::tilt, 1},
                                   {Qt::Key_Down, &motion::Step::dolly, &motion::Step::tilt, -1},
                                   {Qt::Key_PageUp, &motion::Step::pedestal, nullptr, 1},
                                   {Qt::Key_PageDown, &motion::Step::pedestal, nullptr, -1}};
    const auto arrow = std::find_if(std::begin(arrows), std::end(arrows),
                                    [&](const Arrow& each) { return each.key == event.key(); });
    if (arrow == std::end(arrows)) return false;
    const double fine = event.modifiers() & Qt::ControlModifier ? 0.1 : 1;
    motion::Step by;
    if (!(event.modifiers() & Qt::ShiftModifier))
        by.*arrow->move = arrow->by * reach() * 0.01 * fine;
    else if (arrow->turn)
        by.*arrow->turn = arrow->by * 0.5 * fine;
    else
        by.roll = -arrow->by * 0.5 * fine; // up: counter-clockwise
    step(by);
    return true;
}

bool WalkTool::release(const QKeyEvent& event) {
    if (event.key() != Qt::Key_L || !m_straight || event.isAutoRepeat()) return false;
    m_straight = false;
    if (m_dragging && m_moved) dragTo(m_last, m_keys, m_pixel);
    return true;
}

bool WalkTool::claims(const QKeyEvent& event) const {
    return (m_dragging && event.key() == Qt::Key_L) ||
           (!event.modifiers() && event.key() >= Qt::Key_1 && event.key() < Qt::Key_1 + modes);
}

}
