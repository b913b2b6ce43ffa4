// Commands on what is shown: panes and views, guides, memory; and on what the checks find.
#pragma once

#include "desk/commands/command_group.h"

namespace stage::desk {

class Findings;

class ViewCommands : public CommandGroup {
    Q_OBJECT
public:
    /// showTimes: what pictures spend their time on, or no longer.
    ViewCommands(const CommandContext& context, QMenu* menu, std::function<void(bool)> showTimes);

private:
    void addPanes(QMenu* menu);
    void addSwitches(QMenu* menu);
    void addLooks(QMenu* menu);
    void addGuides(QMenu* menu);
    void askMemory();
};

class CheckCommands : public CommandGroup {
    Q_OBJECT
public:
    /// showFindings: shows their list.
    CheckCommands(const CommandContext& context, QMenu* menu, Findings& findings,
                  std::function<void()> showFindings);

private:
    void addComparison(QMenu* menu);
    void addRigs(QMenu* menu);
};

}
