#include "desk/camera/camera_overlay.h"

#include "desk/look/theme.h"
#include "interaction/box_handles.h"
#include "interaction/orbit_view.h"
#include "interaction/picking.h"
#include "motion/measure.h"

#include <QCoreApplication>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

using Kind = interaction::Handle::Kind;

const QColor shade(0x1C, 0x1F, 0x22);

QColor shaded(int alpha) {
    QColor colour = shade;
    colour.setAlpha(alpha);
    return colour;
}

void drawUpright(QPainter& painter, double x, const QSizeF& size) {
    painter.drawLine(QPointF(x, 0), QPointF(x, size.height()));
}

void drawLevel(QPainter& painter, double y, const QSizeF& size) {
    painter.drawLine(QPointF(0, y), QPointF(size.width(), y));
}

/// A light line with dark edges, seen on any picture.
void stroke(QPainter& painter, const QPolygonF& points) {
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(shade, 5.5, Qt::SolidLine, Qt::FlatCap, Qt::MiterJoin));
    painter.drawPolyline(points);
    painter.setPen(QPen(theme::paper, 3, Qt::SolidLine, Qt::FlatCap, Qt::MiterJoin));
    painter.drawPolyline(points);
}

double labelWidth(QPainter& painter, const QString& text) {
    painter.setFont(theme::figures(11));
    return painter.fontMetrics().horizontalAdvance(text) + 10;
}

/// A figure in a dark box.
void label(QPainter& painter, const QPointF& corner, const QString& text) {
    const QRectF box(corner, QSizeF(labelWidth(painter, text), 18));
    painter.setPen(Qt::NoPen);
    painter.setBrush(shaded(200));
    painter.drawRoundedRect(box, 3, 3);
    painter.setPen(theme::text);
    painter.drawText(box, Qt::AlignCenter, text);
}

/// The point that is so many px from one towards another, at most half the way.
QPointF toward(const QPointF& from, const QPointF& to, double pixels) {
    const QPointF by = to - from;
    const double length = std::hypot(by.x(), by.y());
    return length > 0 ? from + by * (std::min(pixels, length / 2) / length) : from;
}

/// The places of the corners that a test of their share takes; where there are fewer than two, the middle.
template <class Test>
std::array<QPointF, 2> corners(const PlacedHandles& handles, const QPointF& middle, const Test& test) {
    std::array<QPointF, 2> found{middle, middle};
    std::size_t count = 0;
    for (const auto& [handle, at] : handles)
        if (handle.kind == Kind::Corner && count < 2 && test(handle.share)) found[count++] = at;
    return found;
}

}

void drawGapMap(QPainter& painter, const QRectF& frame, const checks::Report& report) {
    for (const checks::Finding& finding : report.findings) {
        if (!finding.map) continue;
        const checks::OpenMap& map = *finding.map;
        const float longest = *std::max_element(map.seconds.begin(), map.seconds.end());
        QImage picture(map.cells.x, map.cells.y, QImage::Format_ARGB32);
        for (int y = 0; y < map.cells.y; ++y)
            for (int x = 0; x < map.cells.x; ++x) {
                const float seconds = map.seconds[static_cast<std::size_t>(y * map.cells.x + x)];
                QColor colour = theme::focus;
                colour.setAlpha(seconds > 0 ? static_cast<int>(80 + 150 * seconds / longest) : 0);
                picture.setPixelColor(x, y, colour);
            }
        painter.setRenderHint(QPainter::SmoothPixmapTransform, false);
        painter.drawImage(frame, picture);
        painter.setRenderHint(QPainter::SmoothPixmapTransform);
        const QString text = QCoreApplication::translate("stage::desk::CameraView", "empty for up to %1 s")
                                 .arg(QString::number(static_cast<double>(longest), 'f', 1));
        label(painter, frame.topRight() + QPointF(-10 - labelWidth(painter, text), 10), text);
    }
}

