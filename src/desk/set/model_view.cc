#include "desk/set/model_view.h"

#include "desk/kit/number_field.h"
#include "desk/look/paper.h"
#include "desk/look/points.h"
#include "desk/look/theme.h"
#include "interaction/picking.h"
#include "motion/frame.h"
#include "motion/measure.h"

#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace stage::desk {
ModelView::ModelView(Session& session, QWidget* parent)
    : QWidget(parent), m_session(session), m_request(session.sharedSources()) {
    setAttribute(Qt::WA_OpaquePaintEvent);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(160, 120);
    setAccessibleName(tr("Model"));
    const auto refresh = [this] {
        if (!m_own && !m_session.document.previewing()) frameAll();
        turned();
    };
    connect(&m_session.document, &Document::sceneChanged, this, refresh);
    connect(&m_session.document, &Document::pathChanged, this, [this, refresh] {
        m_own = false;
        refresh();
    });
    m_session.playhead.beat().follow(this, Beat::Rank::Drawing, [this] { turned(); });
    connect(&m_session.camera, &ShownCamera::changed, this, &ModelView::turned);
    connect(&m_session.selection, &Selection::layersChanged, this, qOverload<>(&QWidget::update));
    connect(&m_request, &ViewRenderer::ready, this, [this](const QImage& picture, qint64, double) {
        m_picture = picture;
        update();
    });
    connect(&m_request, &ViewRenderer::failed, &m_session, &Session::problem);
}

// ---- looking

V2i ModelView::pixels() const {
    return {std::max(1, width()), std::max(1, height())};
}

optics::View ModelView::view() const {
    return m_orbit.view(pixels());
}

std::optional<QPointF> ModelView::placeOf(const V3d& point) const {
    const auto place = optics::project(view(), point);
    if (!place) return std::nullopt;
    return QPointF(place->x, place->y);
}

/// Asks for the picture of what is seen now.
void ModelView::ask() {
    if (!isVisible() || width() < 2 || height() < 2) return;
    const double scale =
        devicePixelRatioF() * (m_drag != Drag::None || m_session.document.previewing() ? 0.5 : 1);
    const V2i size(std::max(1, static_cast<int>(width() * scale)),
                   std::max(1, static_cast<int>(height() * scale)));
    // As it stands for the camera of the move, seen from here.
    scene::Scene now = m_session.now().scene;
    now.camera.gate = interaction::OrbitView::gate;
    now.output.background = {0, 0, 0, 0};
    now.mist.density = 0; // which would lie over the paper
    m_request.ask({.frame = motion::evaluate(now, m_session.playhead.time(), size, m_orbit.pose()),
                   .quality = {.method = render::Method::Pinhole, .placeholders = true},
                   .finish = m_drag != Drag::None || m_session.document.previewing()});
}

void ModelView::turned() {
    ask();
    update();
}

/// All layers and the camera's marks.
void ModelView::frameAll() {
    if (!isVisible()) return; // framed when it is shown
    auto points = m_session.outlines(false);
    for (const scene::Mark& mark : m_session.scene()->camera.marks)
        points.push_back(mark.pose.position);
    m_orbit.fit(points, pixels());
}

void ModelView::fitAll() {
    m_own = false;
    frameAll();
    turned();
}

void ModelView::fitSelection() {
    const auto points = m_session.outlines(true);
    if (points.empty()) return fitAll();
    m_own = true;
    m_orbit.fit(points, pixels());
    turned();
}

void ModelView::lookFrom(Look look) {
    m_orbit.pan = look == Look::Free ? -32 : look == Look::Side ? -90 : 0;
    m_orbit.tilt = look == Look::Free ? -16 : look == Look::Above ? -89 : 0;
    frameAll();
    turned();
}

void ModelView::resizeEvent(QResizeEvent*) {
    if (!m_own) frameAll();
    ask();
}

