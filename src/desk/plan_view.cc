#include "desk/plan_view.h"

#include "desk/number_field.h"
#include "desk/theme.h"
#include "motion/measure.h"
#include "optics/lens.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

constexpr double ladderWidth = 150;
constexpr double rungHeight = 30, rungLeast = 15;

}

PlanView::PlanView(Session& session, QWidget* parent) : QWidget(parent), m_session(session) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(280, 220);
    setAccessibleName(tr("Plan"));
    m_depthEntry = new NumberField(scene::Measured::Length, QStringLiteral("m"), 2, 0.1, this);
    m_depthEntry->hide();
    connect(m_depthEntry, &NumberField::entered, this, [this](double depth) {
        const std::int64_t id = m_entryLayer;
        m_session.apply(edit::push(std::vector{id}, depth, m_session.holdFraming()));
        m_depthEntry->hide();
        setFocus();
    });
    connect(m_depthEntry, &QLineEdit::editingFinished, m_depthEntry, &QWidget::hide);
    const auto refresh = [this] {
        if (!m_session.previewing()) rescale(); // the scale stays under a hand that drags
        layOut();
        update();
    };
    connect(&m_session, &Session::sceneChanged, this, refresh);
    connect(&m_session, &Session::selectionChanged, this, qOverload<>(&QWidget::update));
    connect(&m_session, &Session::frameChanged, this, qOverload<>(&QWidget::update));
    connect(&m_session, &Session::cameraChanged, this, qOverload<>(&QWidget::update));
    rescale();
    layOut();
}

// ---- scale

QRectF PlanView::plan() const {
    return QRectF(ladderWidth, 0, width() - ladderWidth, height());
}

void PlanView::rescale() {
    const scene::Scene& scene = *m_session.scene();
    m_first = optics::firstView(scene);
    std::vector<double> depths;
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto& holders) {
        if (!layer->group()) depths.push_back(optics::depthOf(scene, {layer, holders}));
    });
    std::sort(depths.begin(), depths.end());
    const double middle = depths.empty() ? scene.homeDepth : depths[depths.size() / 2];
    const double farthest = depths.empty() ? scene.homeDepth : depths.back();
    double ahead = 0, behind = 0;
    for (const scene::Mark& mark : scene.camera.marks) {
        const double depth = optics::depthOf(m_first, mark.pose.position);
        ahead = std::max(ahead, depth);
        behind = std::min(behind, depth);
    }
    m_fold = std::max(0.5, 0.8 * std::clamp(middle, 0.1, 1e6));
    m_far = std::max({farthest * 1.35, ahead * 1.3, scene.homeDepth * 1.2, m_fold});
    m_near = std::max(-0.55 * m_fold, std::min(behind * 1.2, 0.0) - 0.10 * m_fold);
    const double half = scene.camera.gate / (2 * scene.camera.marks.front().pose.focal);
    m_perMetre = 0.44 * plan().width() / (half * m_far * m_fold / (m_far + m_fold));
}

double PlanView::yOfDepth(double depth) const {
    const auto folded = [&](double z) { return z / (z + m_fold); };
    const double z = std::max(depth, -0.8 * m_fold);
    return height() - (folded(z) - folded(m_near)) / (folded(m_far) - folded(m_near)) * height();
}

double PlanView::depthOfY(double y) const {
    const auto folded = [&](double z) { return z / (z + m_fold); };
    const double f =
        std::min(0.995, folded(m_near) + (height() - y) / height() * (folded(m_far) - folded(m_near)));
    return m_fold * f / (1 - f);
}

QPointF PlanView::placeOf(double across, double depth) const {
    const double z = std::max(depth, -0.8 * m_fold);
    return {plan().center().x() + across * m_perMetre * m_fold / (z + m_fold), yOfDepth(depth)};
}

double PlanView::acrossAt(double x, double depth) const {
    return (x - plan().center().x()) * (depth + m_fold) / (m_perMetre * m_fold);
}

QPointF PlanView::placeOf(const V3d& point) const {
    const V3d from = point - m_first.eye;
    return placeOf(from.dot(m_first.right), from.dot(m_first.forward));
}

