#include "desk/paper.h"

#include "desk/theme.h"

#include <QPainter>
#include <QWidget>

namespace stage::desk::paper {

void say(QPainter& painter, const QRectF& area, const QString& text) {
    if (text.isEmpty()) return;
    painter.setFont(theme::figures(10));
    QRectF box = painter.fontMetrics().boundingRect(text).adjusted(-8, -4, 8, 4);
    box.moveBottomRight(area.bottomRight() - QPointF(8, 8));
    if (box.left() < area.left() + 4) box.moveLeft(area.left() + 4);
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme::pen);
    painter.drawRoundedRect(box, 3, 3);
    painter.setPen(theme::paper);
    painter.drawText(box, Qt::AlignCenter, text);
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

void focusRim(QPainter& painter, const QWidget& view) {
    if (!view.hasFocus()) return;
    painter.setPen(QPen(theme::brass, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(QRectF(view.rect()).adjusted(0.5, 0.5, -0.5, -0.5));
}

}
