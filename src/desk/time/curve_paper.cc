#include "desk/time/curve_paper.h"

#include "desk/kit/number_field.h"
#include "desk/look/paper.h"
#include "desk/look/theme.h"
#include "desk/time/curve_view.h"
#include "scene/scene_json.h"

#include <QKeyEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace stage::desk {
CurvePaper::CurvePaper(Session& session, CurveView& view) : QWidget(&view), m_session(session), m_view(view) {
    setAttribute(Qt::WA_OpaquePaintEvent);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(120, 90);
    setAccessibleName(tr("Curves"));
}

void CurvePaper::forget() {
    m_curves.clear();
    update();
}

void CurvePaper::fitAll() {
    m_zoom.showAll();
    forget();
}

QRectF CurvePaper::area() const {
    return QRectF(rect()).adjusted(46, 14, -14, -22);
}

interaction::TimeScale::Room CurvePaper::room() const {
    return {area().left(), area().width(), std::max(1e-6, scene::lastTime(*m_session.scene()).toDouble())};
}

double CurvePaper::xOf(double seconds) const {
    return m_zoom.xOf(seconds, room());
}

double CurvePaper::timeAt(double x) const {
    return m_zoom.timeAt(x, room());
}

const CurvePaper::Curve& CurvePaper::curve(const std::string& property) const {
    const auto [at, made] = m_curves.try_emplace(property);
    Curve& curve = at->second;
    if (!made) return curve;
    const int count = std::clamp(static_cast<int>(area().width() / 2), 40, 500);
    curve = interaction::sampledCurve(*m_session.scene(), m_session.move(), m_view.subject(), property,
                                      timeAt(area().left()), timeAt(area().right()), count);
    if (const auto held = m_held.find(property); held != m_held.end())
        std::tie(curve.low, curve.high) = held->second;
    return curve;
}

QPointF CurvePaper::placeOf(const std::string& property, Rational time, double value) const {
    return {xOf(time.toDouble()), yOf(property, value)};
}

double CurvePaper::yOf(const std::string& property, double value) const {
    const Curve& c = curve(property);
    return area().bottom() - (value - c.low) / (c.high - c.low) * area().height();
}

double CurvePaper::valueAt(const std::string& property, double y) const {
    const Curve& c = curve(property);
    return c.low + (area().bottom() - y) / area().height() * (c.high - c.low);
}

QPointF CurvePaper::placeOf(const interaction::KeyRef& ref) const {
    const auto* key = interaction::keyOf(*m_session.scene(), ref);
    return key ? placeOf(ref.property, key->time, key->value) : QPointF();
}

std::optional<QPointF> CurvePaper::handle(const interaction::KeyRef& ref, bool leaving) const {
    const auto place = interaction::paceHandle(*m_session.scene(), ref, leaving);
    if (!place) return {};
    return QPointF(xOf(place->x), yOf(ref.property, place->y));
}

std::optional<interaction::KeyRef> CurvePaper::keyAt(const QPointF& place) const {
    std::optional<interaction::KeyRef> best;
    double nearest = 8;
    for (const std::string& property : m_view.shown())
        if (const scene::Track* track = interaction::trackOf(*m_session.scene(), m_view.subject(), property))
            for (const auto& key : track->keys) {
                const QPointF off = placeOf(property, key.time, key.value) - place;
                const double distance =
                    std::hypot(off.x(), off.y()) - (property == m_view.property() ? 1 : 0);
                if (distance < nearest)
                    nearest = distance, best = interaction::KeyRef{m_view.subject(), property, key.time};
            }
    return best;
}

QRectF CurvePaper::chosenBox() const {
    QPolygonF places;
    const auto shown = m_view.shown();
    for (const interaction::KeyRef& key : m_session.selection.keys())
        if (key.layer == m_view.subject() &&
            std::find(shown.begin(), shown.end(), key.property) != shown.end())
            places << placeOf(key);
    if (places.size() < 2) return {};
    return places.boundingRect().adjusted(-9, -9, 9, 9);
}

