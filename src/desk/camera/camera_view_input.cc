// The Camera view's input: what is under the pointer, and what a drag does.
#include "desk/camera/camera_view.h"

#include "desk/kit/number_field.h"
#include "desk/look/theme.h"
#include "motion/measure.h"
#include "motion/resolved_scene.h"
#include "scene/hanging_json.h"
#include "scene/scene_json.h"

#include <QContextMenuEvent>
#include <QKeyEvent>
#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

constexpr double catchPixels = 6, armPixels = 26;

}

optics::View CameraView::view() const {
    return optics::viewOf(m_session.camera.pose(), m_session.scene()->camera.gate,
                          m_session.scene()->output.frame);
}

V2d CameraView::toFrame(const QPointF& place) const {
    const QRectF frame = frameRect();
    const double scale = m_session.scene()->output.frame.x / frame.width();
    return V2d(place.x() - frame.left(), place.y() - frame.top()) * scale;
}

QPointF CameraView::toView(const V2d& place) const {
    const QRectF frame = frameRect();
    const double scale = frame.width() / m_session.scene()->output.frame.x;
    return {frame.left() + place.x * scale, frame.top() + place.y * scale};
}

std::int64_t CameraView::layerAt(const V2d& place) const {
    return m_session.layerAt(view(), place);
}

bool CameraView::shows(const scene::LayerPath& found, const V2d& place) const {
    return interaction::showsAt(m_session.now(), found, view(), place, m_session.covers());
}

std::optional<interaction::HandlePlane> CameraView::planeOf(const scene::LayerPath& found) const {
    const motion::ResolvedScene& now = m_session.now();
    const motion::Measure m = motion::measureAt(now, found);
    return interaction::handlePlane(found, now.view, m.low, m.high);
}

std::vector<std::pair<interaction::Handle, QPointF>> CameraView::handles() const {
    std::vector<std::pair<interaction::Handle, QPointF>> all;
    if (m_tool != Tool::Move || m_session.selection.layers().size() != 1 || m_session.movable().empty())
        return all;
    const scene::LayerPath& found = m_session.now().find(m_session.selection.layers().front());
    const auto plane = planeOf(found);
    if (!plane) return all;
    const double perPixel = m_session.scene()->output.frame.x / frameRect().width();
    for (const interaction::Handle& handle : interaction::handlesOf(*plane, view(), armPixels * perPixel))
        all.emplace_back(handle, toView(handle.place));
    // A small one is all handles: then only its corners are, and a little way out.
    QRectF around;
    for (const auto& [handle, at] : all)
        if (handle.kind == interaction::Handle::Kind::Corner)
            around |= QRectF(at - QPointF(0.5, 0.5), QSizeF(1, 1));
    if (std::min(around.width(), around.height()) < 48)
        std::erase_if(all,
                      [](const auto& each) { return each.first.kind == interaction::Handle::Kind::Edge; });
    return all;
}

int CameraView::guideAt(const QPointF& place) const {
    const QRectF frame = frameRect();
    const auto& guides = m_session.scene()->output.guides;
    for (std::size_t i = 0; i < guides.size(); ++i) {
        const double at = guides[i].upright ? frame.left() + frame.width() * guides[i].at
                                            : frame.top() + frame.height() * guides[i].at;
        if (std::abs((guides[i].upright ? place.x() : place.y()) - at) < 4) return static_cast<int>(i);
    }
    return -1;
}

void CameraView::addGuide(bool upright, const QPointF& place) {
    const QRectF frame = frameRect();
    const double at =
        upright ? (place.x() - frame.left()) / frame.width() : (place.y() - frame.top()) / frame.height();
    auto guides = m_session.scene()->output.guides;
    guides.push_back({upright, std::clamp(at, 0.0, 1.0)});
    m_session.document.apply({{"edit", "guides"}, {"guides", scene::toJson(guides)}});
}

void CameraView::dragGuide(const QPointF& place) {
    const QRectF frame = frameRect();
    auto guides = m_session.document.history().scene()->output.guides;
    if (m_guide < 0 || m_guide >= static_cast<int>(guides.size())) return;
    scene::Guide& guide = guides[static_cast<std::size_t>(m_guide)];
    const double at = guide.upright ? (place.x() - frame.left()) / frame.width()
                                    : (place.y() - frame.top()) / frame.height();
    m_say = (guide.upright ? tr("guide at %1 %") : tr("level guide at %1 %")).arg(figure(at * 100, 1));
    if (at < -0.02 || at > 1.02) { // dragged out of the frame it is gone
        guides.erase(guides.begin() + m_guide);
    } else {
        guide.at = std::clamp(at, 0.0, 1.0);
    }
    m_session.document.preview({{"edit", "guides"}, {"guides", scene::toJson(guides)}});
}

