// Input of the cut-out view.
#include "desk/cutting/cut_view.h"

#include "desk/cutting/cut_picture.h"
#include "desk/cutting/cut_shapes.h"
#include "desk/jobs/background.h"
#include "media/content.h"
#include "scene/scene_json.h"

#include <QKeyEvent>
#include <QPushButton>
#include <QTabletEvent>

namespace stage::desk {
namespace {

constexpr double gripReach = 7, mostZoom = 32;

}

// ---- input

CutView::Held CutView::gripAt(const QPointF& place) const {
    const auto near = [&](const V2d& spot) {
        const QPointF d = toView(spot) - place;
        return std::hypot(d.x(), d.y()) <= gripReach;
    };
    if (const auto points = outline(); !points.empty()) {
        for (std::size_t i = points.size(); i-- > 0;) {
            const auto& p = points[i];
            const int n = static_cast<int>(i);
            if (near(p.place)) return {Grip::Point, n, p.place};
            if (p.out != V2d(0) && near(p.place + p.out)) return {Grip::Out, n, p.place};
            if (p.in != V2d(0) && near(p.place + p.in)) return {Grip::In, n, p.place};
        }
    }
    if (const auto a = area()) {
        const V2d sides[] = {V2d(-1, -1), V2d(1, -1), V2d(1, 1), V2d(-1, 1)};
        for (int i = 0; i < 4; ++i)
            if (near(a->centre + turned(sides[i] * a->size / 2.0, a->turn)))
                return {Grip::Corner, i, a->centre};
        const V2d inside = turned(toPicture(place) - a->centre, -a->turn);
        if (std::abs(inside.x) < a->size.x / 2 && std::abs(inside.y) < a->size.y / 2)
            return {Grip::Area, 0, a->centre};
    }
    return {};
}

void CutView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    const auto l = layer();
    m_last = event->position();
    if (!l) return;
    const V2d at = toPicture(event->position());
    if (event->button() == Qt::MiddleButton || (event->modifiers() & Qt::ControlModifier)) {
        m_held = {Grip::Pan, 0, at};
        setCursor(Qt::ClosedHandCursor);
        return;
    }
    if (event->button() != Qt::LeftButton) return;
    if (m_take) return pick(at);
    if (m_guide != Guide::Off) {
        m_held = {Grip::Loop, 0, at};
        m_drawn = {at};
        return;
    }
    const bool painting = m_tool == Tool::Brush || m_tool == Tool::Clone;
    if (!painting && m_points.empty()) {
        if (const Held held = gripAt(event->position()); held.grip != Grip::None) {
            const bool shapes =
                m_tool == Tool::Rectangle || m_tool == Tool::Ellipse || held.grip != Grip::Area;
            if (shapes) {
                m_held = held;
                m_held.from = at;
                m_pointsFrom = outline();
                if (const auto a = area()) m_areaFrom = *a;
                return;
            }
        }
    }
    switch (m_tool) {
    case Tool::Loop:
    case Tool::Fill:
        m_held = {Grip::Loop, 0, at};
        m_drawn = {at};
        break;
    case Tool::Outline: {
        const bool closes = m_points.size() >= 3 &&
                            std::hypot((toView(m_points[0].place) - event->position()).x(),
                                       (toView(m_points[0].place) - event->position()).y()) <= gripReach;
        if (closes) return finishOutline();
        m_points.emplace_back(at);
        m_held = {Grip::NewPoint, static_cast<int>(m_points.size()) - 1, at};
        break;
    }
    case Tool::Rectangle:
    case Tool::Ellipse:
        m_held = {Grip::Shape, 0, at};
        m_drawn = {at, at};
        break;
    case Tool::Alike:
        pick(at);
        break;
    case Tool::Clone:
        if (event->modifiers() & Qt::AltModifier) {
            m_cloneFrom = at; // becomes an offset with the first stroke
            m_held.which = -2;
            break;
        }
        if (!m_cloneFrom) {
            Q_EMIT m_session.problem(tr("Alt and click first, on what the brush shall lay down."));
            break;
        }
        if (m_held.which == -2) m_cloneFrom = *m_cloneFrom - at;
        [[fallthrough]];
    case Tool::Brush:
        m_held = {Grip::Paint, 0, at};
        m_stroke = {};
        m_stroke.size = m_brushSize;
        m_stroke.hardness = m_brushHardness;
        m_stroke.flow = m_brushFlow;
        m_stroke.erase = m_tool == Tool::Brush && (event->modifiers() & Qt::AltModifier);
        m_stroke.dabs = {{at, m_pressure}};
        break;
    }
    update();
}

