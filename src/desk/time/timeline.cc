// The timeline: what is where on it, and how it is drawn. Its input is in timeline_input.cc.
#include "desk/time/timeline.h"

#include "desk/jobs/frame_cache.h"
#include "desk/kit/kept_picture.h"
#include "desk/kit/number_field.h"
#include "desk/look/paper.h"
#include "desk/look/theme.h"
#include "desk/session/findings.h"
#include "desk/session/follow_scene.h"
#include "desk/time/pace_choice.h"
#include "motion/values.h"
#include "scene/property.h"
#include "scene/quantity.h"

#include <QLineEdit>
#include <QPainter>
#include <QPainterPath>
#include <QToolButton>
#include <cmath>

namespace stage::desk {

Timeline::Timeline(Session& session, QWidget* parent) : QWidget(parent), m_session(session), m_map(session) {
    setAttribute(Qt::WA_OpaquePaintEvent);
    setMinimumHeight(110);
    setFocusPolicy(Qt::ClickFocus);
    setAccessibleName(tr("Timeline"));
    const auto button = [this](const QString& icon, const QString& tip) {
        auto* b = new QToolButton(this);
        b->setObjectName(QStringLiteral("flat"));
        b->setIcon(theme::icon(icon));
        b->setToolTip(tip);
        b->setAccessibleName(tip);
        b->setFocusPolicy(Qt::NoFocus);
        return b;
    };
    m_toStart = button(QStringLiteral("skip-back"), tr("To the previous mark"));
    m_play = button(QStringLiteral("play"), tr("Play (Space)"));
    m_toEnd = button(QStringLiteral("skip-forward"), tr("To the next mark"));
    m_time = new QLineEdit(this);
    m_time->setObjectName(QStringLiteral("figure"));
    m_time->setProperty("figures", true);
    m_time->setToolTip(tr("Time as minutes:seconds:frames; also 3.5s, or a number of frames"));
    connect(m_play, &QToolButton::clicked, this, [this] { setPlaying(!playing()); });
    connect(m_toStart, &QToolButton::clicked, this, [this] { toMark(-1); });
    connect(m_toEnd, &QToolButton::clicked, this, [this] { toMark(1); });
    connect(m_time, &QLineEdit::returnPressed, this, &Timeline::readTime);
    setClock();
    followSceneAside(m_session.document, this, [this] {
        m_map.layOut();
        redraw();
    });
    connect(&m_session.selection, &Selection::keysChanged, this, &Timeline::redraw);
    connect(&m_session.playhead, &Playhead::rangeChanged, this, &Timeline::redraw);
    connect(&m_session.camera, &ShownCamera::changed, this, &Timeline::redraw);
    connect(&m_session.swatches(), &Swatches::loaded, this, &Timeline::redraw);
    connect(&m_session.selection, &Selection::layersChanged, this, [this] {
        if (m_session.selection.layers().size() == 1 && m_drag == Drag::None)
            m_map.reveal(m_session.selection.layers().front());
        redraw();
    });
    const auto tell = [this] {
        if (!m_time->hasFocus())
            m_time->setText(QString::fromStdString(
                scene::timecode(m_session.playhead.frame(), m_session.scene()->output.rate)));
        repaintTime();
    };
    connect(&m_session.playhead, &Playhead::frameChanged, this, tell);
    followSceneAside(m_session.document, this, tell);
    connect(&m_session.document, &Document::pathChanged, this, &Timeline::fitAll);
    m_map.layOut();
    tell();
}

void Timeline::setFindings(const Findings* findings) {
    m_findings = findings;
    connect(findings, &Findings::changed, this, &Timeline::redraw);
}

void Timeline::resizeEvent(QResizeEvent*) {
    m_toStart->setGeometry(8, 2, 24, 24);
    m_play->setGeometry(34, 2, 24, 24);
    m_toEnd->setGeometry(60, 2, 24, 24);
    m_time->setGeometry(90, 2, 82, 24);
    m_map.resize(size());
}

void Timeline::open(std::int64_t layer, bool on) {
    m_map.setOpen(layer, on);
    redraw();
}

// ---- drawing

void Timeline::paintName(QPainter& painter, const QRectF& rect, const QString& name, double indent,
                         double kept, bool bold, const QColor& colour) {
    painter.setPen(colour);
    painter.setFont(theme::sans(12, bold));
    const double room = TimelineMap::namesWidth - 12 - indent - kept;
    painter.drawText(
        QRectF(rect.left() + indent, rect.top(), room, rect.height()), Qt::AlignLeft | Qt::AlignVCenter,
        painter.fontMetrics().elidedText(name, Qt::ElideRight, static_cast<int>(std::max(0.0, room))));
}

/// Opens and closes lanes.
void Timeline::paintChevron(QPainter& painter, const QRectF& rect, bool open) {
    painter.setPen(QPen(theme::text, 1.5));
    const QPointF c(36, rect.center().y());
    if (open)
        painter.drawPolyline(QPolygonF{c + QPointF(-4, -2), c + QPointF(0, 2.5), c + QPointF(4, -2)});
    else
        painter.drawPolyline(QPolygonF{c + QPointF(-2, -4), c + QPointF(2.5, 0), c + QPointF(-2, 4)});
}

/// What a lane's property is at the playhead.
void Timeline::paintValue(QPainter& painter, const TimelineMap::Row& row, const QRectF& rect) {
    if (row.kind == TimelineMap::Row::Kind::Places) return;
    const bool lens = row.kind == TimelineMap::Row::Kind::Lens;
    const interaction::PropertyFormat reading =
        interaction::propertyFormat(row.id(), lens ? "focus" : row.property);
    double now = m_session.camera.pose().focus;
    if (!lens && row.id() == 0)
        now = scene::cameraProperty(row.property)
                  ? scene::cameraProperty(row.property)->get(m_session.camera.pose())
                  : motion::cameraValue(*m_session.scene(), m_session.move(), row.property,
                                        m_session.playhead.time().toDouble());
    else if (!lens)
        now = motion::Values(*m_session.scene(), [&](double t) { return m_session.move().posed(t); })
                  .of(row.id(), row.property, m_session.playhead.time().toDouble())
                  .value_or(0);
    painter.setFont(theme::figures(10));
    painter.setPen(theme::dim);
    painter.drawText(QRectF(rect.left(), rect.top(), TimelineMap::namesWidth - 10, rect.height()),
                     Qt::AlignRight | Qt::AlignVCenter,
                     figure(now, reading.decimals) +
                         (reading.unit.empty() ? QString() : QStringLiteral(" ")) +
                         QString::fromStdString(reading.unit));
}

void Timeline::paintLayer(QPainter& painter, const TimelineMap::Row& row, const QRectF& rect) {
    const scene::Scene& scene = *m_session.scene();
    const scene::Layer& layer = *row.layer;
    const bool selected = m_session.selection.contains(layer.id);
    if (selected) painter.fillRect(rect, theme::raised);
    painter.setPen(QPen(theme::edge, 1));
    painter.drawLine(rect.bottomLeft(), rect.bottomRight());
    theme::icon(layer.visible ? QStringLiteral("eye") : QStringLiteral("eye-off"),
                layer.visible ? theme::text : theme::dim)
        .paint(&painter, QRect(10, static_cast<int>(rect.center().y()) - 7, 14, 14));
    const bool lanes = !layer.tracks.empty() || !layer.places.empty();
    if (lanes) paintChevron(painter, rect, m_map.isOpen(layer.id));
    paintName(painter, rect, QString::fromStdString(layer.name), 46, 0, selected,
              layer.visible ? theme::text : theme::dim);
    QColor colour = m_session.swatches().of(scene, row.layer).colour;
    // Dark pictures would vanish on the desk.
    if (colour.lightness() < 90)
        colour = QColor::fromHsl(colour.hslHue(), std::min(colour.hslSaturation(), 110), 90);
    colour.setAlphaF(layer.visible ? 0.9f : 0.35f);
    const QRectF bar = m_map.barOf(layer, rect);
    if (bar.width() <= 0) return;
    painter.save();
    painter.setClipRect(
        QRectF(TimelineMap::namesWidth - 2, rect.top(), width() - TimelineMap::namesWidth, rect.height()),
        Qt::IntersectClip);
    QPainterPath shape;
    shape.addRoundedRect(bar, 3, 3);
    painter.setPen(selected ? QPen(theme::vermilion, 1.2) : QPen(Qt::NoPen));
    painter.setBrush(colour);
    painter.drawPath(shape);
    if (const auto* footage = std::get_if<scene::Footage>(&layer.content))
        paintFootage(painter, *footage, bar);
    paintFade(painter, shape, bar, layer.showing.fadeIn, true, selected);
    paintFade(painter, shape, bar, layer.showing.fadeOut, false, selected);
    if (lanes && !m_map.isOpen(layer.id)) { // where keys are, while its lanes are closed
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme::text);
        for (const scene::Track& track : layer.tracks)
            for (const auto& key : track.keys)
                painter.drawEllipse(QPointF(m_map.xOf(key.time), bar.center().y()), 2, 2);
        for (const auto& key : layer.places)
            painter.drawEllipse(QPointF(m_map.xOf(key.time), bar.center().y()), 2, 2);
    }
    painter.restore();
}

