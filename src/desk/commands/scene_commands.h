// Commands on the whole scene: its file, its media, its settings; what is written of it.
#pragma once

#include "desk/commands/command_group.h"

namespace stage::desk {

class LayerClipboard;
class MediaFiles;
class OutputWriter;
class SceneFiles;

class SceneCommands : public CommandGroup {
    Q_OBJECT
public:
    SceneCommands(const CommandContext& context, QMenu* menu, SceneFiles& scenes, MediaFiles& media);
};

class OutputCommands : public CommandGroup {
    Q_OBJECT
public:
    OutputCommands(const CommandContext& context, QMenu* menu, OutputWriter& writer);
};

/// Steps of undo, the clipboard, what is selected, and finding commands.
class EditCommands : public CommandGroup {
    Q_OBJECT
public:
    EditCommands(const CommandContext& context, QMenu* menu, LayerClipboard& clipboard);

private:
    void addUndo(QMenu* menu);
    void selectAll();
    void search();
    /// The steps of undo in a list, to click in.
    void showSteps();
};

class HelpCommands : public CommandGroup {
    Q_OBJECT
public:
    HelpCommands(const CommandContext& context, QMenu* menu, SceneFiles& scenes);

private:
    void showGuide();
    void about();
    QWidget* m_guide = nullptr; ///< made when it is first asked for
};

}
