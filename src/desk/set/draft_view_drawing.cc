// What a drafting view draws.
#include "desk/set/draft_view.h"

#include "desk/kit/number_field.h"
#include "desk/look/paper.h"
#include "desk/look/points.h"
#include "desk/look/theme.h"
#include "interaction/swept_pixels.h"
#include "optics/view.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace stage::desk {

void DraftView::drawGrid(QPainter& painter) const {
    painter.setFont(theme::figures(10));
    const bool up = m_from == From::Above;
    const QRectF area = rect();
    // Lines of equal depth: some of each decade where folded, evenly where true.
    std::vector<std::pair<double, bool>> depths;
    const double far = std::clamp(std::max(m_scale.depthAt(toV2d(up ? area.topRight() : area.bottomRight())),
                                           m_scale.depthAt(toV2d(area.topLeft()))),
                                  0.1, 1e7);
    if (m_scale.folded()) {
        for (double decade = 0.1; decade < far; decade *= 10)
            for (const int k : {1, 2, 4, 6, 8})
                depths.emplace_back(decade * k, k == 1 || k == 2 || k == 4);
    } else {
        const double pixels = std::max(1e-9, m_scale.perMetre(0));
        double step = std::pow(10, std::floor(std::log10(60 / pixels)));
        for (const double k : {1.0, 2.0, 5.0, 10.0})
            if (step * k * pixels >= 40) {
                step *= k;
                break;
            }
        for (double depth = step; depth < far && depths.size() < 200; depth += step)
            depths.emplace_back(depth, true);
    }
    const auto lineAt = [&](double depth) {
        const QPointF at = placeOfDepth(depth);
        if (up)
            painter.drawLine(QPointF(area.left(), at.y()), QPointF(area.right(), at.y()));
        else
            painter.drawLine(QPointF(at.x(), area.top()), QPointF(at.x(), area.bottom()));
    };
    const auto label = [&](double depth, const QString& text) {
        const QPointF at = placeOfDepth(depth);
        painter.setPen(theme::penDim);
        if (up)
            painter.drawText(QRectF(area.right() - 74, at.y() - 13, 68, 12), Qt::AlignRight | Qt::AlignBottom,
                             text);
        else
            painter.drawText(QRectF(at.x() + 3, area.bottom() - 15, 60, 12), Qt::AlignLeft | Qt::AlignBottom,
                             text);
    };
    const auto along = [&](double depth) {
        const QPointF at = placeOfDepth(depth);
        return up ? -at.y() : at.x();
    };
    double last = -1e9, lastLabel = -1e9;
    const double room = up ? 20 : 44;
    const double zero = along(0);
    for (const auto& [depth, strong] : depths) {
        const double at = along(depth);
        if (at - last < 9) continue;
        last = at;
        painter.setPen(QPen(strong ? theme::gridStrong : theme::grid, 1));
        lineAt(depth);
        if (strong && at - lastLabel > room && at - zero > room - 4) {
            label(depth, figure(depth, depth < 1 ? 1 : 0) + tr(" m"));
            lastLabel = at;
        }
    }
    painter.setPen(QPen(theme::gridStrong, 1));
    lineAt(0);
    label(0, tr("0 m"));
    // Lines of equal distance from the axis converge where the scale folds what is far.
    const double width = (up ? area.width() : area.height()) / std::max(1e-9, m_scale.perMetre(0));
    const double decade = std::pow(10, std::floor(std::log10(width / 3)));
    const double step = decade * (width / 3 / decade > 5 ? 5 : 1);
    painter.setPen(QPen(theme::grid, 1));
    const double end = std::min(far * 4, 1e7);
    for (double across = 0; across < end * 3 && across / step < 40; across += step)
        for (const double side : {-across, across})
            painter.drawLine(toPoint(m_scale.place({side, m_scale.folded() ? m_scale.nearest() : -end})),
                             toPoint(m_scale.place({side, end})));
    if (!up) { // the ground
        const V3d foot(m_first.eye.x, m_session.scene()->ground, m_first.eye.z);
        const V3d ahead = V3d(m_first.forward.x, 0, m_first.forward.z);
        painter.setPen(QPen(theme::penDim, 1, Qt::DashDotLine));
        painter.drawLine(placeOf(foot - ahead * 0.4 * m_scale.fold()), placeOf(foot + ahead * end));
        painter.setPen(theme::penDim);
        const QPointF at = placeOf(foot + ahead * 0.02 * m_scale.fold());
        painter.drawText(QRectF(4, at.y() + 1, 60, 12), Qt::AlignLeft | Qt::AlignTop, tr("ground"));
    }
}

