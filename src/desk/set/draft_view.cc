#include "desk/set/draft_view.h"

#include "desk/kit/number_field.h"
#include "desk/look/points.h"
#include "motion/measure.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QToolTip>
#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

/// The convex polygon around points (Andrew's monotone chain).
QPolygonF hullOf(std::vector<QPointF> points) {
    std::sort(points.begin(), points.end(), [](const QPointF& a, const QPointF& b) {
        return a.x() != b.x() ? a.x() < b.x() : a.y() < b.y();
    });
    QPolygonF hull;
    const auto add = [&](const QPointF& p, qsizetype least) {
        while (hull.size() > least) {
            const QPointF a = hull[hull.size() - 2], b = hull.last();
            if ((b.x() - a.x()) * (p.y() - a.y()) - (b.y() - a.y()) * (p.x() - a.x()) > 0) break;
            hull.removeLast();
        }
        hull << p;
    };
    for (const QPointF& p : points)
        add(p, 1);
    const qsizetype upper = hull.size();
    for (auto p = points.rbegin() + 1; p != points.rend(); ++p)
        add(*p, upper);
    return hull;
}

constexpr double catchPixels = 6, pickPixels = 8;

double distanceTo(const QPolygonF& line, const QPointF& place) {
    std::vector<V2d> points;
    for (const QPointF& point : line)
        points.push_back(toV2d(point));
    return interaction::distanceToPolyline(points, toV2d(place));
}

}

DraftView::DraftView(Session& session, From from, QWidget* parent)
    : QWidget(parent), m_session(session), m_from(from), m_scale(from == From::Above) {
    setAttribute(Qt::WA_OpaquePaintEvent);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(160, 120);
    setAccessibleName(from == From::Above ? tr("Plan") : tr("Section"));
    connect(&m_session.document, &Document::sceneChanged, this, &DraftView::refresh);
    const auto follow = [this] {
        layOut();
        update();
    };
    m_session.playhead.beat().follow(this, Beat::Rank::Drawing, follow);
    connect(&m_session.camera, &ShownCamera::changed, this, follow);
    connect(&m_session.selection, &Selection::layersChanged, this, qOverload<>(&QWidget::update));
    connect(&m_session.document, &Document::pathChanged, this, [this] {
        m_own = false;
        refresh();
    });
    m_first = optics::firstView(*m_session.scene());
    refit();
}

void DraftView::refresh() {
    if (!isVisible()) return; // laid out when it is shown
    // The scale stays under a hand that drags.
    if (!m_session.document.previewing() && !m_own) refit();
    layOut();
    update();
}

void DraftView::showEvent(QShowEvent*) {
    refresh();
}

// ---- scale

interaction::PaperPoint DraftView::draft(const V3d& point) const {
    const V3d from = point - m_first.eye;
    return {m_from == From::Above ? from.dot(m_first.right) : from.dot(m_first.up),
            from.dot(m_first.forward)};
}

QPointF DraftView::placeOf(const V3d& point) const {
    return toPoint(m_scale.place(draft(point)));
}

QPointF DraftView::placeOfDepth(double depth) const {
    return toPoint(m_scale.place({0, depth}));
}

