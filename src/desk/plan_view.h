// The set from above, on paper, with the depth ladder tied to its bars. Depth runs upwards on a scale that
// compresses what is far by a projective mapping, so that sight lines stay straight.
#pragma once

#include "desk/session.h"
#include "optics/placing.h"

#include <QWidget>

namespace stage::desk {

class NumberField;

class PlanView : public QWidget {
    Q_OBJECT
public:
    explicit PlanView(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {404, 444}; }

    // Where things are in the widget, for tests too.
    QRectF rungRect(std::int64_t layer) const; ///< empty when it has none
    double yOfDepth(double depth) const;
    double depthOfY(double y) const;

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    struct Rung {
        std::int64_t id;
        QString name;
        double depth;
        QRectF rect;
        scene::LayerPtr layer;
    };
    struct Bar {
        std::int64_t id;
        QPointF a, b;
    };
    void rescale();
    void layOut();
    QPointF placeOf(const V3d& point) const;
    QPointF placeOf(double across, double depth) const;
    double acrossAt(double x, double depth) const;
    QRectF plan() const;
    std::int64_t layerAt(const QPointF& place) const;
    int markAt(const QPointF& place) const;
    void drawGrid(QPainter& painter) const;
    void drawSight(QPainter& painter) const;
    void drawPath(QPainter& painter) const;

    Session& m_session;
    double m_near = -1, m_far = 60, m_fold = 8,
           m_perMetre = 30; ///< fold: depth at which the scale has halved
    optics::View m_first;
    std::vector<Rung> m_rungs;
    std::vector<Bar> m_bars;
    NumberField* m_depthEntry;
    std::int64_t m_entryLayer = 0;

    enum class Drag { None, Depth, Mark } m_drag = Drag::None;
    std::int64_t m_dragLayer = 0;
    int m_dragMark = -1;
    bool m_moved = false;
    QPointF m_from;
    double m_depthFrom = 0;
    QString m_say;
};

}
