#include "desk/set/layer_list.h"

#include "desk/kit/number_field.h"
#include "desk/look/theme.h"
#include "optics/placing.h"

#include <QAbstractItemModel>
#include <QContextMenuEvent>
#include <QDropEvent>
#include <QHeaderView>
#include <QMimeData>
#include <QPainter>
#include <QSortFilterProxyModel>

namespace stage::desk {

namespace {
enum Column { Name, Depth, Eye, Lock, Columns };
constexpr int idRole = Qt::UserRole, searchRole = Qt::UserRole + 1;
}

/// The scene's tree. Rows keep their places while layers only change; another structure resets it.
class LayerModel : public QAbstractItemModel {
    Q_DECLARE_TR_FUNCTIONS(stage::desk::LayerModel)
public:
    explicit LayerModel(Session& session, QObject* parent) : QAbstractItemModel(parent), m_session(session) {
        rebuild();
        connect(&session.document, &Document::sceneChanged, this, &LayerModel::refresh);
        connect(&session.playhead, &Playhead::frameChanged, this, &LayerModel::refresh);
        connect(&session.swatches(), &Swatches::loaded, this, [this] { told(); });
    }

    /// Nobody looks: changes are taken up when someone does again.
    void setLive(bool live) {
        m_live = live;
        refresh();
    }
    void refresh() {
        if (!m_live) return;
        if (!same()) {
            beginResetModel();
            rebuild();
            endResetModel();
            return;
        }
        fill();
        told();
    }

    QModelIndex index(int row, int column, const QModelIndex& parent) const override {
        const auto& rows = childrenOf(parent);
        if (row < 0 || row >= static_cast<int>(rows.size()) || column < 0 || column >= Columns) return {};
        return createIndex(row, column, rows[static_cast<std::size_t>(row)]);
    }
    QModelIndex parent(const QModelIndex& index) const override {
        if (!index.isValid()) return {};
        const Node& node = m_nodes[index.internalId()];
        if (node.parent == none) return {};
        return createIndex(m_nodes[node.parent].row, 0, node.parent);
    }
    int rowCount(const QModelIndex& parent) const override {
        return parent.column() > 0 ? 0 : static_cast<int>(childrenOf(parent).size());
    }
    int columnCount(const QModelIndex&) const override { return Columns; }
    Qt::ItemFlags flags(const QModelIndex& index) const override {
        if (!index.isValid()) return Qt::ItemIsDropEnabled;
        Qt::ItemFlags flags = Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsDragEnabled;
        if (index.column() == Name || index.column() == Depth) flags |= Qt::ItemIsEditable;
        if (layerOf(index).group()) flags |= Qt::ItemIsDropEnabled;
        return flags;
    }
    Qt::DropActions supportedDropActions() const override { return Qt::MoveAction; }
    QVariant headerData(int section, Qt::Orientation, int role) const override {
        if (role == Qt::DisplayRole && section == Name) return tr("Layer");
        if (role == Qt::DisplayRole && section == Depth) return tr("m");
        return {};
    }
    QVariant data(const QModelIndex& index, int role) const override {
        if (!index.isValid()) return {};
        const Node& node = m_nodes[index.internalId()];
        const scene::Layer& layer = *node.layer;
        if (role == idRole) return QVariant::fromValue<qlonglong>(layer.id);
        if (role == searchRole) {
            QString text = QString::fromStdString(layer.name);
            for (const std::string& tag : layer.tags)
                text += QLatin1Char('\n') + QString::fromStdString(tag);
            return text;
        }
        switch (index.column()) {
        case Name:
            if (role == Qt::DisplayRole || role == Qt::EditRole) return QString::fromStdString(layer.name);
            if (role == Qt::DecorationRole) return swatch(node.layer);
            if (role == Qt::ForegroundRole && !layer.visible) return theme::penDim;
            if (role == Qt::ToolTipRole) {
                QString text = QString::fromStdString(layer.name);
                for (const std::string& tag : layer.tags)
                    text += QStringLiteral("\n# ") + QString::fromStdString(tag);
                return text;
            }
            break;
        case Depth:
            if (role == Qt::DisplayRole) return figure(node.depth, 2);
            if (role == Qt::EditRole) return node.depth;
            if (role == Qt::TextAlignmentRole) return int(Qt::AlignRight | Qt::AlignVCenter);
            if (role == Qt::FontRole) return theme::figures(10);
            break;
        case Eye:
            if (role == Qt::DecorationRole)
                return theme::icon(layer.visible ? QStringLiteral("eye") : QStringLiteral("eye-off"),
                                   layer.visible ? theme::penDim : theme::vermilion.darker(115));
            if (role == Qt::ToolTipRole) return tr("Show or hide");
            break;
        case Lock:
            if (role == Qt::DecorationRole)
                return theme::icon(layer.locked ? QStringLiteral("lock") : QStringLiteral("lock-open"),
                                   layer.locked ? theme::pen : theme::gridStrong);
            if (role == Qt::ToolTipRole) return tr("Lock or unlock");
            break;
        default:
            break;
        }
        return {};
    }
    bool setData(const QModelIndex& index, const QVariant& value, int) override {
        const scene::Layer& layer = layerOf(index);
        if (index.column() == Depth) {
            const auto depth = scene::quantity(value.toString().toStdString(), scene::Measured::Length);
            if (!depth) {
                Q_EMIT m_session.problem(QString::fromStdString(depth.error().sentence));
                return false;
            }
            return m_session.document.apply(m_session.push(std::vector{layer.id}, {{"depth", *depth}}));
        }
        const std::string name = value.toString().toStdString();
        if (name.empty() || name == layer.name) return false;
        return m_session.document.apply({{"edit", "rename"}, {"layer", layer.id}, {"name", name}});
    }