void DraftView::refit() {
    const scene::Scene& scene = *m_session.scene();
    m_first = optics::firstView(scene);
    std::vector<double> depths;
    for (const scene::LayerPath& found : m_session.now().all)
        if (!found.layer->group()) depths.push_back(m_session.now().depthOf(found));
    std::sort(depths.begin(), depths.end());
    const double middle = depths.empty() ? scene.homeDepth : depths[depths.size() / 2];
    const double farthest = depths.empty() ? scene.homeDepth : depths.back();
    double ahead = 0, behind = 0;
    std::vector<interaction::PaperPoint> points;
    for (const scene::Mark& mark : scene.camera.marks) {
        const interaction::PaperPoint at = draft(mark.pose.position);
        ahead = std::max(ahead, at.depth);
        behind = std::min(behind, at.depth);
        points.push_back(at);
    }
    const double fold = std::max(0.5, 0.8 * std::clamp(middle, 0.1, 1e6));
    m_scale.setFolded(m_scale.folded(), fold);
    const double far =
        std::max({farthest * (m_scale.folded() ? 1.3 : 1.06), ahead * 1.3, scene.homeDepth * 1.2, fold});
    // What the first mark sees at the far end is what the paper is for; wide things near by may stick out.
    const double half = scene.output.frame.x / (2 * m_first.slope) *
                        (m_from == From::Above ? 1.0 : 1.0 * scene.output.frame.y / scene.output.frame.x);
    for (const double side : {-1.0, 1.0})
        points.push_back({side * half * far * 1.12, far});
    points.push_back({0, std::max(-0.4 * fold, std::min(behind * 1.2, 0.0) - 0.06 * fold)});
    if (m_from == From::Side) { // the ground, where it is near
        const interaction::PaperPoint foot = draft({m_first.eye.x, scene.ground, m_first.eye.z});
        if (std::abs(foot.across) < 10) points.push_back({foot.across - 0.2, 0});
    }
    m_scale.fit(points, {8, 8}, V2d(width() - 8, height() - 8));
    Q_EMIT scaleChanged();
}

void DraftView::fitAll() {
    m_own = false;
    refit();
    layOut();
    update();
}

void DraftView::fitSelection() {
    const auto points = m_session.outlines(true);
    if (points.empty()) return fitAll();
    m_own = true;
    interaction::PaperPoint low = draft(points[0]), high = low;
    for (const V3d& each : points) {
        const interaction::PaperPoint point = draft(each);
        low = {std::min(low.across, point.across), std::min(low.depth, point.depth)};
        high = {std::max(high.across, point.across), std::max(high.depth, point.depth)};
    }
    // Room around, also for a single flat one.
    const double room = std::max({(high.across - low.across) * 0.15, (high.depth - low.depth) * 0.15,
                                  0.05 * std::abs(high.depth), 0.2});
    m_scale.fit({{low.across - room, low.depth - room}, {high.across + room, high.depth + room}}, {8, 8},
                V2d(width() - 8, height() - 8));
    layOut();
    update();
    Q_EMIT scaleChanged();
}

void DraftView::setFolded(bool folded) {
    m_scale.setFolded(folded, m_scale.fold());
    fitAll();
}

void DraftView::setFindings(const Findings* findings) {
    m_findings = findings;
    connect(findings, &Findings::changed, this, qOverload<>(&QWidget::update));
}

void DraftView::layOut() {
    // The paper stays still under a hand that moves the very mark from which it is drawn.
    if (m_drag != Drag::Camera) m_first = optics::firstView(*m_session.scene());
    m_bars.clear();
    for (const scene::LayerPath& found : m_session.now().all) {
        if (found.layer->group()) continue;
        const optics::Surface card = optics::surfaceOf(*found.layer, optics::worldOf(found.carriers));
        Bar bar{found.layer->id,
                found.layer,
                {},
                {},
                {},
                interaction::isVisible(found),
                interaction::isLocked(found)};
        const int steps = card.bend == 0 ? 1 : 24;
        const bool above = m_from == From::Above;
        const double low = above ? -card.left : -card.top, high = above ? 1 + card.right : 1 + card.bottom;
        for (int i = 0; i <= steps; ++i) {
            const double along = low + (high - low) * i / steps;
            bar.line << placeOf(above ? card.at(along, 0.5) : card.at(0.5, along));
        }
        for (const V3d& corner : card.outline())
            bar.outline << placeOf(corner);
        if (std::holds_alternative<scene::Lamp>(found.layer->content)) {
            for (const V3d& point :
                 interaction::reachRing(found, m_first.forward, above ? m_first.right : m_first.up))
                bar.box << placeOf(point);
        } else if (found.layer->box()) {
            std::vector<QPointF> corners;
            for (const V3d& corner : interaction::boxCorners(found))
                corners.push_back(placeOf(corner));
            bar.box = hullOf(std::move(corners));
        }
        m_bars.push_back(std::move(bar));
    }
}

