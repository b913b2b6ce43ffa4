// Commands on layers: what they are called, whether they are shown, groups and copies, their pictures.
#pragma once

#include "desk/commands/command_group.h"

#include <QPointF>

namespace stage::desk {

class MediaFiles;

class LayerCommands : public CommandGroup {
    Q_OBJECT
public:
    LayerCommands(const CommandContext& context, QMenu* menu, MediaFiles& media);
    /// What may be done with the selection, at a place of the screen; inCamera: the place in the Camera view,
    /// px, when it was asked for there.
    void showMenu(const QPoint& global, std::optional<QPointF> inCamera = {});

private:
    void addNames(QMenu* menu);
    void addVisibility(QMenu* menu);
    void addGroups(QMenu* menu);
    void addContent(const CommandContext& context, QMenu* menu, MediaFiles& media);
    void rename();
    void editTags();
    void showOrHide();
    void hideOthers();
    void lockOrUnlock();
    void follow();
    void scatter();
};

/// Where layers stand: pushed in depth, receding, keyed, in focus.
class DepthCommands : public CommandGroup {
    Q_OBJECT
public:
    DepthCommands(const CommandContext& context, QMenu* menu);

private:
    std::pair<double, double> depths() const; ///< the nearest and the farthest of the movable ones, m
    void push();
    void recede();
    void focusHere();
};

/// How layers lie in their planes: fitted to the frame, flipped, aligned, their pivots.
class PlaceCommands : public CommandGroup {
    Q_OBJECT
public:
    PlaceCommands(const CommandContext& context, QMenu* menu);

private:
    /// Does an edit of places to the movable selection.
    std::function<void()> on(const char* kind, edit::Edit more);
    void addFits(QMenu* menu);
    void addPivots(QMenu* menu);
    void addAligns(QMenu* menu);
    void fitWithOverscan();
};

}