    const scene::Layer& layerOf(const QModelIndex& index) const { return *m_nodes[index.internalId()].layer; }
    QModelIndex indexOf(std::int64_t id) const {
        for (std::size_t i = 0; i < m_nodes.size(); ++i)
            if (m_nodes[i].layer->id == id) return createIndex(m_nodes[i].row, 0, i);
        return {};
    }

private:
    static constexpr std::size_t none = static_cast<std::size_t>(-1);
    struct Node {
        scene::LayerPtr layer;
        std::size_t parent = none;
        int row = 0;
        double depth = 0;
        std::vector<std::size_t> children;
    };
    const std::vector<std::size_t>& childrenOf(const QModelIndex& parent) const {
        return parent.isValid() ? m_nodes[parent.internalId()].children : m_roots;
    }
    static void list(const std::vector<scene::LayerPtr>& layers, std::size_t parent, std::vector<Node>& nodes,
                     std::vector<std::size_t>& siblings) {
        for (auto layer = layers.rbegin(); layer != layers.rend(); ++layer) { // highest first
            const std::size_t at = nodes.size();
            nodes.push_back({*layer, parent, static_cast<int>(siblings.size()), 0, {}});
            siblings.push_back(at);
            if (!(*layer)->group()) continue;
            std::vector<std::size_t> children;
            list((*layer)->group()->children, at, nodes, children);
            nodes[at].children = std::move(children);
        }
    }
    void rebuild() {
        m_nodes.clear();
        m_roots.clear();
        list(m_session.scene()->layers, none, m_nodes, m_roots);
        fill();
    }
    bool same() {
        std::vector<Node> nodes;
        std::vector<std::size_t> roots;
        list(m_session.scene()->layers, none, nodes, roots);
        if (nodes.size() != m_nodes.size()) return false;
        for (std::size_t i = 0; i < nodes.size(); ++i)
            if (nodes[i].layer->id != m_nodes[i].layer->id || nodes[i].parent != m_nodes[i].parent)
                return false;
        for (std::size_t i = 0; i < nodes.size(); ++i)
            m_nodes[i].layer = nodes[i].layer;
        return true;
    }
    void fill() {
        for (Node& node : m_nodes)
            if (const scene::LayerPath& found = m_session.now().find(node.layer->id); found.layer)
                node.depth = m_session.now().depthOf(found);
    }
    void told() {
        if (m_nodes.empty() || !m_live) return;
        const std::function<void(const std::vector<std::size_t>&)> tell = [&](const auto& siblings) {
            if (siblings.empty()) return;
            Q_EMIT dataChanged(
                createIndex(0, 0, siblings.front()),
                createIndex(static_cast<int>(siblings.size()) - 1, Columns - 1, siblings.back()));
            for (const std::size_t each : siblings)
                tell(m_nodes[each].children);
        };
        tell(m_roots);
    }
    QVariant swatch(const scene::LayerPtr& layer) const {
        QPixmap pixmap(22, 14);
        pixmap.fill(Qt::transparent);
        QPainter painter(&pixmap);
        painter.setPen(theme::pen);
        if (layer->group()) {
            painter.drawRect(0, 0, 21, 13);
            painter.drawRect(3, 3, 15, 7);
        } else {
            painter.setBrush(QColor(0x3A, 0x3A, 0x40));
            painter.drawRect(0, 0, 21, 13);
            const QImage small = m_session.swatches().of(*m_session.scene(), layer).picture;
            if (!small.isNull())
                painter.drawImage(
                    QRect(1, 1, 20, 12),
                    small.scaled(20, 12, Qt::KeepAspectRatioByExpanding, Qt::SmoothTransformation)
                        .copy(0, 0, 20, 12));
        }
        return pixmap;
    }

