// Layers as a compact list with their groups, in the order of the scene, highest first.
#pragma once

#include "desk/session/session.h"

#include <QTreeView>

class QSortFilterProxyModel;

namespace stage::desk {

class LayerModel;

/// Whether a layer's name or one of its tags has the text in it; case does not matter.
bool matches(const scene::Layer& layer, const QString& search);

class LayerList : public QTreeView {
    Q_OBJECT
public:
    explicit LayerList(Session& session, QWidget* parent = nullptr);
    void setSearch(const QString& text);
    /// Where a layer's row is; empty when it has none.
    QRect rowRect(std::int64_t layer) const;
    /// The selected layers go into a group, or beside a layer (0: out of all groups, on top).
    enum class Drop { Onto, Above, Below };
    void drop(std::int64_t layer, Drop where);

Q_SIGNALS:
    void menuAsked(const QPoint& global);

protected:
    void mousePressEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    void selectionChanged(const QItemSelection& selected, const QItemSelection& deselected) override;

private:
    void showSelection();

    Session& m_session;
    LayerModel* m_model;
    QSortFilterProxyModel* m_filter;
    bool m_showing = false; ///< the session's selection is being shown: nothing is to be selected by it
};

}