double CameraView::reach() const {
    std::optional<V3d> selected;
    if (m_session.selection.layers().size() == 1)
        selected = optics::pivotOf(m_session.now().find(m_session.selection.layers().front()));
    return interaction::walkDepth(*m_session.scene(), view(), selected);
}

void CameraView::startPull() {
    const auto& marks = m_session.scene()->camera.marks;
    m_pull = 0;
    m_pulled = 0;
    while (m_pull + 1 < static_cast<int>(marks.size()) &&
           marks[static_cast<std::size_t>(m_pull) + 1].time <= m_session.playhead.time())
        ++m_pull;
    m_session.playhead.setFrame(
        frameAt(marks[static_cast<std::size_t>(m_pull)].time, m_session.scene()->output.rate));
    setCursor(Qt::CrossCursor);
    setFocus();
    QWidget::update();
}

void CameraView::pullAt(const V2d& place) {
    const std::int64_t layer = layerAt(place);
    if (!layer) return;
    if (!m_session.document.apply({{"edit", "mark"}, {"mark", m_pull + 1}, {"focusOn", layer}})) return;
    const auto& marks = m_session.scene()->camera.marks;
    if (++m_pulled < 2 && m_pull + 1 < static_cast<int>(marks.size())) {
        ++m_pull;
        m_session.playhead.setFrame(
            frameAt(marks[static_cast<std::size_t>(m_pull)].time, m_session.scene()->output.rate));
    } else {
        endPull();
    }
    QWidget::update();
}

void CameraView::endPull() {
    m_pull = -1;
    unsetCursor();
    QWidget::update();
}

void CameraView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    if (m_dragging || m_panning) return;
    if (m_pull >= 0 && event->button() == Qt::LeftButton) return pullAt(toFrame(event->position()));
    m_from = m_last = event->position();
    m_moved = false;
    if (event->button() == Qt::MiddleButton) {
        m_panning = true;
        return;
    }
    if (event->button() != Qt::LeftButton) return;
    m_walkEnd.stop();
    m_session.camera.endWalk();
    m_dragging = true;
    m_walkFrom = m_session.camera.pose();
    m_handle.reset();
    m_plane.reset();
    m_guide = -1;
    m_grabbed = 0;
    const V2d place = toFrame(m_from);
    if (m_tool == Tool::Walk) return beginWalk(place);
    // The middle of a layer is where it is grabbed to be moved, so its pivot is moved with Shift only.
    const bool pivots = event->modifiers() & Qt::ShiftModifier;
    for (const auto& [handle, at] : event->modifiers() & Qt::ControlModifier
                                        ? std::vector<std::pair<interaction::Handle, QPointF>>{}
                                        : handles()) {
        if (handle.kind == interaction::Handle::Kind::Pivot && !pivots) continue;
        const double reachOf = handle.kind == interaction::Handle::Kind::Turn ? 12 : 9;
        if (std::hypot(at.x() - m_from.x(), at.y() - m_from.y()) > reachOf) continue;
        m_plane = planeOf(m_session.now().find(m_session.selection.layers().front()));
        const auto share = m_plane ? interaction::shareAt(*m_plane, view(), place) : std::nullopt;
        if (!share) continue;
        m_handle = handle;
        m_shareFrom = *share;
        return;
    }
    if (m_guide = guideAt(m_from); m_guide >= 0) return;
    const std::int64_t nearest = layerAt(place);
    std::int64_t layer = nearest;
    m_clicked.reset();
    m_alone = !(event->modifiers() & Qt::ControlModifier);
    // What is selected is dragged from wherever it shows, also through what lies in front of it; only a click
    // that does not become a drag goes to the nearest.
    if (!(event->modifiers() & Qt::ControlModifier))
        for (const std::int64_t id : m_session.movable())
            if (id != nearest && (m_tool != Tool::Move || shows(m_session.now().find(id), place))) {
                layer = id;
                m_clicked = nearest;
            }
    if (!m_clicked) m_session.selection.click(layer, event->modifiers() & Qt::ControlModifier);
    const scene::LayerPath& found = m_session.now().find(layer);
    if (!found.layer || m_session.movable().empty()) {
        m_dragging = false;
        return;
    }
    const optics::Surface card = optics::surfaceOf(*found.layer, optics::worldOf(found.carriers));
    const auto hit =
        found.layer->group() ? std::nullopt : optics::meet(view(), place, card.corner, card.normal());
    m_grip = hit ? *hit : optics::pivotOf(found);
    m_depthFrom = m_session.now().depthOf(found);
    m_grabbed = layer;
}

