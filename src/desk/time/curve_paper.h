// The drafting paper of the curve view: curves, keys and their handles.
#pragma once

#include "desk/session/session.h"
#include "interaction/curve_edits.h"
#include "interaction/time_scale.h"

#include <QWidget>
#include <map>

namespace stage::desk {

class CurveView;

class CurvePaper : public QWidget {
    Q_OBJECT
public:
    CurvePaper(Session& session, CurveView& view);
    void forget(); ///< what has been computed
    void fitAll();

    // Where things are, for input and for tests.
    QPointF placeOf(const std::string& property, Rational time, double value) const;
    QPointF placeOf(const interaction::KeyRef& key) const;
    /// The handle on how a value leaves a key, or arrives at the next; nothing where it holds or is drawn.
    std::optional<QPointF> handle(const interaction::KeyRef& key, bool leaving) const;

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool event(QEvent* event) override;

private:
    using Curve = interaction::SampledCurve; ///< over the time in view
    struct Grip {
        enum Kind { None, Left, Right, Top, Bottom } kind = None;
    };
    const Curve& curve(const std::string& property) const;
    double timeAt(double x) const;
    double valueAt(const std::string& property, double y) const;
    double xOf(double seconds) const;
    double yOf(const std::string& property, double value) const;
    QRectF area() const;
    interaction::TimeScale::Room room() const; ///< in seconds
    std::optional<interaction::KeyRef> keyAt(const QPointF& place) const;
    QRectF chosenBox() const; ///< around the chosen keys; empty where they are fewer than two
    Grip::Kind gripAt(const QPointF& place) const;
    void dragGrip(const QPointF& place);
    void dragKeys(const QPointF& place, bool straight); ///< straight: in time or in value alone
    void dragHandle(const QPointF& place);
    void drawGrid(QPainter& painter) const;
    void drawCurve(QPainter& painter, const std::string& property, bool current) const;

    Session& m_session;
    CurveView& m_view;
    mutable std::map<std::string, Curve> m_curves;
    std::map<std::string, std::pair<double, double>> m_held; ///< scales, while a hand drags
    interaction::TimeScale m_zoom;

    enum class Drag { None, Keys, Handle, Grip, Frame, Playhead } m_drag = Drag::None;
    Grip::Kind m_grip = Grip::None;
    bool m_moved = false, m_leaving = false;
    QPointF m_pressed;
    std::optional<interaction::KeyRef> m_key; ///< that was taken
    double m_valueFrom = 0;
    interaction::KeyRefs m_keysFrom;
    QRectF m_frame, m_boxFrom;
    QString m_say;
};

}
