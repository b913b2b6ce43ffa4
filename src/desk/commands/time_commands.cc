#include "desk/commands/time_commands.h"

#include "desk/camera/camera_view.h"
#include "desk/dialogs/move_dialogs.h"
#include "desk/kit/settings.h"
#include "desk/time/timeline.h"

#include <QInputDialog>

namespace stage::desk {

TimeCommands::TimeCommands(const CommandContext& context, QMenu* menu) : CommandGroup(context) {
    addPlaying(menu);
    menu->addSeparator();
    addRange(menu);
    menu->addSeparator();
    addShowing(menu);
    menu->addSeparator();
    m_keys = new KeyCommands(context, menu->addMenu(tr("Keys")));
}

void TimeCommands::showKeyMenu(const QPoint& global) {
    m_keys->showMenu(global);
}

void TimeCommands::addPlaying(QMenu* menu) {
    Timeline* timeline = m_views.timeline;
    add(menu, "play", tr("Play or stop"), "Space", {},
        [timeline] { timeline->setPlaying(!timeline->playing()); });
    const auto step = [&](const char* name, const QString& text, const char* keys, std::int64_t by) {
        add(menu, name, text, keys, {}, [this, timeline, by] {
            timeline->setPlaying(false);
            m_session.playhead.setFrame(m_session.playhead.frame() + by);
        });
    };
    step("next-frame", tr("Next frame"), ".", 1);
    step("previous-frame", tr("Previous frame"), ",", -1);
    step("first-frame", tr("First frame"), "Home", -1'000'000'000);
    step("last-frame", tr("Last frame"), "End", 1'000'000'000);
    add(menu, "next-mark", tr("Next mark"), "Ctrl+Right", {}, [timeline] { timeline->toMark(1); });
    add(menu, "previous-mark", tr("Previous mark"), "Ctrl+Left", {}, [timeline] { timeline->toMark(-1); });
}

void TimeCommands::addRange(QMenu* menu) {
    Playhead& playhead = m_session.playhead;
    const QString tip = tr("The part that is played, in a loop");
    add(menu, "play-from", tr("Play from here"), "Ctrl+Home", tip, [&playhead] {
        playhead.setRange(std::pair(playhead.frame(), std::max(playhead.frame(), playhead.range().second)));
    });
    add(menu, "play-to", tr("Play up to here"), "Ctrl+End", tip, [&playhead] {
        playhead.setRange(std::pair(std::min(playhead.frame(), playhead.range().first), playhead.frame()));
    });
    add(menu, "play-all", tr("Play all"), "Ctrl+Shift+Home", {}, [&playhead] { playhead.setRange({}); });
    add(menu, "play-memory", tr("Memory for playing…"), "", tr("How many frames are kept ready"), [this] {
        bool ok = false;
        const int now = static_cast<int>(m_views.camera->picture().cache().budget() >> 20);
        const int megabytes = QInputDialog::getInt(m_window, tr("Memory for playing"),
                                                   tr("MB kept for frames"), now, 16, 1 << 20, 128, &ok);
        if (!ok) return;
        settings().setValue(QStringLiteral("playMegabytes"), megabytes);
        m_views.camera->picture().setPlayBudget(static_cast<std::size_t>(megabytes) << 20);
    });
}

void TimeCommands::addShowing(QMenu* menu) {
    const auto showing = [this](const char* member) {
        return whenMovable([this, member] {
            apply(
                edit::onLayers("showing", m_session.movable(), {{member, m_session.playhead.time().text()}}));
        });
    };
    add(menu, "in-here", tr("Comes in here"), "Ctrl+[", tr("The selected layers show from the playhead on"),
        showing("in"));
    add(menu, "out-here", tr("Goes out here"), "Ctrl+]", tr("The selected layers show until the playhead"),
        showing("out"));
    add(menu, "always", tr("Shows all the time"), "", tr("Without fades in time"), whenMovable([this] {
            apply(edit::onLayers("showing", m_session.movable(),
                                 {{"in", nullptr}, {"out", nullptr}, {"fadeIn", "0"}, {"fadeOut", "0"}}));
        }));
    add(menu, "stagger", tr("Stagger…"), "",
        tr("The selected layers come in one after the other, from the first selected on"),
        whenMovable([this] { stagger(); }));
}

void TimeCommands::stagger() {
    if (m_session.movable().size() < 2) return say(tr("Select several layers to stagger."));
    if (const auto by = askSeconds(m_window, tr("Stagger"), tr("Each later by"), 0.25,
                                   tr("Seconds; their lengths, footage and keys go along")))
        apply(edit::onLayers("stagger", m_session.movable(), {{"by", Rational::nearest(*by).text()}}));
}

}
