// One part of the details. Interface thread.
#pragma once

#include "desk/details/rows.h"

#include <QWidget>

namespace stage::desk {

class Part : public QWidget {
    Q_OBJECT
public:
    explicit Part(Session& session) : m_session(session), m_rows(session, this) {}
    /// Shows what is selected, or hides when it is not about that.
    void refresh() {
        const bool shown = applies();
        setVisible(shown);
        if (shown) m_rows.refresh();
    }

protected:
    virtual bool applies() const = 0;
    bool apply(const edit::Edit& edit) { return m_session.document.apply(edit); }
    /// The one selected layer; null when there is none or several.
    scene::LayerPtr layer() const { return m_session.selection.only().layer; }
    /// What it shows, when that is a T; else null.
    template <class T> const T* content() const {
        const auto only = layer();
        return only ? std::get_if<T>(&only->content) : nullptr;
    }
    /// An edit of all selected layers.
    bool applyToAll(const char* kind, const edit::Edit& more) {
        return apply(edit::onLayers(kind, m_session.selection.layers(), more));
    }

    Session& m_session;
    Rows m_rows;
};

}