CurvePaper::Grip::Kind CurvePaper::gripAt(const QPointF& place) const {
    const QRectF box = chosenBox();
    if (box.isEmpty()) return Grip::None;
    const auto near = [&](const QPointF& at) { return (at - place).manhattanLength() < 9; };
    if (near({box.left(), box.center().y()})) return Grip::Left;
    if (near({box.right(), box.center().y()})) return Grip::Right;
    if (near({box.center().x(), box.top()})) return Grip::Top;
    if (near({box.center().x(), box.bottom()})) return Grip::Bottom;
    return Grip::None;
}

// ---- drawing

void CurvePaper::drawGrid(QPainter& painter) const {
    const QRectF in = area();
    painter.setFont(theme::figures(10));
    const double span = timeAt(in.right()) - timeAt(in.left());
    double step = 1;
    for (const double s : {0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0, 300.0, 1800.0, 1e5})
        if (step = s; in.width() * s / span > 46) break;
    for (double t = std::ceil(timeAt(in.left()) / step - 1e-9) * step; t <= timeAt(in.right()) + 1e-9;
         t += step) {
        painter.setPen(QPen(theme::gridStrong, 1));
        painter.drawLine(QPointF(xOf(t), in.top()), QPointF(xOf(t), in.bottom()));
        painter.setPen(theme::penDim);
        painter.drawText(QRectF(xOf(t) - 30, in.bottom() + 4, 60, 13), Qt::AlignCenter,
                         tr("%1 s").arg(figure(t, step < 1 ? 1 : 0)));
    }
    const std::string current = m_view.property();
    if (current.empty()) return;
    const Curve& c = curve(current);
    const double decade = std::pow(10, std::floor(std::log10(std::max(1e-9, c.high - c.low) / 3)));
    double rise = decade;
    for (const double k : {1.0, 2.0, 5.0, 10.0})
        if (rise = decade * k; (c.high - c.low) / rise <= 6) break;
    const interaction::PropertyFormat reading = interaction::propertyFormat(m_view.subject(), current);
    const int decimals = rise < 0.1 ? 2 : rise < 1 ? 1 : 0;
    for (double v = std::ceil(c.low / rise) * rise; v <= c.high; v += rise) {
        const double y = placeOf(current, Rational(0), v).y();
        painter.setPen(QPen(theme::grid, 1));
        painter.drawLine(QPointF(in.left(), y), QPointF(in.right(), y));
        painter.setPen(theme::penDim);
        painter.drawText(QRectF(0, y - 7, in.left() - 5, 14), Qt::AlignRight | Qt::AlignVCenter,
                         figure(std::abs(v) < rise * 1e-6 ? 0 : v, decimals));
    }
    painter.setPen(theme::penDim);
    painter.drawText(
        QRectF(4, 0, 200, 14), Qt::AlignLeft | Qt::AlignVCenter,
        QString::fromStdString(current) +
            (reading.unit.empty() ? QString() : QStringLiteral(", ") + QString::fromStdString(reading.unit)));
}

void CurvePaper::drawCurve(QPainter& painter, const std::string& property, bool current) const {
    const Curve& c = curve(property);
    const QRectF in = area();
    const auto polyline = [&](const std::vector<double>& values) {
        QPolygonF line;
        for (std::size_t i = 0; i < values.size(); ++i)
            line << QPointF(in.left() + in.width() * static_cast<double>(i) /
                                            static_cast<double>(std::max<std::size_t>(1, values.size() - 1)),
                            in.bottom() - (values[i] - c.low) / (c.high - c.low) * in.height());
        return line;
    };
    const scene::Track* track = interaction::trackOf(*m_session.scene(), m_view.subject(), property);
    const QColor ink = current ? theme::vermilion : theme::penDim;
    painter.setBrush(Qt::NoBrush);
    if (!c.keyed.empty()) { // the keys' own course under what chance makes of it
        painter.setPen(QPen(ink, 1, Qt::DotLine));
        painter.drawPolyline(polyline(c.keyed));
    }
    painter.setPen(QPen(ink, current ? 2 : 1.4, track ? Qt::SolidLine : Qt::DashLine));
    const QPolygonF line = polyline(c.values);
    painter.drawPolyline(line);
    if (!current && !line.isEmpty()) { // told apart by name, not by colour
        painter.setFont(theme::sans(10));
        painter.setPen(theme::pen);
        // Each a little further along, for where one ends or begins others often do too.
        const auto shown = m_view.shown();
        const auto number = std::find(shown.begin(), shown.end(), property) - shown.begin();
        const double share = 0.1 + 0.8 * static_cast<double>(number) / static_cast<double>(shown.size());
        painter.drawText(line[static_cast<qsizetype>(share * static_cast<double>(line.size() - 1))] +
                             QPointF(4, -4),
                         QString::fromStdString(property));
    }
    if (!track) return;
    for (const auto& key : track->keys) {
        const interaction::KeyRef ref{m_view.subject(), property, key.time};
        const bool chosen = interaction::contains(m_session.selection.keys(), ref);
        const QPointF at = placeOf(ref);
        if (chosen)
            for (const bool leaving : {true, false})
                if (const auto hand = handle(ref, leaving)) paper::handle(painter, at, *hand, false);
        painter.setPen(QPen(theme::pen, chosen ? 1.6 : 1));
        painter.setBrush(chosen ? theme::vermilion : current ? theme::paper : theme::grid);
        if (key.hold)
            painter.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8));
        else
            painter.drawEllipse(at, 4.6, 4.6);
    }
}

