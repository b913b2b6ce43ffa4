#include "desk/commands/camera_commands.h"

#include "desk/camera/camera_view.h"
#include "desk/dialogs/move_dialogs.h"
#include "desk/time/marks_strip.h"
#include "interaction/pace_edits.h"
#include "motion/walking.h"
#include "optics/view.h"
#include "scene/scene_json.h"

namespace stage::desk {

CameraCommands::CameraCommands(const CommandContext& context, QMenu* menu) : CommandGroup(context) {
    addMarks(menu);
    menu->addSeparator();
    addMoves(menu);
    addMarkOrder(menu);
    addWalking(menu);
    addAims(menu->addMenu(tr("Aim")));
    add(menu, "hand-held", tr("Hand-held…"), "", tr("Lets the camera sway a little"), [this] {
        if (const auto edit = askHandHeld(m_window, *m_session.scene(), previewer())) apply(*edit);
    });
    menu->addSeparator();
    addTools(menu);
}

std::function<void()> CameraCommands::atMark(std::function<void(int)> act) {
    return [this, act = std::move(act)] {
        if (const int mark = m_session.camera.markHere(); mark >= 0)
            act(mark);
        else
            say(tr("The playhead stands on no mark."));
    };
}

std::int64_t CameraCommands::firstSelected() const {
    return m_session.selection.layers().empty() ? 0 : m_session.selection.layers().front();
}

void CameraCommands::addMarks(QMenu* menu) {
    add(menu, "set-mark", tr("Set mark"), "K", {}, [this] { setMark(); });
    add(menu, "remove-mark", tr("Remove this mark"), "Shift+Del", {}, atMark([this](int mark) {
            apply({{"edit", "remove-mark"}, {"mark", mark + 1}});
        }));
    add(menu, "back-to-move", tr("Go back to the move"), "Ctrl+B", {},
        [this] { m_session.camera.backToMove(); });
}

void CameraCommands::addMoves(QMenu* menu) {
    add(menu, "ready-move", tr("Make a move…"), "Ctrl+M",
        tr("Push in, arc, dolly zoom and others, as marks from the playhead on"), [this] {
            if (const auto edit = askReadyMove(m_window, *m_session.scene(), m_session.playhead.time(),
                                               firstSelected(), previewer()))
                apply(*edit);
        });
    add(menu, "lens-refit", tr("Another lens, same picture…"), "",
        tr("Another focal length, while what is seen stays: the camera steps back, or the layers are "
           "resized"),
        [this] {
            if (const auto edit = askLens(m_window, *m_session.scene(), m_session.camera.pose().focal,
                                          firstSelected(), previewer()))
                apply(*edit);
        });
    add(menu, "hold-mark", tr("Stay at this mark…"), "", tr("What comes later is put off"),
        atMark([this](int mark) { stayAt(mark); }));
    add(menu, "corner", tr("Corner or curve at this mark"), "",
        tr("A corner: the path runs straight to it and on from it"), atMark([this](int mark) {
            const bool corner = m_session.scene()->camera.marks[static_cast<std::size_t>(mark)].corner;
            apply({{"edit", "mark"}, {"mark", mark + 1}, {"corner", !corner}});
        }));
    add(menu, "retime", tr("Retime the move…"), "",
        tr("From its first mark on, with what is keyed on the camera"), [this] { retime(); });
    add(menu, "whole-pace", tr("One pace over the whole move"), "",
        tr("The speed need not stop at each mark; the marks' own times then follow from the path"),
        [this] { switchWholePace(); });
}

void CameraCommands::addMarkOrder(QMenu* menu) {
    add(menu, "copy-mark", tr("Copy this mark to…"), "", tr("Another one with the same pose, at a time"),
        atMark([this](int mark) { copyMark(mark); }));
    const QString tip = tr("Poses change places; the times of the move stay");
    add(menu, "mark-earlier", tr("This mark comes earlier"), "", tip,
        atMark([this](int mark) { reorder(mark, -1); }));
    add(menu, "mark-later", tr("This mark comes later"), "", tip,
        atMark([this](int mark) { reorder(mark, 1); }));
}

void CameraCommands::addWalking(QMenu* menu) {
    add(menu, "walk-by", tr("Walk by…"), "Shift+W", tr("Truck, pedestal, dolly, pan, tilt, roll in numbers"),
        [this] {
            if (const auto step = askStep(m_window)) {
                m_session.camera.walk(motion::stepped(m_session.camera.pose(), *step));
                m_session.camera.endWalk();
            }
        });
    add(menu, "pull-focus", tr("Pull focus by clicks"), "Ctrl+Shift+P",
        tr("Click what is sharp at this mark, then what is sharp at the next one; it is followed where it "
           "moves"),
        [this] { m_views.camera->startPull(); });
}

void CameraCommands::addAims(QMenu* menu) {
    const auto aimAt = [this](const edit::Edit& at) { apply({{"edit", "mark"}, {"aim", at}}); };
    add(menu, "aim-layer", tr("At the selected layer"), "",
        tr("All along the move, also where the layer moves"), [this, aimAt] {
            if (firstSelected() == 0)
                say(tr("Select the layer to aim at."));
            else
                aimAt({{"layer", firstSelected()}});
        });
    add(menu, "aim-point", tr("At the point in focus"), "",
        tr("At what lies on the axis at the distance of the focus; drag it in Plan, Section or Model"),
        [this, aimAt] {
            const scene::Pose pose = m_session.camera.pose();
            aimAt({{"point",
                    scene::toJson(pose.position + optics::forwardOf(pose.pan, pose.tilt) * pose.focus)}});
        });
    add(menu, "aim-path", tr("Along the path"), "", {}, [aimAt] { aimAt("path"); });
    add(menu, "aim-pose", tr("As the marks are turned"), "", {}, [aimAt] { aimAt("pose"); });
}

void CameraCommands::addTools(QMenu* menu) {
    const auto tool = [&](const char* name, const QString& text, const char* keys, CameraView::Tool which) {
        add(menu, name, text, keys, {}, [this, which] {
            m_views.camera->setTool(which);
            if (which == CameraView::Tool::Walk) m_views.camera->setFocus();
        });
    };
    tool("tool-move", tr("Move tool"), "M", CameraView::Tool::Move);
    tool("tool-push", tr("Push tool"), "P", CameraView::Tool::Push);
    tool("tool-turn", tr("Turn tool"), "T", CameraView::Tool::Turn);
    tool("tool-walk", tr("Walk camera"), "W", CameraView::Tool::Walk);
    add(menu, "hold-framing", tr("Hold framing"), "H", {},
        [this] { m_session.setHoldFraming(!m_session.holdFraming()); });
}

void CameraCommands::setMark() {
    if (const int mark = m_session.camera.markHere(); mark >= 0 && !m_session.camera.offHere())
        return say(tr("Mark %1 is here already; walking the camera here changes it.").arg(mark + 1));
    m_session.camera.setMarkHere();
}

void CameraCommands::stayAt(int mark) {
    if (const auto seconds = askSeconds(m_window, tr("Stay at this mark"), tr("Stay for"), 1,
                                        tr("Seconds; what comes later is put off by as much")))
        apply({{"edit", "hold-mark"}, {"mark", mark + 1}, {"seconds", Rational::nearest(*seconds).text()}});
}

void CameraCommands::copyMark(int mark) {
    const double now = scene::lastTime(*m_session.scene()).toDouble();
    if (const auto seconds = askSeconds(m_window, tr("Copy the mark"), tr("To"), now,
                                        tr("Seconds from the start of the scene")))
        apply({{"edit", "copy-mark"}, {"mark", mark + 1}, {"time", Rational::nearest(*seconds).text()}});
}

void CameraCommands::reorder(int mark, int by) {
    const int to = mark + by;
    if (to < 0 || to >= static_cast<int>(m_session.scene()->camera.marks.size())) return;
    if (apply({{"edit", "reorder-mark"}, {"mark", mark + 1}, {"to", to + 1}}))
        m_session.playhead.setFrame(
            frameAt(m_session.scene()->camera.marks[static_cast<std::size_t>(to)].time,
                    m_session.scene()->output.rate));
}

void CameraCommands::retime() {
    const auto& marks = m_session.scene()->camera.marks;
    const double now = (marks.back().time - marks.front().time).toDouble();
    if (const auto seconds = askSeconds(m_window, tr("Retime the move"), tr("Takes"), now,
                                        tr("Seconds from the first mark to the last")))
        apply({{"edit", "retime"}, {"seconds", Rational::nearest(*seconds).text()}});
}

void CameraCommands::switchWholePace() {
    const bool off = m_session.scene()->camera.pace.has_value();
    if (apply(interaction::wholePaceEdit(*m_session.scene(), m_session.playhead.time().toDouble(), !off)))
        say(off ? tr("Each move has its own pace.") : tr("One pace runs over the whole move."));
}

void CameraCommands::showMarkMenu(const QPoint& global, int mark) {
    QMenu menu(m_window);
    menu.setToolTipsVisible(true);
    menu.addAction(tr("Rename…"), m_views.marks, [this, mark] { m_views.marks->rename(mark); });
    offer(menu, {"copy-mark", "hold-mark", "corner", "mark-earlier", "mark-later"});
    offer(menu, {"remove-mark"});
    menu.exec(global);
}

}