/// What footage itself covers, within its layer's bar: a darker strip with a notch at its first frame.
void Timeline::paintFootage(QPainter& painter, const scene::Footage& footage, const QRectF& bar) {
    const auto& out = m_session.scene()->output;
    const double speed = std::abs(footage.speed.toDouble()), from = (footage.start * out.rate).toDouble();
    const bool once = (footage.ends == scene::Ends::Hold || footage.ends == scene::Ends::Vanish) &&
                      !footage.freeze && footage.speeds.empty() && speed > 0;
    double to = static_cast<double>(out.frames - 1);
    if (once)
        to = from + (Rational(footage.last() - footage.in + 1) / footage.rate * out.rate).toDouble() / speed -
             1;
    const QRectF strip =
        QRectF(QPointF(m_map.xOfFrame(from), bar.bottom() - 5), QPointF(m_map.xOfFrame(to), bar.bottom() - 1))
            .intersected(bar);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(0, 0, 0, 110));
    painter.drawRect(strip);
    painter.setPen(QPen(theme::text, 1.2));
    if (const double x = m_map.xOfFrame(from); x > bar.left() - 1 && x < bar.right())
        painter.drawLine(QPointF(x, bar.bottom() - 7), QPointF(x, bar.bottom()));
}

/// A fade: what is not there yet, or no more, is cut off a bar's upper corner. With its handle where
/// selected.
void Timeline::paintFade(QPainter& painter, const QPainterPath& shape, const QRectF& bar, Rational seconds,
                         bool in, bool selected) {
    const double by = m_map.xOf(seconds) - m_map.xOf(Rational(0));
    const double x = in ? std::min(bar.right(), bar.left() + by) : std::max(bar.left(), bar.right() - by);
    if (by > 0.5) {
        const QPointF corner = in ? bar.topLeft() : bar.topRight(),
                      foot = in ? bar.bottomLeft() : bar.bottomRight();
        QPainterPath cut;
        cut.addPolygon(QPolygonF{foot, QPointF(x, bar.top()), corner});
        painter.fillPath(cut.intersected(shape), QColor(0x2B, 0x30, 0x35, 190));
        painter.setPen(QPen(theme::text, 1));
        painter.drawLine(foot, QPointF(x, bar.top()));
    }
    if (selected && bar.width() > 24) {
        painter.setPen(QPen(theme::edge, 1));
        painter.setBrush(theme::text);
        painter.drawEllipse(QPointF(x + (in ? 1 : -1) * (by > 0.5 ? 0 : 6), bar.top() + 1), 3, 3);
    }
}

