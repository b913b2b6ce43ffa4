#include "desk/kit/panes.h"
#include "desk/kit/settings.h"

#include "desk/kit/panel.h"

#include <QBoxLayout>
#include <QMenu>
#include <QSplitter>
#include <algorithm>

namespace stage::desk {
namespace {

constexpr const char* keys[] = {"camera", "plan", "section", "model", "cut-out", "curves"};

}

Panes::Panes(QWidget* below, QWidget* parent) : QWidget(parent), m_below(below) {
    using enum View;
    m_layouts = {{{Camera, Plan, Section, Model},
                  {Camera, Plan, Section, Model},
                  {Camera, Plan, Section, Model},
                  {Camera, Plan, Model, Section}}};
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    m_columns = new QSplitter(Qt::Horizontal);
    m_left = new QSplitter(Qt::Vertical);
    m_right = new QSplitter(Qt::Vertical);
    m_columns->addWidget(m_left);
    m_columns->addWidget(m_right);
    for (QSplitter* each : {m_columns, m_left, m_right}) {
        each->setHandleWidth(8);
        each->setChildrenCollapsible(false);
    }
    layout->addWidget(m_columns);
}

void Panes::add(View view, Panel* panel, const QString& name) {
    m_entries[static_cast<std::size_t>(view)] = {panel, name};
    panel->setParent(this);
    panel->hide();
    auto* menu = new QMenu(panel);
    menu->setToolTipsVisible(true);
    connect(menu, &QMenu::aboutToShow, this, [this, menu, view] {
        menu->clear();
        for (int i = 0; i < views; ++i) {
            const View each = static_cast<View>(i);
            QAction* action =
                menu->addAction(m_entries[static_cast<std::size_t>(i)].name, this, [this, view, each] {
                    for (int pane = 0; pane < m_count; ++pane)
                        if (at(pane) == view) return show(pane, each);
                });
            action->setCheckable(true);
            action->setChecked(each == view);
        }
    });
    panel->setTitleMenu(menu);
}

bool Panes::shows(View view) const {
    for (int pane = 0; pane < m_count; ++pane)
        if (at(pane) == view) return true;
    return false;
}

void Panes::show(int pane, View view) {
    auto& layout = m_layouts[static_cast<std::size_t>(m_count - 1)];
    const auto before = layout[static_cast<std::size_t>(pane)];
    if (before == view) return;
    for (View& each : layout)
        if (each == view) each = before;
    layout[static_cast<std::size_t>(pane)] = view;
    lay();
}

void Panes::reveal(View view) {
    if (shows(view)) return;
    m_hidden = at(m_count - 1);
    show(m_count - 1, view);
}

void Panes::conceal(View view) {
    // There are more views than panes, so one of them is not shown.
    View other = m_hidden;
    for (int i = 0; i < views && (other == view || shows(other)); ++i)
        other = static_cast<View>(i);
    for (int pane = 0; pane < m_count; ++pane)
        if (at(pane) == view) return show(pane, other);
}

void Panes::setCount(int panes) {
    panes = std::clamp(panes, 1, 4);
    keepSizes();
    m_count = panes;
    lay();
}

void Panes::keepSizes() {
    m_sizes[static_cast<std::size_t>(m_count - 1)] = {m_columns->saveState(), m_left->saveState(),
                                                      m_right->saveState()};
}

void Panes::lay() {
    for (Entry& entry : m_entries)
        if (entry.panel) {
            entry.panel->setParent(this);
            entry.panel->hide();
        }
    m_below->setParent(this);
    // Left first and top first; three have two on the right.
    const int left = m_count == 4 ? 2 : 1;
    for (int pane = 0; pane < m_count; ++pane) {
        // Four: left top, right top, left bottom, right bottom.
        const bool onLeft = m_count == 4 ? pane % 2 == 0 : pane < left;
        Panel* panel = m_entries[static_cast<std::size_t>(at(pane))].panel;
        (onLeft ? m_left : m_right)->addWidget(panel);
        panel->show();
    }
    m_left->addWidget(m_below);
    m_below->setVisible(m_count < 4); // four want the room
    m_right->setVisible(m_count > 1);
    for (int i = 0; i < m_left->count(); ++i)
        m_left->setStretchFactor(i, m_left->widget(i) == m_below ? 0 : 1);
    const auto& sizes = m_sizes[static_cast<std::size_t>(m_count - 1)];
    if (sizes.size() == 3) {
        m_columns->restoreState(sizes[0]);
        m_left->restoreState(sizes[1]);
        m_right->restoreState(sizes[2]);
    } else {
        m_columns->setSizes({m_count == 4 ? 500 : 590, m_count == 4 ? 500 : 410});
        m_left->setSizes(m_count == 4 ? QList<int>{240, 240, 0} : QList<int>{366, 104});
        m_right->setSizes({300, 300});
    }
    Q_EMIT changed();
}

void Panes::restore() {
    QSettings kept = settings();
    for (std::size_t i = 0; i < m_layouts.size(); ++i) {
        const QStringList names = kept.value(QStringLiteral("panes/%1/views").arg(i + 1)).toStringList();
        std::array<View, 4> wanted = m_layouts[i];
        bool ok = names.size() == 4;
        for (qsizetype k = 0; ok && k < 4; ++k) {
            const auto key = std::find_if(std::begin(keys), std::end(keys),
                                          [&](const char* each) { return names[k] == QLatin1String(each); });
            ok = key != std::end(keys);
            if (ok) wanted[static_cast<std::size_t>(k)] = static_cast<View>(key - std::begin(keys));
            for (qsizetype before = 0; ok && before < k; ++before)
                ok = wanted[static_cast<std::size_t>(before)] != wanted[static_cast<std::size_t>(k)];
        }
        // Cutting out is begun anew.
        if (ok && std::find(wanted.begin(), wanted.end(), View::CutOut) == wanted.end())
            m_layouts[i] = wanted;
        m_sizes[i].clear();
        const QVariantList sizes = kept.value(QStringLiteral("panes/%1/sizes").arg(i + 1)).toList();
        for (const QVariant& each : sizes)
            m_sizes[i].push_back(each.toByteArray());
    }
    m_count = std::clamp(kept.value(QStringLiteral("panes/count"), 2).toInt(), 1, 4);
    lay();
}

void Panes::keep() {
    keepSizes();
    QSettings kept = settings();
    kept.setValue(QStringLiteral("panes/count"), m_count);
    for (std::size_t i = 0; i < m_layouts.size(); ++i) {
        QStringList names;
        for (const View view : m_layouts[i])
            names << QString::fromLatin1(keys[static_cast<std::size_t>(view)]);
        kept.setValue(QStringLiteral("panes/%1/views").arg(i + 1), names);
        QVariantList sizes;
        for (const QByteArray& each : m_sizes[i])
            sizes << each;
        kept.setValue(QStringLiteral("panes/%1/sizes").arg(i + 1), sizes);
    }
}

}
