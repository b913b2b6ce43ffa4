// Curves and gradients drawn on paper: what becomes of something over its life, or of a colour in a grade.
// Interface thread.
#pragma once

#include "scene/particles.h"

#include <QWidget>
#include <functional>

namespace stage::desk {

/// A curve by points, which are dragged; a double click adds one, and one that is dragged out of the paper is
/// taken off.
class PointCurve : public QWidget {
    Q_OBJECT
public:
    using Point = scene::Particles::Point;
    struct Style {
        QString tip;
        double high = 1;          ///< value at the upper border
        std::vector<Point> usual; ///< what no points mean
        std::size_t most = 100;   ///< points
        int height = 56;          ///< px
        bool apart = false;       ///< no two points at one place
        /// Values at so many places, evenly from 0 to 1; without it straight lines join the points.
        std::function<std::vector<double>(const std::vector<Point>&, int)> drawn;
    };
    /// name: for those who cannot see it.
    PointCurve(const QString& name, Style style);
    void setPoints(const std::vector<Point>& points);
    QSize sizeHint() const override { return {220, m_style.height}; }

Q_SIGNALS:
    /// While one is dragged (settled: false) and when that ends.
    void changed(const std::vector<stage::scene::Particles::Point>& points, bool settled);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

private:
    QPointF placeOf(const Point& point) const;
    Point pointAt(const QPointF& place) const;
    int nearest(const QPointF& place) const; ///< -1: none is near
    void put(const QPointF& place);

    Style m_style;
    std::vector<Point> m_points; ///< what is shown: at least two
    std::vector<Point> m_others; ///< all but the one that is dragged
    std::vector<double> m_line;  ///< of the points, where the style draws it
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