std::vector<interaction::BoxSide> DraftView::sides() const {
    const auto& now = m_session.now();
    const auto layers = m_session.selection.layers();
    if (layers.size() != 1) return {};
    const scene::LayerPath& found = now.find(layers.front());
    if (!found.layer || interaction::isLocked(found)) return {};
    auto all = interaction::boxSides(found);
    // Those that are seen from their edges.
    const V3d through = m_from == From::Above ? m_first.up : m_first.right;
    std::erase_if(all, [&](const interaction::BoxSide& side) {
        return std::abs(side.outwards.normalized().dot(through)) > 0.8;
    });
    return all;
}

QPointF DraftView::barMiddle(std::int64_t layer) const {
    for (const Bar& bar : m_bars)
        if (bar.id == layer)
            return bar.line[bar.line.size() / 2] / 2 + bar.line[(bar.line.size() - 1) / 2] / 2;
    return {};
}

void DraftView::resizeEvent(QResizeEvent* event) {
    if (m_own && event->oldSize().isValid())
        m_scale.pan({(event->size().width() - event->oldSize().width()) / 2.0,
                     (event->size().height() - event->oldSize().height()) / 2.0});
    else
        refit();
    layOut();
    Q_EMIT scaleChanged();
}

// ---- input

std::int64_t DraftView::layerAt(const QPointF& place) const {
    std::int64_t best = 0;
    double nearest = pickPixels;
    for (const Bar& bar : m_bars) {
        if (bar.locked) continue;
        // What is selected is easier to take.
        const double distance = distanceTo(bar.line, place) - (m_session.selection.contains(bar.id) ? 2 : 0);
        if (distance < nearest) nearest = distance, best = bar.id;
    }
    return best;
}

std::optional<QPointF> DraftView::placeOf(CameraHandle::Kind kind, int mark) const {
    if (kind == CameraHandle::Kind::Ahead) return aheadPlace();
    if (kind == CameraHandle::Kind::SideRay || kind == CameraHandle::Kind::TopRay) {
        // Well out along the line, where nothing else of the camera is.
        const auto [eye, left, right] = sightLines();
        const QPointF along = right - eye;
        return eye + along * (70 / std::max(1e-9, std::hypot(along.x(), along.y())));
    }
    for (const CameraHandle& handle : cameraHandles(m_session))
        if (handle.kind == kind && handle.mark == mark) return placeOf(handle.at);
    return {};
}

std::optional<CameraHandle> DraftView::handleAt(const QPointF& place) const {
    using enum CameraHandle::Kind;
    // The nearest; a mark is taken by its number too.
    std::optional<CameraHandle> best;
    double nearest = pickPixels;
    const auto consider = [&](const CameraHandle& handle, const QPointF& at, double back) {
        const double off = std::hypot(at.x() - place.x(), at.y() - place.y()) + back;
        if (off < nearest) nearest = off, best = handle;
    };
    const V3d eye = m_session.camera.pose().position;
    for (const CameraHandle& handle : cameraHandles(m_session)) {
        const QPointF at = placeOf(handle.at);
        consider(handle, at, handle.kind == Body ? 1 : handle.kind == Mark ? -1 : 0);
        const QRectF number(at.x() - (handle.mark % 2 ? 8 : 26), at.y() - 8, 34, 20);
        if (handle.kind == Mark && number.contains(place)) consider(handle, place, 6);
    }
    consider({Ahead, -1, worldAt(aheadPlace(), eye), m_from == From::Above, m_from == From::Side},
             aheadPlace(), 0);
    return best;
}

V3d DraftView::worldAt(const QPointF& place, const V3d& like) const {
    const interaction::PaperPoint at = m_scale.metres(toV2d(place)), from = draft(like);
    return like + (m_from == From::Above ? m_first.right : m_first.up) * (at.across - from.across) +
           m_first.forward * (at.depth - from.depth);
}

/// By the path drawn, a few pixels from it.
bool DraftView::onPath(const QPointF& place) const {
    QPolygonF line;
    for (const V3d& each : interaction::wayOf(*m_session.scene(), m_session.move()))
        line << placeOf(each);
    return distanceTo(line, place) < 6;
}