void PlanView::layOut() {
    const scene::Scene& scene = *m_session.scene();
    m_rungs.clear();
    m_bars.clear();
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const std::vector<scene::LayerPtr>& holders) {
        const double depth = optics::depthOf(scene, {layer, holders});
        m_rungs.push_back({layer->id, QString::fromStdString(layer->name), depth, {}, layer});
        if (layer->group()) return;
        const optics::Card card = optics::cardOf(*layer, optics::worldOf(holders));
        const V3d left = card.corner + card.down * 0.5;
        m_bars.push_back({layer->id, placeOf(left), placeOf(left + card.across)});
    });
    // Farthest on top; each rung as near to its bar's height as its neighbours allow.
    std::stable_sort(m_rungs.begin(), m_rungs.end(),
                     [](const Rung& a, const Rung& b) { return a.depth > b.depth; });
    const auto count = static_cast<double>(m_rungs.size());
    const double room = height() - 12;
    const double each = count > 0 ? std::clamp(room / count, rungLeast, rungHeight) : rungHeight;
    std::vector<double> ys;
    for (const Rung& rung : m_rungs) {
        const double wish = yOfDepth(rung.depth) - each / 2;
        ys.push_back(std::max(wish, ys.empty() ? 4.0 : ys.back() + each));
    }
    double limit = height() - 6 - each;
    for (std::size_t i = ys.size(); i-- > 0;) {
        ys[i] = std::min(ys[i], limit);
        limit = ys[i] - each;
    }
    for (std::size_t i = 0; i < ys.size(); ++i)
        m_rungs[i].rect = QRectF(4, ys[i], ladderWidth - 22, each);
}

QRectF PlanView::rungRect(std::int64_t layer) const {
    for (const Rung& rung : m_rungs)
        if (rung.id == layer) return rung.rect;
    return {};
}

void PlanView::resizeEvent(QResizeEvent*) {
    rescale();
    layOut();
}

// ---- drawing

void PlanView::drawGrid(QPainter& painter) const {
    const QRectF area = plan();
    painter.setFont(theme::figures(10));
    double lastLabel = 1e9;
    for (double decade = 0.1; decade < m_far; decade *= 10) {
        for (const int k : {1, 2, 4, 6, 8}) {
            const double depth = decade * k;
            const double y = yOfDepth(depth);
            if (y < 6 || y > height()) continue;
            const bool strong = k == 1 || k == 2 || k == 4;
            if (lastLabel - y < 9) continue;
            painter.setPen(QPen(strong ? theme::gridStrong : theme::grid, 1));
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
            if (strong && lastLabel - y > 20 && yOfDepth(0) - y > 16) {
                painter.setPen(theme::penDim);
                painter.drawText(QRectF(area.right() - 70, y - 13, 64, 12), Qt::AlignRight | Qt::AlignBottom,
                                 figure(depth, depth < 1 ? 1 : 0) + tr(" m"));
                lastLabel = y;
            }
        }
    }
    const double y0 = yOfDepth(0);
    painter.setPen(QPen(theme::gridStrong, 1));
    painter.drawLine(QPointF(area.left(), y0), QPointF(area.right(), y0));
    painter.setPen(theme::penDim);
    painter.drawText(QRectF(area.right() - 70, y0 - 13, 64, 12), Qt::AlignRight | Qt::AlignBottom, tr("0 m"));
    // Lines of equal distance from the axis converge, as the scale folds what is far.
    const double width = area.width() / m_perMetre;
    const double step = std::pow(10, std::floor(std::log10(width / 3))) *
                        (width / 3 / std::pow(10, std::floor(std::log10(width / 3))) > 5 ? 5 : 1);
    painter.setPen(QPen(theme::grid, 1));
    for (double across = 0; across < m_far * 3 && across / step < 40; across += step)
        for (const double side : {-across, across})
            painter.drawLine(placeOf(side, m_near), placeOf(side, m_far));
}

void PlanView::drawSight(QPainter& painter) const {
    const scene::Scene& scene = *m_session.scene();
    const optics::View view = optics::viewOf(m_session.pose(), scene.camera.gate, scene.output.frame);
    const V3d flat = V3d(view.forward.x, 0, view.forward.z);
    const V3d ahead = flat.length() > 1e-6 ? flat.normalized() : m_first.forward;
    const V3d aside = ahead.cross(V3d(0, 1, 0));
    const double half = scene.output.frame.x / (2 * view.slope);
    const double reach = m_far * 1.5;
    const QPointF eye = placeOf(view.eye);
    const QPointF left = placeOf(view.eye + (ahead - aside * half) * reach),
                  right = placeOf(view.eye + (ahead + aside * half) * reach);
    QPainterPath cone;
    cone.moveTo(eye);
    cone.lineTo(left);
    cone.lineTo(right);
    cone.closeSubpath();
    painter.fillPath(cone, QColor(0x2F, 0x5D, 0x8C, 20));
    painter.setPen(QPen(theme::sight, 1.3));
    painter.drawLine(eye, left);
    painter.drawLine(eye, right);
    // The camera: a wedge that points where it looks.
    const QPointF toward = placeOf(view.eye + ahead * 0.05 * m_fold) - eye;
    const double length = std::hypot(toward.x(), toward.y());
    const QPointF u = length > 0 ? toward / length : QPointF(0, -1), v(-u.y(), u.x());
    painter.setPen(QPen(theme::pen, 1));
    painter.setBrush(theme::sight);
    painter.drawPolygon(QPolygonF{eye + u * 9, eye - u * 6 + v * 7, eye - u * 6 - v * 7});
}