void ModelView::showEvent(QShowEvent*) {
    if (!m_own) frameAll();
    ask();
}

// ---- drawing

void ModelView::line(QPainter& painter, const V3d& a, const V3d& b) const {
    if (const auto seen = interaction::seenLine(view(), a, b, 0.002 * m_orbit.distance + 1e-3))
        painter.drawLine(toPoint(seen->first), toPoint(seen->second));
}

void ModelView::drawGround(QPainter& painter) const {
    const double decade = std::pow(10, std::floor(std::log10(std::max(0.1, m_orbit.distance / 4))));
    const double step = m_orbit.distance / 4 / decade > 5   ? decade * 5
                        : m_orbit.distance / 4 / decade > 2 ? decade * 2
                                                            : decade;
    const int count = 12;
    const double up = m_session.scene()->ground;
    const double cx = std::round(m_orbit.target.x / step) * step,
                 cz = std::round(m_orbit.target.z / step) * step;
    for (int i = -count; i <= count; ++i) {
        painter.setPen(QPen(i % 5 == 0 ? theme::gridStrong : theme::grid, 1));
        line(painter, {cx + i * step, up, cz - count * step}, {cx + i * step, up, cz + count * step});
        line(painter, {cx - count * step, up, cz + i * step}, {cx + count * step, up, cz + i * step});
    }
    painter.setFont(theme::figures(10));
    painter.setPen(theme::penDim);
    painter.drawText(QRectF(6, height() - 18, 200, 14), Qt::AlignLeft | Qt::AlignVCenter,
                     tr("grid %1 m").arg(figure(step, step < 1 ? 1 : 0)));
}

void ModelView::drawCards(QPainter& painter) const {
    for (const scene::LayerPath& found : m_session.now().all) {
        if (found.layer->group()) continue;
        const bool visible = interaction::isVisible(found), chosen = m_session.selection.contains(found);
        const auto outline = optics::surfaceOf(*found.layer, optics::worldOf(found.carriers)).outline();
        QColor pen = chosen ? theme::vermilion : theme::pen;
        pen.setAlpha(chosen ? 255 : visible ? 90 : 40);
        painter.setPen(QPen(pen, chosen ? 1.8 : 0.8));
        for (std::size_t i = 0; i < outline.size(); ++i)
            line(painter, outline[i], outline[(i + 1) % outline.size()]);
        if (std::holds_alternative<scene::Lamp>(found.layer->content)) {
            const auto ring = interaction::reachRing(found, V3d(1, 0, 0), V3d(0, 0, 1));
            painter.setPen(QPen(pen, chosen ? 1.4 : 0.8, Qt::DotLine));
            for (std::size_t i = 0; i < ring.size(); ++i)
                line(painter, ring[i], ring[(i + 1) % ring.size()]);
            continue;
        }
        if (!found.layer->box()) continue;
        const auto corners = interaction::boxCorners(found);
        painter.setPen(QPen(pen, chosen ? 1.4 : 0.8, Qt::DotLine));
        for (const auto& [a, b] : interaction::boxEdges)
            line(painter, corners[static_cast<std::size_t>(a)], corners[static_cast<std::size_t>(b)]);
    }
    painter.setPen(QPen(theme::vermilion, 1.4));
    painter.setBrush(theme::paper);
    for (const interaction::BoxSide& side : sides())
        if (const auto at = placeOf(side.middle))
            painter.drawRect(QRectF(*at - QPointF(3.5, 3.5), QSizeF(7, 7)));
}

/// Of the box that is selected alone.
std::vector<interaction::BoxSide> ModelView::sides() const {
    const auto layers = m_session.selection.layers();
    if (layers.size() != 1) return {};
    const scene::LayerPath& found = m_session.now().find(layers.front());
    return found.layer && !interaction::isLocked(found) ? interaction::boxSides(found)
                                                        : std::vector<interaction::BoxSide>();
}