/// The depth of another layer, of the focus or home, where one is near on paper; else as it is.
double DraftView::snapped(double depth, std::int64_t grabbed) const {
    const auto along = [&](double d) {
        const QPointF at = placeOfDepth(d);
        return m_from == From::Above ? at.y() : at.x();
    };
    double caught = depth, nearest = catchPixels;
    const auto consider = [&](double d) {
        if (const double off = std::abs(along(d) - along(depth)); off <= nearest) nearest = off, caught = d;
    };
    consider(m_session.scene()->homeDepth);
    consider(m_session.camera.pose().focus);
    for (const scene::LayerPath& found : m_session.now().all)
        if (found.layer->id != grabbed && !m_session.selection.contains(found))
            consider(m_session.now().depthOf(found));
    return caught;
}

void DraftView::pushTo(double depth, double from, std::int64_t grabbed, bool snaps) {
    m_snappedAt.reset();
    if (snaps)
        if (const double caught = snapped(depth, grabbed); caught != depth) m_snappedAt = depth = caught;
    const auto layers = m_session.movable();
    if (layers.empty()) return;
    m_session.document.preview(
        m_session.push(layers.size() > 1 ? edit::Edit{{"by", depth - from}} : edit::Edit{{"depth", depth}}));
    sayOf(grabbed);
}

void DraftView::endPush() {
    stop();
    if (!m_own) refit();
    layOut();
    update();
}

void DraftView::sayOf(std::int64_t layer) {
    const scene::LayerPath& found = m_session.now().find(layer);
    if (!found.layer) return;
    const auto measured = motion::measureAt(m_session.now(), found);
    m_say = tr("%1 m · %2 % · blur %3 px")
                .arg(figure(measured.depth, 2),
                     figure(100 * measured.size().x / m_session.scene()->output.frame.x, 1),
                     figure(measured.blur, 1));
    update();
}

void DraftView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    if (m_drag != Drag::None) return;
    m_pressed = m_last = event->position();
    m_moved = false;
    if (event->button() == Qt::MiddleButton) {
        m_drag = Drag::Pan;
        setCursor(Qt::ClosedHandCursor);
        return;
    }
    if (event->button() != Qt::LeftButton) return;
    if (const auto handle = handleAt(m_pressed)) return takeHandle(*handle);
    for (const interaction::BoxSide& side : sides()) {
        const QPointF off = placeOf(side.middle) - m_pressed;
        if (std::hypot(off.x(), off.y()) > 7) continue;
        m_drag = Drag::Side;
        m_side = side;
        m_gripOff = off;
        return;
    }
    const std::int64_t layer = layerAt(m_pressed);
    if (!layer) {
        const auto off = [this](const QPointF& begin, const QPointF& end) {
            return interaction::distanceToLine(toV2d(begin), toV2d(end), toV2d(m_pressed));
        };
        const QPolygonF line = bandOf(m_session.camera.pose().focus, m_session.camera.pose().focus);
        const double focus = off(line[0], line[1]);
        const auto [eye, left, right] = sightLines();
        for (const QPointF& end : {left, right}) {
            if (QPointF::dotProduct(m_pressed - eye, end - eye) > 0 && off(eye, end) < std::min(5.0, focus))
                return takeHandle(
                    {m_from == From::Above ? CameraHandle::Kind::SideRay : CameraHandle::Kind::TopRay, -1,
                     worldAt(m_pressed, m_session.camera.pose().position)});
        }
        if (focus < 4) {
            m_drag = Drag::Focus;
            return;
        }
        if (!(event->modifiers() & Qt::ControlModifier)) m_session.selection.select({});
        m_drag = Drag::Frame;
        m_frame = QRectF(m_pressed, QSizeF(0, 0));
        return;
    }
    m_session.selection.click(layer, event->modifiers() & Qt::ControlModifier);
    m_drag = Drag::Layer;
    m_dragLayer = layer;
    const scene::LayerPath& found = m_session.now().find(layer);
    m_depthFrom = m_session.now().depthOf(found);
}

