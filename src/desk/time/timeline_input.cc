// The timeline's input: playing, and what a press and a drag do.
#include "desk/kit/number_field.h"
#include "desk/look/points.h"
#include "desk/look/theme.h"
#include "desk/session/findings.h"
#include "desk/time/pace_choice.h"
#include "desk/time/timeline.h"
#include "scene/quantity.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QToolButton>
#include <cmath>

namespace stage::desk {

using interaction::BarPart;
using interaction::PaceScope;
// ---- playing

/// Frames come at their time, whatever has been drawn by then: those that are late are left out.
void Timeline::setClock() {
    m_clock.setTimerType(Qt::PreciseTimer);
    connect(&m_clock, &QTimer::timeout, this, [this] {
        const double rate = m_session.scene()->output.rate.toDouble();
        const auto passed =
            static_cast<std::int64_t>(static_cast<double>(m_since.nsecsElapsed()) / 1e9 * rate);
        const auto [first, last] = m_session.playhead.range();
        m_session.playhead.setFrame(first + (m_startFrame - first + passed) % (last - first + 1));
    });
}

void Timeline::setPlaying(bool play) {
    if (play == playing()) return;
    if (play) {
        m_session.document.dropPreview();
        const auto [first, last] = m_session.playhead.range();
        m_startFrame = m_session.playhead.frame() < first || m_session.playhead.frame() >= last
                           ? first
                           : m_session.playhead.frame();
        m_since.start();
        m_clock.start(2); // looks often, so that each frame comes at its time; equal frames change nothing
    } else {
        m_clock.stop();
    }
    m_play->setIcon(theme::icon(play ? QStringLiteral("pause") : QStringLiteral("play"),
                                play ? theme::brass : theme::text));
    m_play->setToolTip(play ? tr("Stop (Space)") : tr("Play (Space)"));
    Q_EMIT playingChanged(play);
}

void Timeline::toMark(int way) {
    const auto& scene = *m_session.scene();
    std::int64_t target = way < 0 ? 0 : scene.output.frames - 1;
    for (const scene::Mark& mark : scene.camera.marks) {
        const std::int64_t frame = frameAt(mark.time, scene.output.rate);
        if (way < 0 && frame < m_session.playhead.frame()) target = frame;
        if (way > 0 && frame > m_session.playhead.frame()) {
            target = frame;
            break;
        }
    }
    setPlaying(false);
    m_session.playhead.setFrame(target);
}

void Timeline::fitAll() {
    m_map.zoom().showAll();
    redraw();
}

void Timeline::readTime() {
    const auto frame = scene::frameFromText(m_time->text().toStdString(), m_session.scene()->output.rate);
    m_time->clearFocus();
    if (frame) m_session.playhead.setFrame(*frame);
    m_time->setText(
        QString::fromStdString(scene::timecode(m_session.playhead.frame(), m_session.scene()->output.rate)));
    if (!frame) Q_EMIT m_session.problem(QString::fromStdString(frame.error().sentence));
}

// ---- menus

void Timeline::choosePace(int move, const QPoint& where) {
    QMenu menu(this);
    const scene::Camera& camera = m_session.scene()->camera;
    const PaceScope scope{camera.pace.has_value(), static_cast<std::size_t>(move), 0, 0};
    const scene::Pace now = interaction::paceOf(camera, scope);
    for (const scene::NamedPace& named : scene::namedPaces) {
        const std::string name(named.name);
        QAction* action = menu.addAction(QString::fromStdString(name), this, [this, scope, name] {
            m_session.document.apply(interaction::paceEdit(scope, name));
        });
        action->setCheckable(true);
        action->setChecked(now == named.pace);
    }
    menu.addSeparator();
    const double begin = camera.marks[scope.move].time.toDouble();
    QAction* all = menu.addAction(tr("One pace over the whole move"), this, [this, scope, begin] {
        m_session.document.apply(interaction::wholePaceEdit(*m_session.scene(), begin, !scope.whole));
    });
    all->setCheckable(true);
    all->setChecked(scope.whole);
    menu.exec(where);
}

void Timeline::contextMenuEvent(QContextMenuEvent* event) {
    const QPointF place = event->pos();
    if (place.y() < TimelineMap::headHeight) {
        QMenu menu(this);
        const std::int64_t frame = m_map.frameOfX(place.x());
        menu.addAction(tr("Play from here"), this, [this, frame] {
            m_session.playhead.setRange(std::pair(frame, std::max(frame, m_session.playhead.range().second)));
        });
        menu.addAction(tr("Play up to here"), this, [this, frame] {
            m_session.playhead.setRange(std::pair(std::min(frame, m_session.playhead.range().first), frame));
        });
        menu.addAction(tr("Play all"), this, [this] { m_session.playhead.setRange({}); })
            ->setEnabled(!m_session.playhead.playsAll());
        menu.addSeparator();
        menu.addAction(tr("Show all of the time"), this, &Timeline::fitAll)
            ->setEnabled(!m_map.zoom().showsAll());
        menu.exec(event->globalPos());
        return;
    }
    if (const auto key = m_map.keyAt(place)) {
        if (!interaction::contains(m_session.selection.keys(), *key)) m_session.selection.chooseKeys({*key});
        Q_EMIT keyMenuAsked(event->globalPos());
        return;
    }
    const int row = m_map.rowAt(place);
    if (row <= 0) return;
    const TimelineMap::Row& at = m_map.rows()[static_cast<std::size_t>(row)];
    if (at.kind == TimelineMap::Row::Kind::Track) {
        m_session.selection.chooseKeys(
            interaction::keysOf(*m_session.scene(), at.id(), at.property)); // all of the lane
        Q_EMIT keyMenuAsked(event->globalPos());
    } else if (at.kind == TimelineMap::Row::Kind::Layer) {
        if (!m_session.selection.contains(at.id())) m_session.selection.select({at.id()});
        Q_EMIT layerMenuAsked(event->globalPos());
    }
}

// ---- presses

std::optional<BarPart> Timeline::barPartAt(const scene::Layer& layer, const QPointF& place) const {
    const QRectF bar = m_map.barOf(layer.id);
    const auto by = [&](Rational seconds) { return m_map.xOf(seconds) - m_map.xOf(Rational(0)); };
    return interaction::barPartAt(
        {toV2d(bar.topLeft()), toV2d(bar.bottomRight()), by(layer.showing.fadeIn), by(layer.showing.fadeOut)},
        toV2d(place), m_session.selection.contains(layer.id));
}

std::optional<Rational> Timeline::findingAt(const QPointF& place) const {
    if (!m_findings) return {};
    for (const checks::Finding& finding : m_findings->report().findings) {
        const QRectF row = rowOf(finding);
        if (!row.isEmpty() && std::abs(m_map.xOf(finding.at) - place.x()) <= 6 &&
            std::abs(row.bottom() - 7 - place.y()) <= 7)
            return finding.at;
    }
    return {};
}

void Timeline::pressLayer(const TimelineMap::Row& row, QMouseEvent* event) {
    const QPointF place = event->position();
    const scene::LayerPtr layer = row.layer;
    if (place.x() < 28) {
        m_session.document.apply({{"edit", "look"}, {"layers", {layer->id}}, {"visible", !layer->visible}});
        return;
    }
    if (place.x() < 44 && (!layer->tracks.empty() || !layer->places.empty()))
        return open(layer->id, !m_map.isOpen(layer->id));
    const auto part = place.x() < TimelineMap::namesWidth - 6 ? std::nullopt : barPartAt(*layer, place);
    const bool also = event->modifiers() & Qt::ControlModifier;
    // Ctrl on the bar of footage slides what is inside it.
    const bool slides =
        also && part == BarPart::Whole && std::holds_alternative<scene::Footage>(layer->content);
    if (slides && !m_session.selection.contains(layer->id))
        m_session.selection.select({layer->id});
    else if (!slides)
        m_session.selection.click(layer->id, also);
    if (!part || event->button() != Qt::LeftButton || interaction::isLocked(m_session.now().find(layer->id)))
        return;
    m_grabbed = layer->id;
    m_drag = Drag::Bar;
    m_part = slides ? BarPart::Footage : *part;
}

void Timeline::pressKeys(const TimelineMap::Row& row, QMouseEvent* event) {
    const QPointF place = event->position();
    const bool also = event->modifiers() & Qt::ControlModifier;
    if (place.x() < TimelineMap::namesWidth - 8) { // its name: all of its keys
        interaction::KeyRefs keys = also ? m_session.selection.keys() : interaction::KeyRefs{};
        for (const interaction::KeyRef& key : interaction::keysOf(*m_session.scene(), row.id(), row.property))
            if (!interaction::contains(keys, key)) keys.push_back(key);
        return m_session.selection.chooseKeys(std::move(keys));
    }
    const auto key = m_map.keyAt(place);
    if (!key) {
        if (!also) m_session.selection.chooseKeys({});
        m_drag = Drag::Frame;
        m_frame = QRectF(place, QSizeF(0, 0));
        return;
    }
    if (!m_session.selection.clickKey(*key, also)) return;
    m_drag = Drag::Keys;
    m_copies = event->modifiers() & Qt::ShiftModifier;
    m_keysFrom = m_session.selection.keys();
    m_from = key->time;
}

void Timeline::mousePressEvent(QMouseEvent* event) {
    if (m_drag != Drag::None) return;
    setFocus();
    const QPointF place = m_pressed = event->position();
    m_moved = false;
    m_pressedFinding.reset();
    if (event->button() != Qt::LeftButton) return;
    m_pressedFinding = findingAt(place);
    if (place.y() < TimelineMap::headHeight) {
        if (place.x() < TimelineMap::namesWidth - 8) return;
        setPlaying(false);
        m_drag = event->modifiers() & Qt::ShiftModifier ? Drag::Range : Drag::Playhead;
        if (m_drag == Drag::Playhead) m_session.playhead.setFrame(m_map.frameOfX(place.x()));
        return;
    }
    const auto& scene = *m_session.scene();
    const auto& marks = scene.camera.marks;
    if (m_map.rowRect(0).contains(place)) {
        if (const int mark = m_map.markAt(place); mark >= 0) {
            m_drag = Drag::Mark;
            m_dragMark = mark;
            m_from = marks[static_cast<std::size_t>(mark)].time;
            m_copies = event->modifiers() & Qt::ControlModifier;
            setPlaying(false);
            m_session.selection.select({});
            m_session.playhead.setFrame(frameAt(m_from, scene.output.rate));
            return;
        }
        if (place.x() > TimelineMap::namesWidth && !m_pressedFinding)
            for (int i = 0; i + 1 < static_cast<int>(marks.size()); ++i)
                if (place.x() >= m_map.xOf(marks[static_cast<std::size_t>(i)].time) &&
                    place.x() <= m_map.xOf(marks[static_cast<std::size_t>(i) + 1].time))
                    return choosePace(i, event->globalPosition().toPoint());
        if (place.x() > 28 && place.x() < 44 && !scene.camera.tracks.empty())
            return open(0, !m_map.isOpen(0));
        if (place.x() < TimelineMap::namesWidth) m_session.selection.select({}); // the camera's details
        return;
    }
    const int at = m_map.rowAt(place);
    if (at < 0) return;
    const TimelineMap::Row row = m_map.rows()[static_cast<std::size_t>(at)];
    switch (row.kind) {
    case TimelineMap::Row::Kind::Layer:
        return pressLayer(row, event);
    case TimelineMap::Row::Kind::Track:
        return pressKeys(row, event);
    case TimelineMap::Row::Kind::Lens:
        return m_session.selection.select({});
    default:
        return;
    }
}

/// On a lane a key is set there, on the ruler all of the time is shown.
void Timeline::mouseDoubleClickEvent(QMouseEvent* event) {
    const QPointF place = event->position();
    if (place.y() < TimelineMap::headHeight && place.x() > TimelineMap::namesWidth) return fitAll();
    const int at = m_map.rowAt(place);
    if (at < 0 || place.x() < TimelineMap::namesWidth) return mousePressEvent(event);
    const TimelineMap::Row row = m_map.rows()[static_cast<std::size_t>(at)];
    if (row.kind != TimelineMap::Row::Kind::Track || m_map.keyAt(place)) return mousePressEvent(event);
    const Rational time = timeOfFrame(m_map.frameOfX(place.x()), m_session.scene()->output.rate);
    edit::Edit edit = {{"edit", "key"}, {"property", row.property}, {"time", time.text()}};
    if (row.id() != 0) edit["layers"] = {row.id()};
    if (m_session.document.apply(edit)) m_session.selection.chooseKeys({{row.id(), row.property, time}});
}

// ---- drags

void Timeline::dragBar(const QPointF& place) {
    const scene::Scene& before = *m_session.document.history().scene();
    const Rational rate = before.output.rate;
    const std::int64_t by = std::llround(m_map.frameAtX(place.x()) - m_map.frameAtX(m_pressed.x()));
    const auto change = interaction::barDragged(
        before, m_session.selection.contains(m_grabbed) ? m_session.movable() : std::vector{m_grabbed},
        m_grabbed, m_part, timeOfFrame(by, rate));
    if (!change) {
        m_say = tr("shows all the time: drag an end first");
        return update();
    }
    const QString code = QString::fromStdString(scene::timecode(frameAt(change->now, rate), rate)),
                  seconds = figure(change->now.toDouble(), 2);
    switch (m_part) {
    case BarPart::In:
        m_say = tr("comes in at %1").arg(code);
        break;
    case BarPart::Out:
        m_say = tr("goes out at %1").arg(code);
        break;
    case BarPart::FadeIn:
        m_say = tr("fades in over %1 s").arg(seconds);
        break;
    case BarPart::FadeOut:
        m_say = tr("fades out over %1 s").arg(seconds);
        break;
    case BarPart::Whole:
    case BarPart::Footage:
        m_say = tr("by %1 s, %n frame(s)", nullptr, static_cast<int>(by)).arg(seconds);
    }
    m_session.document.preview(change->edit);
}

void Timeline::mouseMoveEvent(QMouseEvent* event) {
    const QPointF place = event->position();
    if (m_drag == Drag::None) return;
    if (!m_moved && m_drag != Drag::Playhead && (place - m_pressed).manhattanLength() < 3) return;
    m_moved = true;
    const Rational rate = m_session.scene()->output.rate; // the scene goes with a change
    switch (m_drag) {
    case Drag::Playhead:
        m_session.playhead.setFrame(m_map.frameOfX(place.x()));
        return;
    case Drag::Range:
        m_session.playhead.setRange(std::pair(m_map.frameOfX(m_pressed.x()), m_map.frameOfX(place.x())));
        return;
    case Drag::Mark: {
        const Rational time = timeOfFrame(m_map.frameOfX(place.x()), rate);
        if (time == m_from && !m_session.document.previewing()) return;
        m_session.document.preview({{"edit", m_copies ? "copy-mark" : "move-mark"},
                                    {"mark", m_dragMark + 1},
                                    {"time", time.text()}});
        if (!m_session.document.previewing()) return;
        m_session.playhead.setFrame(m_map.frameOfX(place.x()));
        m_say = tr("mark %1 at %2")
                    .arg(m_dragMark + 1)
                    .arg(QString::fromStdString(scene::timecode(m_map.frameOfX(place.x()), rate)));
        return update();
    }
    case Drag::Keys: {
        const Rational shift =
            timeOfFrame(m_map.frameOfX(place.x()), rate) - timeOfFrame(frameAt(m_from, rate), rate);
        interaction::KeyChange change{.shift = shift};
        if (m_copies) change.more["copy"] = true;
        m_session.selection.previewKeys(
            interaction::changeOfKeys(m_keysFrom, change, m_copies ? "Copy keys" : "Move keys"),
            interaction::shiftedKeys(m_keysFrom, shift));
        m_say = tr("%n key(s) by %1 s", nullptr, static_cast<int>(m_keysFrom.size()))
                    .arg(figure(shift.toDouble(), 2));
        return update();
    }
    case Drag::Frame: {
        m_frame = QRectF(m_pressed, place).normalized();
        interaction::KeyRefs keys =
            event->modifiers() & Qt::ControlModifier ? m_session.selection.keys() : interaction::KeyRefs{};
        for (std::size_t i = 0; i < m_map.rows().size(); ++i) {
            const TimelineMap::Row& row = m_map.rows()[i];
            const QRectF lane = m_map.rectOf(row);
            if (row.kind != TimelineMap::Row::Kind::Track ||
                !lane.intersects(m_frame.adjusted(0, -0.5, 0, 0.5)))
                continue;
            for (const interaction::KeyRef& key :
                 interaction::keysOf(*m_session.scene(), row.id(), row.property))
                if (const double x = m_map.xOf(key.time);
                    x >= m_frame.left() && x <= m_frame.right() && !interaction::contains(keys, key))
                    keys.push_back(key);
        }
        m_session.selection.chooseKeys(std::move(keys));
        return update();
    }
    default:
        return dragBar(place);
    }
}

void Timeline::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    const auto finding = std::exchange(m_pressedFinding, std::nullopt);
    if (finding && !m_moved) { // clicked; what is dragged is what lies under the sign
        m_drag = Drag::None;
        m_session.document.dropPreview();
        setPlaying(false);
        m_session.playhead.setFrame(frameAt(*finding, m_session.scene()->output.rate));
        Q_EMIT findingsAsked(event->globalPosition().toPoint());
        return update();
    }
    if (m_drag == Drag::None) return;
    const Drag drag = std::exchange(m_drag, Drag::None);
    m_say.clear();
    if (drag == Drag::Range && !m_moved) m_session.playhead.setRange({});
    if (drag == Drag::Keys && m_moved) {
        const interaction::KeyRefs there = m_session.selection.keys();
        m_session.document.commit();
        m_session.selection.chooseKeys(there);
    } else {
        m_session.document.commit();
    }
    update();
}

