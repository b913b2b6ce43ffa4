// What views on drafting paper, and others, draw alike.
#pragma once

#include <QPointF>
#include <QRectF>
#include <QString>

class QPainter;
class QWidget;

namespace stage::desk::paper {

/// A sentence on what is being dragged, at the lower right of an area.
void say(QPainter& painter, const QRectF& area, const QString& text);
/// A mark: a tape T with its number beside it, on alternating sides, so that marks close together can be told
/// apart.
void mark(QPainter& painter, const QPointF& at, int index, bool here);
/// The rim of a view that has the keyboard.
void focusRim(QPainter& painter, const QWidget& view);

}