void DraftView::takeHandle(const CameraHandle& handle) {
    m_drag = Drag::Camera;
    if (handle.kind == CameraHandle::Kind::Mark) {
        m_session.selection.select({});
        m_session.playhead.setFrame(
            frameAt(m_session.scene()->camera.marks[static_cast<std::size_t>(handle.mark)].time,
                    m_session.scene()->output.rate));
    }
    m_camera.emplace(m_session, handle);
    m_gripOff = placeOf(handle.at) - m_pressed;
}

/// A double click: on a handle it is as the path has it by itself again, on the path there is a mark.
void DraftView::mouseDoubleClickEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    const auto handle = handleAt(event->position());
    if (handle &&
        (handle->kind == CameraHandle::Kind::Arriving || handle->kind == CameraHandle::Kind::Leaving)) {
        stop();
        m_session.document.dropPreview();
        m_session.document.apply(
            {{"edit", "mark"}, {"mark", handle->mark + 1}, {"arriving", nullptr}, {"leaving", nullptr}});
        return;
    }
    if (handle || layerAt(event->position()) || !onPath(event->position())) return mousePressEvent(event);
    m_session.playhead.setFrame(
        interaction::frameNearest(*m_session.scene(), m_session.move(), [&](const V3d& point) {
            const QPointF off = placeOf(point) - event->position();
            return std::hypot(off.x(), off.y());
        }));
    if (m_session.camera.markHere() < 0) m_session.camera.setMarkHere();
}

void DraftView::mouseMoveEvent(QMouseEvent* event) {
    if (m_drag == Drag::None) return;
    const QPointF place = event->position();
    if (!m_moved && (place - m_pressed).manhattanLength() < 3) return;
    m_moved = true;
    const bool snaps = !(event->modifiers() & Qt::ControlModifier);
    switch (m_drag) {
    case Drag::Pan:
        m_own = true;
        m_scale.pan(toV2d(place - m_last));
        m_last = place;
        layOut();
        update();
        Q_EMIT scaleChanged();
        return;
    case Drag::Frame:
        m_frame = QRectF(m_pressed, place).normalized();
        return update();
    case Drag::Camera:
        m_say = m_camera->to(worldAt(place + m_gripOff, m_camera->handle().at), event->modifiers());
        return update();
    case Drag::Focus: {
        const optics::View view = optics::viewOf(m_session.camera.pose(), m_session.scene()->camera,
                                                 m_session.scene()->output.frame);
        const interaction::PaperPoint at = m_scale.metres(toV2d(place));
        const V3d point = m_first.eye + m_first.forward * at.depth;
        const double focus = std::max(0.05, (point - view.eye).dot(view.forward));
        edit::Edit edit = {{"edit", "lens"}, {"focus", focus}};
        if (const int mark = m_session.camera.markHere(); mark >= 0) edit["mark"] = mark + 1;
        m_session.document.preview(edit);
        m_say = tr("focus %1 m").arg(figure(focus, 2));
        return;
    }
    case Drag::Side: {
        const V3d by = worldAt(place + m_gripOff, m_side->middle) - m_side->middle;
        m_session.document.preview(interaction::boxDragged(*m_side, by));
        const scene::LayerPath& found = m_session.now().find(m_side->layer);
        if (found.layer && found.layer->box()) {
            const V3d box = *found.layer->box();
            m_say = tr("box %1 × %2 × %3 m").arg(figure(box.x, 2), figure(box.y, 2), figure(box.z, 2));
        }
        return update();
    }
    default:
        break;
    }
    if (m_session.movable().empty()) return;
    if (event->modifiers() & Qt::ShiftModifier) { // across, at its depth
        const double depth = m_depthFrom;
        double by = (m_from == From::Above ? place.x() - m_pressed.x() : m_pressed.y() - place.y()) /
                    m_scale.perMetre(depth);
        const V3d way = m_from == From::Above ? m_first.right : m_first.up;
        if (m_from == From::Side && snaps) { // onto the ground with its lowest point
            const motion::ResolvedScene before(*m_session.document.history().scene(),
                                               m_session.playhead.time(), m_session.camera.pose());
            double lowest = 1e300; // above the ground
            for (const V3d& point : motion::outlineOf(before, before.find(m_dragLayer)))
                lowest = std::min(lowest, point.y - before.scene.ground);
            if (std::abs((lowest + by * way.y) * m_scale.perMetre(depth)) < catchPixels && way.y > 0.1)
                by = -lowest / way.y;
        }
        m_snappedAt.reset();
        m_session.document.preview(
            m_session.onSelection("slide", {{"by", {way.x * by, way.y * by, way.z * by}}}));
        m_say = (m_from == From::Above ? tr("across %1 m") : tr("up %1 m")).arg(figure(by, 2));
        return;
    }
    const QPointF from = placeOfDepth(m_depthFrom);
    pushTo(m_scale.depthAt(toV2d(from + (place - m_pressed))), m_depthFrom, m_dragLayer, snaps);
}

