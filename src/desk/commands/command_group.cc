#include "desk/commands/command_group.h"

#include <QAction>

namespace stage::desk {

CommandGroup::CommandGroup(const CommandContext& context)
    : QObject(context.window), m_window(context.window), m_session(context.session),
      m_commands(context.commands), m_views(context.views) {}

QAction* CommandGroup::add(QMenu* menu, const char* name, const QString& text, const char* keys,
                           const QString& tip, std::function<void()> run) {
    return m_commands.add(menu, name, text, QKeySequence(QString::fromLatin1(keys)), tip, std::move(run));
}

QAction* CommandGroup::add(QMenu* menu, const char* name, const QString& text, QKeySequence::StandardKey keys,
                           const QString& tip, std::function<void()> run) {
    return m_commands.add(menu, name, text, QKeySequence(keys), tip, std::move(run));
}

QAction* CommandGroup::addSwitch(QMenu* menu, const char* name, const QString& text, const char* keys,
                                 const QString& tip, bool on, std::function<void(bool)> set) {
    QAction* action = add(menu, name, text, keys, tip, [] {});
    action->setCheckable(true);
    action->setChecked(on);
    connect(action, &QAction::toggled, this, std::move(set));
    return action;
}

std::function<void()> CommandGroup::whenSelected(std::function<void()> run) {
    return [this, run = std::move(run)] {
        if (m_session.selection.layers().empty())
            say(tr("Select a layer first."));
        else
            run();
    };
}

std::function<void()> CommandGroup::whenMovable(std::function<void()> run) {
    return whenSelected([this, run = std::move(run)] {
        if (m_session.movable().empty())
            say(tr("What is selected is locked."));
        else
            run();
    });
}

void CommandGroup::offer(QMenu& menu, std::initializer_list<const char*> names) const {
    for (const char* name : names)
        if (QAction* action = m_commands.find(QLatin1String(name))) menu.addAction(action);
    menu.addSeparator();
}

Previewer CommandGroup::previewer() {
    return [this](const edit::Edit* edit) {
        if (edit)
            m_session.document.tryOut(*edit);
        else
            m_session.document.dropPreview();
    };
}

}
