#include "desk/timeline.h"

#include "desk/theme.h"
#include "scene/quantity.h"

#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolButton>
#include <cmath>

namespace stage::desk {
namespace {

constexpr double headHeight = 28, rowHeight = 27, namesWidth = 180, rightRoom = 26;

}

Timeline::Timeline(Session& session, QWidget* parent) : QWidget(parent), m_session(session) {
    setMinimumHeight(110);
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
    m_play->setObjectName(QStringLiteral("flat"));
    m_toEnd = button(QStringLiteral("skip-forward"), tr("To the next mark"));
    m_time = new QLineEdit(this);
    m_time->setObjectName(QStringLiteral("figure"));
    m_time->setToolTip(tr("Time as minutes:seconds:frames; also 3.5s, or a number of frames"));
    connect(m_play, &QToolButton::clicked, this, [this] { setPlaying(!playing()); });
    const auto toMark = [this](int way) {
        const auto& scene = *m_session.scene();
        std::int64_t target = way < 0 ? 0 : scene.output.frames - 1;
        for (const scene::Mark& mark : scene.camera.marks) {
            const std::int64_t frame = frameAt(mark.time, scene.output.rate);
            if (way < 0 && frame < m_session.frame()) target = frame;
            if (way > 0 && frame > m_session.frame()) {
                target = frame;
                break;
            }
        }
        m_session.setFrame(target);
    };
    connect(m_toStart, &QToolButton::clicked, this, [toMark] { toMark(-1); });
    connect(m_toEnd, &QToolButton::clicked, this, [toMark] { toMark(1); });
    connect(m_time, &QLineEdit::returnPressed, this, &Timeline::readTime);

    m_clock.setTimerType(Qt::PreciseTimer);
    connect(&m_clock, &QTimer::timeout, this, [this] {
        const auto& out = m_session.scene()->output;
        const auto passed =
            static_cast<std::int64_t>(static_cast<double>(m_since.elapsed()) / 1000.0 * out.rate.toDouble());
        m_session.setFrame((m_startFrame + passed) % out.frames);
    });
    connect(&m_session, &Session::sceneChanged, this, [this] {
        layOut();
        update();
    });
    connect(&m_session, &Session::selectionChanged, this, qOverload<>(&QWidget::update));
    const auto tell = [this] {
        if (!m_time->hasFocus())
            m_time->setText(
                QString::fromStdString(scene::timecode(m_session.frame(), m_session.scene()->output.rate)));
        update();
    };
    connect(&m_session, &Session::frameChanged, this, tell);
    connect(&m_session, &Session::sceneChanged, this, tell);
    layOut();
    tell();
}

void Timeline::layOut() {
    m_rows.clear();
    scene::forEach(*m_session.scene(),
                   [&](const scene::LayerPtr& layer, const auto&) { m_rows.push_back(layer); });
    std::reverse(m_rows.begin(), m_rows.end());
}

void Timeline::resizeEvent(QResizeEvent*) {
    m_toStart->setGeometry(8, 2, 24, 24);
    m_play->setGeometry(34, 2, 24, 24);
    m_toEnd->setGeometry(60, 2, 24, 24);
    m_time->setGeometry(90, 2, 82, 24);
}

void Timeline::setPlaying(bool play) {
    if (play == playing()) return;
    if (play) {
        m_session.dropPreview();
        m_startFrame = m_session.frame() + 1 >= m_session.scene()->output.frames ? 0 : m_session.frame();
        m_since.start();
        m_clock.start(5); // looks often, so that each frame comes at its time; equal frames change nothing
    } else {
        m_clock.stop();
    }
    m_play->setIcon(theme::icon(play ? QStringLiteral("pause") : QStringLiteral("play"),
                                play ? theme::brass : theme::text));
    m_play->setToolTip(play ? tr("Stop (Space)") : tr("Play (Space)"));
    Q_EMIT playingChanged(play);
}

void Timeline::readTime() {
    const auto frame = scene::frameFromText(m_time->text().toStdString(), m_session.scene()->output.rate);
    m_time->clearFocus();
    if (frame) m_session.setFrame(*frame);
    m_time->setText(
        QString::fromStdString(scene::timecode(m_session.frame(), m_session.scene()->output.rate)));
    if (!frame) Q_EMIT m_session.problem(QString::fromStdString(frame.error().sentence));
}

double Timeline::xOfFrame(double frame) const {
    const double last = std::max<double>(1, static_cast<double>(m_session.scene()->output.frames - 1));
    return namesWidth + frame / last * (width() - namesWidth - rightRoom);
}

std::int64_t Timeline::frameOfX(double x) const {
    const double last = std::max<double>(1, static_cast<double>(m_session.scene()->output.frames - 1));
    return std::clamp<std::int64_t>(
        std::llround((x - namesWidth) / (width() - namesWidth - rightRoom) * last), 0,
        m_session.scene()->output.frames - 1);
}

QRectF Timeline::rowRect(int row) const {
    return {0, headHeight + row * rowHeight - (row > 0 ? m_scroll : 0), static_cast<double>(width()),
            rowHeight};
}

void Timeline::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), theme::panel);
    const scene::Scene& scene = *m_session.scene();
    const auto& out = scene.output;
    const auto& selection = m_session.selection();

    // Layers scroll under the camera's row.
    painter.setClipRect(QRectF(0, headHeight + rowHeight, width(), height()));
    for (std::size_t i = 0; i < m_rows.size(); ++i) {
        const QRectF row = rowRect(static_cast<int>(i) + 1);
        if (row.bottom() < headHeight || row.top() > height()) continue;
        const scene::Layer& layer = *m_rows[i];
        const bool selected = std::find(selection.begin(), selection.end(), layer.id) != selection.end();
        if (selected) painter.fillRect(row, theme::raised);
        painter.setPen(QPen(theme::edge, 1));
        painter.drawLine(row.bottomLeft(), row.bottomRight());
        theme::icon(layer.visible ? QStringLiteral("eye") : QStringLiteral("eye-off"),
                    layer.visible ? theme::text : theme::dim)
            .paint(&painter, QRect(10, static_cast<int>(row.center().y()) - 7, 14, 14));
        painter.setPen(layer.visible ? theme::text : theme::dim);
        painter.setFont(theme::sans(12, selected));
        painter.drawText(row.adjusted(32, 0, -(width() - namesWidth) - 8, 0),
                         Qt::AlignLeft | Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(QString::fromStdString(layer.name), Qt::ElideRight,
                                                          static_cast<int>(namesWidth) - 44));
        double from = 0, to = static_cast<double>(out.frames - 1);
        if (const auto* footage = std::get_if<scene::Footage>(&layer.content)) {
            const double speed = std::abs(footage->speed.toDouble());
            const bool ends = (footage->ends == scene::Ends::Hold || footage->ends == scene::Ends::Vanish) &&
                              !footage->freeze && footage->speeds.empty() && speed > 0;
            from = (footage->start * out.rate).toDouble();
            if (ends)
                to = from +
                     (Rational(footage->last() - footage->in + 1) / footage->rate * out.rate).toDouble() /
                         speed -
                     1;
        }
        const QRectF bar(QPointF(std::max(namesWidth, xOfFrame(from)), row.top() + 6),
                         QPointF(std::min<double>(width() - rightRoom, xOfFrame(to)), row.bottom() - 6));
        QColor colour = m_session.swatches().of(*m_session.scene(), m_rows[i]).colour;
        // Dark pictures would vanish on the desk.
        if (colour.lightness() < 90)
            colour = QColor::fromHsl(colour.hslHue(), std::min(colour.hslSaturation(), 110), 90);
        colour.setAlphaF(layer.visible ? 0.9f : 0.35f);
        painter.setPen(selected ? QPen(theme::vermilion, 1.2) : QPen(Qt::NoPen));
        painter.setBrush(colour);
        if (bar.width() > 0) painter.drawRoundedRect(bar, 3, 3);
    }
    const double room = height() - headHeight - rowHeight,
                 all = rowHeight * static_cast<double>(m_rows.size());
    if (all > room) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(QColor(0x4A, 0x51, 0x58));
        painter.drawRoundedRect(
            QRectF(width() - 8, headHeight + rowHeight + m_scroll / all * room, 6, room / all * room), 3, 3);
    }
    painter.setClipping(false);

    // Ruler.
    painter.fillRect(QRectF(0, 0, width(), headHeight), theme::raised);
    const double rate = out.rate.toDouble();
    const double seconds = static_cast<double>(out.frames - 1) / rate;
    double step = 1;
    for (const double s : {1.0, 2.0, 5.0, 10.0, 30.0, 60.0, 300.0, 1800.0, 1e5})
        if ((width() - namesWidth) / std::max(seconds, 1e-9) * s > 50) {
            step = s;
            break;
        }
    painter.setFont(theme::figures(11));
    for (double s = 0; s <= seconds + 1e-9 && s / step < 500; s += step) {
        const double x = xOfFrame(s * rate);
        painter.setPen(QPen(theme::dim, 1));
        painter.drawLine(QPointF(x, headHeight - 11), QPointF(x, headHeight - 1));
        painter.drawText(QRectF(x + 4, headHeight - 17, 70, 14), Qt::AlignLeft | Qt::AlignVCenter,
                         tr("%1 s").arg(s, 0, 'f', 0));
    }

    // The camera's move.
    const QRectF row = rowRect(0);
    painter.fillRect(row, theme::panel);
    painter.setPen(QPen(theme::edge, 1));
    painter.drawLine(row.bottomLeft(), row.bottomRight());
    painter.setPen(theme::text);
    painter.setFont(theme::sans(12));
    painter.drawText(row.adjusted(32, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, tr("Camera move"));
    const auto& marks = scene.camera.marks;
    const auto xOfMark = [&](std::size_t i) { return xOfFrame((marks[i].time * out.rate).toDouble()); };
    for (std::size_t i = 0; i + 1 < marks.size(); ++i) {
        const QRectF bar(QPointF(xOfMark(i), row.top() + 8), QPointF(xOfMark(i + 1), row.bottom() - 7));
        painter.fillRect(bar, QColor(0x73, 0x37, 0x2A));
        QString name = tr("own pace");
        for (const scene::NamedPace& named : scene::namedPaces)
            if (named.pace == marks[i].pace)
                name = QString::fromLatin1(named.name.data(), static_cast<qsizetype>(named.name.size()));
        painter.setPen(theme::text);
        painter.setFont(theme::sans(10));
        if (bar.width() > 70) painter.drawText(bar, Qt::AlignCenter, name);
    }
    for (std::size_t i = 0; i < marks.size(); ++i) {
        const double x = xOfMark(i), y = row.top() + 6;
        painter.setPen(QPen(theme::vermilion, 3));
        painter.drawLine(QPointF(x - 6, y), QPointF(x + 6, y));
        painter.drawLine(QPointF(x, y), QPointF(x, row.bottom() - 5));
        painter.setPen(theme::text);
        painter.setFont(theme::sans(10, true));
        painter.drawText(QRectF(x + 7, y + 2, 20, 13), Qt::AlignLeft | Qt::AlignVCenter,
                         QString::number(i + 1));
    }
    if (const auto& off = m_session.offMove()) { // an open T: a pose that is no mark yet
        const double x = xOfFrame((off->time * out.rate).toDouble());
        painter.setPen(QPen(theme::vermilion, 1.4, Qt::DashLine));
        painter.drawLine(QPointF(x - 6, row.top() + 6), QPointF(x + 6, row.top() + 6));
        painter.drawLine(QPointF(x, row.top() + 6), QPointF(x, row.bottom() - 5));
    }

    // Playhead.
    const double x = xOfFrame(static_cast<double>(m_session.frame()));
    painter.setPen(QPen(theme::brass, 1.4));
    painter.drawLine(QPointF(x, headHeight - 6), QPointF(x, height()));
    QPainterPath head;
    head.moveTo(x - 6, 4);
    head.lineTo(x + 6, 4);
    head.lineTo(x + 6, 12);
    head.lineTo(x, 20);
    head.lineTo(x - 6, 12);
    head.closeSubpath();
    painter.fillPath(head, theme::brass);
}