void CurvePaper::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), theme::paper);
    const QRectF in = area();
    drawGrid(painter);
    painter.save();
    painter.setClipRect(in.adjusted(-8, -8, 8, 8));
    const std::string current = m_view.property();
    const auto shown = m_view.shown();
    for (const std::string& property : shown)
        if (property != current) drawCurve(painter, property, false);
    if (std::find(shown.begin(), shown.end(), current) != shown.end()) drawCurve(painter, current, true);
    const double x = xOf(m_session.playhead.time().toDouble());
    painter.setPen(QPen(theme::brass, 1.4));
    painter.drawLine(QPointF(x, in.top() - 6), QPointF(x, in.bottom() + 4));
    if (const QRectF box = chosenBox(); !box.isEmpty() && m_drag != Drag::Handle) {
        painter.setPen(QPen(theme::pen, 1, Qt::DashLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(box);
        painter.setPen(QPen(theme::pen, 1));
        painter.setBrush(theme::paper);
        for (const QPointF& at :
             {QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y())})
            painter.drawRect(QRectF(at.x() - 2.5, at.y() - 6, 5, 12));
        for (const QPointF& at :
             {QPointF(box.center().x(), box.top()), QPointF(box.center().x(), box.bottom())})
            painter.drawRect(QRectF(at.x() - 6, at.y() - 2.5, 12, 5));
    }
    if (m_drag == Drag::Frame && m_moved) {
        painter.setPen(QPen(theme::vermilion, 1, Qt::DashLine));
        painter.setBrush(QColor(0xD9, 0x51, 0x2F, 22));
        painter.drawRect(m_frame);
    }
    painter.restore();
    const scene::Track* track = interaction::trackOf(*m_session.scene(), m_view.subject(), current);
    if (m_say.isEmpty() && (!track || (track->keys.empty() && !track->link)))
        paper::say(painter, rect(), tr("double click sets a key of %1").arg(QString::fromStdString(current)));
    paper::say(painter, rect(), m_say);
    paper::focusRim(painter, *this);
}

// ---- input

void CurvePaper::mousePressEvent(QMouseEvent* event) {
    setFocus();
    if (m_drag != Drag::None || event->button() != Qt::LeftButton) return;
    const QPointF place = m_pressed = event->position();
    m_moved = false;
    const bool also = event->modifiers() & Qt::ControlModifier;
    m_key.reset();
    for (const std::string& property : m_view.shown()) // the scales stay under a hand
        m_held[property] = {curve(property).low, curve(property).high};
    if (place.y() > area().bottom() + 2) { // under the paper: the playhead
        m_drag = Drag::Playhead;
        return mouseMoveEvent(event);
    }
    const auto taken = keyAt(place);
    const auto off = [&](const QPointF& at) { return std::hypot(at.x() - place.x(), at.y() - place.y()); };
    const double nearer = taken ? off(placeOf(*taken)) : 9;
    for (const interaction::KeyRef& key : m_session.selection.keys())
        if (key.layer == m_view.subject())
            for (const bool leaving : {true, false})
                if (const auto hand = handle(key, leaving); hand && off(*hand) < nearer) {
                    m_drag = Drag::Handle;
                    m_key = key;
                    m_leaving = leaving;
                    return;
                }
    if (const auto key = taken) {
        if (!m_session.selection.clickKey(*key, also)) return;
        m_drag = Drag::Keys;
        m_key = key;
        m_keysFrom = m_session.selection.keys();
        m_valueFrom = interaction::keyOf(*m_session.scene(), *key)->value;
        return;
    }
    if ((m_grip = gripAt(place)) != Grip::None) {
        m_drag = Drag::Grip;
        m_keysFrom = m_session.selection.keys();
        m_boxFrom = chosenBox().adjusted(9, 9, -9, -9);
        return;
    }
    if (!also) m_session.selection.chooseKeys({});
    m_drag = Drag::Frame;
    m_frame = QRectF(place, QSizeF(0, 0));
}

