// What all groups of commands share. A group makes a menu's commands and carries them out; it lives as long
// as the window. Interface thread.
#pragma once

#include "desk/commands/views.h"
#include "desk/kit/commands.h"
#include "desk/kit/dialog_form.h"
#include "desk/session/session.h"

#include <QMenu>

namespace stage::desk {

/// What commands act on; all of it outlives them.
struct CommandContext {
    QWidget* window; ///< parent of dialogs
    Session& session;
    Commands& commands;
    const Views& views;
};

class CommandGroup : public QObject {
    Q_OBJECT
public:
    explicit CommandGroup(const CommandContext& context);

protected:
    /// As Commands::add, with the keys as text ("Ctrl+Alt+F").
    QAction* add(QMenu* menu, const char* name, const QString& text, const char* keys, const QString& tip,
                 std::function<void()> run);
    QAction* add(QMenu* menu, const char* name, const QString& text, QKeySequence::StandardKey keys,
                 const QString& tip, std::function<void()> run);
    /// A command that is on or off: `set` is called when that is changed by the user.
    QAction* addSwitch(QMenu* menu, const char* name, const QString& text, const char* keys,
                       const QString& tip, bool on, std::function<void(bool)> set);
    /// run, or a sentence when no layer is selected.
    std::function<void()> whenSelected(std::function<void()> run);
    /// run, or a sentence when nothing is selected that may be moved.
    std::function<void()> whenMovable(std::function<void()> run);

    /// Puts commands that are there already into a menu, with a separator below.
    void offer(QMenu& menu, std::initializer_list<const char*> names) const;
    bool apply(const edit::Edit& edit) { return m_session.document.apply(edit); }
    void say(const QString& sentence) { Q_EMIT m_session.said(sentence); }
    /// Shows what a dialog is about to do in all views.
    Previewer previewer();

    QWidget* m_window;
    Session& m_session;
    Commands& m_commands;
    const Views& m_views;
};

}