void Timeline::paintLane(QPainter& painter, const TimelineMap::Row& row, const QRectF& rect) {
    const scene::Scene& scene = *m_session.scene();
    painter.fillRect(rect, theme::edge);
    painter.setPen(QPen(theme::panel, 1));
    painter.drawLine(rect.bottomLeft(), rect.bottomRight());
    if (row.kind == TimelineMap::Row::Kind::Places) {
        paintName(painter, rect, tr("place"), 58, 0, false, theme::dim);
        painter.setPen(QPen(theme::edge, 1));
        painter.setBrush(theme::brass);
        for (const auto& key : row.layer->places)
            painter.drawRect(QRectF(m_map.xOf(key.time) - 3.5, rect.center().y() - 3.5, 7, 7));
        return;
    }
    const bool lens = row.kind == TimelineMap::Row::Kind::Lens;
    const scene::Track* track = lens ? nullptr : interaction::trackOf(scene, row.id(), row.property);
    paintName(painter, rect, lens ? tr("Focus") : QString::fromStdString(row.property), lens ? 46 : 58,
              lens ? 60 : 66, false, lens ? theme::text : theme::dim);
    painter.save();
    painter.setClipRect(
        QRectF(TimelineMap::namesWidth - 6, rect.top(), width() - TimelineMap::namesWidth + 6, rect.height()),
        Qt::IntersectClip);
    const std::vector<double>& curve = m_map.curveOf(row).values;
    const double last = static_cast<double>(scene.output.frames - 1);
    QPolygonF line;
    const QRectF lane = lens ? rect.adjusted(0, 1, 0, -1) : rect;
    for (std::size_t i = 0; i < curve.size(); ++i) {
        const double frame =
            curve.size() > 1 ? last * static_cast<double>(i) / static_cast<double>(curve.size() - 1) : 0;
        line << QPointF(m_map.xOfFrame(frame), m_map.placeOf(row, lane, Rational(0), curve[i]).y());
    }
    const QColor ink = lens ? theme::focus.lighter(130) : theme::brass;
    painter.setPen(QPen(ink, 1.5));
    painter.setBrush(Qt::NoBrush);
    painter.drawPolyline(line);
    if (lens) {
        painter.setBrush(ink);
        painter.setPen(Qt::NoPen);
        for (const scene::Mark& mark : scene.camera.marks) {
            const double focus = m_session.move().at(mark.time.toDouble()).focus;
            painter.drawEllipse(QPointF(m_map.xOf(mark.time),
                                        m_map.placeOf(row, lane, mark.time, -1 / std::max(1e-3, focus)).y()),
                                3.2, 3.2);
        }
    }
    if (track)
        for (const auto& key : track->keys) {
            const interaction::KeyRef ref{row.id(), row.property, key.time};
            const QPointF at = m_map.placeOf(row, lane, key.time, key.value);
            const bool chosen = interaction::contains(m_session.selection.keys(), ref);
            painter.setPen(QPen(chosen ? theme::text : theme::edge, chosen ? 1.4 : 1));
            painter.setBrush(chosen ? theme::vermilion : theme::brass);
            if (key.hold)
                painter.drawRect(QRectF(at.x() - 3.6, at.y() - 3.6, 7.2, 7.2));
            else
                painter.drawEllipse(at, 4.2, 4.2);
        }
    if (track && (track->link || !track->noises.empty())) { // told in words, for no key shows it
        QStringList words;
        if (track->link) {
            const scene::LayerPath other = scene::find(scene, track->link->layer);
            words << tr("follows %1 of %2")
                         .arg(QString::fromStdString(track->link->property),
                              other.layer ? QString::fromStdString(other.layer->name) : tr("the camera"));
        }
        for (const scene::Noise& noise : track->noises)
            words << QString::fromLatin1(scene::noiseNames[static_cast<std::size_t>(noise.kind)].data());
        painter.setFont(theme::sans(10));
        const QString text = words.join(QStringLiteral(", "));
        const QRectF box(width() - TimelineMap::rightRoom - painter.fontMetrics().horizontalAdvance(text) - 8,
                         rect.top() + 2, painter.fontMetrics().horizontalAdvance(text) + 6, 13);
        painter.fillRect(box, QColor(0x1C, 0x1F, 0x22, 200));
        painter.setPen(theme::dim);
        painter.drawText(box, Qt::AlignCenter, text);
    }
    painter.restore();
}