    Session& m_session;
    bool m_live = false;
    std::vector<Node> m_nodes;
    std::vector<std::size_t> m_roots;
};

LayerList::LayerList(Session& session, QWidget* parent) : QTreeView(parent), m_session(session) {
    setObjectName(QStringLiteral("layerList"));
    setAccessibleName(tr("Layers"));
    m_model = new LayerModel(session, this);
    m_filter = new QSortFilterProxyModel(this);
    m_filter->setSourceModel(m_model);
    m_filter->setFilterRole(searchRole);
    m_filter->setFilterCaseSensitivity(Qt::CaseInsensitive);
    m_filter->setRecursiveFilteringEnabled(true);
    m_filter->setSortRole(Qt::EditRole);
    m_filter->setDynamicSortFilter(true);
    setModel(m_filter);
    setUniformRowHeights(true);
    setSelectionMode(ExtendedSelection);
    setEditTriggers(DoubleClicked | EditKeyPressed);
    setDragDropMode(InternalMove);
    setIndentation(12);
    setSortingEnabled(true);
    header()->setStretchLastSection(false);
    header()->setSectionResizeMode(Name, QHeaderView::Stretch);
    header()->setSectionResizeMode(Depth, QHeaderView::Fixed);
    header()->setSectionResizeMode(Eye, QHeaderView::Fixed);
    header()->setSectionResizeMode(Lock, QHeaderView::Fixed);
    header()->resizeSection(Depth, 52);
    header()->resizeSection(Eye, 22);
    header()->resizeSection(Lock, 22);
    header()->setMinimumSectionSize(20);
    header()->setSortIndicatorClearable(true);
    sortByColumn(-1, Qt::AscendingOrder); // the scene's own order
    setIconSize({22, 14});
    connect(&m_session.selection, &Selection::layersChanged, this, &LayerList::showSelection);
    connect(m_model, &QAbstractItemModel::modelReset, this, [this] { showSelection(); });
}

void LayerList::showEvent(QShowEvent* event) {
    QTreeView::showEvent(event);
    m_model->setLive(true);
    showSelection();
}

void LayerList::hideEvent(QHideEvent* event) {
    QTreeView::hideEvent(event);
    m_model->setLive(false);
}

void LayerList::setSearch(const QString& text) {
    m_filter->setFilterFixedString(text);
    if (!text.isEmpty()) expandAll();
}

QRect LayerList::rowRect(std::int64_t layer) const {
    const QModelIndex index = m_filter->mapFromSource(m_model->indexOf(layer));
    return index.isValid() ? visualRect(index) : QRect();
}

void LayerList::mousePressEvent(QMouseEvent* event) {
    const QModelIndex index = indexAt(event->pos());
    if (event->button() == Qt::LeftButton && index.isValid() &&
        (index.column() == Eye || index.column() == Lock)) {
        const scene::Layer& layer = m_model->layerOf(m_filter->mapToSource(index));
        // Of a selection all at once.
        const auto& selection = m_session.selection.layers();
        const bool among = std::find(selection.begin(), selection.end(), layer.id) != selection.end();
        const std::vector<std::int64_t> layers = among ? selection : std::vector{layer.id};
        if (index.column() == Eye)
            m_session.document.apply(edit::onLayers("look", layers, {{"visible", !layer.visible}}));
        else
            m_session.document.apply(edit::onLayers("lock", layers, {{"locked", !layer.locked}}));
        return;
    }
    QTreeView::mousePressEvent(event);
}

void LayerList::contextMenuEvent(QContextMenuEvent* event) {
    Q_EMIT menuAsked(event->globalPos());
}

void LayerList::selectionChanged(const QItemSelection& selected, const QItemSelection& deselected) {
    QTreeView::selectionChanged(selected, deselected);
    if (m_showing) return;
    std::vector<std::int64_t> ids;
    for (const QModelIndex& index : selectionModel()->selectedRows())
        ids.push_back(index.data(idRole).toLongLong());
    m_showing = true;
    m_session.selection.select(std::move(ids));
    m_showing = false;
}

void LayerList::showSelection() {
    if (m_showing || !isVisible()) return;
    m_showing = true;
    QItemSelection rows;
    QModelIndex last;
    for (const std::int64_t id : m_session.selection.layers()) {
        const QModelIndex index = m_filter->mapFromSource(m_model->indexOf(id));
        if (!index.isValid()) continue;
        rows.select(index, index.siblingAtColumn(Columns - 1));
        last = index;
    }
    selectionModel()->select(rows, QItemSelectionModel::ClearAndSelect | QItemSelectionModel::Rows);
    if (last.isValid() && isVisible()) scrollTo(last);
    m_showing = false;
}

void LayerList::dropEvent(QDropEvent* event) {
    const QModelIndex index = indexAt(event->position().toPoint());
    const std::int64_t layer = index.isValid() ? index.data(idRole).toLongLong() : 0;
    event->setDropAction(Qt::IgnoreAction); // the scene moves them
    event->accept();
    drop(layer, dropIndicatorPosition() == OnItem      ? Drop::Onto
                : dropIndicatorPosition() == AboveItem ? Drop::Above
                                                       : Drop::Below);
}

void LayerList::drop(std::int64_t layer, Drop where) {
    const auto moved = m_session.movable();
    if (moved.empty() || std::find(moved.begin(), moved.end(), layer) != moved.end()) return;
    edit::Edit edit = edit::onLayers("move-into", moved);
    edit["group"] = nullptr;
    if (const scene::LayerPath& found = m_session.now().find(layer); found.layer) {
        if (where == Drop::Onto && found.layer->group()) {
            edit["group"] = layer;
        } else {
            // Beside it: rows run from the highest down, places from the lowest up; the dropped ones do not
            // count while they are still there.
            const auto& siblings = found.holders.empty() ? m_session.now().scene.layers
                                                         : found.holders.back()->group()->children;
            if (!found.holders.empty()) edit["group"] = found.holders.back()->id;
            std::int64_t at = 0;
            for (const scene::LayerPtr& each : siblings) {
                if (each->id == layer) break;
                if (std::find(moved.begin(), moved.end(), each->id) == moved.end()) ++at;
            }
            edit["at"] = where == Drop::Below ? at : at + 1;
        }
    }
    m_session.document.apply(edit);
}

}