void CameraView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF place = event->position();
    if (m_panning) {
        m_shift += place - m_last;
        m_last = place;
        forget(); // other parts of the frame come into view
        return;
    }
    if (!m_dragging) return;
    if (!m_moved && (place - m_from).manhattanLength() < 3) return;
    m_moved = true;
    m_across.clear();
    m_up.clear();
    if (m_guide >= 0) return dragGuide(place);
    if (m_handle) return dragHandle(place, event->modifiers());
    if (m_tool == Tool::Walk) return walkTo(place, event->modifiers());
    if (m_tool == Tool::Turn) return turnBy(place - m_from, event->modifiers());
    if (m_tool == Tool::Push) {
        const double ratio = std::exp((m_from.y() - place.y()) / 180.0);
        m_session.document.preview(m_session.push({{"ratio", ratio}}));
        const motion::ResolvedScene& now = m_session.now();
        const auto measured = motion::measureAt(now, m_session.now().find(m_grabbed));
        m_say = tr("depth %1 m, from %2 m · blur %3 px")
                    .arg(figure(measured.depth, 2), figure(m_depthFrom, 2), figure(measured.blur, 1));
        return;
    }
    slideTo(place, event->modifiers());
}

/// In the layer's own plane: the point under the hand stays under the hand.
void CameraView::slideTo(const QPointF& place, Qt::KeyboardModifiers keys) {
    const scene::LayerPath found = m_session.now().find(m_grabbed);
    if (!found.layer) return;
    const optics::View lens = view();
    optics::Surface card;
    card.across = lens.right;
    card.down = -lens.up;
    if (!found.layer->group()) card = optics::surfaceOf(*found.layer, optics::worldOf(found.carriers));
    const auto hit = optics::meet(lens, toFrame(place), m_grip, card.normal());
    if (!hit) return;
    V3d by = *hit - m_grip;
    const V3d across = card.across.normalized(), down = card.down.normalized();
    if (keys & Qt::ShiftModifier) { // along one edge only
        const double a = by.dot(across), d = by.dot(down);
        by = std::abs(a) > std::abs(d) ? across * a : down * d;
    }
    const auto slide = [&](const V3d& v) {
        m_session.document.preview(m_session.onSelection("slide", {{"by", {v.x, v.y, v.z}}}));
    };
    slide(by);
    QString also;
    if (!(keys & Qt::ControlModifier)) {
        const V3d more = caught(m_session.now().find(m_grabbed));
        if (more.length() > 0) slide(by += more);
        for (const auto* lines : {&m_across, &m_up})
            for (const interaction::SnapLine& line : *lines)
                if (line.name[0]) also += QStringLiteral(" · ") + tr(line.name);
    }
    m_say = tr("across %1 m, up %2 m").arg(figure(by.dot(across), 2), figure(-by.dot(down), 2)) + also;
}

V3d CameraView::caught(const scene::LayerPath& moved) {
    const motion::ResolvedScene& now = m_session.now();
    const motion::Measure m = motion::measureAt(now, moved);
    const double depth = optics::depthOf(now.view, optics::pivotOf(moved));
    if (!m.corners || !(depth > 1e-6)) return V3d(0);
    const V2d frame(m_session.scene()->output.frame);
    std::vector<interaction::SnapLine> upright, level;
    const auto both = [&](double share, const char* name) {
        upright.push_back({frame.x * share, name});
        level.push_back({frame.y * share, name});
    };
    both(0.5, QT_TR_NOOP("centre"));
    both(1 / 3.0, QT_TR_NOOP("third"));
    both(2 / 3.0, QT_TR_NOOP("third"));
    both(0, QT_TR_NOOP("edge"));
    both(1, QT_TR_NOOP("edge"));
    for (const scene::Guide& guide : m_session.scene()->output.guides)
        (guide.upright ? upright : level)
            .push_back({(guide.upright ? frame.x : frame.y) * guide.at, QT_TR_NOOP("guide")});
    int looked = 0;
    for (const scene::LayerPath& other : m_session.now().all) {
        if (other.layer->group() || !other.layer->visible || m_session.selection.contains(other.layer->id) ||
            ++looked > 60)
            continue;
        const motion::Measure o = motion::measureAt(now, other);
        if (!o.corners) continue;
        const char* name = QT_TR_NOOP("another layer's edge");
        for (const double x : {o.low.x, o.high.x})
            if (x > 0 && x < frame.x) upright.push_back({x, name});
        for (const double y : {o.low.y, o.high.y})
            if (y > 0 && y < frame.y) level.push_back({y, name});
    }
    const double perPixel = frame.x / frameRect().width(), reachOf = catchPixels * perPixel;
    const double xs[] = {m.low.x, (m.low.x + m.high.x) / 2, m.high.x},
                 ys[] = {m.low.y, (m.low.y + m.high.y) / 2, m.high.y};
    V3d by(0);
    if (const auto caughtX = interaction::snap(xs, upright, reachOf)) {
        by += now.view.right * (caughtX->by * depth / now.view.slope);
        m_across.push_back(caughtX->line);
    }
    // The ground comes before lines of the frame: a foot that stands is worth more.
    double lowest = 1e300;
    for (const V3d& point : motion::outlineOf(m_session.now(), moved))
        lowest = std::min(lowest, point.y);
    if (std::abs(lowest) * now.view.slope / depth < reachOf && std::abs(now.view.up.y) > 0.5) {
        by.y -= lowest + by.y;
        const V3d foot = optics::pivotOf(moved);
        if (const auto place = optics::project(now.view, {foot.x, 0, foot.z}))
            m_up.push_back({place->y, QT_TR_NOOP("on the ground")});
    } else if (const auto caughtY = interaction::snap(ys, level, reachOf)) {
        by -= now.view.up * (caughtY->by * depth / now.view.slope);
        m_up.push_back(caughtY->line);
    }
    return by;
}

