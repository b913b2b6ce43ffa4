#include "desk/cutting/cut_overlay.h"

#include "desk/cutting/cut_shapes.h"
#include "desk/look/theme.h"

#include <QPainter>
#include <algorithm>
#include <cmath>
#include <numbers>

namespace stage::desk {

QPainterPath CutOverlay::polygon(const std::vector<V2d>& places, bool closed) const {
    QPainterPath path;
    for (std::size_t i = 0; i < places.size(); ++i)
        i == 0 ? path.moveTo(m_place(places[i])) : path.lineTo(m_place(places[i]));
    if (closed) path.closeSubpath();
    return path;
}

QPainterPath CutOverlay::curve(const std::vector<scene::PathPoint>& points, bool closed) const {
    QPainterPath path;
    const auto to = [&](const scene::PathPoint& a, const scene::PathPoint& b) {
        path.cubicTo(m_place(a.place + a.out), m_place(b.place + b.in), m_place(b.place));
    };
    path.moveTo(m_place(points.front().place));
    for (std::size_t i = 1; i < points.size(); ++i)
        to(points[i - 1], points[i]);
    if (closed && points.size() > 1) to(points.back(), points.front());
    return path;
}

void CutOverlay::line(const QPainterPath& path, const QColor& colour, Qt::PenStyle style) {
    m_painter.setBrush(Qt::NoBrush);
    m_painter.setPen(QPen(QColor(0, 0, 0, 160), 3));
    m_painter.drawPath(path);
    m_painter.setPen(QPen(colour, 1.4, style));
    m_painter.drawPath(path);
}

void CutOverlay::dot(const QPointF& at, bool square, bool strong) {
    m_painter.setPen(QPen(theme::pen, 1));
    m_painter.setBrush(strong ? theme::vermilion : theme::text);
    if (square)
        m_painter.drawRect(QRectF(at.x() - 3.5, at.y() - 3.5, 7, 7));
    else
        m_painter.drawEllipse(at, 3, 3);
}

void CutOverlay::ring(const QPointF& middle, double radius, const QColor& colour, Qt::PenStyle style) {
    QPainterPath path;
    path.addEllipse(middle, radius, radius);
    line(path, colour, style);
}

void CutOverlay::handles(const std::vector<scene::PathPoint>& points, int held) {
    for (std::size_t i = 0; i < points.size(); ++i) {
        const scene::PathPoint& p = points[i];
        for (const V2d& handle : {p.in, p.out}) {
            if (handle == V2d(0)) continue;
            m_painter.setPen(QPen(theme::text, 1));
            m_painter.drawLine(m_place(p.place), m_place(p.place + handle));
            dot(m_place(p.place + handle), false, false);
        }
        dot(m_place(p.place), true, held == static_cast<int>(i));
    }
}

void CutOverlay::area(const scene::Area& area, bool ellipse) {
    const auto at = [&](const V2d& half) { return area.centre + turned(half, area.turn); };
    std::vector<V2d> corners, round;
    for (const V2d& side : {V2d(-1, -1), V2d(1, -1), V2d(1, 1), V2d(-1, 1)})
        corners.push_back(at(side * area.size / 2.0));
    line(polygon(corners, true), ellipse ? theme::dim : theme::text, ellipse ? Qt::DotLine : Qt::SolidLine);
    if (ellipse) {
        constexpr int steps = 64;
        for (int i = 0; i < steps; ++i) {
            const double t = 2 * std::numbers::pi * i / steps;
            round.push_back(at(V2d(std::cos(t) * area.size.x, std::sin(t) * area.size.y) / 2.0));
        }
        line(polygon(round, true), theme::text);
    }
    for (const V2d& corner : corners)
        dot(m_place(corner), true, false);
}

void CutOverlay::loops(const std::vector<std::vector<V2d>>& loops, const QColor& colour, const QString& name,
                       int width) {
    int number = 0;
    for (const auto& loop : loops) {
        line(polygon(loop, true), colour);
        m_painter.setFont(theme::sans(11, true));
        const QString label = QStringLiteral("%1 %2").arg(name).arg(++number);
        QPointF at = m_place(loop.front()) + QPointF(6, -6);
        at.setX(std::clamp(at.x(), 4.0, width - 6.0 - m_painter.fontMetrics().horizontalAdvance(label)));
        at.setY(std::max(at.y(), 14.0));
        m_painter.setPen(QPen(QColor(0, 0, 0, 200), 1));
        m_painter.drawText(at + QPointF(1, 1), label);
        m_painter.setPen(colour);
        m_painter.drawText(at, label);
    }
}

void CutOverlay::stroke(const scene::Stroke& stroke, QColor colour, double zoom) {
    std::vector<V2d> places;
    for (const auto& dab : stroke.dabs)
        places.push_back(dab.place);
    colour.setAlpha(110);
    m_painter.setBrush(Qt::NoBrush);
    m_painter.setPen(
        QPen(colour, std::max(1.0, stroke.size * zoom), Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    if (places.size() == 1)
        m_painter.drawPoint(m_place(places.front()));
    else
        m_painter.drawPath(polygon(places, false));
}

}