/// Along its own way: to where that comes nearest to the ray through the pointer.
void ModelView::dragSide(const QPointF& place) {
    const optics::View v = view();
    const V3d ray = optics::rayThrough(v, {place.x() + m_gripOff.x(), place.y() + m_gripOff.y()}),
              way = m_side->outwards, from = m_side->middle - v.eye;
    const double rr = ray.dot(ray), ww = way.dot(way), rw = ray.dot(way), across = rr * ww - rw * rw;
    if (!(across > 1e-9 * rr * ww)) return; // seen end-on
    const double along = (rw * ray.dot(from) - rr * way.dot(from)) / across;
    m_session.document.preview(interaction::boxDragged(*m_side, way * along));
    if (const scene::LayerPath& found = m_session.now().find(m_side->layer);
        found.layer && found.layer->box()) {
        const V3d box = *found.layer->box();
        m_say = tr("box %1 × %2 × %3 m").arg(figure(box.x, 2), figure(box.y, 2), figure(box.z, 2));
    }
}

void ModelView::drawCamera(QPainter& painter) const {
    const scene::Scene& scene = *m_session.scene();
    const optics::View lens = optics::viewOf(m_session.camera.pose(), scene.camera, scene.output.frame);
    drawPath(painter);
    drawSight(painter, lens);
    drawBody(painter, lens);
    drawCameraHandles(painter);
}

/// The camera's path, with a tape T at each mark.
void ModelView::drawPath(QPainter& painter) const {
    const auto& marks = m_session.scene()->camera.marks;
    painter.setPen(QPen(theme::vermilion, 1.2));
    const auto way = interaction::wayOf(*m_session.scene(), m_session.move());
    for (std::size_t i = 0; i + 1 < way.size(); ++i)
        line(painter, way[i], way[i + 1]);
    const auto ticks = interaction::pathTicks(*m_session.scene(), m_session.move());
    std::vector<QPointF> onPaper;
    std::vector<bool> strong;
    for (std::size_t i = 0; i < ticks.places.size(); ++i)
        if (const auto at = placeOf(ticks.places[i])) {
            onPaper.push_back(*at);
            strong.push_back(ticks.wholeSeconds[i]);
        }
    paper::ticks(painter, onPaper, strong);
    for (std::size_t i = 0; i < marks.size(); ++i) {
        if (const auto at = placeOf(marks[i].pose.position))
            paper::mark(painter, *at, static_cast<int>(i),
                        static_cast<int>(i) == m_session.camera.markHere());
    }
}

/// What the camera sees, out to the farthest layer, and the plane that is sharp.
void ModelView::drawSight(QPainter& painter, const optics::View& lens) const {
    const scene::Scene& scene = *m_session.scene();
    double far = scene.homeDepth;
    for (const scene::LayerPath& found : m_session.now().all)
        if (!found.layer->group()) far = std::max(far, optics::depthOf(lens, optics::pivotOf(found)));
    const V2d frame(scene.output.frame);
    const auto corners = [&](double depth) {
        std::array<V3d, 4> at;
        const V2d places[] = {{0, 0}, {frame.x, 0}, frame, {0, frame.y}};
        for (std::size_t i = 0; i < 4; ++i)
            at[i] = lens.eye + optics::rayThrough(lens, places[i]) * depth;
        return at;
    };
    const auto end = corners(far), sharp = corners(m_session.camera.pose().focus);
    painter.setPen(QPen(theme::sight, 1.1));
    for (std::size_t i = 0; i < 4; ++i) {
        line(painter, lens.eye, end[i]);
        line(painter, end[i], end[(i + 1) % 4]);
    }
    painter.setPen(QPen(theme::focus, 1.4));
    for (std::size_t i = 0; i < 4; ++i)
        line(painter, sharp[i], sharp[(i + 1) % 4]);
}