void drawWipe(QPainter& painter, const QRectF& frame, double line) {
    const double x = frame.left() + frame.width() * line, middle = frame.center().y();
    painter.setPen(QPen(shaded(190), 4, Qt::SolidLine, Qt::FlatCap));
    painter.drawLine(QPointF(x, frame.top()), QPointF(x, frame.bottom()));
    painter.setPen(QPen(theme::paper, 1.5, Qt::SolidLine, Qt::FlatCap));
    painter.drawLine(QPointF(x, frame.top()), QPointF(x, frame.bottom()));
    painter.setPen(QPen(shade, 1.5));
    painter.setBrush(theme::paper);
    painter.drawPolygon(QPolygonF{{x, middle - 16}, {x + 7, middle}, {x, middle + 16}, {x - 7, middle}});
    const QString flat = QCoreApplication::translate("stage::desk::CameraView", "flat"),
                  staged = QCoreApplication::translate("stage::desk::CameraView", "staged");
    label(painter, {x - 8 - labelWidth(painter, flat), frame.bottom() - 26}, flat);
    label(painter, {x + 8, frame.bottom() - 26}, staged);
}

void drawThirds(QPainter& painter, const QRectF& frame) {
    // Whole pixels: lines between them take longer and are blurred.
    const QColor colour(255, 255, 255, 56);
    const QRect all = frame.toRect();
    for (const double k : {1 / 3.0, 2 / 3.0}) {
        painter.fillRect(QRect(qRound(frame.left() + frame.width() * k), all.top(), 1, all.height()), colour);
        painter.fillRect(QRect(all.left(), qRound(frame.top() + frame.height() * k), all.width(), 1), colour);
    }
}

void drawSafeAreas(QPainter& painter, const QRectF& frame) {
    painter.setPen(QPen(QColor(255, 255, 255, 110), 1, Qt::DashLine));
    painter.setBrush(Qt::NoBrush);
    for (const double k : {0.05, 0.10}) {
        const double x = frame.width() * k, y = frame.height() * k;
        painter.drawRect(frame.adjusted(x, y, -x, -y));
    }
}

void drawGuides(QPainter& painter, const QRectF& frame, const QSizeF& size,
                const std::vector<scene::Guide>& guides, int held) {
    for (std::size_t i = 0; i < guides.size(); ++i) {
        painter.setPen(QPen(theme::brass, static_cast<int>(i) == held ? 1.6 : 1, Qt::DashDotLine));
        if (guides[i].upright)
            drawUpright(painter, frame.left() + frame.width() * guides[i].at, size);
        else
            drawLevel(painter, frame.top() + frame.height() * guides[i].at, size);
    }
}

void drawVariants(QPainter& painter, const FrameFit& fit, const scene::Scene& scene) {
    painter.setFont(theme::sans(11));
    std::vector<QRectF> labels;
    for (const scene::Variant& variant : scene.output.variants) {
        const auto [low, high] = optics::variantInFrame(scene, variant);
        const QRectF frame(fit.toView(low), fit.toView(high));
        painter.setBrush(Qt::NoBrush);
        for (const QPen& pen : {QPen(shaded(190), 3), QPen(theme::paper, 1)}) {
            painter.setPen(pen);
            painter.drawRect(frame);
        }
        const QString name = QString::fromStdString(variant.name);
        // Inside its upper left corner, below the names that are there already.
        const QRectF seen = frame.intersected(QRectF(painter.viewport()));
        QRectF box(seen.topLeft() + QPointF(5, 5), QSizeF(labelWidth(painter, name), 18));
        for (const QRectF& other : labels)
            if (other.intersects(box)) box.moveTop(other.bottom() + 3);
        labels.push_back(box);
        label(painter, box.topLeft(), name);
    }
}

void drawSnapLines(QPainter& painter, const FrameFit& fit, const QSizeF& size,
                   const std::vector<interaction::SnapLine>& upright,
                   const std::vector<interaction::SnapLine>& level) {
    painter.setPen(QPen(theme::vermilion, 1));
    for (const interaction::SnapLine& line : upright)
        drawUpright(painter, fit.toView({line.at, 0}).x(), size);
    for (const interaction::SnapLine& line : level)
        drawLevel(painter, fit.toView({0, line.at}).y(), size);
}

