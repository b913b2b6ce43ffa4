#include "desk/time/marks_strip.h"

#include "desk/kit/question.h"
#include "desk/look/theme.h"
#include "motion/frame.h"
#include "scene/quantity.h"

#include <QContextMenuEvent>
#include <QPainter>

namespace stage::desk {
namespace {

constexpr double pictureWidth = 104, pictureHeight = 58.5, cardWidth = 196;

}

MarksStrip::MarksStrip(Session& session, QWidget* parent)
    : QWidget(parent), m_session(session), m_request(session.sharedSources()) {
    setMinimumHeight(76);
    setAccessibleName(tr("Marks"));
    m_settled.setSingleShot(true);
    m_settled.setInterval(150);
    connect(&m_settled, &QTimer::timeout, this, [this] {
        ++m_generation;
        m_wanted = 0;
        next();
    });
    connect(&m_session.document, &Document::sceneChanged, this, [this] {
        m_pictures.resize(m_session.scene()->camera.marks.size());
        m_settled.start(); // not at every step of a drag
        update();
    });
    m_session.playhead.beat().follow(this, Beat::Rank::Numbers, [this] {
        if (const int here = m_session.camera.markHere();
            here >= 0) { // what the playhead stands on is in view
            const double left = 12 + here * cardWidth;
            m_scroll =
                std::clamp(m_scroll, std::max(0.0, left + cardWidth - width()), std::max(0.0, left - 12));
        }
        update();
    });
    connect(&m_request, &ViewRenderer::ready, this, [this](const QImage& picture, qint64 tag, double) {
        if (tag >> 32 == m_generation && (tag & 0xffffffff) < static_cast<qint64>(m_pictures.size())) {
            m_pictures[static_cast<std::size_t>(tag & 0xffffffff)] = picture;
            update();
            next();
        }
    });
    // The Camera view tells what does not render; the other marks still have pictures.
    connect(&m_request, &ViewRenderer::failed, this, &MarksStrip::next);
    m_settled.start();
}

void MarksStrip::next() {
    const scene::Scene& scene = *m_session.scene();
    m_pictures.resize(scene.camera.marks.size());
    if (m_wanted >= m_pictures.size()) return;
    const scene::Mark& mark = scene.camera.marks[m_wanted];
    const V2i frame = scene.output.frame;
    const double dpr = devicePixelRatioF();
    const double scale = std::min(pictureWidth * dpr / frame.x, pictureHeight * dpr / frame.y);
    const V2i size(std::max(1, static_cast<int>(frame.x * scale)),
                   std::max(1, static_cast<int>(frame.y * scale)));
    m_request.ask({.frame = motion::evaluate(scene, mark.time, size),
                   .tag = (m_generation << 32) + static_cast<qint64>(m_wanted)});
    ++m_wanted;
}

QRectF MarksStrip::cardRect(int mark) const {
    return {12 + mark * cardWidth - m_scroll, 6, cardWidth - 8, pictureHeight + 4};
}

int MarksStrip::markAt(const QPointF& place) const {
    for (int i = 0; i < static_cast<int>(m_session.scene()->camera.marks.size()); ++i)
        if (cardRect(i).contains(place)) return i;
    return -1;
}

void MarksStrip::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    const auto& scene = *m_session.scene();
    const int here = m_session.camera.markHere();
    for (int i = 0; i < static_cast<int>(scene.camera.marks.size()); ++i) {
        const scene::Mark& mark = scene.camera.marks[static_cast<std::size_t>(i)];
        const QRectF card = cardRect(i);
        if (card.right() < 0 || card.left() > width()) continue;
        const QRectF box(card.left(), card.top(), pictureWidth, pictureHeight);
        painter.fillRect(box, theme::edge);
        const QImage& picture = m_pictures.size() > static_cast<std::size_t>(i)
                                    ? m_pictures[static_cast<std::size_t>(i)]
                                    : QImage();
        if (!picture.isNull()) {
            const double scale = std::min(box.width() / picture.width(), box.height() / picture.height());
            const QSizeF size = QSizeF(picture.size()) * scale;
            painter.drawImage(QRectF(box.center() - QPointF(size.width() / 2, size.height() / 2), size),
                              picture);
        }
        painter.setBrush(Qt::NoBrush);
        painter.setPen(i == here ? QPen(theme::vermilion, 2) : QPen(theme::raised, 1));
        painter.drawRect(box);
        const QRectF number(box.left(), box.top(), 17, 17);
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme::vermilion);
        painter.drawRoundedRect(number, 2, 2);
        painter.setPen(Qt::white);
        painter.setFont(theme::sans(11, true));
        painter.drawText(number, Qt::AlignCenter, QString::number(i + 1));
        painter.setPen(theme::text);
        painter.setFont(theme::figures(11));
        const double left = box.right() + 8;
        painter.drawText(QRectF(left, card.top(), 80, 16), Qt::AlignLeft | Qt::AlignVCenter,
                         QString::fromStdString(
                             scene::timecode(frameAt(mark.time, scene.output.rate), scene.output.rate)));
        painter.setPen(theme::dim);
        painter.setFont(theme::sans(11));
        painter.drawText(QRectF(left, card.top() + 19, 78, 42), Qt::AlignLeft | Qt::TextWordWrap,
                         QString::fromStdString(mark.name));
    }
}

void MarksStrip::mousePressEvent(QMouseEvent* event) {
    const int mark = markAt(event->position());
    if (mark < 0) return;
    m_session.selection.select({});
    m_session.playhead.setFrame(frameAt(m_session.scene()->camera.marks[static_cast<std::size_t>(mark)].time,
                                        m_session.scene()->output.rate));
}

void MarksStrip::rename(int mark) {
    const scene::Mark& m = m_session.scene()->camera.marks[static_cast<std::size_t>(mark)];
    const std::string time = m.time.text();
    const auto name =
        askForText(this, tr("Name of mark %1").arg(mark + 1), tr("Name"), QString::fromStdString(m.name));
    if (name) m_session.document.apply({{"edit", "set-mark"}, {"time", time}, {"name", name->toStdString()}});
}

void MarksStrip::mouseDoubleClickEvent(QMouseEvent* event) {
    if (const int mark = markAt(event->position()); mark >= 0) rename(mark);
}

void MarksStrip::contextMenuEvent(QContextMenuEvent* event) {
    const int mark = markAt(event->pos());
    if (mark < 0) return;
    // What is done to a mark is done to the one under the playhead.
    m_session.playhead.setFrame(frameAt(m_session.scene()->camera.marks[static_cast<std::size_t>(mark)].time,
                                        m_session.scene()->output.rate));
    Q_EMIT menuAsked(event->globalPos(), mark);
}

void MarksStrip::wheelEvent(QWheelEvent* event) {
    const double most =
        std::max(0.0, 12 + cardWidth * static_cast<double>(m_session.scene()->camera.marks.size()) - width());
    m_scroll = std::clamp(m_scroll - event->angleDelta().y() * 0.5, 0.0, most);
    update();
}

}
