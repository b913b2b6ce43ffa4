// What is drawn over the picture in the Camera view. Painters are of the view.
#pragma once

#include "checks/choreography.h"
#include "desk/camera/frame_fit.h"
#include "desk/session/session.h"
#include "interaction/handles.h"
#include "interaction/snapping.h"

class QPainter;

namespace stage::desk {

/// Handles with their places in the view.
using PlacedHandles = std::vector<std::pair<interaction::Handle, QPointF>>;

/// Where the frame runs empty over the move, the longer the stronger.
void drawGapMap(QPainter& painter, const QRectF& frame, const checks::Report& report);
/// The line between the flat picture and the staged one, in widths of the frame.
void drawWipe(QPainter& painter, const QRectF& frame, double line);
void drawThirds(QPainter& painter, const QRectF& frame);
void drawSafeAreas(QPainter& painter, const QRectF& frame);
/// size: of the view. held: index of the guide that is dragged; -1: none.
void drawGuides(QPainter& painter, const QRectF& frame, const QSizeF& size,
                const std::vector<scene::Guide>& guides, int held);
/// The frames of the size variants, with their names.
void drawVariants(QPainter& painter, const FrameFit& fit, const scene::Scene& scene);
/// The lines that a drag has caught on.
void drawSnapLines(QPainter& painter, const FrameFit& fit, const QSizeF& size,
                   const std::vector<interaction::SnapLine>& upright,
                   const std::vector<interaction::SnapLine>& level);
/// A label on what is seen of each layer whose media are missing.
void drawMissing(QPainter& painter, const FrameFit& fit, const QRectF& view, const Session& session,
                 const std::vector<std::int64_t>& missing);
/// The path of the foot of the selected layer over the move and that of the ground under it, with where both
/// are now.
void drawSlip(QPainter& painter, const FrameFit& fit, Session& session);
void drawOutlines(QPainter& painter, const FrameFit& fit, const Session& session);
void drawHandles(QPainter& painter, const PlacedHandles& handles);
/// What the tool says, in a box at a place.
void drawHint(QPainter& painter, const QRectF& place, const QString& text);

}