void drawMissing(QPainter& painter, const FrameFit& fit, const QRectF& view, const Session& session,
                 const std::vector<std::int64_t>& missing) {
    painter.setFont(theme::sans(12, true));
    for (const std::int64_t id : missing) {
        const scene::LayerPath& found = session.now().find(id);
        if (!found.layer || !interaction::isVisible(found)) continue;
        const motion::Measure m = motion::measureAt(session.now(), found);
        if (!m.corners) continue;
        const scene::Media* media = scene::mediaOf(*found.layer);
        const QString text =
            QCoreApplication::translate("stage::desk::CameraView", "▲ %1: %2 is missing")
                .arg(QString::fromStdString(found.layer->name),
                     media ? QString::fromStdString(std::filesystem::path(media->path).filename().string())
                           : QString());
        // In the middle of what the frame shows of it.
        const QRectF seen =
            QRectF(fit.toView(m.low), fit.toView(m.high)).intersected(fit.rect).intersected(view);
        if (seen.isEmpty()) continue;
        QRectF box = painter.fontMetrics().boundingRect(text).adjusted(-8, -4, 8, 4);
        box.moveCenter(seen.center());
        painter.setPen(Qt::NoPen);
        painter.setBrush(shaded(225));
        painter.drawRoundedRect(box, 3, 3);
        painter.setPen(QColor(0xF0, 0xA5, 0x8F));
        painter.drawText(box, Qt::AlignCenter, text);
    }
}

void drawOutlines(QPainter& painter, const FrameFit& fit, const Session& session) {
    const motion::ResolvedScene& now = session.now();
    for (const std::int64_t id : session.selection.layers()) {
        const scene::LayerPath& found = now.find(id);
        if (!found.layer) continue;
        const motion::Measure measured = motion::measureAt(now, found);
        if (!measured.corners) continue;
        QPolygonF outline;
        if (found.layer->group())
            for (const V2d& corner : *measured.corners)
                outline << fit.toView(corner);
        else
            for (const V3d& point : motion::outlineOf(now, found))
                if (const auto place = optics::project(now.view, point)) outline << fit.toView(*place);
        painter.setBrush(Qt::NoBrush);
        if (std::holds_alternative<scene::Lamp>(found.layer->content)) {
            const auto ring = interaction::reachRing(found, now.view.right, now.view.up);
            painter.setPen(QPen(theme::brass, 1, Qt::DotLine));
            for (std::size_t i = 0; i < ring.size(); ++i)
                if (const auto seen =
                        interaction::seenLine(now.view, ring[i], ring[(i + 1) % ring.size()], 0.01))
                    painter.drawLine(fit.toView(seen->first), fit.toView(seen->second));
        } else if (found.layer->box()) {
            const auto corners = interaction::boxCorners(found);
            painter.setPen(QPen(theme::vermilion, 1, Qt::DotLine));
            for (const auto& [a, b] : interaction::boxEdges)
                if (const auto seen = interaction::seenLine(now.view, corners[static_cast<std::size_t>(a)],
                                                            corners[static_cast<std::size_t>(b)], 0.01))
                    painter.drawLine(fit.toView(seen->first), fit.toView(seen->second));
        }
        painter.setPen(QPen(QColor(0, 0, 0, 120), 3));
        painter.drawPolygon(outline);
        painter.setPen(
            QPen(theme::vermilion, 1.5, interaction::isLocked(found) ? Qt::DashLine : Qt::SolidLine));
        painter.drawPolygon(outline);
    }
}

