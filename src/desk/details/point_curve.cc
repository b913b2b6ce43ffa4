#include "desk/details/point_curve.h"

#include "desk/kit/form.h"
#include "desk/look/theme.h"

#include <QColorDialog>
#include <QLinearGradient>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

constexpr double margin = 7, near = 9;
/// Farther out than this a point is taken off.
constexpr double off = 26;

QColor at(const scene::Colour& colour) {
    QColor seen = shown(colour);
    seen.setAlphaF(1);
    return seen;
}

}

// ---- curves

PointCurve::PointCurve(const QString& name, Style style) : m_style(std::move(style)) {
    setAccessibleName(name);
    setFixedHeight(m_style.height);
    setCursor(Qt::CrossCursor);
    setToolTip(m_style.tip);
    setPoints({});
}

void PointCurve::setPoints(const std::vector<Point>& points) {
    if (m_dragged >= 0) return;
    m_points = points.empty() ? m_style.usual : points;
    m_line.clear();
    update();
}

QPointF PointCurve::placeOf(const Point& point) const {
    const double wide = width() - 2 * margin, tall = height() - 2 * margin;
    return {margin + wide * point.at, margin + tall * (1 - std::clamp(point.value / m_style.high, 0.0, 1.0))};
}

PointCurve::Point PointCurve::pointAt(const QPointF& place) const {
    const double wide = width() - 2 * margin, tall = height() - 2 * margin;
    return {std::clamp((place.x() - margin) / wide, 0.0, 1.0),
            std::clamp(1 - (place.y() - margin) / tall, 0.0, 1.0) * m_style.high};
}

int PointCurve::nearest(const QPointF& place) const {
    int best = -1;
    double least = near;
    for (std::size_t i = 0; i < m_points.size(); ++i) {
        const QPointF by = placeOf(m_points[i]) - place;
        if (const double away = std::hypot(by.x(), by.y()); away < least)
            least = away, best = static_cast<int>(i);
    }
    return best;
}

void PointCurve::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), theme::paper);
    painter.setPen(theme::grid);
    for (int i = 0; i <= 4; ++i) {
        const double x = margin + (width() - 2 * margin) * i / 4;
        painter.drawLine(QPointF(x, margin), QPointF(x, height() - margin));
    }
    QPolygonF usual, line;
    for (const Point& point : m_style.usual)
        usual << placeOf(point);
    painter.setPen(theme::gridStrong);
    painter.drawPolyline(usual);
    if (m_style.drawn) {
        const int count = std::max(2, width() / 2);
        if (m_line.size() != static_cast<std::size_t>(count)) m_line = m_style.drawn(m_points, count);
        for (std::size_t i = 0; i < m_line.size(); ++i)
            line << placeOf({static_cast<double>(i) / (count - 1), m_line[i]});
    } else {
        line << QPointF(margin, placeOf(m_points.front()).y());
        for (const auto& point : m_points)
            line << placeOf(point);
        line << QPointF(width() - margin, placeOf(m_points.back()).y());
    }
    painter.setPen(QPen(theme::pen, 1.5));
    painter.drawPolyline(line);
    for (std::size_t i = 0; i < m_points.size(); ++i) {
        painter.setPen(QPen(theme::pen, 1.2));
        painter.setBrush(static_cast<int>(i) == m_dragged ? theme::vermilion : theme::paper);
        painter.drawEllipse(placeOf(m_points[i]), 3.5, 3.5);
    }
}

void PointCurve::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    m_dragged = nearest(event->position());
    if (m_dragged < 0) return;
    m_others = m_points;
    m_others.erase(m_others.begin() + m_dragged);
    update();
}

/// Where the dragged point is, among the others in their order.
void PointCurve::put(const QPointF& place) {
    const bool out =
        place.y() < -off || place.y() > height() + off || place.x() < -off || place.x() > width() + off;
    const bool taken = out && m_others.size() >= 2;
    const Point point = pointAt(place);
    constexpr double least = 0.005;
    if (!taken && m_style.apart && std::any_of(m_others.begin(), m_others.end(), [&](const Point& each) {
            return std::abs(each.at - point.at) < least;
        }))
        return; // it stays where it was until it is past the other one
    m_line.clear();
    m_points = m_others;
    m_dragged = static_cast<int>(m_points.size()); // none of them, while it is out
    if (taken) return;
    const auto after =
        std::find_if(m_points.begin(), m_points.end(), [&](const auto& each) { return each.at > point.at; });
    m_dragged = static_cast<int>(after - m_points.begin());
    m_points.insert(after, point);
}

void PointCurve::mouseMoveEvent(QMouseEvent* event) {
    if (m_dragged < 0) return;
    put(event->position());
    update();
    Q_EMIT changed(m_points, false);
}

void PointCurve::mouseReleaseEvent(QMouseEvent* event) {
    if (m_dragged < 0 || event->button() != Qt::LeftButton) return;
    m_dragged = -1;
    update();
    Q_EMIT changed(m_points, true);
}