void DraftView::stop() {
    m_drag = Drag::None;
    m_camera.reset();
    m_side.reset();
    m_snappedAt.reset();
    m_say.clear();
    unsetCursor();
}

void DraftView::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton && event->button() != Qt::MiddleButton) return;
    const Drag drag = m_drag;
    stop();
    if (drag == Drag::Frame && m_moved) {
        std::vector<std::int64_t> inside;
        for (const Bar& bar : m_bars)
            if (!bar.locked && bar.visible &&
                m_frame.intersects(bar.line.boundingRect().adjusted(-1, -1, 1, 1)))
                inside.push_back(bar.id);
        if (event->modifiers() & Qt::ControlModifier)
            for (const std::int64_t id : m_session.selection.layers())
                if (std::find(inside.begin(), inside.end(), id) == inside.end()) inside.push_back(id);
        m_session.selection.select(std::move(inside));
    }
    if (drag == Drag::Layer && !m_moved && !(event->modifiers() & Qt::ControlModifier))
        m_session.selection.select({m_dragLayer});
    m_session.document.commit();
    if (!m_own && drag != Drag::Pan) refit();
    layOut();
    update();
}

void DraftView::wheelEvent(QWheelEvent* event) {
    m_own = true;
    m_scale.zoom(std::pow(1.0015, event->angleDelta().y()), toV2d(event->position()));
    layOut();
    update();
    Q_EMIT scaleChanged();
    event->accept();
}

void DraftView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && m_drag != Drag::None) {
        if (m_camera) m_camera->cancel();
        stop();
        m_session.document.dropPreview();
        update();
        return;
    }
    const bool above = m_from == From::Above;
    const int forward = above ? Qt::Key_Up : Qt::Key_Right, back = above ? Qt::Key_Down : Qt::Key_Left;
    const int way = event->key() == forward ? 1 : event->key() == back ? -1 : 0;
    if (!way || m_session.movable().empty()) return QWidget::keyPressEvent(event);
    const double step = event->modifiers() & Qt::ShiftModifier     ? 1.0
                        : event->modifiers() & Qt::ControlModifier ? 0.01
                                                                   : 0.1;
    m_session.document.apply(m_session.push({{"by", step * way}}));
}

void DraftView::contextMenuEvent(QContextMenuEvent* event) {
    if (const std::int64_t layer = layerAt(event->pos()); layer && !m_session.selection.contains(layer))
        m_session.selection.click(layer, false);
    Q_EMIT menuAsked(event->globalPos());
}

bool DraftView::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const scene::LayerPath& found = m_session.now().find(layerAt(help->pos()));
        if (found.layer)
            QToolTip::showText(help->globalPos(),
                               tr("%1: %2 m. Drag to push it in depth, with Shift to slide it; Ctrl suspends "
                                  "catching on other depths.")
                                   .arg(QString::fromStdString(found.layer->name),
                                        figure(m_session.now().depthOf(found), 2)),
                               this);
        else
            QToolTip::hideText();
        return true;
    }
    return QWidget::event(event);
}

}