void drawSlip(QPainter& painter, const FrameFit& fit, Session& session) {
    const checks::Slip* slip = session.footSlip().slip();
    if (!slip || slip->places.empty()) return;
    const auto track = [&](std::optional<V2d> checks::Slip::Place::*which, const QColor& colour,
                           Qt::PenStyle style) {
        QPolygonF line;
        const auto draw = [&] {
            painter.setBrush(Qt::NoBrush);
            painter.setPen(QPen(shaded(170), 4, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
            painter.drawPolyline(line);
            painter.setPen(QPen(colour, 2, style, Qt::RoundCap, Qt::RoundJoin));
            painter.drawPolyline(line);
            line.clear();
        };
        for (const auto& place : slip->places)
            if (place.*which)
                line << fit.toView(*(place.*which));
            else
                draw();
        draw();
    };
    track(&checks::Slip::Place::ground, theme::paper, Qt::DotLine);
    track(&checks::Slip::Place::foot, theme::vermilion, Qt::SolidLine);
    const auto index =
        static_cast<std::size_t>(std::max<std::int64_t>(0, session.playhead.frame() / slip->step));
    if (index >= slip->places.size()) return;
    const auto& now = slip->places[index];
    if (!now.foot || !now.ground) return;
    const QPointF foot = fit.toView(*now.foot), ground = fit.toView(*now.ground);
    painter.setPen(QPen(shaded(200), 4));
    painter.drawLine(foot, ground);
    painter.setPen(QPen(theme::brass, 2));
    painter.drawLine(foot, ground);
    painter.setPen(QPen(shade, 1));
    painter.setBrush(theme::paper);
    painter.drawRect(QRectF(ground.x() - 6, ground.y() - 2, 12, 4));
    painter.setBrush(theme::vermilion);
    painter.drawEllipse(foot, 4.5, 4.5);
    const QString text = QCoreApplication::translate("stage::desk::CameraView", "slip %1 px")
                             .arg(QString::number((*now.foot - *now.ground).length(), 'f', 1));
    label(painter, {std::max(foot.x(), ground.x()) + 10, foot.y() - 9}, text);
}

void drawHandles(QPainter& painter, const PlacedHandles& handles) {
    QPointF middle;
    int count = 0;
    for (const auto& [handle, at] : handles)
        if (handle.kind == Kind::Corner) middle += at, ++count;
    if (count == 0) return;
    middle /= count;
    for (const auto& [handle, at] : handles) {
        const V2d own = handle.share;
        switch (handle.kind) {
        case Kind::Corner: {
            // Corners are held as prints are held in an album.
            const QPointF along = corners(
                handles, middle, [&](const V2d& share) { return share.y == own.y && share.x != own.x; })[0];
            const QPointF down = corners(
                handles, middle, [&](const V2d& share) { return share.x == own.x && share.y != own.y; })[0];
            stroke(painter, {toward(at, along, 12), at, toward(at, down, 12)});
            break;
        }
        case Kind::Edge: {
            // Along its edge: towards the corners at its ends.
            const auto ends = corners(handles, middle, [&](const V2d& share) {
                return own.x == 0.5 ? share.y == own.y : share.x == own.x;
            });
            stroke(painter, {toward(at, ends[0], 7), at, toward(at, ends[1], 7)});
            break;
        }
        case Kind::Turn:
            painter.setPen(QPen(shade, 4.5));
            painter.setBrush(Qt::NoBrush);
            painter.drawArc(QRectF(at.x() - 8, at.y() - 8, 16, 16), -30 * 16, 240 * 16);
            painter.setPen(QPen(theme::paper, 2.2));
            painter.drawArc(QRectF(at.x() - 8, at.y() - 8, 16, 16), -30 * 16, 240 * 16);
            break;
        case Kind::Foot:
            painter.setPen(QPen(shade, 1.5));
            painter.setBrush(theme::vermilion);
            painter.drawEllipse(at, 4.5, 4.5);
            break;
        case Kind::Pivot:
            stroke(painter, {at + QPointF(-6, 0), at + QPointF(6, 0)});
            stroke(painter, {at + QPointF(0, -6), at + QPointF(0, 6)});
            break;
        }
    }
}

void drawHint(QPainter& painter, const QRectF& place, const QString& text) {
    painter.setFont(theme::figures(12));
    painter.setPen(Qt::NoPen);
    painter.setBrush(shaded(215));
    painter.drawRoundedRect(place, 3, 3);
    painter.setPen(theme::text);
    painter.drawText(place, Qt::AlignCenter | Qt::TextWordWrap, text);
}

}