void Timeline::paintRuler(QPainter& painter) {
    const auto& out = m_session.scene()->output;
    painter.fillRect(QRectF(0, 0, width(), TimelineMap::headHeight), theme::raised);
    const double rate = out.rate.toDouble(), perSecond = m_map.xOfFrame(rate) - m_map.xOfFrame(0);
    painter.save();
    painter.setClipRect(QRectF(TimelineMap::namesWidth - 6, 0, width() - TimelineMap::namesWidth + 6,
                               TimelineMap::headHeight));
    // The part that is played, when it is not all.
    if (!m_session.playhead.playsAll()) {
        const auto [first, last] = m_session.playhead.range();
        const QRectF band(QPointF(m_map.xOfFrame(static_cast<double>(first)), 2),
                          QPointF(m_map.xOfFrame(static_cast<double>(last)), TimelineMap::headHeight - 4));
        painter.fillRect(band, QColor(0xD2, 0xA5, 0x48, 46));
        painter.setPen(QPen(theme::brass, 1.4));
        painter.drawLine(band.topLeft(), band.bottomLeft());
        painter.drawLine(band.topRight(), band.bottomRight());
    }
    double step = 1;
    for (const double s : {1.0, 2.0, 5.0, 10.0, 30.0, 60.0, 300.0, 1800.0, 1e5})
        if (step = s; perSecond * s > 50) break;
    painter.setFont(theme::figures(11));
    const double first =
                     std::max(0.0, std::floor(m_map.frameAtX(TimelineMap::namesWidth) / rate / step) * step),
                 end = std::min(static_cast<double>(out.frames - 1) / rate, m_map.frameAtX(width()) / rate);
    const double frames = perSecond / rate; // px
    if (frames > 7) {                       // so near that frames can be told apart
        painter.setPen(QPen(QColor(0x5A, 0x60, 0x66), 1));
        for (auto f = static_cast<std::int64_t>(first * rate); static_cast<double>(f) <= end * rate; ++f)
            painter.drawLine(QPointF(m_map.xOfFrame(static_cast<double>(f)), TimelineMap::headHeight - 6),
                             QPointF(m_map.xOfFrame(static_cast<double>(f)), TimelineMap::headHeight - 3));
    }
    for (double s = first; s <= end + 1e-9; s += step) {
        const double x = m_map.xOfFrame(s * rate);
        painter.setPen(QPen(theme::dim, 1));
        painter.drawLine(QPointF(x, TimelineMap::headHeight - 11), QPointF(x, TimelineMap::headHeight - 3));
        painter.drawText(QRectF(x + 4, TimelineMap::headHeight - 18, 70, 14),
                         Qt::AlignLeft | Qt::AlignVCenter, tr("%1 s").arg(s, 0, 'f', 0));
    }
    painter.restore();
}

