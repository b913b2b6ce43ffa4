#include "desk/look/paper.h"

#include "desk/look/theme.h"

#include <QPainter>
#include <QWidget>
#include <cmath>

namespace stage::desk::paper {

void say(QPainter& painter, const QRectF& area, const QString& text) {
    if (text.isEmpty()) return;
    painter.setFont(theme::figures(10));
    // In several lines where one is too long for the area.
    const QRectF room = area.adjusted(12, 8, -12, -8);
    QRectF box = painter.boundingRect(room, Qt::AlignLeft | Qt::TextWordWrap, text).adjusted(-8, -4, 8, 4);
    box.moveBottomRight(area.bottomRight() - QPointF(4, 8));
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme::pen);
    painter.drawRoundedRect(box, 3, 3);
    painter.setPen(theme::paper);
    painter.drawText(box, Qt::AlignCenter | Qt::TextWordWrap, text);
}

void mark(QPainter& painter, const QPointF& at, int index, bool here) {
    painter.setPen(QPen(theme::vermilion, 2.6));
    painter.drawLine(at + QPointF(-6, 0), at + QPointF(6, 0));
    painter.drawLine(at, at + QPointF(0, 8));
    const QRectF box(index % 2 ? at.x() + 10 : at.x() - 24, at.y() - 6, 14, 14);
    painter.setPen(here ? QPen(theme::pen, 1.5) : QPen(Qt::NoPen));
    painter.setBrush(theme::vermilion);
    painter.drawRoundedRect(box, 2, 2);
    painter.setPen(Qt::white);
    painter.setFont(theme::sans(10, true));
    painter.drawText(box, Qt::AlignCenter, QString::number(index + 1));
}

void handle(QPainter& painter, const QPointF& mark, const QPointF& at, bool held) {
    painter.setPen(QPen(theme::vermilion, 1));
    painter.drawLine(mark, at);
    painter.setPen(QPen(theme::pen, 1));
    painter.setBrush(held ? theme::vermilion : theme::paper);
    painter.drawEllipse(at, 4.2, 4.2);
}

void target(QPainter& painter, const QPointF& at, bool held) {
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(theme::paper, 4));
    painter.drawEllipse(at, 6, 6);
    painter.setPen(QPen(theme::sight, held ? 2.4 : 1.6));
    painter.drawEllipse(at, 6, 6);
    for (const QPointF& way : {QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)})
        painter.drawLine(at + way * 3, at + way * 10);
}

void ticks(QPainter& painter, const std::vector<QPointF>& places, const std::vector<bool>& strong) {
    for (std::size_t i = 0; i < places.size(); ++i) {
        const QPointF along = places[std::min(i + 1, places.size() - 1)] - places[i == 0 ? 0 : i - 1];
        const double length = std::hypot(along.x(), along.y());
        // Crowded ones would make a blot: then only the strong are drawn.
        if (length < 1e-6 || (!strong[i] && length < 5)) continue;
        const QPointF across = QPointF(-along.y(), along.x()) / length * (strong[i] ? 5 : 2.5);
        painter.setPen(QPen(theme::vermilion, strong[i] ? 1.6 : 1));
        painter.drawLine(places[i] - across, places[i] + across);
    }
}

void focusRim(QPainter& painter, const QWidget& view) {
    if (!view.hasFocus()) return;
    const QRect all = view.rect();
    for (const QRect& side : {QRect(0, 0, all.width(), 1), QRect(0, all.bottom(), all.width(), 1),
                              QRect(0, 0, 1, all.height()), QRect(all.right(), 0, 1, all.height())})
        painter.fillRect(side, theme::brass);
}

}
