// How the scene's frame lies in a view of it. Values; places of the view are px of the widget, places of the
// frame px of the scene's output.
#pragma once

#include "scene/scene.h"

#include <QRectF>

namespace stage::desk {

struct FrameFit {
    QRectF rect;  ///< the frame, in the view
    V2i frame{1}; ///< its size in its own px

    double pixelsEach() const { return rect.width() / frame.x; } ///< of the view, for one of the frame
    QPointF toView(const V2d& place) const;
    V2d toFrame(const QPointF& place) const;
    /// The share of the frame, 0..1 in it, across or down.
    double shareAt(const QPointF& place, bool across) const;
};

/// How far a view is zoomed in, and where to. As it is made: the whole frame, in the middle.
struct FrameZoom {
    double zoom = 1; ///< 0.2 to 16; 1: the frame just fits
    QPointF shift;   ///< of the frame's middle from the view's

    FrameFit fit(const QSizeF& view, V2i frame) const;
    /// Zooms by a factor; what is at a place of the view stays there.
    void zoomAt(const QPointF& place, const QSizeF& view, double factor);
    /// A box of the frame fills most of the view.
    void show(const V2d& low, const V2d& high, const QSizeF& view, V2i frame);
};

}