/// The camera's body: a box behind the eye and a lens before it, large enough to be seen.
void ModelView::drawBody(QPainter& painter, const optics::View& lens) const {
    const double size = 0.02 * (lens.eye - m_orbit.pose().position).length() + 0.05;
    const auto at = [&](double x, double y, double z) {
        return lens.eye + lens.right * (x * size) + lens.up * (y * size) + lens.forward * (z * size);
    };
    const std::array<V3d, 8> box = {at(-.7, -.7, -.2), at(.7, -.7, -.2), at(.7, .7, -.2), at(-.7, .7, -.2),
                                    at(-.7, -.7, -2),  at(.7, -.7, -2),  at(.7, .7, -2),  at(-.7, .7, -2)};
    const auto face = [&](std::initializer_list<int> points, const QColor& colour) {
        QPolygonF polygon;
        for (const int i : points) {
            const auto place = placeOf(box[static_cast<std::size_t>(i)]);
            if (!place) return;
            polygon << *place;
        }
        painter.setPen(QPen(theme::pen, 1));
        painter.setBrush(colour);
        painter.drawPolygon(polygon);
    };
    // Far faces first.
    struct Face {
        std::initializer_list<int> points;
        V3d normal;
        int shade;
    };
    const Face faces[] = {{{4, 5, 6, 7}, -lens.forward, 120}, {{0, 3, 7, 4}, -lens.right, 110},
                          {{1, 2, 6, 5}, lens.right, 110},    {{0, 1, 5, 4}, -lens.up, 135},
                          {{2, 3, 7, 6}, lens.up, 90},        {{0, 1, 2, 3}, lens.forward, 100}};
    for (const Face& each : faces)
        if (each.normal.dot(m_orbit.pose().position - lens.eye) > 0)
            face(each.points, theme::sight.darker(each.shade));
    painter.setPen(QPen(theme::pen, 2));
    for (const auto& [x, y] :
         {std::pair(-.8, -.5), std::pair(.8, -.5), std::pair(.8, .5), std::pair(-.8, .5)})
        line(painter, at(0, 0, -.2), at(x, y, 1));
}

void ModelView::drawCameraHandles(QPainter& painter) const {
    const auto& marks = m_session.scene()->camera.marks;
    for (const CameraHandle& handle : cameraHandlesSeen()) {
        const auto place = placeOf(handle.at);
        if (!place) continue;
        const bool held =
            m_camera && m_camera->handle().kind == handle.kind && m_camera->handle().mark == handle.mark;
        if (handle.kind == CameraHandle::Kind::Arriving || handle.kind == CameraHandle::Kind::Leaving) {
            if (const auto mark = placeOf(marks[static_cast<std::size_t>(handle.mark)].pose.position))
                paper::handle(painter, *mark, *place, held);
        } else if (handle.kind == CameraHandle::Kind::Target) {
            paper::target(painter, *place, held);
        } else if (handle.kind == CameraHandle::Kind::Ahead || handle.kind == CameraHandle::Kind::SideRay) {
            painter.setPen(QPen(handle.kind == CameraHandle::Kind::Ahead ? theme::sight : theme::focus, 1.4));
            painter.setBrush(theme::paper);
            painter.drawEllipse(*place, 4, 4);
        }
    }
}

std::vector<CameraHandle> ModelView::cameraHandlesSeen() const {
    auto all = cameraHandles(m_session);
    const scene::Scene& scene = *m_session.scene();
    const optics::View lens = optics::viewOf(m_session.camera.pose(), scene.camera, scene.output.frame);
    const double depth = m_session.camera.pose().focus;
    // In the middle of what is sharp: turns the camera. At its sides: the focal length.
    all.push_back({CameraHandle::Kind::Ahead, -1, lens.eye + lens.forward * depth});
    for (const double x : {0.0, static_cast<double>(scene.output.frame.x)})
        all.push_back({CameraHandle::Kind::SideRay, -1,
                       lens.eye + optics::rayThrough(lens, {x, scene.output.frame.y / 2.0}) * depth});
    return all;
}