void PointCurve::mouseDoubleClickEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || nearest(event->position()) >= 0) return;
    if (m_points.size() >= m_style.most) return;
    m_others = m_points;
    put(event->position());
    update(); // it is held until the button is let go
}

// ---- gradients

LifeGradient::LifeGradient(const QString& name) {
    setAccessibleName(name);
    setFixedHeight(34);
    setToolTip(tr("%1, from birth to death. Drag stops; a double click changes the colour of one or adds "
                  "one, and one that "
                  "is dragged off is taken off")
                   .arg(name));
    setStops({});
}

void LifeGradient::setStops(const std::vector<scene::ColourStop>& stops) {
    if (m_dragged >= 0) return;
    m_stops = stops;
    if (m_stops.empty()) m_stops = {{0, {1, 1, 1, 1}}};
    update();
}

double LifeGradient::xOf(double at) const {
    return margin + (width() - 2 * margin) * at;
}

double LifeGradient::atOf(double x) const {
    return std::clamp((x - margin) / (width() - 2 * margin), 0.0, 1.0);
}

scene::Colour LifeGradient::colourAt(double at) const {
    if (at <= m_stops.front().at) return m_stops.front().colour;
    for (std::size_t i = 1; i < m_stops.size(); ++i)
        if (at < m_stops[i].at) {
            const auto &a = m_stops[i - 1], &b = m_stops[i];
            const double f = (at - a.at) / (b.at - a.at);
            const auto mixed = [f](double x, double y) { return x + (y - x) * f; };
            return {mixed(a.colour.r, b.colour.r), mixed(a.colour.g, b.colour.g),
                    mixed(a.colour.b, b.colour.b), mixed(a.colour.a, b.colour.a)};
        }
    return m_stops.back().colour;
}

int LifeGradient::nearest(const QPointF& place) const {
    int best = -1;
    double least = near;
    for (std::size_t i = 0; i < m_stops.size(); ++i)
        if (const double away = std::abs(xOf(m_stops[i].at) - place.x()); away < least)
            least = away, best = static_cast<int>(i);
    return best;
}

void LifeGradient::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), theme::paper);
    const QRectF bar(margin, 5, width() - 2 * margin, height() - 20);
    QLinearGradient gradient(bar.left(), 0, bar.right(), 0);
    for (int i = 0; i <= 32; ++i) // mixed in light, which the eye's steps are not
        gradient.setColorAt(i / 32.0, at(colourAt(i / 32.0)));
    painter.setPen(QPen(theme::gridStrong, 1));
    painter.setBrush(gradient);
    painter.drawRect(bar);
    for (std::size_t i = 0; i < m_stops.size(); ++i) {
        const double x = xOf(m_stops[i].at), y = bar.bottom() + 2;
        painter.setPen(QPen(static_cast<int>(i) == m_dragged ? theme::vermilion : theme::pen, 1.2));
        painter.setBrush(at(m_stops[i].colour));
        painter.drawRect(QRectF(x - 4, y, 8, 8));
    }
}

void LifeGradient::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    m_dragged = nearest(event->position());
    if (m_dragged < 0) return;
    m_held = m_stops[static_cast<std::size_t>(m_dragged)];
    m_others = m_stops;
    m_others.erase(m_others.begin() + m_dragged);
    update();
}

void LifeGradient::mouseMoveEvent(QMouseEvent* event) {
    if (m_dragged < 0) return;
    const double y = event->position().y();
    m_stops = m_others;
    m_dragged = static_cast<int>(m_stops.size());
    if (!((y < -off || y > height() + off) && !m_others.empty())) {
        m_held.at = atOf(event->position().x());
        const auto after = std::find_if(m_stops.begin(), m_stops.end(),
                                        [&](const auto& each) { return each.at > m_held.at; });
        m_dragged = static_cast<int>(after - m_stops.begin());
        m_stops.insert(after, m_held);
    }
    update();
    Q_EMIT changed(m_stops, false);
}

void LifeGradient::mouseReleaseEvent(QMouseEvent* event) {
    if (m_dragged < 0 || event->button() != Qt::LeftButton) return;
    m_dragged = -1;
    update();
    Q_EMIT changed(m_stops, true);
}

void LifeGradient::mouseDoubleClickEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    m_dragged = -1;
    const int which = nearest(event->position());
    const double here = which < 0 ? atOf(event->position().x()) : m_stops[static_cast<std::size_t>(which)].at;
    const QColor chosen = QColorDialog::getColor(at(colourAt(here)), this, tr("Colour"));
    if (!chosen.isValid()) return;
    if (which >= 0) {
        m_stops[static_cast<std::size_t>(which)].colour = sceneColour(chosen);
    } else {
        const auto after =
            std::find_if(m_stops.begin(), m_stops.end(), [&](const auto& each) { return each.at > here; });
        m_stops.insert(after, {here, sceneColour(chosen)});
    }
    update();
    Q_EMIT changed(m_stops, true);
}

}
