// Properties over time, as curves on paper: their keys, how the value runs between them, links and noise.
// Shows the one selected layer, or the camera.
#pragma once

#include "desk/session.h"

#include <QPolygonF>
#include <QWidget>
#include <map>

class QListWidget;

namespace stage::desk {

class CurvePaper;

class CurveView : public QWidget {
    Q_OBJECT
public:
    explicit CurveView(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {320, 300}; }

    std::int64_t subject() const; ///< the layer shown; 0: the camera
    /// The property that is edited: what a double click keys, what links and noise are put on.
    std::string property() const;
    void setProperty(const std::string& property);
    /// Those whose curves are shown: what is chosen in the list, or all that have a track.
    std::vector<std::string> shown() const;
    void keyHere(); ///< a key of the property at the playhead
    void fitAll();
    CurvePaper& paper() { return *m_paper; }

Q_SIGNALS:
    void keyMenuAsked(const QPoint& global);
    void titleChanged(const QString& note);

private:
    void fill();
    Session& m_session;
    QListWidget* m_list;
    CurvePaper* m_paper;
    std::int64_t m_filled = -1;
    std::map<bool, std::string> m_last; ///< the property edited, of layers and of the camera
    bool m_filling = false;
};

/// The paper itself.
class CurvePaper : public QWidget {
    Q_OBJECT
public:
    CurvePaper(Session& session, CurveView& view);
    void forget(); ///< what has been computed
    void fitAll();

    // Where things are, for hands and for tests.
    QPointF placeOf(const std::string& property, Rational time, double value) const;
    QPointF placeOf(const KeyRef& key) const;
    /// The hand on how a value leaves a key, or arrives at the next; nothing where it holds or is drawn.
    std::optional<QPointF> handle(const KeyRef& key, bool leaving) const;

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
    struct Curve {
        std::vector<double> values; ///< over the time in view
        std::vector<double> keyed;  ///< without noise, where there is some
        double low = 0, high = 1;
    };
    struct Grip {
        enum Kind { None, Left, Right, Top, Bottom } kind = None;
    };
    const Curve& curve(const std::string& property) const;
    double timeAt(double x) const;
    double valueAt(const std::string& property, double y) const;
    double xOf(double seconds) const;
    QRectF area() const;
    std::optional<KeyRef> keyAt(const QPointF& place) const;
    QRectF chosenBox() const; ///< around the chosen keys; empty where they are fewer than two
    Grip::Kind gripAt(const QPointF& place) const;
    void dragGrip(const QPointF& place);
    void drawGrid(QPainter& painter) const;
    void drawCurve(QPainter& painter, const std::string& property, bool current) const;

    Session& m_session;
    CurveView& m_view;
    mutable std::map<std::string, Curve> m_curves;
    std::map<std::string, std::pair<double, double>> m_held; ///< scales, while a hand drags
    double m_first = 0, m_span = 0;                          ///< seconds in view; 0: all

    enum class Drag { None, Keys, Handle, Grip, Frame, Playhead } m_drag = Drag::None;
    Grip::Kind m_grip = Grip::None;
    bool m_moved = false, m_leaving = false, m_copies = false;
    QPointF m_pressed;
    std::optional<KeyRef> m_key; ///< that was taken
    double m_valueFrom = 0;
    KeyRefs m_keysFrom;
    QRectF m_frame, m_boxFrom;
    QString m_say;
};

}
