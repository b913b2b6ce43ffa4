#include "desk/camera/scopes_view.h"

#include "desk/camera/camera_picture.h"
#include "desk/look/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

constexpr int gap = 8, head = 20, scale = 30; ///< px: between scopes, of names, of figures beside levels
constexpr int columns = 256;

const QColor redInk(0xB8, 0x3A, 0x2E), greenInk(0x2F, 0x7D, 0x46), blueInk(0x2F, 0x5D, 0x9C);

/// How dark counts are drawn: many lie on many, and a single one is still seen.
int inkOf(std::uint32_t count, double usual) {
    if (count == 0) return 0;
    return static_cast<int>(255 * (1 - 0.82 * std::exp(-static_cast<double>(count) / usual)));
}

QRgb inked(const QColor& ink, int alpha) {
    return qPremultiply(qRgba(ink.red(), ink.green(), ink.blue(), alpha));
}

}

ScopesView::ScopesView(const CameraPicture& picture, QWidget* parent) : QWidget(parent), m_picture(picture) {
    setMinimumSize(160, 120);
    setToolTip(tr("Click: one of them alone, and all again"));
    m_soon.setSingleShot(true);
    m_soon.setInterval(40);
    connect(&m_soon, &QTimer::timeout, this, qOverload<>(&QWidget::update));
    connect(&picture, &CameraPicture::changed, this, [this] {
        if (isVisible() && !m_soon.isActive()) m_soon.start();
    });
}

const Scopes& ScopesView::scopes() {
    const QImage& image = m_picture.image();
    if (m_scopes.columns == 0 || image.cacheKey() != m_counted) {
        m_scopes = scopesOf(image, columns, m_picture.exposure().warnings);
        m_counted = image.cacheKey();
    }
    return m_scopes;
}

QRect ScopesView::placeOf(Kind kind) const {
    const QRect all = rect().adjusted(gap, gap, -gap, -gap);
    if (m_alone) return *m_alone == kind ? all : QRect();
    const int wide = (all.width() - gap) / 2, tall = (all.height() - gap) / 2;
    return {all.left() + (kind % 2) * (wide + gap), all.top() + (kind / 2) * (tall + gap), wide, tall};
}

void ScopesView::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    if (m_alone) {
        m_alone.reset();
    } else {
        for (int i = 0; i < kinds; ++i)
            if (placeOf(static_cast<Kind>(i)).contains(event->position().toPoint()))
                m_alone = static_cast<Kind>(i);
    }
    update();
}

/// Lines at shares of white, and figures beside them.
void ScopesView::drawLevels(QPainter& painter, const QRect& place) const {
    painter.setFont(theme::figures(10));
    const int step = place.height() < 110 ? 50 : 25;
    for (int percent = 0; percent <= 100; percent += step) {
        const double y = place.bottom() - (place.height() - 1) * percent / 100.0;
        painter.setPen(percent % 100 == 0 ? theme::gridStrong : theme::grid);
        painter.drawLine(QPointF(place.left(), y), QPointF(place.right(), y));
        painter.setPen(theme::penDim);
        painter.drawText(QRectF(place.left() - scale, y - 7, scale - 5, 14),
                         Qt::AlignRight | Qt::AlignVCenter, QString::number(percent));
    }
}

void ScopesView::drawWaveform(QPainter& painter, const QRect& place, Scopes::Value value,
                              const QColor& ink) const {
    const auto& counts = m_scopes.waveforms[value];
    QImage drawn(m_scopes.columns, Scopes::levels, QImage::Format_ARGB32_Premultiplied);
    const double usual = std::max(1.0, 0.02 * m_scopes.counted / m_scopes.columns);
    for (int level = 0; level < Scopes::levels; ++level) {
        auto* row = reinterpret_cast<QRgb*>(drawn.scanLine(Scopes::levels - 1 - level));
        const QColor& own = level == Scopes::levels - 1 ? theme::vermilion : level == 0 ? theme::focus : ink;
        for (int x = 0; x < m_scopes.columns; ++x)
            row[x] = inked(
                own,
                inkOf(counts[static_cast<std::size_t>(x) * Scopes::levels + static_cast<std::size_t>(level)],
                      usual));
    }
    painter.drawImage(place, drawn);
}

void ScopesView::drawHistogram(QPainter& painter, const QRect& place) const {
    std::uint32_t most = 1; // but for what is at the ends, which would press the rest down
    for (const auto& histogram : m_scopes.histograms)
        most = std::max(most, *std::max_element(histogram.begin() + 1, histogram.end() - 1));
    const auto line = [&](Scopes::Value value, const QColor& ink, bool filled) {
        QPolygonF shape;
        for (int level = 0; level < Scopes::levels; ++level) {
            const double share = std::sqrt(
                std::min(1.0, m_scopes.histograms[value][static_cast<std::size_t>(level)] / double(most)));
            shape << QPointF(place.left() + (place.width() - 1) * level / 255.0,
                             place.bottom() - (place.height() - 1) * share);
        }
        painter.setPen(filled ? Qt::NoPen : QPen(ink, 1.2));
        if (filled) {
            QColor soft = ink;
            soft.setAlpha(40);
            painter.setBrush(soft);
            shape << place.bottomRight() << place.bottomLeft();
            painter.drawPolygon(shape);
        } else {
            painter.drawPolyline(shape);
        }
    };
    painter.setPen(theme::grid);
    for (int i = 0; i <= 4; ++i) {
        const double x = place.left() + (place.width() - 1) * i / 4.0;
        painter.drawLine(QPointF(x, place.top()), QPointF(x, place.bottom()));
    }
    painter.setRenderHint(QPainter::Antialiasing);
    line(Scopes::Luma, theme::pen, true);
    line(Scopes::Red, redInk, false);
    line(Scopes::Green, greenInk, false);
    line(Scopes::Blue, blueInk, false);
    line(Scopes::Luma, theme::pen, false);
    painter.setRenderHint(QPainter::Antialiasing, false);
}

