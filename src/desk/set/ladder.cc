#include "desk/set/ladder.h"

#include "desk/kit/form.h"
#include "desk/kit/number_field.h"
#include "desk/look/paper.h"
#include "desk/look/points.h"
#include "desk/look/theme.h"
#include "desk/set/layer_list.h"

#include <QContextMenuEvent>
#include <QHBoxLayout>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QLineEdit>
#include <QPainter>
#include <QStackedLayout>
#include <QToolButton>
#include <QToolTip>
#include <algorithm>

namespace stage::desk {
namespace {

constexpr double tie = 16; ///< room for the lines to the bars
constexpr double rungHeight = 30, rungLeast = 15;
constexpr std::size_t openUpTo = 6; ///< layers of a group that have rungs of their own unless asked otherwise

}

bool matches(const scene::Layer& layer, const QString& search) {
    if (search.isEmpty()) return true;
    if (QString::fromStdString(layer.name).contains(search, Qt::CaseInsensitive)) return true;
    return std::any_of(layer.tags.begin(), layer.tags.end(), [&](const std::string& tag) {
        return QString::fromStdString(tag).contains(search, Qt::CaseInsensitive);
    });
}

// ---- rungs

Rungs::Rungs(Session& session, DraftView& plan, QWidget* parent)
    : QWidget(parent), m_session(session), m_plan(plan) {
    setAttribute(Qt::WA_OpaquePaintEvent);
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumWidth(120);
    setAccessibleName(tr("Depth ladder"));
    m_depthEntry = new NumberField(scene::Measured::Length, QStringLiteral("m"), 2, 0.1, this);
    m_depthEntry->setObjectName(QStringLiteral("depthEntry"));
    m_depthEntry->hide();
    connect(m_depthEntry, &NumberField::entered, this, [this](double depth) {
        m_session.document.apply(m_session.push(std::vector{m_entryLayer}, {{"depth", depth}}));
        m_depthEntry->hide();
        setFocus();
    });
    connect(m_depthEntry, &NumberField::misread, &m_session, &Session::problem);
    connect(m_depthEntry, &QLineEdit::editingFinished, m_depthEntry, &QWidget::hide);
    const auto refresh = [this] {
        layOut();
        update();
    };
    m_session.playhead.beat().follow(this, Beat::Rank::Numbers, refresh);
    connect(&m_session.document, &Document::sceneChanged, this, refresh);
    connect(&m_session.camera, &ShownCamera::changed, this, refresh);
    connect(&m_session.selection, &Selection::layersChanged, this, refresh);
    connect(&m_plan, &DraftView::scaleChanged, this, refresh);
    layOut();
}

void Rungs::setSearch(const QString& text) {
    m_search = text;
    m_scroll = 0;
    layOut();
    update();
}

bool Rungs::isOpen(const scene::Layer& group) const {
    const bool byItself = group.group()->children.size() <= openUpTo && !group.group()->scatter;
    return m_toggled.contains(group.id) ? !byItself : byItself;
}

void Rungs::layOut() {
    m_rungs.clear();
    for (const scene::LayerPath& found : m_session.now().all) {
        const scene::Layer& layer = *found.layer;
        if (!matches(layer, m_search)) continue;
        // In a closed group only what is selected or searched for has a rung.
        const bool closed = std::any_of(found.holders.begin(), found.holders.end(),
                                        [this](const auto& h) { return !isOpen(*h); });
        if (closed && m_search.isEmpty() && !m_session.selection.contains(layer.id)) continue;
        Rung rung{layer.id,
                  QString::fromStdString(layer.name),
                  m_session.now().depthOf(found),
                  found.layer,
                  static_cast<int>(found.holders.size()),
                  layer.group() && !isOpen(layer) ? static_cast<int>(layer.group()->children.size()) : 0,
                  interaction::isVisible(found),
                  interaction::isLocked(found),
                  {}};
        m_rungs.push_back(std::move(rung));
    }
    // Farthest on top; each rung as near to its bar's height as its neighbours allow.
    std::stable_sort(m_rungs.begin(), m_rungs.end(),
                     [](const Rung& a, const Rung& b) { return a.depth > b.depth; });
    const double room = height() - 12;
    const int fit = std::max(1, static_cast<int>(room / rungLeast));
    const int count = static_cast<int>(m_rungs.size());
    m_scroll = std::clamp(m_scroll, 0, std::max(0, count - fit));
    m_above = m_scroll;
    m_below = std::max(0, count - fit - m_scroll);
    if (m_above > 0) m_rungs.erase(m_rungs.begin(), m_rungs.begin() + m_above);
    if (m_below > 0) m_rungs.erase(m_rungs.end() - m_below, m_rungs.end());
    const auto shown = static_cast<double>(m_rungs.size());
    const double each = shown > 0 ? std::clamp(room / shown, rungLeast, rungHeight) : rungHeight;
    std::vector<double> ys;
    // Both widgets share their top and bottom edges.
    const double top = mapFromGlobal(m_plan.mapToGlobal(QPoint(0, 0))).y();
    for (const Rung& rung : m_rungs) {
        const double wanted = top + m_plan.placeOfDepth(rung.depth).y() - each / 2;
        ys.push_back(std::max(wanted, ys.empty() ? 4.0 : ys.back() + each));
    }
    double limit = height() - 6 - each;
    for (std::size_t i = ys.size(); i-- > 0;) {
        ys[i] = std::min(ys[i], limit);
        limit = ys[i] - each;
    }
    for (std::size_t i = 0; i < ys.size(); ++i)
        m_rungs[i].rect = QRectF(4, ys[i], width() - tie - 4, each);
}

QRectF Rungs::rungRect(std::int64_t layer) const {
    for (const Rung& rung : m_rungs)
        if (rung.id == layer) return rung.rect;
    return {};
}

void Rungs::resizeEvent(QResizeEvent*) {
    layOut();
}

QRectF Rungs::eyeRect(const Rung& rung) const {
    return {rung.rect.right() - 17, rung.rect.center().y() - 7, 14, 14};
}
QRectF Rungs::lockRect(const Rung& rung) const {
    return eyeRect(rung).translated(-16, 0);
}
QRectF Rungs::openRect(const Rung& rung) const {
    const bool tall = rung.rect.height() >= 26;
    const double side = tall ? 22 : std::max(8.0, rung.rect.height() - 5);
    return {rung.rect.left() + 3 + 5 * rung.nested, rung.rect.center().y() - side * 0.36, side * 1.2,
            side * 0.78};
}

void Rungs::paintRung(QPainter& painter, const Rung& rung) const {
    const bool selected = m_session.selection.contains(rung.id), hover = m_hover == rung.id;
    const double top = mapFromGlobal(m_plan.mapToGlobal(QPoint(0, 0))).y();
    const double y = top + m_plan.placeOfDepth(rung.depth).y(), middle = rung.rect.center().y();
    painter.setOpacity(rung.visible ? 1 : 0.45);
    painter.setPen(QPen(selected ? theme::vermilion : theme::penDim, selected ? 1.4 : 0.8));
    if (y > -20 && y < height() + 20)
        painter.drawPolyline(QPolygonF{QPointF(rung.rect.right() + 1, middle),
                                       QPointF(rung.rect.right() + 6, middle), QPointF(width(), y)});
    if (selected || hover) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(selected ? QColor(0xD9, 0x51, 0x2F, 45) : QColor(0x2A, 0x2D, 0x31, 18));
        painter.drawRoundedRect(rung.rect.adjusted(-1, 0.5, 0, -0.5), 3, 3);
    }
    const bool tall = rung.rect.height() >= 26;
    const QRectF box = openRect(rung);
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
    // What is not as usual stays to be seen; the rest appears under the pointer.
    const bool eye = hover || !rung.layer->visible, lock = hover || rung.locked;
    if (eye)
        theme::icon(rung.layer->visible ? QStringLiteral("eye") : QStringLiteral("eye-off"), theme::pen)
            .paint(&painter, eyeRect(rung).toRect());
    if (lock)
        theme::icon(rung.locked ? QStringLiteral("lock") : QStringLiteral("lock-open"), theme::pen)
            .paint(&painter, lockRect(rung).toRect());
    const double taken = lock ? 34 : eye ? 18 : 0;
    const double textLeft = box.right() + 6;
    painter.setPen(selected ? theme::vermilion.darker(115) : theme::pen);
    painter.setFont(theme::sans(11, selected));
    const QRectF nameBox(textLeft, rung.rect.top() + (tall ? 2 : 0), rung.rect.right() - textLeft - taken,
                         tall ? 14 : rung.rect.height());
    const QString label = rung.inside > 0 ? tr("%1 (%2)").arg(rung.name).arg(rung.inside) : rung.name;
    painter.drawText(
        nameBox, Qt::AlignLeft | Qt::AlignVCenter,
        painter.fontMetrics().elidedText(label, Qt::ElideRight,
                                         static_cast<int>(nameBox.width()) - (tall || taken > 0 ? 0 : 46)));
    painter.setFont(theme::figures(10));
    painter.setPen(selected ? theme::vermilion.darker(115) : theme::penDim);
    const QString depth = figure(rung.depth, 2) + tr(" m");
    if (tall)
        painter.drawText(QRectF(textLeft, rung.rect.top() + 15, nameBox.width(), 12),
                         Qt::AlignLeft | Qt::AlignVCenter, depth);
    else if (taken == 0)
        painter.drawText(nameBox.adjusted(0, 0, -2, 0), Qt::AlignRight | Qt::AlignVCenter, depth);
    painter.setOpacity(1);
}