void CutView::mouseMoveEvent(QMouseEvent* event) {
    m_hover = event->position();
    m_over = true;
    const V2d at = toPicture(event->position());
    const QPointF moved = event->position() - m_last;
    switch (m_held.grip) {
    case Grip::Pan:
        m_origin += moved;
        m_last = event->position();
        request();
        return;
    case Grip::Loop:
        m_drawn.push_back(at);
        break;
    case Grip::Shape: {
        V2d to = at;
        if (event->modifiers() & Qt::ShiftModifier) { // square, round
            const V2d d = to - m_held.from;
            const double side = std::max(std::abs(d.x), std::abs(d.y));
            to = m_held.from + V2d(std::copysign(side, d.x), std::copysign(side, d.y));
        }
        m_drawn = {m_held.from, to};
        break;
    }
    case Grip::NewPoint: {
        auto& point = m_points[static_cast<std::size_t>(m_held.which)];
        const V2d out = at - point.place;
        if (out.length() * m_zoom > 4) point.out = out, point.in = -out;
        break;
    }
    case Grip::Point:
    case Grip::In:
    case Grip::Out: {
        auto points = m_pointsFrom;
        auto& point = points[static_cast<std::size_t>(m_held.which)];
        if (m_held.grip == Grip::Point && (event->modifiers() & Qt::ShiftModifier)) {
            point.out = at - point.place; // pulls handles out of a corner
            point.in = -point.out;
        } else if (m_held.grip == Grip::Point) {
            point.place += at - m_held.from;
        } else {
            V2d &own = m_held.grip == Grip::In ? point.in : point.out,
                &other = m_held.grip == Grip::In ? point.out : point.in;
            own += at - m_held.from;
            if (!(event->modifiers() & Qt::ShiftModifier) && own.length() > 0 && other.length() > 0)
                other = own * (-other.length() / own.length()); // stays smooth
        }
        changeCurrent("points", pointsJson(points), true, true);
        break;
    }
    case Grip::Corner: {
        scene::Area area = m_areaFrom;
        const V2d sides[] = {V2d(-1, -1), V2d(1, -1), V2d(1, 1), V2d(-1, 1)};
        const V2d side = sides[m_held.which];
        const V2d fixed = area.centre - turned(side * area.size / 2.0, area.turn);
        const V2d across = turned(at - fixed, -area.turn);
        area.size = {std::max(1.0, across.x * side.x), std::max(1.0, across.y * side.y)};
        if (event->modifiers() & Qt::ShiftModifier) {
            const double k = std::max(area.size.x / m_areaFrom.size.x, area.size.y / m_areaFrom.size.y);
            area.size = m_areaFrom.size * k;
        }
        area.centre = fixed + turned(side * area.size / 2.0, area.turn);
        changeCurrent("area", areaJson(area), true, true);
        break;
    }
    case Grip::Area: {
        scene::Area area = m_areaFrom;
        area.centre += at - m_held.from;
        changeCurrent("area", areaJson(area), true, true);
        break;
    }
    case Grip::Paint:
        if ((at - m_stroke.dabs.back().place).length() >= std::max(0.5, m_stroke.size * 0.04))
            m_stroke.dabs.push_back({at, m_pressure});
        break;
    case Grip::None:
        break;
    }
    update();
}

void CutView::mouseReleaseEvent(QMouseEvent*) {
    const Grip grip = m_held.grip;
    const int which = m_held.which;
    m_held = {Grip::None, which == -2 ? -2 : -1, V2d(0)};
    switch (grip) {
    case Grip::Pan:
        setCursor(Qt::CrossCursor);
        break;
    case Grip::Loop:
        finishLoop();
        break;
    case Grip::Shape: {
        const V2d a = m_drawn[0], b = m_drawn[1];
        m_drawn.clear();
        const V2d size(std::abs(b.x - a.x), std::abs(b.y - a.y));
        if (size.x < 2 || size.y < 2) break;
        addMatte({{"kind", m_tool == Tool::Ellipse ? "ellipse" : "rectangle"},
                  {"area", areaJson({(a + b) / 2.0, size, 0})}});
        break;
    }
    case Grip::Point:
    case Grip::In:
    case Grip::Out:
    case Grip::Corner:
    case Grip::Area:
        m_session.document.commit();
        break;
    case Grip::Paint:
        finishStroke();
        break;
    default:
        break;
    }
    update();
}

