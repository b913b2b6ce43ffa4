// What is drawn over a layer's picture as it is cut out: lines, handles, areas, strokes. A light line on a
// dark one shows on any picture.
#pragma once

#include "scene/cutout.h"

#include <QPainterPath>
#include <functional>
#include <vector>

class QColor;
class QPainter;
class QString;

namespace stage::desk {

class CutOverlay {
public:
    /// place: where a place of the picture (layer px) is in the view.
    CutOverlay(QPainter& painter, std::function<QPointF(const V2d&)> place)
        : m_painter(painter), m_place(std::move(place)) {}

    QPainterPath polygon(const std::vector<V2d>& places, bool closed) const;
    /// points: at least one.
    QPainterPath curve(const std::vector<scene::PathPoint>& points, bool closed) const;

    void line(const QPainterPath& path, const QColor& colour, Qt::PenStyle style = Qt::SolidLine);
    void dot(const QPointF& at, bool square, bool strong);
    void ring(const QPointF& middle, double radius, const QColor& colour, Qt::PenStyle style = Qt::SolidLine);
    /// held: the index of the point that is dragged; -1: none.
    void handles(const std::vector<scene::PathPoint>& points, int held);
    void area(const scene::Area& area, bool ellipse);
    /// Closed loops with their names and numbers, within a width, px.
    void loops(const std::vector<std::vector<V2d>>& loops, const QColor& colour, const QString& name,
               int width);
    /// zoom: px of the view for one of the picture.
    void stroke(const scene::Stroke& stroke, QColor colour, double zoom);

private:
    QPainter& m_painter;
    std::function<QPointF(const V2d&)> m_place;
};

}
