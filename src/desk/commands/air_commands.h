// Commands of air and light: particles, clouds, veils, footage over black, lamps, shadows.
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
    void takeLight();
    void throwShadow();
    void matchPlace();
};

}