std::optional<CameraHandle> ModelView::handleAt(const QPointF& place) const {
    const auto all = cameraHandlesSeen();
    std::optional<CameraHandle> best;
    double nearest = 11;
    for (const CameraHandle& handle : all)
        if (const auto at = placeOf(handle.at)) {
            // Handles before marks, marks before the body.
            const double back = handle.kind == CameraHandle::Kind::Body   ? 2
                                : handle.kind == CameraHandle::Kind::Mark ? 1
                                                                          : 0;
            const double off = std::hypot(at->x() - place.x(), at->y() - place.y()) + back;
            if (off < nearest) nearest = off, best = handle;
        }
    return best;
}

/// Along the level through the hand; with Shift up and down. What turns the camera goes along its picture.
void ModelView::dragCamera(const QPointF& place, Qt::KeyboardModifiers keys) {
    const CameraHandle& handle = m_camera->handle();
    const optics::View v = view();
    const V2d at(place.x(), place.y());
    V3d normal(0, 1, 0), through = handle.at;
    if (handle.kind == CameraHandle::Kind::Ahead || handle.kind == CameraHandle::Kind::SideRay) {
        normal = optics::forwardOf(m_session.camera.pose().pan, m_session.camera.pose().tilt);
    } else if (keys & Qt::ShiftModifier) {
        normal = V3d(v.forward.x, 0, v.forward.z);
        if (normal.length() < 1e-3) return;
        normal.normalize();
    }
    const auto met = optics::meet(v, at, through, normal);
    if (!met) return;
    V3d to = *met;
    if (normal.y == 0 && keys & Qt::ShiftModifier && handle.kind != CameraHandle::Kind::Ahead &&
        handle.kind != CameraHandle::Kind::SideRay)
        to = V3d(handle.at.x, to.y, handle.at.z);
    // Near the level's horizon a pixel is a long way.
    if ((to - handle.at).length() > 20 * (handle.at - v.eye).length()) return;
    m_say = m_camera->to(to, keys);
}

/// On the path: a mark there. On one of its handles: as it is by itself again.
void ModelView::mouseDoubleClickEvent(QMouseEvent* event) {
    const auto handle = handleAt(event->position());
    if (handle &&
        (handle->kind == CameraHandle::Kind::Arriving || handle->kind == CameraHandle::Kind::Leaving)) {
        m_session.document.apply(
            {{"edit", "mark"}, {"mark", handle->mark + 1}, {"arriving", nullptr}, {"leaving", nullptr}});
        return;
    }
    const auto off = [&](const V3d& point) {
        const auto at = placeOf(point);
        return at ? std::hypot(at->x() - event->position().x(), at->y() - event->position().y()) : 1e300;
    };
    std::vector<V2d> way;
    for (const V3d& place : interaction::wayOf(*m_session.scene(), m_session.move()))
        if (const auto at = placeOf(place)) way.push_back(toV2d(*at));
    if (handle || interaction::distanceToPolyline(way, toV2d(event->position())) >= 6)
        return mousePressEvent(event);
    m_session.playhead.setFrame(interaction::frameNearest(*m_session.scene(), m_session.move(), off));
    if (m_session.camera.markHere() < 0) m_session.camera.setMarkHere();
}

std::vector<V3d> ModelView::arrows() const {
    const optics::View first = optics::firstView(*m_session.scene());
    return {first.right, first.up, first.forward};
}

V3d ModelView::grip() const {
    const auto layers = m_session.movable();
    V3d sum(0);
    for (const std::int64_t id : layers)
        sum += optics::pivotOf(m_session.now().find(id)) / static_cast<double>(layers.size());
    return sum;
}

double ModelView::arrowLength() const {
    return 64 * (grip() - m_orbit.pose().position).length() / view().slope;
}