void CameraView::dragHandle(const QPointF& place, Qt::KeyboardModifiers keys) {
    const auto share = interaction::shareAt(*m_plane, view(), toFrame(place));
    if (!share) return;
    if (m_handle->kind == interaction::Handle::Kind::Pivot) {
        V2d to = *share;
        if (!(keys & Qt::ControlModifier)) // catches on corners, edges and the middle
            for (double* each : {&to.x, &to.y})
                for (const double at : {0.0, 0.5, 1.0})
                    if (std::abs(*each - at) < 0.03) *each = at;
        edit::Edit edit = m_session.onSelection("pivot", {{"to", {to.x - 0.5, 0.5 - to.y}}});
        if (m_plane->group) {
            // In the group's own metres.
            const scene::LayerPath found =
                scene::find(*m_session.document.history().scene(), m_session.selection.layers().front());
            const optics::Affine own =
                optics::worldOf(found.carriers) * optics::frameOf(found.layer->placement);
            const V3d at = own.inverse(m_plane->card.at(to.x, to.y));
            const V2d pivot = found.layer->hanging.pivot + V2d(at.x, at.y);
            edit["to"] = {pivot.x, pivot.y};
        }
        m_session.document.preview(edit);
        m_say = tr("pivot at %1 % across, %2 % up").arg(figure(to.x * 100, 0), figure(100 - to.y * 100, 0));
        return;
    }
    if (m_handle->kind == interaction::Handle::Kind::Turn) {
        double by = interaction::turnBetween(*m_plane, m_shareFrom, *share);
        const scene::LayerPath found =
            scene::find(*m_session.document.history().scene(), m_session.selection.layers().front());
        V3d turn = m_session.placementNow(found.layer->id).turn;
        if (keys & Qt::ShiftModifier) by = std::round((turn.z + by) / 15) * 15 - turn.z;
        turn.z += by;
        m_session.document.preview({{"edit", "place"},
                                    {"layer", found.layer->id},
                                    {"turn", scene::toJson(turn)},
                                    {"time", m_session.playhead.time().text()}});
        m_say = tr("roll %1°, by %2°").arg(figure(turn.z, 1), figure(by, 1));
        return;
    }
    const V2d k = interaction::growth(*m_plane, *m_handle, m_shareFrom, *share, !(keys & Qt::ShiftModifier));
    edit::Edit edit = m_session.onSelection("scale", {{"by", {k.x, k.y}}});
    if (m_session.scaleAboutAxis()) edit["about"] = "axis";
    m_session.document.preview(edit);
    const scene::LayerPath& now = m_session.now().find(m_session.selection.layers().front());
    const motion::Measure m = motion::measureAt(m_session.now(), now);
    m_say =
        tr("%1 × %2 m · %3 × %4 %")
            .arg(figure(m.metres.x, 2), figure(m.metres.y, 2), figure(k.x * 100, 0), figure(k.y * 100, 0));
}

