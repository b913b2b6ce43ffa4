// Commands that add what drifts and veils: particles, clouds, veils, footage over black.
#pragma once

#include "desk/commands/command_group.h"

namespace stage::desk {

class AirCommands : public CommandGroup {
    Q_OBJECT
public:
    AirCommands(const CommandContext& context, QMenu* menu);

private:
    void addVeil();
    void overBlack();
};

}