void CurvePaper::dragGrip(const QPointF& place) {
    const QPointF by = place - m_pressed; // grips are beside the keys that they move
    const bool inTime = m_grip == Grip::Left || m_grip == Grip::Right, last = m_grip == Grip::Left;
    const double low = inTime ? m_boxFrom.left() : m_boxFrom.top(),
                 high = inTime ? m_boxFrom.right() : m_boxFrom.bottom();
    const bool moves = m_grip == Grip::Right || m_grip == Grip::Bottom; // the higher end
    const double was = moves ? high : low, fixed = moves ? low : high;
    if (std::abs(was - fixed) < 1) return;
    const double k = (was + (inTime ? by.x() : by.y()) - fixed) / (was - fixed);
    if (inTime) {
        const double factor = std::clamp(k, 0.01, 100.0);
        m_say = tr("%1 % of the time").arg(figure(factor * 100, 0));
        if (const auto moved =
                interaction::keysStretched(*m_session.document.history().scene(), m_keysFrom, factor, last))
            m_session.selection.previewKeys(moved->edit, moved->then);
    } else {
        const double stays = valueAt(m_keysFrom.front().property, fixed);
        m_say = tr("%1 % of the value").arg(figure(k * 100, 0));
        m_session.selection.previewKeys(interaction::valuesStretched(m_keysFrom, k, stays), m_keysFrom);
    }
}

void CurvePaper::dragKeys(const QPointF& place, bool straight) {
    QPointF by = place - m_pressed;
    if (straight) (std::abs(by.x()) > std::abs(by.y()) ? by.ry() : by.rx()) = 0;
    const std::string& property = m_key->property;
    const double seconds = by.x() == 0 ? 0 : timeAt(m_pressed.x() + by.x()) - timeAt(m_pressed.x()),
                 value = valueAt(property, m_pressed.y() + by.y()) - valueAt(property, m_pressed.y());
    const auto moved = interaction::keysDragged(m_keysFrom, *m_key, m_valueFrom, seconds, value,
                                                m_session.scene()->output.rate);
    m_session.selection.previewKeys(moved.edit, moved.then);
    const interaction::PropertyFormat format = interaction::propertyFormat(m_key->layer, property);
    m_say = tr("%1 %2 at %3 s")
                .arg(figure(moved.value, format.decimals + 1), QString::fromStdString(format.unit),
                     figure(moved.time.toDouble(), 2));
}

void CurvePaper::dragHandle(const QPointF& place) {
    const std::string& property = m_key->property;
    const double perPixel = std::abs(valueAt(property, 0) - valueAt(property, 1));
    const auto change =
        interaction::paceHandleDragged(*m_session.document.history().scene(), *m_key, m_leaving,
                                       {timeAt(place.x()), valueAt(property, place.y())}, perPixel);
    if (!change) return;
    m_session.selection.previewKeys(change->edit, m_session.selection.keys());
    const scene::Pace& pace = change->pace;
    m_say = tr("leaves %1 %2 · arrives %3 %4")
                .arg(figure(pace.x1, 2), figure(pace.y1, 2), figure(pace.x2, 2), figure(pace.y2, 2));
}

