// Commands on time: playing, stepping, when layers show; and on the keys of tracks.
#pragma once

#include "desk/commands/command_group.h"

namespace stage::desk {

class KeyCommands;

class TimeCommands : public CommandGroup {
    Q_OBJECT
public:
    TimeCommands(const CommandContext& context, QMenu* menu);
    /// What may be done with the chosen keys, at a place of the screen.
    void showKeyMenu(const QPoint& global);

private:
    void addPlaying(QMenu* menu);
    void addRange(QMenu* menu);
    void addShowing(QMenu* menu);
    void stagger();
    KeyCommands* m_keys;
};

class KeyCommands : public CommandGroup {
    Q_OBJECT
public:
    KeyCommands(const CommandContext& context, QMenu* menu);
    void showMenu(const QPoint& global);

private:
    void addChoosing(QMenu* menu);
    void addChanges(QMenu* menu);
    void addPaces(QMenu* menu);
    void addExtrapolations(QMenu* menu);
    void addTracks(QMenu* menu);
    /// The track that links, noise and extrapolation are for: of a layer, or (0) of the camera. Of the chosen
    /// keys, else of the curves.
    std::pair<std::int64_t, std::string> track() const;
    /// An edit of that track, with its members.
    edit::Edit onTrack(const char* kind, const edit::Edit& more = edit::Edit::object()) const;
    /// A change of the chosen keys, as a step of that name; says so when none are.
    void change(const interaction::KeyChange& how, const QString& name);
    void chooseAll();
    void copy();
    void paste();
    void stretch();

    interaction::CopiedKeys m_copied;
};

}