void Rungs::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), theme::paper);
    painter.setPen(QPen(theme::gridStrong, 1));
    painter.drawLine(QPointF(width() - 0.5, 0), QPointF(width() - 0.5, height()));
    for (const Rung& rung : m_rungs)
        paintRung(painter, rung);
    painter.setPen(theme::penDim);
    painter.setFont(theme::sans(10));
    if (m_above > 0)
        painter.drawText(QRectF(0, -1, width() - tie, 12), Qt::AlignRight, tr("▲ %1 more").arg(m_above));
    if (m_below > 0)
        painter.drawText(QRectF(0, height() - 13, width() - tie, 12), Qt::AlignRight,
                         tr("▼ %1 more").arg(m_below));
    if (m_rungs.empty()) {
        painter.setFont(theme::sans(11));
        painter.drawText(QRectF(8, 20, width() - 24, 80), Qt::TextWordWrap,
                         m_search.isEmpty() ? tr("Layers that you bring in hang here by depth.")
                                            : tr("No layer has a name or tag with “%1”.").arg(m_search));
    }
    paper::focusRim(painter, *this);
}

const Rungs::Rung* Rungs::rungAt(const QPointF& place) const {
    for (const Rung& rung : m_rungs)
        if (rung.rect.contains(place)) return &rung;
    return nullptr;
}