void PlanView::drawPath(QPainter& painter) const {
    const scene::Scene& scene = *m_session.scene();
    const auto& marks = scene.camera.marks;
    QPolygonF path;
    for (std::size_t i = 0; i + 1 < marks.size(); ++i)
        for (int k = 0; k <= 24; ++k)
            path << placeOf(m_session.move().point(i, k / 24.0));
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(theme::vermilion, 1.6, Qt::DashLine));
    painter.drawPolyline(path);
    const int here = m_session.markHere();
    for (std::size_t i = 0; i < marks.size(); ++i) {
        const QPointF at = placeOf(marks[i].pose.position);
        painter.setPen(QPen(theme::vermilion, 2.6));
        painter.drawLine(at + QPointF(-6, 0), at + QPointF(6, 0));
        painter.drawLine(at, at + QPointF(0, 8));
        // Numbers stand on alternating sides, so that marks close together can be told apart.
        const QRectF box(i % 2 ? at.x() + 10 : at.x() - 24, at.y() - 6, 14, 14);
        painter.setPen(static_cast<int>(i) == here ? QPen(theme::pen, 1.5) : QPen(Qt::NoPen));
        painter.setBrush(theme::vermilion);
        painter.drawRoundedRect(box, 2, 2);
        painter.setPen(Qt::white);
        painter.setFont(theme::sans(10, true));
        painter.drawText(box, Qt::AlignCenter, QString::number(i + 1));
    }
}