/// What lies between two planes across the axis of the camera shown.
QPolygonF DraftView::bandOf(double near, double far) const {
    const optics::View view =
        optics::viewOf(m_session.camera.pose(), m_session.scene()->camera, m_session.scene()->output.frame);
    const V3d side = m_from == From::Above ? m_first.right : m_first.up;
    const double least = m_scale.nearest() * 0.9;
    const auto corner = [&](double depth, double way) {
        // Along the plane's own direction in this view, far enough to leave the paper.
        const V3d normal = view.forward;
        V3d across = side - normal * side.dot(normal);
        if (across.length() < 1e-6) across = side;
        interaction::PaperPoint at = draft(view.eye + view.forward * depth +
                                           across.normalized() * (way * (20 + 4 * std::min(depth, 1e6))));
        at.depth = std::max(at.depth, least);
        return toPoint(m_scale.place(at));
    };
    far = std::min(far, 1e6);
    return QPolygonF{corner(near, -1), corner(near, 1), corner(far, 1), corner(far, -1)};
}

/// Boxes that particles and clouds fill, lamps' reach, and the handles of the one that is selected.
void DraftView::drawBoxes(QPainter& painter) {
    std::vector<BoxLook> boxes;
    for (const Bar& bar : m_bars)
        if (!bar.box.isEmpty() && bar.visible)
            boxes.push_back({bar.box, m_session.selection.contains(bar.id)});
    if (!boxes.empty())
        drawKept(painter, m_boxes, std::move(boxes), [](QPainter& on, const std::vector<BoxLook>& looks) {
            for (const auto& [outline, chosen] : looks) {
                QColor inside = chosen ? theme::vermilion : theme::penDim;
                inside.setAlpha(chosen ? 16 : 10);
                on.setPen(QPen(chosen ? theme::vermilion : theme::penDim, chosen ? 1.4 : 1, Qt::DotLine));
                on.setBrush(inside);
                on.drawPolygon(outline);
            }
        });
    painter.setPen(QPen(theme::vermilion, 1.4));
    painter.setBrush(theme::paper);
    for (const interaction::BoxSide& side : sides())
        painter.drawRect(QRectF(placeOf(side.middle) - QPointF(3.5, 3.5), QSizeF(7, 7)));
}

void DraftView::drawSharp(QPainter& painter) const {
    const scene::Pose pose = m_session.camera.pose();
    const scene::Scene& scene = *m_session.scene();
    const optics::Sharpness range = optics::sharpnessOf(pose, scene.camera.gate, scene.output.frame);
    QColor veil = theme::focus;
    veil.setAlpha(26);
    painter.setPen(Qt::NoPen);
    painter.setBrush(veil);
    painter.drawPolygon(bandOf(range.near, range.far));
    const QPolygonF line = bandOf(pose.focus, pose.focus);
    painter.setPen(QPen(theme::focus, 1.6));
    painter.drawLine(line[0], line[1]);
}

void DraftView::labelFocus(QPainter& painter) const {
    const scene::Pose pose = m_session.camera.pose();
    const scene::Scene& scene = *m_session.scene();
    const V3d sharp =
        pose.position + optics::viewOf(pose, scene.camera, scene.output.frame).forward * pose.focus;
    const QPointF at = placeOf(sharp);
    painter.setFont(theme::figures(10));
    const QString text = tr("focus %1").arg(figure(pose.focus, 2));
    QRectF box = painter.fontMetrics().boundingRect(text).adjusted(-3, -1, 3, 1);
    if (m_from == From::Above)
        box.moveBottomLeft(QPointF(4, at.y() - 2));
    else
        box.moveTopLeft(QPointF(at.x() + 4, 6));
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(0xF2, 0xEC, 0xDF, 215));
    painter.drawRect(box);
    painter.setPen(theme::focus.darker(135));
    painter.drawText(box, Qt::AlignCenter, text);
}