void Rungs::mousePressEvent(QMouseEvent* event) {
    setFocus();
    if (event->button() != Qt::LeftButton) return;
    m_pressed = event->position();
    m_moved = false;
    m_dragLayer = 0;
    const Rung* rung = rungAt(m_pressed);
    if (!rung) return m_session.selection.click(0, event->modifiers() & Qt::ControlModifier);
    const std::vector<std::int64_t> one{rung->id};
    if (eyeRect(*rung).contains(m_pressed)) {
        m_session.document.apply(edit::onLayers("look", one, {{"visible", !rung->layer->visible}}));
        return;
    }
    if (lockRect(*rung).contains(m_pressed) && (rung->locked || m_hover == rung->id)) {
        m_session.document.apply(edit::onLayers("lock", one, {{"locked", !rung->layer->locked}}));
        return;
    }
    if (rung->layer->group() && openRect(*rung).contains(m_pressed)) {
        if (!m_toggled.insert(rung->id).second) m_toggled.erase(rung->id);
        layOut();
        return update();
    }
    const std::int64_t layer = rung->id;
    const double depth = rung->depth;
    m_session.selection.click(layer, event->modifiers() & Qt::ControlModifier);
    m_dragLayer = layer;
    m_depthFrom = depth;
}

void Rungs::mouseMoveEvent(QMouseEvent* event) {
    if (!(event->buttons() & Qt::LeftButton)) {
        const Rung* rung = rungAt(event->position());
        if (const std::int64_t hover = rung ? rung->id : 0; hover != m_hover) {
            m_hover = hover;
            update();
        }
        return;
    }
    if (!m_dragLayer) return;
    const QPointF by = event->position() - m_pressed;
    if (!m_moved && by.manhattanLength() < 3) return;
    m_moved = true;
    const double depth = m_plan.scale().depthAt(toV2d(m_plan.placeOfDepth(m_depthFrom) + QPointF(0, by.y())));
    m_plan.pushTo(depth, m_depthFrom, m_dragLayer, !(event->modifiers() & Qt::ControlModifier));
}