/// Frames that are there to be played: a teal line along the ruler's foot.
void Timeline::paintCached(QPainter& painter) {
    if (!m_cache) return;
    painter.setClipRect(QRectF(TimelineMap::namesWidth - 6, 0, width() - TimelineMap::namesWidth + 6,
                               TimelineMap::headHeight));
    painter.fillRect(QRectF(TimelineMap::namesWidth, TimelineMap::headHeight - 2.5,
                            width() - TimelineMap::namesWidth - TimelineMap::rightRoom, 2.5),
                     theme::edge);
    const double half = std::max(0.5, (m_map.xOfFrame(1) - m_map.xOfFrame(0)) / 2);
    for (const auto& [first, last] : m_cache->runs())
        painter.fillRect(
            QRectF(QPointF(m_map.xOfFrame(static_cast<double>(first)) - half, TimelineMap::headHeight - 2.5),
                   QPointF(m_map.xOfFrame(static_cast<double>(last)) + half, TimelineMap::headHeight)),
            theme::focus.lighter(125));
    painter.setClipping(false);
}

void Timeline::paintMove(QPainter& painter) {
    const scene::Scene& scene = *m_session.scene();
    const QRectF row = m_map.rowRect(0);
    painter.fillRect(row, theme::panel);
    painter.setPen(QPen(theme::edge, 1));
    painter.drawLine(row.bottomLeft(), row.bottomRight());
    const bool whole = scene.camera.pace.has_value();
    if (!scene.camera.tracks.empty()) paintChevron(painter, row, m_map.isOpen(0));
    paintName(painter, row, tr("Camera move"), 46, 0, false, theme::text);
    painter.save();
    painter.setClipRect(QRectF(TimelineMap::namesWidth - 10, row.top(),
                               width() - TimelineMap::namesWidth + 10, row.height()));
    const auto& marks = scene.camera.marks;
    const auto name = [&](const QRectF& bar, const QString& text) {
        painter.setPen(theme::text);
        painter.setFont(theme::sans(10));
        if (bar.width() > painter.fontMetrics().horizontalAdvance(text) + 30)
            painter.drawText(bar, Qt::AlignCenter, text);
    };
    for (std::size_t i = 0; i + 1 < marks.size(); ++i) {
        const QRectF bar(QPointF(m_map.xOf(marks[i].time), row.top() + 8),
                         QPointF(m_map.xOf(marks[i + 1].time), row.bottom() - 7));
        painter.fillRect(bar, QColor(0x73, 0x37, 0x2A));
        if (!whole) name(bar, paceName(marks[i].pace));
    }
    if (whole && marks.size() > 1) { // where the marks leave the most room
        QRectF widest;
        for (std::size_t i = 0; i + 1 < marks.size(); ++i) {
            const QRectF bar(QPointF(m_map.xOf(marks[i].time), row.top() + 8),
                             QPointF(m_map.xOf(marks[i + 1].time), row.bottom() - 7));
            if (bar.width() > widest.width()) widest = bar;
        }
        name(widest, tr("%1, over the whole move").arg(paceName(*scene.camera.pace)));
    }
    for (std::size_t i = 0; i < marks.size(); ++i) {
        const double x = m_map.xOf(marks[i].time), y = row.top() + 6;
        // Under one pace the marks in between follow from the path: a shorter stem.
        const bool follows = whole && i > 0 && i + 1 < marks.size();
        painter.setPen(QPen(theme::vermilion, follows ? 2 : 3));
        painter.drawLine(QPointF(x - 6, y), QPointF(x + 6, y));
        painter.drawLine(QPointF(x, y), QPointF(x, row.bottom() - (follows ? 11 : 5)));
        painter.setPen(theme::text);
        painter.setFont(theme::sans(10, true));
        painter.drawText(QRectF(x + 7, y + 2, 20, 13), Qt::AlignLeft | Qt::AlignVCenter,
                         QString::number(i + 1));
    }
    if (const auto& off = m_session.camera.offMove()) { // an open T: a pose that is no mark yet
        const double x = m_map.xOf(off->time);
        painter.setPen(QPen(theme::vermilion, 1.4, Qt::DashLine));
        painter.drawLine(QPointF(x - 6, row.top() + 6), QPointF(x + 6, row.top() + 6));
        painter.drawLine(QPointF(x, row.top() + 6), QPointF(x, row.bottom() - 5));
    }
    painter.restore();
}

