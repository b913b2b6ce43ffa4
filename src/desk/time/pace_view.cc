#include "desk/time/pace_view.h"

#include "checks/choreography.h"
#include "desk/kit/number_field.h"
#include "desk/look/theme.h"
#include "desk/session/follow_scene.h"
#include "scene/scene_json.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolButton>
#include <cmath>

namespace stage::desk {
namespace {

constexpr int steps = 240;

}

PaceView::PaceView(Session& session, QWidget* parent) : QWidget(parent), m_session(session) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    auto* controls = new QWidget;
    controls->setObjectName(QStringLiteral("paceBar"));
    auto* row = new QHBoxLayout(controls);
    row->setContentsMargins(6, 3, 6, 3);
    row->setSpacing(4);
    m_pace = new PaceChoice(session);
    m_pace->setObjectName(QStringLiteral("paceOf"));
    m_pace->setAccessibleName(tr("Pace here"));
    m_whole = new QToolButton;
    m_whole->setObjectName(QStringLiteral("flat"));
    m_whole->setText(tr("Whole"));
    m_whole->setCheckable(true);
    m_whole->setToolTip(tr("One pace over the whole move, so that the speed need not stop at each mark"));
    m_graph = new QComboBox;
    m_graph->setObjectName(QStringLiteral("paceGraph"));
    m_graph->setAccessibleName(tr("Graph"));
    m_graph->addItems({tr("m/s"), tr("m/s²"), tr("°/s")});
    m_graph->setToolTip(tr("Shows the speed, how it speeds up and slows down, or how the camera turns"));
    m_graph->setFixedWidth(66);
    row->addWidget(m_pace, 1);
    row->addWidget(m_whole);
    row->addWidget(m_graph);
    m_paper = new PacePaper(session);
    column->addWidget(controls);
    column->addWidget(m_paper, 1);
    connect(m_whole, &QToolButton::clicked, this, [this](bool on) {
        m_session.document.apply(
            interaction::wholePaceEdit(*m_session.scene(), m_session.playhead.time().toDouble(), on));
        refresh();
    });
    connect(m_graph, &QComboBox::activated, this,
            [this](int i) { m_paper->setGraph(static_cast<PacePaper::Graph>(i)); });
    m_session.playhead.beat().follow(this, Beat::Rank::Numbers, [this] { refresh(); });
    followSceneAside(m_session.document, this, [this] { refresh(); });
    refresh();
}

double PaceView::peak() const {
    return m_paper->peak();
}

void PaceView::refresh() {
    m_pace->refresh();
    m_whole->setEnabled(m_session.scene()->camera.marks.size() > 1);
    m_whole->setChecked(m_session.scene()->camera.pace.has_value());
}

// ---- the paper

PacePaper::PacePaper(Session& session, QWidget* parent) : QWidget(parent), m_session(session) {
    setAttribute(Qt::WA_OpaquePaintEvent);
    setMinimumSize(140, 80);
    setFocusPolicy(Qt::ClickFocus);
    setAccessibleName(tr("Pace"));
    setToolTip(
        tr("Draw the speed here; it is stretched so that the way stays as long. Click: the playhead."));
    followSceneAside(m_session.document, this, [this] {
        measure();
        update();
    });
    m_session.playhead.beat().follow(this, Beat::Rank::Drawing, [this] { update(); });
    measure();
}

void PacePaper::setGraph(Graph graph) {
    m_graph = graph;
    measure();
    update();
}

void PacePaper::measure() {
    const motion::CameraMove& move = m_session.move();
    const double seconds = scene::lastTime(*m_session.scene()).toDouble();
    m_values.clear();
    m_peak = m_most = 0;
    std::vector<double> speeds;
    for (int i = 0; i <= steps; ++i)
        speeds.push_back(move.speed(seconds * i / steps));
    m_peak = *std::max_element(speeds.begin(), speeds.end());
    switch (m_graph) {
    case Graph::Speed:
        m_values = speeds;
        break;
    case Graph::Acceleration: {
        const double h = std::max(1e-6, seconds / steps);
        for (int i = 0; i <= steps; ++i) {
            const auto at = [&](int k) { return speeds[static_cast<std::size_t>(std::clamp(k, 0, steps))]; };
            m_values.push_back((at(i + 1) - at(i - 1)) / (2 * h));
        }
        break;
    }
    case Graph::Turning:
        for (int i = 0; i <= steps; ++i)
            m_values.push_back(move.turning(seconds * i / steps));
        break;
    }
    for (const double v : m_values)
        m_most = std::max(m_most, std::abs(v));
}

