// What becomes of something over its life, drawn on paper: a factor, or a colour. Interface thread.
#pragma once

#include "scene/particles.h"

#include <QWidget>

namespace stage::desk {

/// A curve of straight pieces from birth to death. Points are dragged; a double click adds one, and one that
/// is dragged out of the paper is taken off.
class LifeCurve : public QWidget {
    Q_OBJECT
public:
    /// name: for those who cannot see it. high: the largest factor.
    LifeCurve(const QString& name, double high);
    void setPoints(const std::vector<scene::Particles::Point>& points);
    QSize sizeHint() const override { return {220, 56}; }

Q_SIGNALS:
    /// While one is dragged (settled: false) and when that ends. Empty: always 1.
    void changed(const std::vector<stage::scene::Particles::Point>& points, bool settled);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

private:
    QPointF placeOf(const scene::Particles::Point& point) const;
    scene::Particles::Point pointAt(const QPointF& place) const;
    int nearest(const QPointF& place) const; ///< -1: none is near
    void put(const QPointF& place);

    double m_high;
    std::vector<scene::Particles::Point> m_points; ///< what is shown: at least two
    std::vector<scene::Particles::Point> m_others; ///< all but the one that is dragged
    int m_dragged = -1;
};

/// A gradient from birth to death. Stops are dragged and, by a double click, given another colour; a double
/// click beside them adds one, and one that is dragged off is taken off.
class LifeGradient : public QWidget {
    Q_OBJECT
public:
    explicit LifeGradient(const QString& name);
    void setStops(const std::vector<scene::ColourStop>& stops);
    QSize sizeHint() const override { return {220, 34}; }

Q_SIGNALS:
    void changed(const std::vector<stage::scene::ColourStop>& stops, bool settled);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

private:
    double xOf(double at) const;
    double atOf(double x) const;
    scene::Colour colourAt(double at) const;
    int nearest(const QPointF& place) const;

    std::vector<scene::ColourStop> m_stops; ///< what is shown: at least one
    std::vector<scene::ColourStop> m_others;
    scene::ColourStop m_held;
    int m_dragged = -1;
};

}