void ScopesView::drawVectors(QPainter& painter, const QRect& place) const {
    const int side = std::min(place.width(), place.height());
    const QRectF square(place.center().x() - side / 2.0, place.top() + (place.height() - side) / 2.0, side,
                        side);
    const auto placed = [&](double cb, double cr) {
        return QPointF(square.center().x() + cb * side, square.center().y() - cr * side);
    };
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(theme::gridStrong);
    painter.drawEllipse(square.adjusted(0.5, 0.5, -0.5, -0.5));
    painter.setPen(theme::grid);
    painter.drawEllipse(square.center(), side / 4.0, side / 4.0);
    painter.drawLine(placed(-0.5, 0), placed(0.5, 0));
    painter.drawLine(placed(0, -0.5), placed(0, 0.5));
    QImage drawn(Scopes::levels, Scopes::levels, QImage::Format_ARGB32_Premultiplied);
    const double usual = std::max(1.0, m_scopes.counted / 4000.0);
    for (int cr = 0; cr < Scopes::levels; ++cr) {
        auto* row = reinterpret_cast<QRgb*>(drawn.scanLine(Scopes::levels - 1 - cr));
        for (int cb = 0; cb < Scopes::levels; ++cb)
            row[cb] = inked(theme::pen, inkOf(m_scopes.vectors[static_cast<std::size_t>(cr) * Scopes::levels +
                                                               static_cast<std::size_t>(cb)],
                                              usual));
    }
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.drawImage(square, drawn);
    // Where the colours of bars are that go up to three quarters of white.
    const struct {
        QString name;
        int red, green, blue;
    } bars[] = {{tr("R"), 1, 0, 0},  {tr("Yl"), 1, 1, 0}, {tr("G"), 0, 1, 0},
                {tr("Cy"), 0, 1, 1}, {tr("B"), 0, 0, 1},  {tr("Mg"), 1, 0, 1}};
    painter.setFont(theme::figures(10));
    for (const auto& bar : bars) {
        const auto [cb, cr] = differenceOf(0.75 * bar.red, 0.75 * bar.green, 0.75 * bar.blue);
        const QPointF at = placed(cb, cr);
        painter.setPen(QPen(QColor(bar.red * 190, bar.green * 150, bar.blue * 190), 1.4));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8));
        painter.drawText(QRectF(at.x() - 26, at.y() - 7, 18, 14), Qt::AlignRight | Qt::AlignVCenter,
                         bar.name);
    }
    painter.setRenderHint(QPainter::Antialiasing, false);
}

void ScopesView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), theme::paper);
    if (m_picture.image().isNull()) return;
    scopes();
    const QString names[kinds] = {tr("Waveform"), tr("Parade"), tr("Histogram"), tr("Vectors")};
    for (int i = 0; i < kinds; ++i) {
        const auto kind = static_cast<Kind>(i);
        const QRect whole = placeOf(kind);
        if (whole.isEmpty()) continue;
        painter.setFont(theme::sans(12, true));
        painter.setPen(theme::pen);
        painter.drawText(whole.adjusted(0, 0, 0, head - whole.height()), Qt::AlignLeft | Qt::AlignVCenter,
                         names[i]);
        QRect place = whole.adjusted(kind == Waveform || kind == Parade ? scale : 0, head + 2, 0, -4);
        if (place.height() < 20 || place.width() < 20) continue;
        if (kind == Waveform) {
            drawLevels(painter, place);
            drawWaveform(painter, place, Scopes::Luma, theme::pen);
        } else if (kind == Parade) {
            drawLevels(painter, place);
            const int wide = (place.width() - 2 * gap) / 3;
            const QColor inks[] = {redInk, greenInk, blueInk};
            for (int c = 0; c < 3; ++c)
                drawWaveform(painter, {place.left() + c * (wide + gap), place.top(), wide, place.height()},
                             static_cast<Scopes::Value>(Scopes::Red + c), inks[c]);
        } else if (kind == Histogram) {
            drawHistogram(painter, place);
            const auto told = [&](std::uint32_t count, const QString& what, const QColor& ink,
                                  Qt::Alignment side) {
                if (count == 0) return;
                const double share = 100.0 * count / std::max(1u, m_scopes.counted);
                painter.setPen(ink);
                painter.setFont(theme::figures(11));
                painter.drawText(place.adjusted(6, 3, -6, 0), side | Qt::AlignTop,
                                 what.arg(share, 0, 'f', share < 10 ? 1 : 0));
            };
            told(m_scopes.tooDark, tr("%1 % black"), theme::focus, Qt::AlignLeft);
            told(m_scopes.tooBright, tr("%1 % clipped"), theme::vermilion, Qt::AlignRight);
        } else {
            drawVectors(painter, place);
        }
    }
}

}