void Rungs::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    // A click that did not become a drag of several selects the one alone.
    if (m_dragLayer && !m_moved && !(event->modifiers() & Qt::ControlModifier))
        m_session.selection.select({m_dragLayer});
    m_dragLayer = 0;
    m_session.document.commit();
    m_plan.endPush();
}

void Rungs::mouseDoubleClickEvent(QMouseEvent* event) {
    const Rung* rung = rungAt(event->position());
    if (!rung || eyeRect(*rung).contains(event->position()) || rung->locked) return;
    m_entryLayer = rung->id;
    m_depthEntry->setModified(false);
    m_depthEntry->setValue(rung->depth);
    m_depthEntry->setGeometry(QRect(static_cast<int>(rung->rect.left()) + 34,
                                    static_cast<int>(rung->rect.center().y()) - 12, 92, 24));
    m_depthEntry->show();
    m_depthEntry->setFocus();
    m_depthEntry->selectAll();
}

void Rungs::leaveEvent(QEvent*) {
    m_hover = 0;
    update();
}

void Rungs::wheelEvent(QWheelEvent* event) {
    m_scroll -= event->angleDelta().y() / 40;
    layOut();
    update();
    event->accept();
}

void Rungs::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && m_dragLayer) {
        m_dragLayer = 0;
        m_session.document.dropPreview();
        m_plan.endPush();
        return;
    }
    if (event->key() == Qt::Key_Return && m_session.selection.layers().size() == 1) {
        const QRectF rect = rungRect(m_session.selection.layers().front());
        if (!rect.isEmpty()) {
            QMouseEvent click(QEvent::MouseButtonDblClick, rect.center(), mapToGlobal(rect.center()),
                              Qt::LeftButton, Qt::LeftButton, Qt::NoModifier);
            mouseDoubleClickEvent(&click);
            return;
        }
    }
    if (event->key() != Qt::Key_Up && event->key() != Qt::Key_Down) return QWidget::keyPressEvent(event);
    const int way = event->key() == Qt::Key_Up ? 1 : -1;
    if (event->modifiers() & Qt::AltModifier || m_session.selection.layers().empty()) { // from rung to rung
        auto at = std::find_if(m_rungs.begin(), m_rungs.end(),
                               [this](const Rung& r) { return m_session.selection.contains(r.id); });
        if (m_rungs.empty()) return;
        std::ptrdiff_t i = at == m_rungs.end() ? 0 : (at - m_rungs.begin()) - way;
        i = std::clamp<std::ptrdiff_t>(i, 0, static_cast<std::ptrdiff_t>(m_rungs.size()) - 1);
        m_session.selection.select({m_rungs[static_cast<std::size_t>(i)].id});
        return;
    }
    if (m_session.movable().empty()) return;
    const double step = event->modifiers() & Qt::ShiftModifier     ? 1.0
                        : event->modifiers() & Qt::ControlModifier ? 0.01
                                                                   : 0.1;
    m_session.document.apply(m_session.push({{"by", step * way}}));
}