void CutView::mouseDoubleClickEvent(QMouseEvent* event) {
    if (m_tool == Tool::Outline && m_points.size() >= 3) return finishOutline();
    // On an outline: a new corner where it is met.
    auto points = outline();
    const V2d at = toPicture(event->position());
    for (std::size_t i = 0; i < points.size(); ++i) {
        const auto &a = points[i], &b = points[(i + 1) % points.size()];
        for (double t = 0.1; t < 0.95; t += 0.02) {
            const double s = 1 - t;
            const V2d c = a.place * (s * s * s) + (a.place + a.out) * (3 * s * s * t) +
                          (b.place + b.in) * (3 * s * t * t) + b.place * (t * t * t);
            if ((c - at).length() * m_zoom > gripReach) continue;
            // De Casteljau: the curve stays as it is.
            const V2d p01 = a.place + a.out * t, p12 = (a.place + a.out) * s + (b.place + b.in) * t,
                      p23 = b.place + b.in * s, left = p01 * s + p12 * t, right = p12 * s + p23 * t;
            const bool straight = a.out == V2d(0) && b.in == V2d(0);
            scene::PathPoint added(c, straight ? V2d(0) : left - c, straight ? V2d(0) : right - c);
            if (!straight) {
                points[i].out = p01 - a.place;
                points[(i + 1) % points.size()].in = p23 - b.place;
            }
            points.insert(points.begin() + static_cast<std::ptrdiff_t>(i) + 1, added);
            m_points.clear(); // the first click of the two began a new outline
            m_held = {};
            changeCurrent("points", pointsJson(points), true, false);
            return;
        }
    }
    mousePressEvent(event);
}

void CutView::tabletEvent(QTabletEvent* event) {
    m_pressure = event->type() == QEvent::TabletRelease ? 1 : std::clamp(event->pressure(), 0.0, 1.0);
    event->ignore(); // comes again as a mouse event
}

void CutView::leaveEvent(QEvent*) {
    m_over = false;
    update();
}

void CutView::wheelEvent(QWheelEvent* event) {
    if (!layer()) return;
    if (event->modifiers() & Qt::AltModifier) {
        const int turn = event->angleDelta().x() + event->angleDelta().y();
        return setBrushSize(m_brushSize * std::pow(1.15, turn / 120.0));
    }
    const V2d fixed = toPicture(event->position());
    m_zoom = std::clamp(m_zoom * std::pow(1.2, event->angleDelta().y() / 120.0), 1e-3, mostZoom);
    m_origin += event->position() - toView(fixed);
    request();
}

void CutView::keyPressEvent(QKeyEvent* event) {
    switch (event->key()) {
    case Qt::Key_Return:
    case Qt::Key_Enter:
        if (m_guide != Guide::Off) return m_bannerNext->click();
        if (m_points.size() >= 3) return finishOutline();
        break;
    case Qt::Key_Escape:
        if (m_take || !m_points.empty() || m_guide != Guide::Off) {
            m_take = nullptr;
            m_points.clear();
            m_guide = Guide::Off;
            setCursor(Qt::CrossCursor);
            refreshBanner();
            return update();
        }
        break;
    case Qt::Key_BracketLeft:
        return setBrushSize(m_brushSize / 1.25);
    case Qt::Key_BracketRight:
        return setBrushSize(m_brushSize * 1.25);
    case Qt::Key_0:
        return fit();
    case Qt::Key_1: { // pixel for pixel, around the middle
        const QPointF middle(width() / 2.0, height() / 2.0);
        const V2d fixed = toPicture(middle);
        m_zoom = 1 / devicePixelRatioF();
        m_origin += middle - toView(fixed);
        return request();
    }
    case Qt::Key_Backspace:
        if (!m_points.empty()) {
            m_points.pop_back();
            return update();
        }
        break;
    default:
        break;
    }
    QWidget::keyPressEvent(event);
}

// ---- what has been drawn

