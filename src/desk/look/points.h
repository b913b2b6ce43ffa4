// Places of a widget as pairs of numbers, and back. Pure functions.
#pragma once

#include "scene/geometry.h"

#include <QPointF>

namespace stage::desk {

inline V2d toV2d(const QPointF& point) {
    return {point.x(), point.y()};
}
inline QPointF toPoint(const V2d& place) {
    return {place.x, place.y};
}

}
