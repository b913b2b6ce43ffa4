#include "desk/pace_view.h"

#include "desk/number_field.h"
#include "desk/theme.h"

#include <QPainter>
#include <QPainterPath>

namespace stage::desk {

PaceView::PaceView(Session& session, QWidget* parent) : QWidget(parent), m_session(session) {
    setMinimumSize(140, 80);
    setAccessibleName(tr("Pace"));
    const auto refresh = [this] {
        measure();
        update();
    };
    connect(&m_session, &Session::sceneChanged, this, refresh);
    connect(&m_session, &Session::frameChanged, this, qOverload<>(&QWidget::update));
    measure();
}

void PaceView::measure() {
    const auto& scene = *m_session.scene();
    const double seconds = scene::lastTime(scene).toDouble();
    m_speeds.clear();
    m_peak = 0;
    for (int i = 0; i <= 240; ++i) {
        m_speeds.push_back(m_session.move().speed(seconds * i / 240));
        m_peak = std::max(m_peak, m_speeds.back());
    }
}

void PaceView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), theme::paper);
    const QRectF area = QRectF(rect()).adjusted(10, 18, -10, -14);
    double top = 0.1;
    for (int k = 0; top < m_peak * 1.05; ++k) // 0.1, 0.2, 0.5, 1, ...
        top *= k % 3 == 1 ? 2.5 : 2;
    painter.setFont(theme::figures(10));
    for (int k = 0; k <= 4; ++k) {
        const double y = area.bottom() - area.height() * k / 4;
        painter.setPen(QPen(k % 2 ? theme::grid : theme::gridStrong, 1));
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
    }
    painter.setPen(theme::penDim);
    painter.drawText(QRectF(area.right() - 90, 4, 90, 13), Qt::AlignRight,
                     tr("%1 m/s").arg(figure(top, top < 1 ? 2 : 1)));

    const auto placeOf = [&](std::size_t i) {
        return QPointF(area.left() +
                           area.width() * static_cast<double>(i) / static_cast<double>(m_speeds.size() - 1),
                       area.bottom() - area.height() * m_speeds[i] / top);
    };
    QPainterPath curve(placeOf(0));
    for (std::size_t i = 1; i < m_speeds.size(); ++i)
        curve.lineTo(placeOf(i));
    QPainterPath under = curve;
    under.lineTo(area.bottomRight());
    under.lineTo(area.bottomLeft());
    painter.fillPath(under, QColor(0xD9, 0x51, 0x2F, 50));
    painter.setPen(QPen(theme::vermilion, 2));
    painter.drawPath(curve);

    const auto& out = m_session.scene()->output;
    const double x = area.left() + area.width() * static_cast<double>(m_session.frame()) /
                                       std::max<double>(1, static_cast<double>(out.frames - 1));
    painter.setPen(QPen(theme::brass, 1.4));
    painter.drawLine(QPointF(x, area.top() - 4), QPointF(x, area.bottom() + 6));
    painter.setPen(theme::pen);
    painter.drawText(QRectF(area.left(), 4, 130, 13), Qt::AlignLeft,
                     tr("now %1 m/s").arg(figure(m_session.move().speed(m_session.time().toDouble()), 2)));
}

}