int Timeline::markAt(const QPointF& place) const {
    if (!rowRect(0).contains(place)) return -1;
    const auto& scene = *m_session.scene();
    for (std::size_t i = 0; i < scene.camera.marks.size(); ++i)
        if (std::abs(xOfFrame((scene.camera.marks[i].time * scene.output.rate).toDouble()) - place.x()) < 8)
            return static_cast<int>(i);
    return -1;
}

void Timeline::choosePace(int move, const QPoint& where) {
    QMenu menu(this);
    for (const scene::NamedPace& named : scene::namedPaces) {
        const std::string name(named.name);
        QAction* action = menu.addAction(QString::fromStdString(name), this, [this, move, name] {
            m_session.apply({{"edit", "pace"}, {"mark", move + 1}, {"pace", name}});
        });
        action->setCheckable(true);
        action->setChecked(m_session.scene()->camera.marks[static_cast<std::size_t>(move)].pace ==
                           named.pace);
    }
    menu.exec(where);
}

void Timeline::mousePressEvent(QMouseEvent* event) {
    const QPointF place = event->position();
    if (place.y() < headHeight) {
        if (place.x() < namesWidth) return;
        setPlaying(false);
        m_drag = Drag::Playhead;
        m_session.setFrame(frameOfX(place.x()));
        return;
    }
    const auto& scene = *m_session.scene();
    if (rowRect(0).contains(place)) {
        if (const int mark = markAt(place); mark >= 0) {
            if (event->button() == Qt::LeftButton) {
                m_drag = Drag::Mark;
                m_dragMark = mark;
                m_markFrom = scene.camera.marks[static_cast<std::size_t>(mark)].time;
            }
            setPlaying(false);
            m_session.setFrame(
                frameAt(scene.camera.marks[static_cast<std::size_t>(mark)].time, scene.output.rate));
            return;
        }
        for (int i = 0; i + 1 < static_cast<int>(scene.camera.marks.size()); ++i) {
            const std::int64_t frame = frameOfX(place.x());
            if (place.x() > namesWidth &&
                frame >= frameAt(scene.camera.marks[static_cast<std::size_t>(i)].time, scene.output.rate) &&
                frame <= frameAt(scene.camera.marks[static_cast<std::size_t>(i) + 1].time, scene.output.rate))
                return choosePace(i, event->globalPosition().toPoint());
        }
        return;
    }
    for (std::size_t i = 0; i < m_rows.size(); ++i) {
        if (!rowRect(static_cast<int>(i) + 1).contains(place)) continue;
        const scene::LayerPtr layer = m_rows[i];
        if (place.x() < 30) {
            m_session.apply({{"edit", "look"}, {"layers", {layer->id}}, {"visible", !layer->visible}});
            return;
        }
        auto chosen =
            event->modifiers() & Qt::ControlModifier ? m_session.selection() : std::vector<std::int64_t>{};
        if (std::erase(chosen, layer->id) == 0) chosen.push_back(layer->id);
        m_session.select(std::move(chosen));
    }
}

void Timeline::mouseMoveEvent(QMouseEvent* event) {
    if (m_drag == Drag::Playhead) m_session.setFrame(frameOfX(event->position().x()));
    if (m_drag == Drag::Mark) {
        const Rational time = timeOfFrame(frameOfX(event->position().x()), m_session.scene()->output.rate);
        if (time == m_markFrom && !m_session.previewing()) return;
        m_session.preview({{"edit", "move-mark"}, {"mark", m_dragMark + 1}, {"time", time.text()}});
        m_session.setFrame(frameOfX(event->position().x()));
    }
}

void Timeline::mouseReleaseEvent(QMouseEvent*) {
    if (m_drag == Drag::Mark) m_session.commit();
    m_drag = Drag::None;
}

void Timeline::wheelEvent(QWheelEvent* event) {
    const double most =
        std::max(0.0, rowHeight * static_cast<double>(m_rows.size()) - (height() - headHeight - rowHeight));
    m_scroll = std::clamp(m_scroll - event->angleDelta().y() * 0.4, 0.0, most);
    update();
}

}