void PlanView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), theme::paper);
    painter.save();
    painter.setClipRect(plan());
    drawGrid(painter);
    drawSight(painter);
    const auto& selection = m_session.selection();
    const auto chosen = [&](std::int64_t id) {
        return std::find(selection.begin(), selection.end(), id) != selection.end();
    };
    for (const Bar& bar : m_bars) {
        const auto rung =
            std::find_if(m_rungs.begin(), m_rungs.end(), [&](const Rung& r) { return r.id == bar.id; });
        painter.setOpacity(rung->layer->visible ? 1 : 0.3);
        painter.setPen(QPen(chosen(bar.id) ? theme::vermilion : theme::pen, 6.5, Qt::SolidLine, Qt::FlatCap));
        painter.drawLine(bar.a, bar.b);
        painter.setPen(QPen(m_session.swatches().of(*m_session.scene(), rung->layer).colour, 4, Qt::SolidLine,
                            Qt::FlatCap));
        painter.drawLine(bar.a, bar.b);
    }
    painter.setOpacity(1);
    drawPath(painter);
    painter.restore();

    painter.setPen(QPen(theme::gridStrong, 1));
    painter.drawLine(QPointF(ladderWidth, 0), QPointF(ladderWidth, height()));
    for (const Rung& rung : m_rungs) {
        const bool selected = chosen(rung.id);
        const double y = yOfDepth(rung.depth), middle = rung.rect.center().y();
        painter.setOpacity(rung.layer->visible ? 1 : 0.4);
        painter.setPen(QPen(selected ? theme::vermilion : theme::penDim, selected ? 1.4 : 0.8));
        if (y > -20 && y < height() + 20)
            painter.drawPolyline(QPolygonF{QPointF(rung.rect.right() + 1, middle),
                                           QPointF(rung.rect.right() + 6, middle), QPointF(ladderWidth, y)});
        if (selected) {
            painter.setPen(Qt::NoPen);
            painter.setBrush(QColor(0xD9, 0x51, 0x2F, 45));
            painter.drawRoundedRect(rung.rect.adjusted(-1, 0.5, 0, -0.5), 3, 3);
        }
        const bool tall = rung.rect.height() >= 26;
        const double side = tall ? 22 : std::max(8.0, rung.rect.height() - 5);
        const QRectF box(rung.rect.left() + 3, middle - side * 0.36, side * 1.2, side * 0.78);
        painter.setPen(QPen(theme::pen, 1));
        const QImage small = m_session.swatches().of(*m_session.scene(), rung.layer).picture;
        if (rung.layer->group()) {
            painter.setBrush(Qt::NoBrush);
            painter.drawRect(box);
            painter.drawRect(box.adjusted(3, 3, -3, -3));
        } else {
            painter.setBrush(QColor(0x3A, 0x3A, 0x40));
            painter.drawRect(box);
            if (!small.isNull()) {
                QRectF source(0, 0, small.width(), small.height());
                const double aspect = box.width() / box.height();
                if (source.width() / source.height() > aspect) {
                    const double w = source.height() * aspect;
                    source = {(source.width() - w) / 2, 0, w, source.height()};
                } else {
                    const double h = source.width() / aspect;
                    source = {0, (source.height() - h) / 2, source.width(), h};
                }
                painter.drawImage(box.adjusted(0.5, 0.5, -0.5, -0.5), small, source);
            }
        }
        const double textLeft = box.right() + 7;
        painter.setPen(selected ? theme::vermilion.darker(115) : theme::pen);
        painter.setFont(theme::sans(11, selected));
        const QRectF nameBox(textLeft, rung.rect.top() + (tall ? 2 : 0), rung.rect.right() - textLeft,
                             tall ? 14 : rung.rect.height());
        const QString name = painter.fontMetrics().elidedText(
            rung.name, Qt::ElideRight, static_cast<int>(nameBox.width()) - (tall ? 0 : 46));
        painter.drawText(nameBox, Qt::AlignLeft | Qt::AlignVCenter, name);
        painter.setFont(theme::figures(10));
        painter.setPen(selected ? theme::vermilion.darker(115) : theme::penDim);
        const QString depth = figure(rung.depth, 2) + tr(" m");
        if (tall)
            painter.drawText(QRectF(textLeft, rung.rect.top() + 15, nameBox.width(), 12),
                             Qt::AlignLeft | Qt::AlignVCenter, depth);
        else
            painter.drawText(nameBox.adjusted(0, 0, -2, 0), Qt::AlignRight | Qt::AlignVCenter, depth);
    }
    painter.setOpacity(1);
    if (!m_say.isEmpty()) {
        painter.setFont(theme::figures(11));
        QRectF box = painter.fontMetrics().boundingRect(m_say).adjusted(-8, -4, 8, 4);
        box.moveBottomRight(QPointF(width() - 8, height() - 8));
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme::pen);
        painter.drawRoundedRect(box, 3, 3);
        painter.setPen(theme::paper);
        painter.drawText(box, Qt::AlignCenter, m_say);
    }
    if (m_rungs.empty()) {
        painter.setPen(theme::penDim);
        painter.setFont(theme::sans(11));
        painter.drawText(QRectF(8, 20, ladderWidth - 20, 60), Qt::TextWordWrap,
                         tr("Layers that you bring in hang here by depth."));
    }
    if (hasFocus()) {
        painter.setPen(QPen(theme::brass, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
    }
}

// ---- hands

std::int64_t PlanView::layerAt(const QPointF& place) const {
    for (const Rung& rung : m_rungs)
        if (rung.rect.contains(place)) return rung.id;
    if (place.x() < ladderWidth) return 0;
    std::int64_t best = 0;
    double nearest = 8;
    for (const Bar& bar : m_bars) {
        const QPointF along = bar.b - bar.a;
        const double length = QPointF::dotProduct(along, along);
        const double t =
            length > 0 ? std::clamp(QPointF::dotProduct(place - bar.a, along) / length, 0.0, 1.0) : 0;
        const QPointF off = place - (bar.a + along * t);
        if (const double distance = std::hypot(off.x(), off.y()); distance < nearest)
            nearest = distance, best = bar.id;
    }
    return best;
}

int PlanView::markAt(const QPointF& place) const {
    const auto& marks = m_session.scene()->camera.marks;
    for (std::size_t i = 0; i < marks.size(); ++i) {
        const QPointF at = placeOf(marks[i].pose.position);
        if (QRectF(at.x() - (i % 2 ? 8 : 26), at.y() - 8, 34, 20).contains(place)) return static_cast<int>(i);
    }
    return -1;
}

void PlanView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    if (event->button() != Qt::LeftButton) return;
    m_from = event->position();
    m_moved = false;
    if (m_from.x() > ladderWidth && (m_dragMark = markAt(m_from)) >= 0) {
        m_drag = Drag::Mark;
        m_session.select({});
        m_session.setFrame(frameAt(m_session.scene()->camera.marks[static_cast<std::size_t>(m_dragMark)].time,
                                   m_session.scene()->output.rate));
        return;
    }
    const std::int64_t layer = layerAt(m_from);
    m_session.click(layer, event->modifiers() & Qt::ControlModifier);
    if (!layer) return;
    m_drag = Drag::Depth;
    m_dragLayer = layer;
    m_depthFrom = optics::depthOf(*m_session.scene(), scene::find(*m_session.scene(), layer));
}