namespace {

/// The camera's axis laid into the plane of a view, and its right-hand side or upside there.
struct Laid {
    V3d ahead, aside;
};
Laid laid(const optics::View& view, const optics::View& first, bool above) {
    const V3d normal = above ? first.up : first.right;
    V3d ahead = view.forward - normal * view.forward.dot(normal);
    if (ahead.length() < 1e-6) ahead = first.forward;
    ahead.normalize();
    return {ahead, above ? ahead.cross(normal) : normal.cross(ahead)};
}

}

DraftView::Sight DraftView::sightLines() const {
    return sightLinesOf(m_session.camera.pose());
}

DraftView::Sight DraftView::sightLinesOf(const scene::Pose& pose) const {
    const scene::Scene& scene = *m_session.scene();
    const optics::View view = optics::viewOf(pose, scene.camera, scene.output.frame);
    const bool above = m_from == From::Above;
    const auto [ahead, aside] = laid(view, m_first, above);
    // To the left or below, to the right or above: not alike where the lens is shifted.
    const V2d frame(scene.output.frame);
    const double low = above ? -view.centre.x : view.centre.y - frame.y,
                 high = above ? frame.x - view.centre.x : view.centre.y;
    const double reach = 50 * std::max(m_scale.fold(), 1.0);
    return {placeOf(view.eye), placeOf(view.eye + (ahead + aside * (low / view.slope)) * reach),
            placeOf(view.eye + (ahead + aside * (high / view.slope)) * reach)};
}

QPointF DraftView::aheadPlace() const {
    const scene::Scene& scene = *m_session.scene();
    const optics::View view = optics::viewOf(m_session.camera.pose(), scene.camera, scene.output.frame);
    const V3d ahead = laid(view, m_first, m_from == From::Above).ahead;
    const QPointF eye = placeOf(view.eye), toward = placeOf(view.eye + ahead * 0.05 * m_scale.fold()) - eye;
    const double length = std::hypot(toward.x(), toward.y());
    return eye + (length > 0 ? toward / length : QPointF(0, -1)) * 34;
}

std::vector<DraftView::Sight> DraftView::sweep() const {
    const auto way = interaction::wayTime(*m_session.scene());
    std::vector<Sight> sights;
    if (!(way.begin < way.end)) return sights;
    constexpr int most = 96;
    const double begin = way.begin.toDouble(), end = way.end.toDouble();
    const auto near = [](const QPointF& a, const QPointF& b) { return (a - b).manhattanLength() < 0.5; };
    for (int i = 0; i <= most; ++i)
        if (const Sight next = sightLinesOf(m_session.move().at(begin + (end - begin) * i / most));
            sights.empty() || !std::ranges::equal(next, sights.back(), near))
            sights.push_back(next);
    return sights;
}

/// All that the sight lines pass over during the move: at every depth, how wide or high a layer has to be.
void DraftView::drawSweep(QPainter& painter, const std::vector<Sight>& sights) {
    const double ratio = painter.device()->devicePixelRatio();
    const V2i size(painter.device()->width(), painter.device()->height());
    std::vector<interaction::Triangle> triangles;
    for (const Sight& sight : sights)
        triangles.push_back({toV2d(sight[0]) * ratio, toV2d(sight[1]) * ratio, toV2d(sight[2]) * ratio});
    const auto inside = interaction::coverageOf(triangles, size);
    const auto mixed = [](double share) {
        return (V3d(theme::paper.red(), theme::paper.green(), theme::paper.blue()) * (1 - share) +
                V3d(theme::sight.red(), theme::sight.green(), theme::sight.blue()) * share) /
               255.0;
    };
    const V3d fill = mixed(0.06), line = mixed(0.45);
    const auto covered = [&](int all, int of) { // of it by the inside
        const V3d colour = fill * of + line * (all - of);
        const auto whole = [](double value) { return static_cast<int>(std::lround(value)); };
        return qRgba(whole(colour.x), whole(colour.y), whole(colour.z), all);
    };
    const QRgb clear = covered(0, 0), full = covered(255, 255);
    const int beside = std::max(1, static_cast<int>(std::lround(ratio)));
    QImage picture(size.x, size.y, QImage::Format_ARGB32_Premultiplied);
    for (int y = 0; y < size.y; ++y) {
        const auto row = [&](int at) {
            return inside.data() + static_cast<std::size_t>(std::clamp(at, 0, size.y - 1)) * size.x;
        };
        const std::uint8_t *here = row(y), *above = row(y - beside), *below = row(y + beside);
        auto* out = reinterpret_cast<QRgb*>(picture.scanLine(y));
        for (int x = 0; x < size.x; ++x) {
            const int all = std::max({here[x], above[x], below[x], here[std::max(0, x - beside)],
                                      here[std::min(size.x - 1, x + beside)]}); // a line around it
            out[x] = all == 0 ? clear : here[x] == 255 ? full : covered(all, here[x]);
        }
    }
    picture.setDevicePixelRatio(ratio);
    painter.drawImage(0, 0, picture);
}

