// All that can be done by a menu or a key, in one list: for finding a command by its name, and for changing
// shortcuts, which are kept in the settings.
#pragma once

#include <QKeySequence>
#include <QObject>
#include <functional>
#include <vector>

class QAction;
class QMenu;
class QWidget;

namespace stage::desk {

class Commands : public QObject {
    Q_OBJECT
public:
    explicit Commands(QWidget* window);

    /// name: for the settings, never translated and never changed. tip: what it does; empty: its text says
    /// it.
    QAction* add(QMenu* menu, const char* name, const QString& text, const QKeySequence& keys,
                 const QString& tip, std::function<void()> run);
    QAction* find(const QString& name) const; ///< null when there is none
    const std::vector<QAction*>& all() const { return m_all; }
    /// "Layer › Place › Flip across".
    QString path(const QAction* action) const;
    QKeySequence preset(const QAction* action) const;
    /// What else has these keys; null when nothing has.
    QAction* holder(const QKeySequence& keys, const QAction* besides) const;
    void setKeys(QAction* action, const QKeySequence& keys);

    /// A box to type a part of a name into; runs what is chosen.
    void ask();
    void editShortcuts();

private:
    void tell(QAction* action) const;
    QWidget* m_window;
    std::vector<QAction*> m_all;
};

/// Whether every word of the search begins a word, or is a part, of the text; lower is better, below 0: no.
int rank(const QString& text, const QString& search);

}
