// What views on drafting paper, and others, draw alike.
#pragma once

#include <QPointF>
#include <QRectF>
#include <QString>
#include <vector>

class QPainter;
class QWidget;

namespace stage::desk::paper {

/// A sentence on what is being dragged, at the lower right of an area.
void say(QPainter& painter, const QRectF& area, const QString& text);
/// A mark: a tape T with its number beside it, on alternating sides, so that marks close together can be told
/// apart.
void mark(QPainter& painter, const QPointF& at, int index, bool here);
/// A handle of a path at a place, tied to its mark.
void handle(QPainter& painter, const QPointF& mark, const QPointF& at, bool held);
/// What an aim is taken at.
void target(QPainter& painter, const QPointF& at, bool held);
/// Strokes across a way, at its places; longer where `strong`. Places that fall too close together are left
/// out.
void ticks(QPainter& painter, const std::vector<QPointF>& places, const std::vector<bool>& strong);
/// The rim of a view that has the keyboard.
void focusRim(QPainter& painter, const QWidget& view);

}