std::vector<QPointF> ModelView::arrowEnds() const {
    std::vector<QPointF> ends;
    if (m_session.movable().empty()) return ends;
    for (const V3d& way : arrows())
        if (const auto at = placeOf(grip() + way * arrowLength())) ends.push_back(*at);
    return ends.size() == 3 ? ends : std::vector<QPointF>{};
}

void ModelView::drawArrows(QPainter& painter) const {
    const auto ends = arrowEnds();
    if (ends.empty()) return;
    const auto from = placeOf(grip());
    if (!from) return;
    // Told apart by their letters, not by colours.
    const QString names[] = {tr("across"), tr("up"), tr("depth")};
    for (std::size_t i = 0; i < 3; ++i) {
        const QPointF along = ends[i] - *from;
        const double length = std::hypot(along.x(), along.y());
        if (length < 6) continue;
        const QPointF u = along / length, v(-u.y(), u.x());
        const bool held = m_drag == Drag::Arrow && m_arrow == static_cast<int>(i);
        painter.setPen(QPen(theme::paper, 5));
        painter.drawLine(*from, ends[i]);
        painter.setPen(QPen(i == 2 ? theme::vermilion : theme::pen, held ? 3 : 2));
        painter.drawLine(*from, ends[i]);
        painter.setPen(QPen(theme::paper, 1.2));
        painter.setBrush(i == 2 ? theme::vermilion : theme::pen);
        painter.drawPolygon(QPolygonF{ends[i] + u * 11, ends[i] + v * 6, ends[i] - v * 6});
        painter.setFont(theme::sans(10, true));
        const QRectF box(ends[i].x() + u.x() * 24 - 24, ends[i].y() + u.y() * 18 - 7, 48, 14);
        const double wide = painter.fontMetrics().horizontalAdvance(names[i]) + 6;
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme::paper);
        painter.drawRoundedRect(QRectF(box.center().x() - wide / 2, box.top(), wide, box.height()), 2, 2);
        painter.setPen(theme::pen);
        painter.drawText(box, Qt::AlignCenter, names[i]);
    }
    painter.setPen(QPen(theme::pen, 1));
    painter.setBrush(theme::paper);
    painter.drawEllipse(*from, 3.5, 3.5);
}

void ModelView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.fillRect(rect(), theme::paper);
    drawGround(painter);
    if (!m_picture.isNull()) painter.drawImage(QRectF(rect()), m_picture);
    drawCards(painter);
    drawCamera(painter);
    drawArrows(painter);
    paper::say(painter, rect(), m_say);
    paper::focusRim(painter, *this);
}

// ---- input

std::int64_t ModelView::layerAt(const QPointF& place) const {
    return m_session.layerAt(view(), {place.x(), place.y()});
}

void ModelView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    if (m_drag != Drag::None) return;
    m_pressed = m_last = event->position();
    m_moved = false;
    if (event->button() == Qt::MiddleButton) {
        m_drag = Drag::Shift;
        return;
    }
    if (event->button() != Qt::LeftButton) return;
    const auto ends = arrowEnds();
    for (std::size_t i = ends.size(); i-- > 0;)
        if (std::hypot(ends[i].x() - m_pressed.x(), ends[i].y() - m_pressed.y()) < 12) {
            m_drag = Drag::Arrow;
            m_arrow = static_cast<int>(i);
            m_gripFrom = grip();
            m_lengthFrom = arrowLength();
            m_depthFrom = optics::depthOf(optics::firstView(*m_session.scene()), m_gripFrom);
            return;
        }
    for (const interaction::BoxSide& side : sides())
        if (const auto at = placeOf(side.middle);
            at && std::hypot(at->x() - m_pressed.x(), at->y() - m_pressed.y()) < 8) {
            m_drag = Drag::Side;
            m_side = side;
            m_gripOff = *at - m_pressed;
            return;
        }
    if (const auto handle = handleAt(m_pressed)) {
        m_drag = Drag::Camera;
        if (handle->kind == CameraHandle::Kind::Mark)
            m_session.playhead.setFrame(
                frameAt(m_session.scene()->camera.marks[static_cast<std::size_t>(handle->mark)].time,
                        m_session.scene()->output.rate));
        m_camera.emplace(m_session, *handle);
        return;
    }
    m_drag = event->modifiers() & Qt::ShiftModifier ? Drag::Shift : Drag::Turn;
}