double PacePaper::limit() const {
    const checks::Believable can = checks::believable(m_session.scene()->camera.rig);
    return m_graph == Graph::Speed ? can.speed : m_graph == Graph::Turning ? can.turning : can.acceleration;
}

QRectF PacePaper::area() const {
    return QRectF(rect()).adjusted(10, 18, -10, -12);
}

double PacePaper::top() const {
    if (m_topHeld > 0) return m_topHeld;
    double top = 0.1;
    for (int k = 0; top < m_most * 1.05 && k < 60; ++k) // 0.1, 0.2, 0.5, 1, ...
        top *= k % 3 == 1 ? 2.5 : 2;
    return top;
}

QPointF PacePaper::placeOf(double seconds, double value) const {
    const QRectF in = area();
    const double all = std::max(1e-9, scene::lastTime(*m_session.scene()).toDouble());
    // What can be below nothing has its zero in the middle.
    const double share = m_graph == Graph::Acceleration ? 0.5 + value / top() / 2 : value / top();
    return {in.left() + in.width() * seconds / all, in.bottom() - in.height() * share};
}

void PacePaper::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), theme::paper);
    const QRectF in = area();
    painter.setFont(theme::figures(10));
    for (int k = 0; k <= 4; ++k) {
        const double y = in.bottom() - in.height() * k / 4;
        painter.setPen(QPen(k % 2 ? theme::grid : theme::gridStrong, 1));
        painter.drawLine(QPointF(in.left(), y), QPointF(in.right(), y));
    }
    const QString unit = m_graph == Graph::Speed     ? tr("m/s")
                         : m_graph == Graph::Turning ? tr("°/s")
                                                     : tr("m/s²");
    painter.setPen(theme::penDim);
    painter.drawText(QRectF(in.right() - 90, 3, 90, 13), Qt::AlignRight,
                     QStringLiteral("%1 %2").arg(figure(top(), top() < 1    ? 2
                                                               : top() < 10 ? 1
                                                                            : 0),
                                                 unit));
    const double seconds = scene::lastTime(*m_session.scene()).toDouble();
    const auto placeAt = [&](std::size_t i) {
        return placeOf(seconds * static_cast<double>(i) / static_cast<double>(m_values.size() - 1),
                       m_values[i]);
    };
    QPainterPath curve(placeAt(0));
    for (std::size_t i = 1; i < m_values.size(); ++i)
        curve.lineTo(placeAt(i));
    QPainterPath under = curve;
    under.lineTo(placeOf(seconds, 0));
    under.lineTo(placeOf(0, 0));
    painter.save();
    painter.setClipRect(in.adjusted(-2, -2, 2, 2));
    painter.fillPath(under, QColor(0xD9, 0x51, 0x2F, 50));
    painter.setPen(QPen(theme::vermilion, 2));
    painter.drawPath(curve);
    if (limit() < top()) { // what the rig can do
        painter.setPen(QPen(theme::pen, 1, Qt::DashLine));
        for (const double way : {1.0, -1.0})
            if (way > 0 || m_graph == Graph::Acceleration)
                painter.drawLine(placeOf(0, way * limit()), placeOf(seconds, way * limit()));
        painter.drawText(
            placeOf(0, limit()) + QPointF(4, -3),
            QString::fromLatin1(
                scene::rigNames[static_cast<std::size_t>(m_session.scene()->camera.rig)].data()));
    }
    if (m_drawn) {
        QPolygonF stroke;
        const interaction::PaceScope& scope = m_drawn->scope();
        const auto& speeds = m_drawn->speeds();
        for (std::size_t i = 0; i < speeds.size(); ++i)
            stroke << placeOf(scope.begin + (scope.end - scope.begin) * static_cast<double>(i) /
                                                static_cast<double>(speeds.size() - 1),
                              speeds[i]);
        painter.setPen(QPen(theme::pen, 1.2, Qt::DotLine));
        painter.drawPolyline(stroke);
    }
    painter.restore();
    for (const scene::Mark& mark : m_session.scene()->camera.marks) { // where marks are passed
        const QPointF at = placeOf(mark.time.toDouble(), 0);
        painter.setPen(QPen(theme::vermilion, 1.6));
        painter.drawLine(QPointF(at.x(), in.bottom() + 1), QPointF(at.x(), in.bottom() + 5));
        painter.drawLine(QPointF(at.x() - 3, in.bottom() + 1), QPointF(at.x() + 3, in.bottom() + 1));
    }
    const double x = placeOf(m_session.playhead.time().toDouble(), 0).x();
    painter.setPen(QPen(theme::brass, 1.4));
    painter.drawLine(QPointF(x, in.top() - 4), QPointF(x, in.bottom() + 6));
    painter.setPen(theme::pen);
    const double now = m_values[static_cast<std::size_t>(std::clamp<double>(
        seconds > 0 ? m_session.playhead.time().toDouble() / seconds * steps : 0, 0, steps))];
    painter.drawText(QRectF(in.left(), 3, 130, 13), Qt::AlignLeft,
                     tr("now %1 %2").arg(figure(now, m_graph == Graph::Turning ? 1 : 2), unit));
}