void PlanView::mouseMoveEvent(QMouseEvent* event) {
    if (m_drag == Drag::None) return;
    const QPointF place = event->position();
    if (!m_moved && (place - m_from).manhattanLength() < 3) return;
    m_moved = true;
    if (m_drag == Drag::Mark) {
        const scene::Mark& mark =
            m_session.history().scene()->camera.marks[static_cast<std::size_t>(m_dragMark)];
        const double depth = depthOfY(place.y());
        const double across = acrossAt(place.x(), depth);
        scene::Pose pose = mark.pose;
        const V3d from = pose.position - m_first.eye;
        pose.position += m_first.right * (across - from.dot(m_first.right)) +
                         m_first.forward * (depth - from.dot(m_first.forward));
        m_session.preview(edit::setMark(mark.time, pose));
        m_say = tr("mark %1: across %2 m, along %3 m")
                    .arg(m_dragMark + 1)
                    .arg(figure(across, 2), figure(depth, 2));
        return;
    }
    const double depth = depthOfY(yOfDepth(m_depthFrom) + place.y() - m_from.y());
    const auto& selection = m_session.selection();
    if (selection.size() > 1) {
        edit::Edit edit = edit::push(selection, 0, m_session.holdFraming());
        edit.erase("depth");
        edit["by"] = depth - m_depthFrom;
        m_session.preview(edit);
    } else {
        m_session.preview(edit::push(selection, depth, m_session.holdFraming()));
    }
    const scene::Found found = scene::find(*m_session.scene(), m_dragLayer);
    if (!found.layer) return;
    const scene::Scene& scene = *m_session.scene();
    const auto measured = motion::measure(scene, found, m_session.move(), m_session.time());
    m_say = tr("%1 m · %2 % wide · travel %3 px")
                .arg(figure(measured.depth, 2), figure(100 * measured.size.x / scene.output.frame.x, 1),
                     figure(measured.travel, 0));
}

void PlanView::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    m_drag = Drag::None;
    m_say.clear();
    m_session.commit();
    rescale();
    layOut();
    update();
}

void PlanView::mouseDoubleClickEvent(QMouseEvent* event) {
    for (const Rung& rung : m_rungs) {
        if (!rung.rect.contains(event->position())) continue;
        m_entryLayer = rung.id;
        m_depthEntry->setModified(false);
        m_depthEntry->setValue(rung.depth);
        m_depthEntry->setGeometry(QRect(static_cast<int>(rung.rect.left()) + 34,
                                        static_cast<int>(rung.rect.center().y()) - 12, 92, 24));
        m_depthEntry->show();
        m_depthEntry->setFocus();
        m_depthEntry->selectAll();
        return;
    }
}

void PlanView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && m_drag != Drag::None) {
        m_drag = Drag::None;
        m_say.clear();
        m_session.dropPreview();
        return;
    }
    const auto& selection = m_session.selection();
    const int way = event->key() == Qt::Key_Up ? 1 : event->key() == Qt::Key_Down ? -1 : 0;
    if (!way || selection.empty()) return QWidget::keyPressEvent(event);
    const double step = (event->modifiers() & Qt::ShiftModifier ? 1.0 : 0.1) * way;
    edit::Edit edit = edit::push(selection, 0, m_session.holdFraming());
    edit.erase("depth");
    edit["by"] = step;
    m_session.apply(edit);
}

bool PlanView::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const std::int64_t id = layerAt(help->pos());
        const scene::Found found = scene::find(*m_session.scene(), id);
        if (found.layer)
            QToolTip::showText(
                help->globalPos(),
                tr("%1: %2 m. Drag up or down to push it in depth; double-click the rung to type a depth.")
                    .arg(QString::fromStdString(found.layer->name),
                         figure(optics::depthOf(*m_session.scene(), found), 2)),
                this);
        else
            QToolTip::hideText();
        return true;
    }
    return QWidget::event(event);
}

}
