// Commands on the camera: its marks, its move, its lens, what it is aimed at, and the tools of its view.
#pragma once

#include "desk/commands/command_group.h"

namespace stage::desk {

class CameraCommands : public CommandGroup {
    Q_OBJECT
public:
    CameraCommands(const CommandContext& context, QMenu* menu);
    /// What may be done with a mark (from 0), at a place of the screen.
    void showMarkMenu(const QPoint& global, int mark);

private:
    void addMarks(QMenu* menu);
    void addMoves(QMenu* menu);
    void addMarkOrder(QMenu* menu);
    void addWalking(QMenu* menu);
    void addAims(QMenu* menu);
    void addTools(QMenu* menu);
    /// act with the mark under the playhead (from 0), or a sentence when there is none.
    std::function<void()> atMark(std::function<void(int)> act);
    std::int64_t firstSelected() const; ///< 0: none
    void setMark();
    void stayAt(int mark);
    void copyMark(int mark);
    void reorder(int mark, int by);
    void retime();
    void switchWholePace();
};

}