/// Where a bar falls short of what the move needs of it.
void DraftView::drawMissing(QPainter& painter) const {
    if (!m_findings || !m_findings->known()) return;
    for (const checks::Finding& finding : m_findings->report().findings) {
        if (finding.kind != checks::Kind::Gap || finding.layer == 0 || !finding.needed.bounded()) continue;
        const scene::LayerPath& found = m_session.now().find(finding.layer);
        if (!found.layer) continue;
        const optics::Surface card = optics::surfaceOf(*found.layer, optics::worldOf(found.carriers));
        const bool above = m_from == From::Above;
        const optics::Region& needed = finding.needed;
        const auto missing = [&](double from, double to) {
            if (!(to > from)) return;
            constexpr int steps = 12; // of a bent one
            QPolygonF line;
            for (int i = 0; i <= steps; ++i) {
                const double along = from + (to - from) * i / steps;
                line << placeOf(above ? card.at(along, 0.5) : card.at(0.5, along));
            }
            QPainterPath path;
            path.addPolygon(line);
            QPainterPathStroker stroker;
            stroker.setWidth(11);
            stroker.setCapStyle(Qt::FlatCap);
            const QPainterPath band = stroker.createStroke(path);
            painter.fillPath(band, theme::paper);
            painter.fillPath(band, QBrush(theme::vermilion, Qt::BDiagPattern));
            painter.strokePath(band, QPen(theme::vermilion, 1));
        };
        if (above) {
            missing(needed.s0, -card.left);
            missing(1 + card.right, needed.s1);
        } else {
            missing(needed.t0, -card.top);
            missing(1 + card.bottom, needed.t1);
        }
    }
}

void DraftView::drawSight(QPainter& painter) const {
    const auto [eye, left, right] = sightLines();
    QPainterPath cone;
    cone.moveTo(eye);
    cone.lineTo(left);
    cone.lineTo(right);
    cone.closeSubpath();
    painter.fillPath(cone, QColor(0x2F, 0x5D, 0x8C, 20));
    painter.setPen(QPen(theme::sight, 1.3));
    painter.drawLine(eye, left);
    painter.drawLine(eye, right);
}

/// The camera: a wedge that points where it looks, with a ring ahead of it by which it is turned.
void DraftView::drawCamera(QPainter& painter) const {
    const QPointF eye = placeOf(m_session.camera.pose().position), ring = aheadPlace();
    const QPointF u = (ring - eye) / 34, v(-u.y(), u.x());
    painter.setPen(QPen(theme::sight, 1));
    painter.drawLine(eye + u * 9, ring - u * 4);
    painter.setBrush(theme::paper);
    painter.drawEllipse(ring, 4, 4);
    painter.setPen(QPen(theme::pen, 1));
    painter.setBrush(theme::sight);
    painter.drawPolygon(QPolygonF{eye + u * 9, eye - u * 6 + v * 7, eye - u * 6 - v * 7});
}