void Rungs::contextMenuEvent(QContextMenuEvent* event) {
    if (const Rung* rung = rungAt(event->pos()); rung && !m_session.selection.contains(rung->id))
        m_session.selection.click(rung->id, false);
    Q_EMIT menuAsked(event->globalPos());
}

bool Rungs::event(QEvent* event) {
    if (event->type() != QEvent::ToolTip) return QWidget::event(event);
    const auto* help = static_cast<QHelpEvent*>(event);
    const Rung* rung = rungAt(help->pos());
    if (!rung) {
        QToolTip::hideText();
        return true;
    }
    QString text = tr("%1, %2 m. Drag to push it in depth; double-click to type a depth.")
                       .arg(rung->name, figure(rung->depth, 2));
    if (!rung->layer->tags.empty()) {
        QStringList tags;
        for (const std::string& tag : rung->layer->tags)
            tags << QString::fromStdString(tag);
        text += tr("\nTags: %1").arg(tags.join(QStringLiteral(", ")));
    }
    if (eyeRect(*rung).contains(help->pos())) text = tr("Show or hide %1").arg(rung->name);
    if (lockRect(*rung).contains(help->pos())) text = tr("Lock or unlock %1").arg(rung->name);
    QToolTip::showText(help->globalPos(), text, this);
    return true;
}

// ---- both

Ladder::Ladder(Session& session, DraftView& plan, QWidget* parent) : QWidget(parent), m_session(session) {
    setObjectName(QStringLiteral("ladder"));
    setAttribute(Qt::WA_StyledBackground);
    m_rungs = new Rungs(session, plan);
    m_list = new LayerList(session);
    m_search = new QLineEdit;
    m_search->setObjectName(QStringLiteral("onPaper"));
    m_search->setPlaceholderText(tr("Search"));
    m_search->setToolTip(tr("Layers with this in their name or in a tag"));
    m_search->setAccessibleName(tr("Search layers"));
    m_search->setClearButtonEnabled(true);
    m_mode = new QToolButton;
    m_mode->setObjectName(QStringLiteral("paperButton"));
    m_mode->setCheckable(true);
    m_mode->setIcon(theme::icon(QStringLiteral("list"), theme::pen));
    m_mode->setToolTip(tr("A compact list of all layers in the order of the scene, for many (L)"));
    m_mode->setAccessibleName(tr("Compact list"));
    auto* head = new QHBoxLayout;
    head->setContentsMargins(4, 4, 4, 2);
    head->setSpacing(3);
    head->addWidget(m_search, 1);
    head->addWidget(m_mode);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    all->addLayout(head);
    m_stack = new QStackedLayout;
    m_stack->addWidget(m_rungs);
    m_stack->addWidget(m_list);
    all->addLayout(m_stack, 1);
    connect(m_search, &QLineEdit::textChanged, m_rungs, &Rungs::setSearch);
    connect(m_search, &QLineEdit::textChanged, m_list, &LayerList::setSearch);
    connect(m_search, &QLineEdit::returnPressed, this, [this] { // all that are shown
        std::vector<std::int64_t> found;
        for (const scene::LayerPath& each : m_session.now().all)
            if (!m_search->text().isEmpty() && matches(*each.layer, m_search->text()))
                found.push_back(each.layer->id);
        if (!found.empty()) m_session.selection.select(std::move(found));
    });
    connect(m_mode, &QToolButton::toggled, this, &Ladder::setListing);
    connect(m_rungs, &Rungs::menuAsked, this, &Ladder::menuAsked);
    connect(m_list, &LayerList::menuAsked, this, &Ladder::menuAsked);
    setFixedWidth(154);
}

void Ladder::setListing(bool list) {
    m_stack->setCurrentIndex(list ? 1 : 0);
    m_mode->setChecked(list);
    setFixedWidth(list ? 232 : 154);
    Q_EMIT listingChanged(list);
}

bool Ladder::listing() const {
    return m_stack->currentIndex() == 1;
}

}