void CameraView::turnBy(const QPointF& by, Qt::KeyboardModifiers keys) {
    std::vector<edit::Edit> edits;
    const auto step = [&](double degrees) {
        return keys & Qt::ControlModifier ? std::round(degrees / 15) * 15 : degrees;
    };
    const bool roll = keys & Qt::ShiftModifier;
    const double aside = roll ? 0 : step(by.x() * 0.4), lean = roll ? 0 : step(by.y() * 0.4),
                 turned = roll ? step(-by.x() * 0.4) : 0;
    const auto layers = m_session.movable();
    for (const std::int64_t id : layers) {
        const scene::LayerPath found = scene::find(*m_session.document.history().scene(), id);
        const V3d turn = m_session.placementNow(found.layer->id).turn + V3d(lean, aside, turned);
        edits.push_back({{"edit", "place"},
                         {"layer", id},
                         {"turn", scene::toJson(turn)},
                         {"time", m_session.playhead.time().text()}});
    }
    m_session.document.preview(
        edits.size() == 1 ? edits.front()
                          : edit::several("Turn " + std::to_string(layers.size()) + " layers", edits));
    m_say = roll ? tr("roll by %1°").arg(figure(turned, 1))
                 : tr("turn by %1°, lean by %2°").arg(figure(aside, 1), figure(-lean, 1));
}

void CameraView::mouseReleaseEvent(QMouseEvent* event) {
    if (m_panning && event->button() == Qt::MiddleButton) {
        m_panning = false;
        return;
    }
    if (event->button() != Qt::LeftButton || !m_dragging) return;
    m_dragging = false;
    m_handle.reset();
    m_guide = -1;
    m_across.clear();
    m_up.clear();
    m_say.clear();
    m_session.document.commit();
    // A click that did not become a drag of several selects the one alone.
    if (!m_moved && m_alone && m_grabbed && m_tool == Tool::Move)
        m_session.selection.select(m_clicked.value_or(m_grabbed) ? std::vector{m_clicked.value_or(m_grabbed)}
                                                                 : std::vector<std::int64_t>{});
    m_clicked.reset();
    m_grabbed = 0;
    QWidget::update();
}

void CameraView::contextMenuEvent(QContextMenuEvent* event) {
    if (const std::int64_t layer = layerAt(toFrame(event->pos()));
        layer && !m_session.selection.contains(layer))
        m_session.selection.click(layer, false);
    Q_EMIT menuAsked(event->globalPos(), event->pos());
}

void CameraView::wheelEvent(QWheelEvent* event) {
    if (m_tool != Tool::Walk) { // zoom at the pointer
        const double before = m_zoom;
        m_zoom = std::clamp(m_zoom * std::pow(1.0015, event->angleDelta().y()), 0.2, 16.0);
        const QPointF middle = QPointF(width(), height()) / 2;
        const QPointF from = event->position() - middle;
        m_shift = from + (m_shift - from) * (m_zoom / before);
        if (std::abs(m_zoom - 1) < 0.02) m_zoom = 1, m_shift = {};
        forget();
        return event->accept();
    }
    wheelWalk(event);
}

void CameraView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && m_pull >= 0) return endPull();
    if (event->key() == Qt::Key_Escape && m_dragging) {
        m_dragging = false;
        m_handle.reset();
        m_guide = -1;
        m_across.clear();
        m_up.clear();
        m_say.clear();
        if (m_tool == Tool::Walk) stopWalk();
        m_session.document.dropPreview();
        QWidget::update();
        return;
    }
    if (m_tool == Tool::Walk) {
        if (!walkKey(event)) QWidget::keyPressEvent(event);
        return;
    }
    const bool fine = event->modifiers() & Qt::ControlModifier, turn = event->modifiers() & Qt::ShiftModifier;
    const double k = fine ? 0.1 : 1;
    V2d arrow(0);
    double rise = 0;
    switch (event->key()) {
    case Qt::Key_Left:
        arrow.x = -1;
        break;
    case Qt::Key_Right:
        arrow.x = 1;
        break;
    case Qt::Key_Up:
        arrow.y = 1;
        break;
    case Qt::Key_Down:
        arrow.y = -1;
        break;
    case Qt::Key_PageUp:
        rise = 1;
        break;
    case Qt::Key_PageDown:
        rise = -1;
        break;
    default:
        return QWidget::keyPressEvent(event);
    }
    if (m_session.movable().empty()) return QWidget::keyPressEvent(event);
    if (m_tool == Tool::Push) {
        if (arrow.y + rise != 0)
            m_session.document.apply(m_session.push({{"by", (arrow.y + rise) * (turn ? 1.0 : 0.1 * k)}}));
        return;
    }
    const optics::View lens = view();
    const double pixel = reach() / lens.slope * (turn ? 10 : k);
    const V3d by = (lens.right * arrow.x + lens.up * (arrow.y + rise)) * pixel;
    m_session.document.apply(m_session.onSelection("slide", {{"by", {by.x, by.y, by.z}}}));
}

}