void ModelView::mouseMoveEvent(QMouseEvent* event) {
    if (m_drag == Drag::None) return;
    const QPointF place = event->position();
    if (!m_moved && (place - m_pressed).manhattanLength() < 3) return;
    m_moved = true;
    const QPointF by = place - m_last;
    m_last = place;
    if (m_drag == Drag::Turn) {
        m_own = true;
        m_orbit.turn(-by.x() * 0.4, -by.y() * 0.4);
        return turned();
    }
    if (m_drag == Drag::Camera) return dragCamera(place, event->modifiers());
    if (m_drag == Drag::Side) return dragSide(place);
    if (m_drag == Drag::Shift) {
        m_own = true;
        m_orbit.shift(toV2d(by), pixels());
        return turned();
    }
    // Along the arrow, as far as the pointer goes along what is seen of it.
    const V3d way = arrows()[static_cast<std::size_t>(m_arrow)];
    const auto gone =
        interaction::alongArrow(view(), m_gripFrom, way, m_lengthFrom, toV2d(place - m_pressed));
    if (!gone) return;
    const double metres = *gone;
    if (m_arrow == 2) {
        m_session.document.preview(m_session.push({{"by", metres}}));
        m_say = tr("depth %1 m, by %2 m").arg(figure(m_depthFrom + metres, 2), figure(metres, 2));
    } else {
        m_session.document.preview(
            m_session.onSelection("slide", {{"by", {way.x * metres, way.y * metres, way.z * metres}}}));
        m_say = (m_arrow == 0 ? tr("across by %1 m") : tr("up by %1 m")).arg(figure(metres, 2));
    }
}

void ModelView::mouseReleaseEvent(QMouseEvent* event) {
    const Drag drag = m_drag;
    m_drag = Drag::None;
    m_camera.reset();
    m_side.reset();
    m_say.clear();
    if (drag == Drag::Turn && !m_moved && event->button() == Qt::LeftButton)
        m_session.selection.click(layerAt(event->position()), event->modifiers() & Qt::ControlModifier);
    m_session.document.commit();
    turned();
}

void ModelView::wheelEvent(QWheelEvent* event) {
    m_own = true;
    m_orbit.zoom(std::pow(0.9985, event->angleDelta().y()), toV2d(event->position()), pixels());
    turned();
    event->accept();
}

void ModelView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape &&
        (m_drag == Drag::Arrow || m_drag == Drag::Camera || m_drag == Drag::Side)) {
        if (m_camera) m_camera->cancel();
        m_camera.reset();
        m_drag = Drag::None;
        m_say.clear();
        m_session.document.dropPreview();
        return;
    }
    const double step = event->modifiers() & Qt::ShiftModifier ? 15 : 5;
    switch (event->key()) {
    case Qt::Key_Left:
        m_orbit.turn(-step, 0);
        break;
    case Qt::Key_Right:
        m_orbit.turn(step, 0);
        break;
    case Qt::Key_Up:
        m_orbit.turn(0, -step);
        break;
    case Qt::Key_Down:
        m_orbit.turn(0, step);
        break;
    default:
        return QWidget::keyPressEvent(event);
    }
    m_own = true;
    turned();
}

void ModelView::contextMenuEvent(QContextMenuEvent* event) {
    if (const std::int64_t layer = layerAt(event->pos()); layer && !m_session.selection.contains(layer))
        m_session.selection.click(layer, false);
    Q_EMIT menuAsked(event->globalPos());
}

}