QRectF Timeline::rowOf(const checks::Finding& finding) const {
    if (finding.layer == 0) return m_map.rowRect(0);
    const QRectF row = m_map.rowOf(finding.layer);
    return row.top() < TimelineMap::headHeight + TimelineMap::rowHeight - 2 ? QRectF() : row;
}

/// What the checks found: a bar over the stretch, and a sign where it is worst, in the row that it is about.
void Timeline::paintFindings(QPainter& painter) {
    if (!m_findings) return;
    checks::forEachSingle(m_findings->report().findings, [&](const checks::Finding& finding) {
        const QRectF row = rowOf(finding);
        if (row.isEmpty()) return;
        const double from = std::max(TimelineMap::namesWidth, m_map.xOf(finding.from)),
                     to = m_map.xOf(finding.to), at = m_map.xOf(finding.at);
        if (at < TimelineMap::namesWidth - 2 || at > width()) return;
        painter.setPen(QPen(QColor(0xF0, 0xA5, 0x8F), 2));
        if (to - from > 1) painter.drawLine(QPointF(from, row.bottom() - 3), QPointF(to, row.bottom() - 3));
        const QPointF top(at, row.bottom() - 12);
        painter.setPen(QPen(theme::edge, 1));
        painter.setBrush(QColor(0xF0, 0xA5, 0x8F));
        painter.drawPolygon(QPolygonF{top, top + QPointF(5.5, 9.5), top + QPointF(-5.5, 9.5)});
    });
}