void Timeline::wheelEvent(QWheelEvent* event) {
    const double turns = event->angleDelta().y() / 120.0;
    if (event->modifiers() & Qt::ControlModifier) {
        m_map.zoom().spread(event->position().x(), turns, 6, m_map.room());
    } else if (event->modifiers() & Qt::ShiftModifier && !m_map.zoom().showsAll()) {
        m_map.zoom().slide(turns, m_map.room());
    } else {
        m_map.scrollTo(m_map.scroll() - event->angleDelta().y() * 0.4);
    }
    redraw();
    event->accept();
}

bool Timeline::event(QEvent* event) {
    // Chosen keys go before chosen layers.
    if (event->type() == QEvent::ShortcutOverride && !m_session.selection.keys().empty()) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (key->key() == Qt::Key_Delete || key->key() == Qt::Key_Escape) {
            event->accept();
            return true;
        }
    }
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int at = m_map.rowAt(help->pos());
        QString tip;
        if (help->pos().y() < TimelineMap::headHeight && help->pos().x() > TimelineMap::namesWidth)
            tip = tr("Drag: the playhead. With Shift: what is played, in a loop. Ctrl and the wheel: spread "
                     "the time; double click: all of it.");
        else if (at == 0)
            tip = tr("Drag a mark in time, with Ctrl a copy of it; click between two for the pace.");
        else if (at > 0 && m_map.rows()[static_cast<std::size_t>(at)].kind == TimelineMap::Row::Kind::Layer)
            tip =
                tr("Drag the ends of its bar: when it comes in and goes out. The dots at the top: its fades. "
                   "The middle: all of it; with Ctrl the footage alone.");
        else if (at > 0 && m_map.rows()[static_cast<std::size_t>(at)].kind == TimelineMap::Row::Kind::Track)
            tip = tr(
                "Drag keys in time, with Shift a copy; double click: a key. A name chooses all of its keys.");
        setToolTip(tip);
    }
    return QWidget::event(event);
}

void Timeline::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape) {
        if (m_drag != Drag::None) {
            m_drag = Drag::None;
            m_pressedFinding.reset();
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

}
