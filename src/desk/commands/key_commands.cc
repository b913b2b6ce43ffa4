#include "desk/commands/time_commands.h"
#include "desk/dialogs/move_dialogs.h"
#include "desk/time/curve_view.h"

namespace stage::desk {

KeyCommands::KeyCommands(const CommandContext& context, QMenu* menu) : CommandGroup(context) {
    addChoosing(menu);
    menu->addSeparator();
    addChanges(menu);
    addPaces(menu->addMenu(tr("Pace from keys")));
    addExtrapolations(menu->addMenu(tr("Extrapolation")));
    menu->addSeparator();
    addTracks(menu);
}

std::pair<std::int64_t, std::string> KeyCommands::track() const {
    const auto& keys = m_session.selection.keys();
    if (!keys.empty()) return {keys.front().layer, keys.front().property};
    return {m_views.curves->subject(), m_views.curves->property()};
}

edit::Edit KeyCommands::onTrack(const char* kind, const edit::Edit& more) const {
    const auto [layer, property] = track();
    edit::Edit edit = {{"edit", kind}, {"property", property}};
    edit.update(more);
    if (layer != 0) edit["layers"] = {layer};
    return edit;
}

void KeyCommands::change(const interaction::KeyChange& how, const QString& name) {
    const auto& keys = m_session.selection.keys();
    if (keys.empty()) return say(tr("Choose keys in the timeline or on the curves first."));
    apply(interaction::changeOfKeys(keys, how, name.toStdString()));
}

void KeyCommands::addChoosing(QMenu* menu) {
    add(menu, "key-here", tr("Key the curve here"), "Ctrl+K",
        tr("Keys the property of the curves at the playhead"), [this] { m_views.curves->keyHere(); });
    add(menu, "keys-all", tr("Choose all keys"), "", tr("Of the selected layers, or of the camera"),
        [this] { chooseAll(); });
    add(menu, "keys-copy", tr("Copy keys"), "Ctrl+Shift+C", {}, [this] { copy(); });
    add(menu, "keys-put", tr("Paste keys here"), "Ctrl+Shift+V",
        tr("From the playhead on, onto the selected layers, or the camera"), [this] { paste(); });
}

void KeyCommands::addChanges(QMenu* menu) {
    const auto command = [&](const char* name, const QString& text, const QString& tip,
                             interaction::KeyChange how) {
        add(menu, name, text, "", tip, [this, text, how] { change(how, text); });
    };
    const auto more = [](edit::Edit members) {
        interaction::KeyChange how;
        how.more = std::move(members);
        return how;
    };
    command("keys-reverse", tr("Reverse keys"), tr("Last to first, in the same time"), {.reverse = true});
    command("keys-smooth", tr("Smooth keys"), tr("Values nearer to their neighbours"),
            more({{"smooth", true}}));
    command("keys-even", tr("Even out keys"), tr("Even steps of time between the first and the last"),
            more({{"even", true}}));
    command("keys-hold", tr("Hold at keys"), tr("The value stays until the next key"),
            more({{"hold", true}}));
    command("keys-run", tr("Interpolate between keys"), tr("No longer held"), more({{"hold", false}}));
    command("keys-remove", tr("Remove keys"), {}, more({{"remove", true}}));
    add(menu, "keys-stretch", tr("Stretch keys…"), "", tr("In time, from the first of them on"),
        [this] { stretch(); });
}

void KeyCommands::addPaces(QMenu* menu) {
    for (const scene::NamedPace& named : scene::namedPaces) {
        const std::string name(named.name), command = "pace-" + name;
        add(menu, command.c_str(), QString::fromStdString(name), "", {}, [this, name] {
            interaction::KeyChange how;
            how.more["pace"] = name;
            change(how, tr("Change the pace of keys"));
        });
    }
}

void KeyCommands::addExtrapolations(QMenu* menu) {
    const char* const labels[] = {QT_TR_NOOP("Hold"), QT_TR_NOOP("Loop"), QT_TR_NOOP("Ping-pong"),
                                  QT_TR_NOOP("Loop with offset")};
    for (std::size_t i = 0; i < scene::extrapolationNames.size(); ++i) {
        const std::string name(scene::extrapolationNames[i]), command = "extrapolation-" + name;
        add(menu, command.c_str(), tr(labels[i]), "", {}, [this, name] {
            const auto [layer, property] = track();
            if (!interaction::trackOf(*m_session.scene(), layer, property))
                return say(tr("There are no keys to be repeated."));
            apply(onTrack("track", {{"extrapolation", name}}));
        });
    }
}

void KeyCommands::addTracks(QMenu* menu) {
    add(menu, "track-link", tr("Follow another property…"), "", tr("With a factor, an offset and a delay"),
        [this] {
            const auto [layer, property] = track();
            if (property.empty()) return;
            if (const auto edit = askLink(m_window, *m_session.scene(), layer, property)) apply(*edit);
        });
    add(menu, "track-unlink", tr("Follow no more"), "", {}, [this] {
        apply(onTrack("track", {{"link", nullptr}}));
    });
    add(menu, "track-noise", tr("Noise…"), "", tr("Sway, jitter or flicker on top"), [this] {
        const auto [layer, property] = track();
        if (property.empty()) return;
        if (const auto edit = askNoise(m_window, *m_session.scene(), layer, property)) apply(*edit);
    });
    add(menu, "track-remove", tr("Remove the track"), "", tr("Its keys, link and noise"),
        [this] { apply(onTrack("remove-track")); });
}

void KeyCommands::chooseAll() {
    interaction::KeyRefs all;
    auto whose = m_session.selection.layers();
    if (whose.empty()) whose.push_back(0);
    for (const std::int64_t id : whose)
        for (const scene::Track& track : interaction::tracksOf(*m_session.scene(), id))
            for (const auto& key : track.keys)
                all.push_back({id, track.property, key.time});
    m_session.selection.chooseKeys(std::move(all));
}

void KeyCommands::copy() {
    m_copied = interaction::copyKeys(*m_session.scene(), m_session.selection.keys());
    const auto count = static_cast<int>(m_copied.keys.size());
    say(count == 0 ? tr("Choose keys in the timeline or on the curves first.")
                   : tr("%n key(s) copied.", nullptr, count));
}

void KeyCommands::paste() {
    if (m_copied.keys.empty()) return say(tr("No keys have been copied."));
    if (const auto edit = interaction::pasteKeys(m_copied, m_session.playhead.time(), m_session.movable()))
        apply(*edit);
    else
        say(tr("There is nothing here that these keys could be for."));
}

void KeyCommands::stretch() {
    const interaction::KeyRefs chosen = m_session.selection.keys();
    if (chosen.empty()) return change({}, {});
    const auto whole = [&](double percent) {
        return interaction::changeOfKeys(chosen, {.stretch = percent / 100}, "Stretch keys");
    };
    const auto percent = askPercent(m_window, tr("Stretch keys"), tr("To"), 200, tr("Percent of their time"),
                                    previewer(), whole);
    m_session.selection.chooseKeys(chosen);
    if (percent) apply(whole(*percent));
}

void KeyCommands::showMenu(const QPoint& global) {
    QMenu menu(m_window);
    menu.setToolTipsVisible(true);
    offer(menu, {"keys-copy", "keys-put", "keys-reverse", "keys-stretch", "keys-smooth", "keys-even"});
    offer(*menu.addMenu(tr("Pace from keys")),
          {"pace-even", "pace-soft start", "pace-soft stop", "pace-soft both", "pace-rush and settle",
           "keys-hold", "keys-run"});
    offer(*menu.addMenu(tr("Extrapolation")), {"extrapolation-hold", "extrapolation-loop",
                                               "extrapolation-ping-pong", "extrapolation-loop with offset"});
    menu.addSeparator();
    offer(menu, {"track-link", "track-unlink", "track-noise"});
    offer(menu, {"keys-remove", "track-remove"});
    menu.exec(global);
}

}
