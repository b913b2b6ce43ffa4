// The menus of the camera, of time, of keys and of the checks.
#include "desk/dialogs/move_dialogs.h"
#include "desk/kit/number_field.h"
#include "desk/kit/settings.h"
#include "desk/time/curve_view.h"
#include "desk/time/findings.h"
#include "desk/time/marks_strip.h"
#include "desk/time/pace_choice.h"
#include "desk/time/timeline.h"
#include "desk/window/main_window.h"
#include "motion/walking.h"
#include "optics/view.h"
#include "scene/scene_json.h"

#include <QActionGroup>
#include <QInputDialog>
#include <QMenu>
#include <QToolButton>

namespace stage::desk {
namespace {

QKeySequence keys(const char* text) {
    return QKeySequence(QString::fromLatin1(text));
}

}

void MainWindow::setMark() {
    if (const int mark = m_session.camera.markHere(); mark >= 0 && !m_session.camera.offHere())
        return say(tr("Mark %1 is here already; walking the camera here changes it.").arg(mark + 1));
    m_session.camera.setMarkHere();
}

void MainWindow::makeCameraMenu(QMenu* menu) {
    auto& c = m_commands;
    c.add(menu, "set-mark", tr("Set mark"), keys("K"), {}, [this] { setMark(); });
    const auto whereMarked = [this](const auto& act) {
        if (const int mark = m_session.camera.markHere(); mark >= 0)
            act(mark);
        else
            say(tr("The playhead stands on no mark."));
    };
    c.add(menu, "remove-mark", tr("Remove this mark"), keys("Shift+Del"), {}, [this, whereMarked] {
        whereMarked([this](int mark) {
            m_session.document.apply({{"edit", "remove-mark"}, {"mark", mark + 1}});
        });
    });
    c.add(menu, "back-to-move", tr("Go back to the move"), keys("Ctrl+B"), {},
          [this] { m_session.camera.backToMove(); });
    menu->addSeparator();
    const auto chosen = [this] {
        return m_session.selection.layers().empty() ? 0 : m_session.selection.layers().front();
    };
    c.add(menu, "ready-move", tr("Make a move…"), keys("Ctrl+M"),
          tr("Push in, arc, dolly zoom and others, as marks from the playhead on"), [this, chosen] {
              if (const auto edit = askReadyMove(this, *m_session.scene(), m_session.playhead.time(),
                                                 chosen(), previewer()))
                  m_session.document.apply(*edit);
          });
    c.add(menu, "lens-refit", tr("Another lens, same picture…"), {},
          tr("Another focal length, while what is seen stays: the camera steps back, or the layers are "
             "resized"),
          [this, chosen] {
              if (const auto edit =
                      askLens(this, *m_session.scene(), m_session.camera.pose().focal, chosen(), previewer()))
                  m_session.document.apply(*edit);
          });
    c.add(menu, "hold-mark", tr("Stay at this mark…"), {}, tr("What comes later is put off"),
          [this, whereMarked] {
              whereMarked([this](int mark) {
                  if (const auto seconds = askSeconds(this, tr("Stay at this mark"), tr("Stay for"), 1,
                                                      tr("Seconds; what comes later is put off by as much")))
                      m_session.document.apply({{"edit", "hold-mark"},
                                                {"mark", mark + 1},
                                                {"seconds", Rational::nearest(*seconds).text()}});
              });
          });
    c.add(menu, "corner", tr("Corner or curve at this mark"), {},
          tr("A corner: the path runs straight to it and on from it"), [this, whereMarked] {
              whereMarked([this](int mark) {
                  const bool corner = m_session.scene()->camera.marks[static_cast<std::size_t>(mark)].corner;
                  m_session.document.apply({{"edit", "mark"}, {"mark", mark + 1}, {"corner", !corner}});
              });
          });
    c.add(menu, "retime", tr("Retime the move…"), {},
          tr("From its first mark on, with what is keyed on the camera"), [this] {
              const auto& marks = m_session.scene()->camera.marks;
              const double now = (marks.back().time - marks.front().time).toDouble();
              if (const auto seconds = askSeconds(this, tr("Retime the move"), tr("Takes"), now,
                                                  tr("Seconds from the first mark to the last")))
                  m_session.document.apply(
                      {{"edit", "retime"}, {"seconds", Rational::nearest(*seconds).text()}});
          });
    c.add(menu, "whole-pace", tr("One pace over the whole move"), {},
          tr("The speed need not stop at each mark; the marks' own times then follow from the path"), [this] {
              const bool off = m_session.scene()->camera.pace.has_value();
              if (m_session.document.apply(interaction::wholePaceEdit(
                      *m_session.scene(), m_session.playhead.time().toDouble(), !off)))
                  say(off ? tr("Each move has its own pace.") : tr("One pace runs over the whole move."));
          });
    c.add(menu, "copy-mark", tr("Copy this mark to…"), {}, tr("Another one with the same pose, at a time"),
          [this, whereMarked] {
              whereMarked([this](int mark) {
                  const double now = scene::lastTime(*m_session.scene()).toDouble();
                  if (const auto seconds = askSeconds(this, tr("Copy the mark"), tr("To"), now,
                                                      tr("Seconds from the start of the scene")))
                      m_session.document.apply({{"edit", "copy-mark"},
                                                {"mark", mark + 1},
                                                {"time", Rational::nearest(*seconds).text()}});
              });
          });
    const auto reorder = [&](const char* name, const QString& text, int way) {
        c.add(menu, name, text, {}, tr("Poses change places; the times of the move stay"),
              [this, whereMarked, way] {
                  whereMarked([this, way](int mark) {
                      const auto& marks = m_session.scene()->camera.marks;
                      const int to = mark + way;
                      if (to < 0 || to >= static_cast<int>(marks.size())) return;
                      if (m_session.document.apply(
                              {{"edit", "reorder-mark"}, {"mark", mark + 1}, {"to", to + 1}}))
                          m_session.playhead.setFrame(
                              frameAt(m_session.scene()->camera.marks[static_cast<std::size_t>(to)].time,
                                      m_session.scene()->output.rate));
                  });
              });
    };
    reorder("mark-earlier", tr("This mark comes earlier"), -1);
    reorder("mark-later", tr("This mark comes later"), 1);
    c.add(menu, "walk-by", tr("Walk by…"), keys("Shift+W"),
          tr("Truck, pedestal, dolly, pan, tilt, roll in numbers"), [this] {
              if (const auto step = askStep(this)) {
                  m_session.camera.walk(motion::stepped(m_session.camera.pose(), *step));
                  m_session.camera.endWalk();
              }
          });
    c.add(menu, "pull-focus", tr("Pull focus by clicks"), keys("Ctrl+Shift+P"),
          tr("Click what is sharp at this mark, then what is sharp at the next one; it is followed where it "
             "moves"),
          [this] { m_camera->startPull(); });
    QMenu* aim = menu->addMenu(tr("Aim"));
    const auto aimAt = [this](const edit::Edit& at) {
        m_session.document.apply({{"edit", "mark"}, {"aim", at}});
    };
    c.add(aim, "aim-layer", tr("At the selected layer"), {},
          tr("All along the move, also where the layer moves"), [this, chosen, aimAt] {
              if (chosen() == 0)
                  say(tr("Select the layer to aim at."));
              else
                  aimAt({{"layer", chosen()}});
          });
    c.add(aim, "aim-point", tr("At the point in focus"), {},
          tr("At what lies on the axis at the distance of the focus; drag it in Plan, Section or Model"),
          [this, aimAt] {
              const scene::Pose pose = m_session.camera.pose();
              aimAt({{"point",
                      scene::toJson(pose.position + optics::forwardOf(pose.pan, pose.tilt) * pose.focus)}});
          });
    c.add(aim, "aim-path", tr("Along the path"), {}, {}, [aimAt] { aimAt("path"); });
    c.add(aim, "aim-pose", tr("As the marks are turned"), {}, {}, [aimAt] { aimAt("pose"); });
    c.add(menu, "hand-held", tr("Hand-held…"), {}, tr("Lets the camera sway a little"), [this] {
        if (const auto edit = askHandHeld(this, *m_session.scene(), previewer()))
            m_session.document.apply(*edit);
    });
    menu->addSeparator();
    const auto tool = [&](const char* name, const QString& text, const char* shortcut,
                          CameraView::Tool which) {
        c.add(menu, name, text, keys(shortcut), {}, [this, which] {
            m_camera->setTool(which);
            if (which == CameraView::Tool::Walk) m_camera->setFocus();
        });
    };
    tool("tool-move", tr("Move tool"), "M", CameraView::Tool::Move);
    tool("tool-push", tr("Push tool"), "P", CameraView::Tool::Push);
    tool("tool-turn", tr("Turn tool"), "T", CameraView::Tool::Turn);
    tool("tool-walk", tr("Walk camera"), "W", CameraView::Tool::Walk);
    c.add(menu, "hold-framing", tr("Hold framing"), keys("H"), {}, [this] { m_hold->toggle(); });
}

// ---- time

void MainWindow::makeTimeMenu(QMenu* menu) {
    auto& c = m_commands;
    c.add(menu, "play", tr("Play or stop"), keys("Space"), {}, [this] { togglePlay(); });
    const auto step = [&](const char* name, const QString& text, const char* shortcut, std::int64_t by) {
        c.add(menu, name, text, keys(shortcut), {}, [this, by] {
            m_timeline->setPlaying(false);
            m_session.playhead.setFrame(m_session.playhead.frame() + by);
        });
    };
    step("next-frame", tr("Next frame"), ".", 1);
    step("previous-frame", tr("Previous frame"), ",", -1);
    step("first-frame", tr("First frame"), "Home", -1'000'000'000);
    step("last-frame", tr("Last frame"), "End", 1'000'000'000);
    c.add(menu, "next-mark", tr("Next mark"), keys("Ctrl+Right"), {}, [this] { m_timeline->toMark(1); });
    c.add(menu, "previous-mark", tr("Previous mark"), keys("Ctrl+Left"), {},
          [this] { m_timeline->toMark(-1); });
    menu->addSeparator();
    c.add(menu, "play-from", tr("Play from here"), keys("Ctrl+Home"),
          tr("The part that is played, in a loop"), [this] {
              m_session.playhead.setRange(
                  std::pair(m_session.playhead.frame(),
                            std::max(m_session.playhead.frame(), m_session.playhead.range().second)));
          });
    c.add(menu, "play-to", tr("Play up to here"), keys("Ctrl+End"), tr("The part that is played, in a loop"),
          [this] {
              m_session.playhead.setRange(
                  std::pair(std::min(m_session.playhead.frame(), m_session.playhead.range().first),
                            m_session.playhead.frame()));
          });
    c.add(menu, "play-all", tr("Play all"), keys("Ctrl+Shift+Home"), {},
          [this] { m_session.playhead.setRange({}); });
    c.add(menu, "play-memory", tr("Memory for playing…"), {}, tr("How many frames are kept ready"), [this] {
        bool ok = false;
        const int now = static_cast<int>(m_camera->cache().budget() >> 20);
        const int megabytes = QInputDialog::getInt(this, tr("Memory for playing"), tr("MB kept for frames"),
                                                   now, 16, 1 << 20, 128, &ok);
        if (!ok) return;
        settings().setValue(QStringLiteral("playMegabytes"), megabytes);
        m_camera->setPlayBudget(static_cast<std::size_t>(megabytes) << 20);
    });
    menu->addSeparator();
    const auto showing = [this](const char* member) {
        return withSelection([this, member] {
            m_session.document.apply(
                edit::onLayers("showing", m_session.movable(), {{member, m_session.playhead.time().text()}}));
        });
    };
    c.add(menu, "in-here", tr("Comes in here"), keys("Ctrl+["),
          tr("The selected layers show from the playhead on"), showing("in"));
    c.add(menu, "out-here", tr("Goes out here"), keys("Ctrl+]"),
          tr("The selected layers show until the playhead"), showing("out"));
    c.add(menu, "always", tr("Shows all the time"), {}, tr("Without fades in time"), withSelection([this] {
              m_session.document.apply(
                  edit::onLayers("showing", m_session.movable(),
                                 {{"in", nullptr}, {"out", nullptr}, {"fadeIn", "0"}, {"fadeOut", "0"}}));
          }));
    c.add(menu, "stagger", tr("Stagger…"), {},
          tr("The selected layers come in one after the other, from the first selected on"),
          withSelection([this] {
              if (m_session.movable().size() < 2) return say(tr("Select several layers to stagger."));
              if (const auto by = askSeconds(this, tr("Stagger"), tr("Each later by"), 0.25,
                                             tr("Seconds; their lengths, footage and keys go along")))
                  m_session.document.apply(edit::onLayers("stagger", m_session.movable(),
                                                          {{"by", Rational::nearest(*by).text()}}));
          }));
    menu->addSeparator();
    makeKeysMenu(menu->addMenu(tr("Keys")));
}

std::pair<std::int64_t, std::string> MainWindow::course() const {
    // Chosen keys tell it; else what the curves are of.
    if (!m_session.selection.keys().empty())
        return {m_session.selection.keys().front().layer, m_session.selection.keys().front().property};
    return {m_curves->subject(), m_curves->property()};
}

void MainWindow::changeChosenKeys(const interaction::KeyChange& change, const QString& name) {
    if (m_session.selection.keys().empty())
        return say(tr("Choose keys in the timeline or on the curves first."));
    m_session.document.apply(
        interaction::changeOfKeys(m_session.selection.keys(), change, name.toStdString()));
}

void MainWindow::makeKeysMenu(QMenu* menu) {
    auto& c = m_commands;
    c.add(menu, "key-here", tr("Key the curve here"), keys("Ctrl+K"),
          tr("Keys the property of the curves at the playhead"), [this] { m_curves->keyHere(); });
    c.add(menu, "keys-all", tr("Choose all keys"), {}, tr("Of the selected layers, or of the camera"),
          [this] {
              interaction::KeyRefs all;
              auto whose = m_session.selection.layers();
              if (whose.empty()) whose.push_back(0);
              for (const std::int64_t id : whose)
                  for (const scene::Track& track : interaction::tracksOf(*m_session.scene(), id))
                      for (const auto& key : track.keys)
                          all.push_back({id, track.property, key.time});
              m_session.selection.chooseKeys(std::move(all));
          });
    c.add(menu, "keys-copy", tr("Copy keys"), keys("Ctrl+Shift+C"), {}, [this] {
        m_taken = interaction::copyKeys(*m_session.scene(), m_session.selection.keys());
        say(m_taken.keys.empty()
                ? tr("Choose keys in the timeline or on the curves first.")
                : tr("%1 copied.")
                      .arg(counted(static_cast<qint64>(m_taken.keys.size()), tr("key"), tr("keys"))));
    });
    c.add(menu, "keys-put", tr("Paste keys here"), keys("Ctrl+Shift+V"),
          tr("From the playhead on, onto the selected layers, or the camera"), [this] {
              if (m_taken.keys.empty()) return say(tr("No keys have been copied."));
              if (const auto edit =
                      interaction::pasteKeys(m_taken, m_session.playhead.time(), m_session.movable()))
                  m_session.document.apply(*edit);
              else
                  say(tr("There is nothing here that these keys could be for."));
          });
    menu->addSeparator();
    const auto change = [&](const char* name, const QString& text, const QString& tip,
                            interaction::KeyChange how) {
        c.add(menu, name, text, {}, tip, [this, text, how] { changeChosenKeys(how, text); });
    };
    const auto more = [](edit::Edit members) {
        interaction::KeyChange how;
        how.more = std::move(members);
        return how;
    };
    change("keys-reverse", tr("Reverse keys"), tr("Last to first, in the same time"), {.reverse = true});
    change("keys-smooth", tr("Smooth keys"), tr("Values nearer to their neighbours"),
           more({{"smooth", true}}));
    change("keys-even", tr("Even out keys"), tr("Even steps of time between the first and the last"),
           more({{"even", true}}));
    change("keys-hold", tr("Hold at keys"), tr("The value stays until the next key"), more({{"hold", true}}));
    change("keys-run", tr("Interpolate between keys"), tr("No longer held"), more({{"hold", false}}));
    change("keys-remove", tr("Remove keys"), {}, more({{"remove", true}}));
    c.add(menu, "keys-stretch", tr("Stretch keys…"), {}, tr("In time, from the first of them on"), [this] {
        if (m_session.selection.keys().empty()) return changeChosenKeys({}, {});
        const interaction::KeyRefs chosen = m_session.selection.keys();
        const auto whole = [&](double percent) {
            return interaction::changeOfKeys(chosen, {.stretch = percent / 100}, "Stretch keys");
        };
        const auto k = askPercent(this, tr("Stretch keys"), tr("To"), 200, tr("Percent of their time"),
                                  previewer(), whole);
        m_session.selection.chooseKeys(chosen);
        if (k) m_session.document.apply(whole(*k));
    });
    QMenu* pace = menu->addMenu(tr("Pace from keys"));
    for (const scene::NamedPace& named : scene::namedPaces) {
        const std::string name(named.name), command = "pace-" + name;
        c.add(pace, command.c_str(), QString::fromStdString(name), {}, {}, [this, name] {
            interaction::KeyChange how;
            how.more["pace"] = name;
            changeChosenKeys(how, tr("Change the pace of keys"));
        });
    }
    QMenu* extrapolation = menu->addMenu(tr("Extrapolation"));
    const char* const labels[] = {QT_TR_NOOP("Hold"), QT_TR_NOOP("Loop"), QT_TR_NOOP("Ping-pong"),
                                  QT_TR_NOOP("Loop with offset")};
    for (std::size_t i = 0; i < scene::extrapolationNames.size(); ++i) {
        const std::string name(scene::extrapolationNames[i]), command = "extrapolation-" + name;
        c.add(extrapolation, command.c_str(), tr(labels[i]), {}, {}, [this, name] {
            const auto [layer, property] = course();
            if (!interaction::trackOf(*m_session.scene(), layer, property))
                return say(tr("There are no keys to be repeated."));
            edit::Edit edit = {{"edit", "track"}, {"property", property}, {"extrapolation", name}};
            if (layer != 0) edit["layers"] = {layer};
            m_session.document.apply(edit);
        });
    }
    menu->addSeparator();
    c.add(menu, "track-link", tr("Follow another property…"), {}, tr("With a factor, an offset and a delay"),
          [this] {
              const auto [layer, property] = course();
              if (property.empty()) return;
              if (const auto edit = askLink(this, *m_session.scene(), layer, property))
                  m_session.document.apply(*edit);
          });
    c.add(menu, "track-unlink", tr("Follow no more"), {}, {}, [this] {
        const auto [layer, property] = course();
        edit::Edit edit = {{"edit", "track"}, {"property", property}, {"link", nullptr}};
        if (layer != 0) edit["layers"] = {layer};
        m_session.document.apply(edit);
    });
    c.add(menu, "track-noise", tr("Noise…"), {}, tr("Sway, jitter or flicker on top"), [this] {
        const auto [layer, property] = course();
        if (property.empty()) return;
        if (const auto edit = askNoise(this, *m_session.scene(), layer, property))
            m_session.document.apply(*edit);
    });
    c.add(menu, "track-remove", tr("Remove the track"), {}, tr("Its keys, link and noise"), [this] {
        const auto [layer, property] = course();
        edit::Edit edit = {{"edit", "remove-track"}, {"property", property}};
        if (layer != 0) edit["layers"] = {layer};
        m_session.document.apply(edit);
    });
}

void MainWindow::showKeyMenu(const QPoint& global) {
    QMenu menu(this);
    menu.setToolTipsVisible(true);
    const auto add = [&](std::initializer_list<const char*> names) {
        for (const char* name : names)
            if (QAction* action = m_commands.find(QLatin1String(name))) menu.addAction(action);
        menu.addSeparator();
    };
    const auto sub = [&](const QString& title, std::initializer_list<const char*> names) {
        QMenu* inner = menu.addMenu(title);
        for (const char* name : names)
            if (QAction* action = m_commands.find(QLatin1String(name))) inner->addAction(action);
    };
    add({"keys-copy", "keys-put", "keys-reverse", "keys-stretch", "keys-smooth", "keys-even"});
    sub(tr("Pace from keys"), {"pace-even", "pace-soft start", "pace-soft stop", "pace-soft both",
                               "pace-rush and settle", "keys-hold", "keys-run"});
    sub(tr("Extrapolation"), {"extrapolation-hold", "extrapolation-loop", "extrapolation-ping-pong",
                              "extrapolation-loop with offset"});
    menu.addSeparator();
    add({"track-link", "track-unlink", "track-noise"});
    add({"keys-remove", "track-remove"});
    menu.exec(global);
}

void MainWindow::showMarkMenu(const QPoint& global, int mark) {
    QMenu menu(this);
    menu.setToolTipsVisible(true);
    menu.addAction(tr("Rename…"), m_marks, [this, mark] { m_marks->rename(mark); });
    for (const char* name : {"copy-mark", "hold-mark", "corner", "mark-earlier", "mark-later"})
        if (QAction* action = m_commands.find(QLatin1String(name))) menu.addAction(action);
    menu.addSeparator();
    if (QAction* remove = m_commands.find(QStringLiteral("remove-mark"))) menu.addAction(remove);
    menu.exec(global);
}

// ---- checks

void MainWindow::makeCheckMenu(QMenu* menu) {
    auto& c = m_commands;
    c.add(menu, "findings", tr("Findings"), keys("F10"), tr("With a fix for each"),
          [this] { showFindings(m_findingsButton->mapToGlobal(QPoint(0, 0))); });
    c.add(menu, "next-finding", tr("Next finding"), keys("Shift+F10"), tr("Goes there"), [this] {
        if (const checks::Finding* finding = m_findings->goToNext())
            say(QString::fromStdString(finding->sentence), true);
        else
            say(tr("Nothing was found."));
    });
    menu->addSeparator();
    QMenu* rigs = menu->addMenu(tr("Camera is carried by"));
    auto* group = new QActionGroup(this);
    const char* const names[] = {QT_TR_NOOP("A hand: 1.5 m/s, 90 °/s"), QT_TR_NOOP("A dolly: 2 m/s, 45 °/s"),
                                 QT_TR_NOOP("A crane: 3 m/s, 30 °/s"), QT_TR_NOOP("A drone: 15 m/s, 60 °/s")};
    for (std::size_t i = 0; i < scene::rigNames.size(); ++i) {
        const std::string command = "rig-" + std::string(scene::rigNames[i]);
        QAction* action = c.add(rigs, command.c_str(), tr(names[i]), {}, {}, [this, i] {
            m_session.document.apply({{"edit", "lens"}, {"rig", scene::rigNames[i]}});
        });
        action->setCheckable(true);
        group->addAction(action);
        const auto check = [this, action, i] {
            action->setChecked(m_session.scene()->camera.rig == static_cast<scene::Rig>(i));
        };
        connect(&m_session.document, &Document::sceneChanged, action, check);
        check();
    }
    QAction* loop =
        c.add(menu, "loops", tr("Loop"), {}, tr("The end of the scene should meet its beginning"), [this] {
            m_session.document.apply({{"edit", "settings"}, {"loop", !m_session.scene()->output.loop}});
        });
    loop->setCheckable(true);
    connect(&m_session.document, &Document::sceneChanged, loop,
            [this, loop] { loop->setChecked(m_session.scene()->output.loop); });
}

}