void CutView::addMatte(scene::Json matte) {
    const auto l = layer();
    if (!l) return;
    const int count = l->cutout ? static_cast<int>(l->cutout->mattes.size()) : 0;
    if (m_session.document.apply({{"edit", "add-matte"}, {"layer", l->id}, {"matte", std::move(matte)}}))
        setMatte(count);
}

void CutView::changeCurrent(const char* member, const scene::Json& value, bool keyed, bool live) {
    const auto l = layer();
    if (!l || !current()) return;
    scene::Json next = value;
    if (keyed) next = scene::withValueAt(scene::toJson(*current())[member], matteTime(), value);
    edit::Edit edit = {
        {"edit", "matte"}, {"layer", l->id}, {"matte", m_matte + 1}, {"change", {{member, next}}}};
    if (live)
        m_session.document.preview(edit);
    else
        m_session.document.apply(edit);
}

void CutView::finishLoop() {
    const auto loop = thinned(m_drawn, 2 / m_zoom);
    m_drawn.clear();
    const auto l = layer();
    if (!l || loop.size() < 3) return;
    if (m_guide != Guide::Off) {
        (m_guide == Guide::Near ? m_near : m_middle).push_back(loop);
        return refreshBanner();
    }
    if (m_tool == Tool::Fill) {
        std::vector<scene::PathPoint> points(loop.begin(), loop.end());
        m_session.document.apply({{"edit", "add-fill"},
                                  {"layer", l->id},
                                  {"grow", 0},
                                  {"hole", {{{"kind", "outline"}, {"points", pointsJson(points)}}}}});
        return;
    }
    const auto pixels = motion::pixelsAt(*m_session.scene(), l, m_session.playhead.time());
    addMatte({{"kind", "subject"}, {"loop", pairs(loop)}, {"frame", pixels ? pixels->footage.frame : 0}});
}

void CutView::finishOutline() {
    auto points = std::exchange(m_points, {});
    m_held = {};
    if (points.size() >= 3) addMatte({{"kind", "outline"}, {"points", pointsJson(points)}});
    update();
}

void CutView::finishStroke() {
    const scene::Stroke stroke = std::exchange(m_stroke, {});
    const auto l = layer();
    if (!l || stroke.dabs.empty()) return;
    if (m_tool == Tool::Clone) {
        m_session.document.apply({{"edit", "add-clone"},
                                  {"layer", l->id},
                                  {"stroke", scene::toJson(stroke)},
                                  {"from", pair(*m_cloneFrom)}});
        return;
    }
    const scene::Matte* matte = current();
    const auto* painted = matte ? std::get_if<scene::Painted>(&matte->shape) : nullptr;
    const auto* subject = matte ? std::get_if<scene::Subject>(&matte->shape) : nullptr;
    if (painted || subject) {
        // On a found thing a stroke says what belongs to it; erasing, what does not.
        scene::Json list = scene::Json::array();
        for (const scene::Stroke& each : painted ? painted->strokes : subject->hints)
            list.push_back(scene::toJson(each));
        list.push_back(scene::toJson(stroke));
        changeCurrent(painted ? "strokes" : "hints", list, false, false);
        return;
    }
    scene::Stroke first = stroke;
    first.erase = false;
    const char* combine = stroke.erase ? "subtract" : "add";
    addMatte({{"kind", "painted"}, {"combine", combine}, {"strokes", {scene::toJson(first)}}});
}

void CutView::pick(const V2d& place) {
    const auto l = layer();
    const auto pixels = motion::pixelsAt(*m_session.scene(), l, m_session.playhead.time());
    if (!pixels) return;
    setCursor(Qt::CrossCursor);
    inBackground<scene::Colour>(
        this, tr("Looking at the colour"),
        [pixels, place, cache = m_session.sharedSources()](const Progress&) -> Result<scene::Colour> {
            return media::pickedColour(*pixels->layer, pixels->footage.frame, place, *cache);
        },
        [this, id = l->id, place,
         take = std::exchange(m_take, nullptr)](const Result<scene::Colour>& colour) {
            if (!colour) {
                if (!colour.error().cancelled)
                    Q_EMIT m_session.problem(QString::fromStdString(colour.error().sentence));
                return;
            }
            if (!layer() || layer()->id != id) return; // another one is worked on by now
            if (take) return take(*colour);
            addMatte({{"kind", "alike"}, {"colour", scene::toJson(*colour)}, {"at", pair(place)}});
        });
}

}