void DraftView::drawPath(QPainter& painter) const {
    const auto& marks = m_session.scene()->camera.marks;
    QPolygonF path;
    for (const V3d& place : interaction::wayOf(*m_session.scene(), m_session.move()))
        path << placeOf(place);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(theme::vermilion, 1.2));
    painter.drawPolyline(path);
    const auto ticks = interaction::pathTicks(*m_session.scene(), m_session.move());
    std::vector<QPointF> places;
    for (const V3d& place : ticks.places)
        places.push_back(placeOf(place));
    paper::ticks(painter, places, ticks.wholeSeconds);
    const int here = m_session.camera.markHere();
    const auto held = [&](const CameraHandle& handle) {
        return m_camera && m_camera->handle().kind == handle.kind && m_camera->handle().mark == handle.mark;
    };
    for (const CameraHandle& handle : cameraHandles(m_session))
        if (handle.kind == CameraHandle::Kind::Arriving || handle.kind == CameraHandle::Kind::Leaving)
            paper::handle(painter, placeOf(marks[static_cast<std::size_t>(handle.mark)].pose.position),
                          placeOf(handle.at), held(handle));
        else if (handle.kind == CameraHandle::Kind::Target)
            paper::target(painter, placeOf(handle.at), held(handle));
    drawCamera(painter);
    for (std::size_t i = 0; i < marks.size(); ++i)
        paper::mark(painter, placeOf(marks[i].pose.position), static_cast<int>(i),
                    static_cast<int>(i) == here);
}

void DraftView::drawBar(QPainter& painter, const BarLook& bar) {
    painter.setOpacity(bar.visible ? 1 : 0.3);
    const QColor edge = bar.chosen ? theme::vermilion : theme::pen;
    QColor veil = bar.colour;
    veil.setAlpha(50);
    QColor rim = edge;
    rim.setAlpha(70);
    painter.setPen(QPen(rim, 0.8));
    painter.setBrush(veil);
    painter.drawPolygon(bar.outline);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(edge, 6.5, Qt::SolidLine, Qt::FlatCap));
    painter.drawPolyline(bar.line);
    painter.setPen(QPen(bar.colour, 4, Qt::SolidLine, Qt::FlatCap));
    painter.drawPolyline(bar.line);
}

/// The paper with what the camera sees, and the bars that are not selected.
void DraftView::drawBackdrop(QPainter& painter, std::vector<BarLook> bars) {
    drawKept(painter, m_paper,
             Paper{m_scale, m_first.eye, m_first.forward, m_session.scene()->ground, sweep()},
             [&](QPainter& on, const Paper& paper) {
                 on.fillRect(rect().adjusted(0, 0, 1, 1), theme::paper); // parts of pixels too
                 drawSweep(on, paper.sweep);
                 drawGrid(on);
             });
    drawSight(painter);
    drawSharp(painter);
    drawKept(painter, m_behind, std::move(bars), [](QPainter& on, const std::vector<BarLook>& looks) {
        for (const BarLook& bar : looks)
            drawBar(on, bar);
    });
}

void DraftView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    std::vector<BarLook> behind, chosen;
    for (const Bar& bar : m_bars) {
        const bool selected = m_session.selection.contains(m_session.now().find(bar.id));
        (selected ? chosen : behind)
            .push_back({bar.line, bar.outline, m_session.swatches().of(*m_session.scene(), bar.layer).colour,
                        bar.visible, selected});
    }
    drawBackdrop(painter, std::move(behind));
    for (const BarLook& bar : chosen)
        drawBar(painter, bar);
    painter.setOpacity(1);
    drawMissing(painter);
    drawBoxes(painter);
    labelFocus(painter);
    drawPath(painter);
    if (m_snappedAt) {
        painter.setPen(QPen(theme::vermilion, 1, Qt::DotLine));
        const QPointF at = placeOfDepth(*m_snappedAt);
        if (m_from == From::Above)
            painter.drawLine(QPointF(0, at.y()), QPointF(width(), at.y()));
        else
            painter.drawLine(QPointF(at.x(), 0), QPointF(at.x(), height()));
    }
    if (m_drag == Drag::Frame && m_moved) {
        painter.setPen(QPen(theme::vermilion, 1, Qt::DashLine));
        painter.setBrush(QColor(0xD9, 0x51, 0x2F, 22));
        painter.drawRect(m_frame);
    }
    paper::say(painter, rect(), m_say);
    paper::focusRim(painter, *this);
}

}
