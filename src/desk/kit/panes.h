// The views in one, two, three or four panes. Each layout remembers which view stands where.
#pragma once

#include <QWidget>
#include <array>
#include <vector>

class QSplitter;

namespace stage::desk {

class Panel;

class Panes : public QWidget {
    Q_OBJECT
public:
    enum class View { Camera, Plan, Section, Model, CutOut, Curves, Scopes };
    static constexpr int views = 7;

    /// below: stands under the left column, but for four panes.
    explicit Panes(QWidget* below, QWidget* parent = nullptr);
    /// All of them, before anything is shown. The panel's title becomes a menu of the views.
    void add(View view, Panel* panel, const QString& name);

    int count() const { return m_count; }
    void setCount(int panes); ///< 1 to 4
    View at(int pane) const {
        return m_layouts[static_cast<std::size_t>(m_count - 1)][static_cast<std::size_t>(pane)];
    }
    /// Shows a view in a pane; where it stood before, what stood here goes.
    void show(int pane, View view);
    /// Makes sure that a view is shown, in the last pane unless it is there already.
    void reveal(View view);
    /// Where a view is shown, what reveal() has hidden comes back, or else another view.
    void conceal(View view);
    bool shows(View view) const;

    void restore();
    void keep(); ///< in the settings

Q_SIGNALS:
    void changed();

private:
    void lay();
    void keepSizes();

    struct Entry {
        Panel* panel = nullptr;
        QString name;
    };
    std::array<Entry, views> m_entries;
    QWidget* m_below;
    QSplitter *m_columns, *m_left, *m_right;
    int m_count = 2;
    View m_hidden = View::Plan; ///< by the last reveal()
    std::array<std::array<View, 4>, 4> m_layouts;
    std::array<std::vector<QByteArray>, 4> m_sizes; ///< of each layout's splitters
};

}