void Timeline::redraw() {
    m_stale = true;
    repaintTime();
}

/// All but the buttons, which would be painted too.
void Timeline::repaintTime() {
    update(QRegion(rect()) - QRect(0, 0, static_cast<int>(TimelineMap::namesWidth) - 6,
                                   static_cast<int>(TimelineMap::headHeight)));
}

/// All that does not change from frame to frame.
void Timeline::paintStill(QPainter& painter) {
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect().adjusted(0, 0, 1, 1), theme::panel); // parts of pixels too
    // All but the camera's move scrolls under it.
    const QRectF scrolled(0, TimelineMap::headHeight + TimelineMap::rowHeight, width(),
                          height() - TimelineMap::headHeight - TimelineMap::rowHeight);
    painter.setClipRect(scrolled);
    for (std::size_t i = 1; i < m_map.rows().size(); ++i) {
        const QRectF row = m_map.rectOf(m_map.rows()[i]);
        if (row.bottom() < TimelineMap::headHeight || row.top() > height()) continue;
        if (m_map.rows()[i].kind == TimelineMap::Row::Kind::Layer)
            paintLayer(painter, m_map.rows()[i], row);
        else
            paintLane(painter, m_map.rows()[i], row);
    }
    const double room = scrolled.height(), all = m_map.rowsHeight();
    if (all > room) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(QColor(0x4A, 0x51, 0x58));
        painter.drawRoundedRect(
            QRectF(width() - 8, scrolled.top() + m_map.scroll() / all * room, 6, room / all * room), 3, 3);
    }
    painter.setClipping(false);
    paintRuler(painter);
    paintMove(painter);
    paintFindings(painter);
}

void Timeline::paintEvent(QPaintEvent*) {
    const double ratio = devicePixelRatioF();
    if (const QSize pixels = pixelsOf(size(), ratio); m_stale || m_still.size() != pixels) {
        if (m_still.size() != pixels) m_still = QPixmap(pixels);
        m_still.setDevicePixelRatio(ratio);
        QPainter still(&m_still);
        paintStill(still);
        m_stale = false;
    }
    QPainter painter(this);
    painter.drawPixmap(0, 0, m_still);
    painter.setRenderHint(QPainter::Antialiasing);
    paintCached(painter);
    painter.setClipRect(QRectF(0, TimelineMap::headHeight + TimelineMap::rowHeight, width(),
                               height() - TimelineMap::headHeight - TimelineMap::rowHeight));
    for (std::size_t i = 1; i < m_map.rows().size(); ++i)
        if (const QRectF row = m_map.rectOf(m_map.rows()[i]);
            m_map.rows()[i].kind != TimelineMap::Row::Kind::Layer && row.bottom() > TimelineMap::headHeight &&
            row.top() < height())
            paintValue(painter, m_map.rows()[i], row);
    if (m_drag == Drag::Frame && m_moved) {
        painter.setPen(QPen(theme::vermilion, 1, Qt::DashLine));
        painter.setBrush(QColor(0xD9, 0x51, 0x2F, 30));
        painter.drawRect(m_frame);
    }
    painter.setClipping(false);
    // Playhead.
    const double x = m_map.xOfFrame(static_cast<double>(m_session.playhead.frame()));
    if (x > TimelineMap::namesWidth - 2) {
        painter.setPen(QPen(theme::brass, 1.4));
        painter.drawLine(QPointF(x, TimelineMap::headHeight - 6), QPointF(x, height()));
        QPainterPath head;
        head.moveTo(x - 6, 4);
        head.lineTo(x + 6, 4);
        head.lineTo(x + 6, 12);
        head.lineTo(x, 20);
        head.lineTo(x - 6, 12);
        head.closeSubpath();
        painter.fillPath(head, theme::brass);
    }
    paper::say(painter, rect(), m_say);
}

}