void PacePaper::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || m_drawing) return;
    setFocus();
    m_pressed = m_last = event->position();
    m_moved = false;
    m_drawing = true;
    m_drawn.reset();
}

void PacePaper::mouseMoveEvent(QMouseEvent* event) {
    if (!m_drawing) return;
    const QPointF place = event->position();
    if (!m_moved && (place - m_pressed).manhattanLength() < 4) return;
    const QRectF in = area();
    const scene::Scene& before = *m_session.document.history().scene();
    const double all = std::max(1e-9, scene::lastTime(before).toDouble());
    const auto secondsAt = [&](double x) { return (x - in.left()) / in.width() * all; };
    if (m_graph != Graph::Speed) { // only speeds can be drawn: the playhead, then
        m_session.playhead.setFrame(
            frameAt(Rational::nearest(std::max(0.0, secondsAt(place.x()))), before.output.rate));
        return;
    }
    if (!m_moved) {
        const auto scope = interaction::paceAtTime(before, secondsAt(m_pressed.x()));
        if (!scope) {
            m_drawing = false;
            return;
        }
        m_topHeld = top();
        m_drawn.emplace(m_session.move(), *scope);
        m_moved = true;
    }
    const auto speedAt = [&](double y) { return (in.bottom() - y) / in.height() * m_topHeld; };
    m_drawn->draw(secondsAt(m_last.x()), speedAt(m_last.y()), secondsAt(place.x()), speedAt(place.y()));
    m_last = place;
    if (const auto edit = m_drawn->edit()) m_session.document.preview(*edit);
    update();
}

void PacePaper::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !m_drawing) return;
    m_drawing = false;
    m_drawn.reset();
    m_topHeld = 0;
    if (!m_moved) {
        const scene::Scene& scene = *m_session.scene();
        const double share = (event->position().x() - area().left()) / area().width();
        m_session.playhead.setFrame(
            frameAt(Rational::nearest(std::clamp(share, 0.0, 1.0) * scene::lastTime(scene).toDouble()),
                    scene.output.rate));
    }
    m_session.document.commit();
    update();
}

void PacePaper::keyPressEvent(QKeyEvent* event) {
    if (event->key() != Qt::Key_Escape || !m_drawing) return QWidget::keyPressEvent(event);
    m_drawing = false;
    m_drawn.reset();
    m_topHeld = 0;
    m_session.document.dropPreview();
    update();
}

}
