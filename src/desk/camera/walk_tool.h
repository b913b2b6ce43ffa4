// The Camera view's walking tool: the camera moved by drags, keys and the wheel, with what it has gone said
// in units. Interface thread.
#pragma once

#include "desk/session/session.h"
#include "interaction/camera_walk.h"
#include "motion/walking.h"

#include <QTimer>

class QKeyEvent;
class QToolButton;
class QWheelEvent;

namespace stage::desk {

class WalkTool : public QObject {
    Q_OBJECT
public:
    static constexpr int modes = 7;
    WalkTool(Session& session, QWidget* view);

    /// What a drag does; Shift and Ctrl lend Slide and Orbit to Look.
    void setMode(interaction::WalkMode mode);
    interaction::WalkMode mode() const { return m_mode; }
    QWidget* bar() { return m_bar; } ///< its buttons, in the view
    QString hint() const;            ///< what a drag does now
    QString said() const { return m_said; }

    /// A drag from a place of the frame; layer: what is there (0: nothing).
    void begin(const V2d& place, std::int64_t layer);
    /// pixel: px of the frame for one of the view.
    void dragTo(const V2d& place, Qt::KeyboardModifiers keys, double pixel);
    void end();    ///< of a drag, or of a row of keys: it becomes one step
    void cancel(); ///< as it was before the drag
    void wheel(const QWheelEvent& event);
    /// False when the key is not one of the tool's.
    bool press(const QKeyEvent& event);
    bool release(const QKeyEvent& event);
    /// Whether the key belongs to the tool even where a command has it.
    bool claims(const QKeyEvent& event) const;
    /// Depth at which a dragged camera follows the hand, m.
    double reach() const;

Q_SIGNALS:
    void changed(); ///< mode() or said()

private:
    void makeBar(QWidget* view);
    void step(const motion::Step& step);
    void show(const scene::Pose& pose); ///< says how far it went since the walk began
    void beginRow();                    ///< of turns of the wheel or presses of keys
    optics::View view() const;

    Session& m_session;
    QWidget* m_bar;
    std::vector<QToolButton*> m_buttons;
    interaction::WalkMode m_mode = interaction::WalkMode::Look;
    QString m_said;
    QTimer m_rowEnd;
    // Of a drag, or a row.
    scene::Pose m_from;
    interaction::CameraWalk m_walk;
    bool m_dragging = false, m_moved = false;
    bool m_wasOff = false;   ///< the move, as it began
    bool m_straight = false; ///< L is held: along one axis only
    V2d m_last{0};
    Qt::KeyboardModifiers m_keys;
    double m_pixel = 1;
};

}
