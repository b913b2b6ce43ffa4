#include "desk/camera/frame_fit.h"

#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

constexpr double leastZoom = 0.2, mostZoom = 16;

}

QPointF FrameFit::toView(const V2d& place) const {
    return {rect.left() + place.x * pixelsEach(), rect.top() + place.y * pixelsEach()};
}

V2d FrameFit::toFrame(const QPointF& place) const {
    return V2d(place.x() - rect.left(), place.y() - rect.top()) / pixelsEach();
}

double FrameFit::shareAt(const QPointF& place, bool across) const {
    return across ? (place.x() - rect.left()) / rect.width() : (place.y() - rect.top()) / rect.height();
}

FrameFit FrameZoom::fit(const QSizeF& view, V2i frame) const {
    const double scale = zoom * std::min(view.width() / frame.x, view.height() / frame.y);
    const QSizeF size(frame.x * scale, frame.y * scale);
    return {{(view.width() - size.width()) / 2 + shift.x(), (view.height() - size.height()) / 2 + shift.y(),
             size.width(), size.height()},
            frame};
}

void FrameZoom::zoomAt(const QPointF& place, const QSizeF& view, double factor) {
    const double before = zoom;
    zoom = std::clamp(zoom * factor, leastZoom, mostZoom);
    const QPointF from = place - QPointF(view.width(), view.height()) / 2;
    shift = from + (shift - from) * (zoom / before);
    if (std::abs(zoom - 1) < 0.02) *this = {};
}

void FrameZoom::show(const V2d& low, const V2d& high, const QSizeF& view, V2i frame) {
    *this = {};
    const double scale = fit(view, frame).pixelsEach();
    zoom = std::clamp(0.85 * std::min(view.width() / ((high.x - low.x) * scale),
                                      view.height() / ((high.y - low.y) * scale)),
                      leastZoom, mostZoom);
    const V2d off = (low + high) / 2.0 - V2d(frame) / 2.0;
    shift = {-off.x * scale * zoom, -off.y * scale * zoom};
}

}