void CurvePaper::mouseMoveEvent(QMouseEvent* event) {
    const QPointF place = event->position();
    if (m_drag == Drag::None) return;
    if (!m_moved && m_drag != Drag::Playhead && (place - m_pressed).manhattanLength() < 3) return;
    m_moved = true;
    switch (m_drag) {
    case Drag::Playhead:
        m_session.playhead.setFrame(
            frameAt(Rational::nearest(std::max(0.0, timeAt(place.x()))), m_session.scene()->output.rate));
        return;
    case Drag::Keys:
        return dragKeys(place, event->modifiers() & Qt::ShiftModifier);
    case Drag::Handle:
        return dragHandle(place);
    case Drag::Grip:
        return dragGrip(place);
    case Drag::Frame: {
        m_frame = QRectF(m_pressed, place).normalized();
        interaction::KeyRefs keys =
            event->modifiers() & Qt::ControlModifier ? m_session.selection.keys() : interaction::KeyRefs{};
        for (const std::string& property : m_view.shown())
            for (const interaction::KeyRef& key :
                 interaction::keysOf(*m_session.scene(), m_view.subject(), property))
                if (m_frame.contains(placeOf(key)) && !interaction::contains(keys, key)) keys.push_back(key);
        m_session.selection.chooseKeys(std::move(keys));
        return update();
    }
    case Drag::None:
        return;
    }
}

void CurvePaper::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || m_drag == Drag::None) return;
    m_drag = Drag::None;
    m_say.clear();
    m_held.clear();
    const interaction::KeyRefs there = m_session.selection.keys();
    m_session.document.commit();
    m_session.selection.chooseKeys(interaction::existingKeys(*m_session.scene(), there));
    forget();
}

void CurvePaper::mouseDoubleClickEvent(QMouseEvent* event) {
    const QPointF place = event->position();
    if (event->button() != Qt::LeftButton || keyAt(place) || !area().contains(place))
        return mousePressEvent(event);
    m_drag = Drag::None;
    m_held.clear();
    const std::string property = m_view.property();
    if (property.empty()) return;
    const Rational rate = m_session.scene()->output.rate;
    const Rational time = timeOfFrame(std::llround(std::max(0.0, timeAt(place.x())) * rate.toDouble()), rate);
    const interaction::PropertyFormat reading = interaction::propertyFormat(m_view.subject(), property);
    edit::Edit edit = {{"edit", "key"}, {"property", property}, {"time", time.text()}};
    // Near the curve it is the curve's own value; elsewhere what is pointed at.
    const Curve& c = curve(property);
    const auto i =
        static_cast<std::size_t>(std::clamp((place.x() - area().left()) / area().width(), 0.0, 1.0) *
                                 static_cast<double>(c.values.size() - 1));
    if (std::abs(placeOf(property, time, c.values[i]).y() - place.y()) > 8)
        edit["value"] = std::clamp(valueAt(property, place.y()), reading.low, reading.high);
    if (m_view.subject() != 0) edit["layers"] = {m_view.subject()};
    if (m_session.document.apply(edit)) m_session.selection.chooseKeys({{m_view.subject(), property, time}});
}

void CurvePaper::wheelEvent(QWheelEvent* event) {
    const double turns = event->angleDelta().y() / 120.0;
    if (event->modifiers() & Qt::ShiftModifier)
        m_zoom.slide(turns, room());
    else
        m_zoom.spread(event->position().x(), turns, 0.2, room());
    forget();
    event->accept();
}

bool CurvePaper::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride &&
        (!m_session.selection.keys().empty() || m_drag != Drag::None)) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (key->key() == Qt::Key_Delete || key->key() == Qt::Key_Escape) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

void CurvePaper::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape) {
        m_held.clear();
        if (m_drag != Drag::None) {
            m_drag = Drag::None;
            m_say.clear();
            m_session.document.dropPreview();
        } else {
            m_session.selection.chooseKeys({});
        }
        return update();
    }
    if (event->key() == Qt::Key_Delete && !m_session.selection.keys().empty())
        return m_session.selection.removeKeys();
    QWidget::keyPressEvent(event);
}

void CurvePaper::contextMenuEvent(QContextMenuEvent* event) {
    if (const auto key = keyAt(event->pos()); key && !interaction::contains(m_session.selection.keys(), *key))
        m_session.selection.chooseKeys({*key});
    Q_EMIT m_view.keyMenuAsked(event->globalPos());
}

}
