// The whole of a move by hand in the real window: marks set by walking, a mark dragged in time, the path
// bent, the pace changed, focus pulled, played, and all of it undone step by step.
#include "desk/camera/camera_handle_drag.h"
#include "desk/set/draft_view.h"
#include "desk/set/model_view.h"
#include "desk/time/pace_view.h"
#include "desk/time/timeline.h"
#include "scene/scene_json.h"
#include "staged_fixture.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QStatusBar>

namespace stage::desk {
namespace {

using Kind = CameraHandle::Kind;

class Choreography : public Staged {
protected:
    CameraView& camera() { return *window.views().camera; }
    DraftView& plan() { return *window.views().plan; }
    Timeline& timeline() { return *window.views().timeline; }
    const std::vector<scene::Mark>& marks() { return scene().camera.marks; }
    QPointF middle() { return camera().frameRect().center(); }
    void walk(interaction::WalkMode how, QPointF by, Qt::KeyboardModifiers keys = Qt::NoModifier) {
        camera().setTool(CameraView::Tool::Walk);
        camera().walking().setMode(how);
        drag(&camera(), middle(), middle() + by, keys);
    }
    void twoMarks() {
        ASSERT_TRUE(
            session().document.apply({{"edit", "set-mark"}, {"time", 4}, {"position", {1, 1.5, -4}}}));
        session().playhead.setFrame(0);
    }
};

TEST_F(Choreography, ThreeMarksByWalkingThenBentPacedPulledPlayedAndUndone) {
    const auto before = scene::toJson(scene());
    const std::size_t steps = session().document.history().step();

    // Between marks: a banner, and nothing is kept until a mark is set.
    session().playhead.setFrame(48);
    walk(interaction::WalkMode::Dolly, {0, -60});
    ASSERT_TRUE(session().camera.offMove());
    EXPECT_EQ(scene::toJson(scene()), before);
    EXPECT_LT(session().camera.pose().position.z, -0.2);
    QTest::mouseClick(camera().findChild<QPushButton*>(QStringLiteral("bannerSet")), Qt::LeftButton);
    ASSERT_EQ(marks().size(), 2u);
    EXPECT_FALSE(session().camera.offMove());

    session().playhead.setFrame(120);
    walk(interaction::WalkMode::Slide, {-90, 30});
    QTest::keyClick(&camera(), Qt::Key_K);
    ASSERT_EQ(marks().size(), 3u);
    EXPECT_GT(marks()[2].pose.position.x, marks()[1].pose.position.x + 0.2);

    // On a mark, walking changes that mark.
    const scene::Pose third = marks()[2].pose;
    walk(interaction::WalkMode::Look, {50, 0});
    EXPECT_LT(marks()[2].pose.pan, third.pan - 1);
    EXPECT_EQ(marks()[2].pose.position, third.position);

    // In time, by its T.
    const double y = timeline().map().rowRect(0).center().y();
    drag(&timeline(), {timeline().map().xOfFrame(48), y}, {timeline().map().xOfFrame(72), y});
    EXPECT_EQ(marks()[1].time, Rational(3));

    // In space, and the path by its handle: what was a straight run bends.
    session().playhead.setFrame(72);
    const QPointF mark = *plan().placeOf(Kind::Mark, 1);
    drag(&plan(), mark, mark + QPointF(20, -6));
    const scene::Pose second = marks()[1].pose;
    EXPECT_GT(second.position.x, 0.05);
    ASSERT_TRUE(plan().placeOf(Kind::Leaving, 1));
    const QPointF handle = *plan().placeOf(Kind::Leaving, 1);
    const double length = session().move().length(1);
    drag(&plan(), handle, handle + QPointF(24, 8));
    ASSERT_TRUE(marks()[1].leaving);
    ASSERT_TRUE(marks()[1].arriving); // straight through the mark
    EXPECT_NEAR((marks()[1].leaving->normalized() + marks()[1].arriving->normalized()).length(), 0, 1e-9);
    EXPECT_NE(session().move().length(1), length);

    // The pace, by its box beside the paper.
    session().playhead.setFrame(80);
    auto* pace = window.views().pace->findChild<QComboBox*>(QStringLiteral("paceOf"));
    pace->setCurrentIndex(3);
    Q_EMIT pace->activated(3);
    EXPECT_EQ(marks()[1].pace, scene::namedPaces[3].pace);
    EXPECT_NEAR(session().move().speed(3.0001), 0, 0.02);

    // A focus pull: one layer at the first mark, another at the last.
    session().playhead.setFrame(0);
    session().selection.select({front});
    run("focus-here");
    session().playhead.setFrame(120);
    session().selection.select({back});
    run("focus-here");
    EXPECT_EQ(marks()[0].focusOn, front);
    EXPECT_EQ(marks()[2].focusOn, back);
    EXPECT_GT(session().move().at(5).focus, session().move().at(0).focus + 5);

    // Played, frames come; nothing of the scene changes by it.
    const auto made = scene::toJson(scene());
    session().playhead.setFrame(0);
    timeline().setPlaying(true);
    EXPECT_TRUE(QTest::qWaitFor([&] { return session().playhead.frame() > 5; }, 20000));
    timeline().setPlaying(false);
    EXPECT_EQ(scene::toJson(scene()), made);

    // Step by step back to the begin, and again to the end.
    std::size_t undone = 0;
    while (session().document.history().step() > steps) {
        session().document.undo();
        ++undone;
    }
    EXPECT_EQ(undone, 9u); // two marks, a look, a time, a place, a bend, a pace, two focuses
    EXPECT_EQ(scene::toJson(scene()), before);
    while (session().document.history().canRedo())
        session().document.redo();
    EXPECT_EQ(scene::toJson(scene()), made);
}

TEST_F(Choreography, EveryWalkDoesItsOwn) {
    const auto walked = [&](interaction::WalkMode how, QPointF by,
                            Qt::KeyboardModifiers keys = Qt::NoModifier) {
        walk(how, by, keys);
        const scene::Pose pose = marks()[0].pose;
        session().document.undo();
        return pose;
    };
    const scene::Pose from = marks()[0].pose;
    const scene::Pose looked = walked(interaction::WalkMode::Look, {60, 40});
    EXPECT_EQ(looked.position, from.position);
    EXPECT_LT(looked.pan, from.pan - 1);
    EXPECT_GT(looked.tilt, from.tilt + 1);
    const scene::Pose slid = walked(interaction::WalkMode::Slide, {60, 40});
    EXPECT_EQ(slid.pan, from.pan);
    EXPECT_LT(slid.position.x, from.position.x);
    EXPECT_GT(slid.position.y, from.position.y);
    const scene::Pose nearer = walked(interaction::WalkMode::Dolly, {0, -60});
    EXPECT_LT(nearer.position.z, from.position.z);
    EXPECT_EQ(nearer.position.x, from.position.x);
    const scene::Pose around = walked(interaction::WalkMode::Orbit, {80, 0});
    EXPECT_NE(around.position.x, from.position.x);
    EXPECT_NE(around.pan, from.pan);
    const scene::Pose zoomed = walked(interaction::WalkMode::Zoom, {0, -60});
    EXPECT_GT(zoomed.focal, from.focal * 1.1);
    EXPECT_EQ(zoomed.position, from.position);
    const scene::Pose both = walked(interaction::WalkMode::DollyZoom, {0, -60});
    EXPECT_LT(both.focal, from.focal);
    EXPECT_LT(both.position.z, from.position.z);
    camera().walking().setMode(interaction::WalkMode::Roll);
    drag(&camera(), middle() + QPointF(80, 0), middle() + QPointF(0, 80));
    EXPECT_NEAR(marks()[0].pose.roll, from.roll - 90, 2);
    session().document.undo();
    // Shift and Ctrl lend Slide and Orbit to Look.
    EXPECT_EQ(walked(interaction::WalkMode::Look, {60, 0}, Qt::ShiftModifier).pan, from.pan);
    EXPECT_NE(walked(interaction::WalkMode::Look, {60, 0}, Qt::ControlModifier).position, from.position);
}

TEST_F(Choreography, AWalkIsHeldToOneAxisByL) {
    camera().setTool(CameraView::Tool::Walk);
    camera().walking().setMode(interaction::WalkMode::Slide);
    drag(&camera(), middle(), middle() + QPointF(70, 30), Qt::NoModifier, false);
    EXPECT_NE(session().camera.pose().position.y, 0);
    const double y =
        marks().size() ? session().document.history().scene()->camera.marks[0].pose.position.y : 0;
    QTest::keyPress(&camera(), Qt::Key_L);
    EXPECT_EQ(session().camera.pose().position.y, y);
    EXPECT_NE(session().camera.pose().position.x, 0);
    QTest::keyRelease(&camera(), Qt::Key_L);
    EXPECT_NE(session().camera.pose().position.y, y);
    QTest::keyClick(&camera(), Qt::Key_Escape);
    EXPECT_EQ(session().camera.pose().position, marks()[0].pose.position);
    EXPECT_FALSE(session().document.previewing());
}

TEST_F(Choreography, AnOrbitKeepsWhatIsAimedAtInPlace) {
    session().selection.select({front});
    run("aim-layer");
    session().selection.select({});
    const auto place = [&] {
        return *optics::project(session().now().view, optics::pivotOf(session().now().find(front)));
    };
    const V2d was = place();
    walk(interaction::WalkMode::Orbit, {90, 20});
    EXPECT_NEAR((place() - was).length(), 0, 1e-6);
    EXPECT_EQ(marks()[0].aim.layer, front); // it goes on aiming
    EXPECT_GT((marks()[0].pose.position - V3d(0, 1.5, 0)).length(), 0.5);
}

TEST_F(Choreography, BodyLookAndSightLinesAreDraggedInPlan) {
    twoMarks();
    const scene::Pose from = marks()[0].pose;
    session().playhead.setFrame(48); // between marks, so that the body is not under a mark's T
    const QPointF body = *plan().placeOf(Kind::Body);
    drag(&plan(), body, body + QPointF(30, 0));
    ASSERT_TRUE(session().camera.offMove());
    EXPECT_GT(session().camera.pose().position.x, session().move().at(2).position.x + 0.2);
    EXPECT_NEAR(session().camera.pose().position.y, session().move().at(2).position.y, 1e-9);
    session().camera.backToMove();

    session().playhead.setFrame(0);
    ASSERT_TRUE(session().document.apply({{"edit", "mark"}, {"mark", 1}, {"tilt", 7}}));
    const QPointF look = *plan().placeOf(Kind::Ahead);
    drag(&plan(), look, look + QPointF(14, 0));
    EXPECT_GT(marks()[0].pose.pan, from.pan + 5);
    EXPECT_NEAR(marks()[0].pose.tilt, 7, 1e-9); // the Plan turns it about the upright only
    session().document.undo();
    session().document.undo();
    const QPointF sight = *plan().placeOf(Kind::SideRay);
    drag(&plan(), sight, sight + QPointF(20, 0));
    EXPECT_LT(marks()[0].pose.focal, from.focal - 2); // wider
    EXPECT_EQ(marks()[0].pose.position, from.position);
    EXPECT_EQ(marks()[1].pose.focal, from.focal);
    session().document.undo();
    // A lens that is shifted by a quarter of its gate sees farther to the right.
    const QPointF straight = *plan().placeOf(Kind::SideRay), eye = plan().placeOf(marks()[0].pose.position);
    const double gate = session().scene()->camera.gate;
    ASSERT_TRUE(session().document.apply({{"edit", "lens"}, {"shift", {gate / 4, 0}}}));
    const QPointF shifted = *plan().placeOf(Kind::SideRay);
    const auto slopeOf = [&](const QPointF& at) { return (at.x() - eye.x()) / (eye.y() - at.y()); };
    EXPECT_NEAR(slopeOf(shifted) / slopeOf(straight), 1.5, 0.02);
}

TEST_F(Choreography, AMarkIsSetOnThePathAndAHandleLetGo) {
    twoMarks();
    const V3d on = session().move().point(0, 0.5);
    QTest::mouseDClick(&plan(), Qt::LeftButton, Qt::NoModifier, plan().placeOf(on).toPoint());
    ASSERT_EQ(marks().size(), 3u);
    EXPECT_NEAR((marks()[1].pose.position - on).length(), 0, 0.2);
    ASSERT_EQ(session().camera.markHere(), 1);
    const QPointF handle = *plan().placeOf(Kind::Arriving, 1);
    drag(&plan(), handle, handle + QPointF(15, 3), Qt::ControlModifier);
    EXPECT_TRUE(marks()[1].arriving);
    EXPECT_FALSE(marks()[1].leaving); // with Ctrl on its own
    QTest::mouseDClick(&plan(), Qt::LeftButton, Qt::NoModifier, plan().placeOf(Kind::Arriving, 1)->toPoint());
    EXPECT_FALSE(marks()[1].arriving);
}

TEST_F(Choreography, TheModelMovesMarksAlongTheLevelAndUp) {
    twoMarks();
    window.views().panes->reveal(Panes::View::Model);
    ModelView& model = *window.views().model;
    QApplication::processEvents();
    const V3d from = marks()[1].pose.position;
    const QPointF at = *model.placeOf(from);
    drag(&model, at, at + QPointF(25, 10));
    EXPECT_NE(marks()[1].pose.position.x, from.x);
    EXPECT_NEAR(marks()[1].pose.position.y, from.y, 1e-9);
    const V3d level = marks()[1].pose.position;
    const QPointF there = *model.placeOf(level);
    drag(&model, there, there + QPointF(0, -20), Qt::ShiftModifier);
    EXPECT_GT(marks()[1].pose.position.y, level.y + 0.05);
    EXPECT_NEAR(marks()[1].pose.position.x, level.x, 1e-9);
}

TEST_F(Choreography, ThePaceIsDrawnByHand) {
    twoMarks();
    PacePaper& paper = window.views().pace->paper();
    const double even = session().move().speed(2);
    // Down to nothing in the middle of the way.
    drag(&paper, paper.placeOf(1.0, even), paper.placeOf(2.0, 0));
    ASSERT_FALSE(marks()[0].pace.drawn.empty());
    EXPECT_LT(session().move().speed(2), even * 0.4);
    EXPECT_GT(session().move().speed(3.5), even); // the way is as long as it was
    EXPECT_NEAR((session().move().at(4).position - marks()[1].pose.position).length(), 0, 1e-9);
    session().document.undo();
    EXPECT_TRUE(marks()[0].pace.drawn.empty());
    // Over the whole move, by the button beside it.
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", 5}, {"position", {3, 1.5, -4}}}));
    run("whole-pace");
    ASSERT_TRUE(scene().camera.pace);
    drag(&paper, paper.placeOf(1.0, 0.4), paper.placeOf(1.6, 0.1));
    EXPECT_FALSE(scene().camera.pace->drawn.empty());
}

TEST_F(Choreography, ARefusedDragSaysWhy) {
    twoMarks();
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", 5}, {"position", {3, 1.5, -4}}}));
    run("whole-pace");
    QSignalSpy problems(&session(), &Session::problem);
    const double y = timeline().map().rowRect(0).center().y();
    const double x = timeline().map().xOfFrame(marks()[1].time.toDouble() * 24);
    drag(&timeline(), {x, y}, {x + 60, y});
    EXPECT_FALSE(problems.isEmpty());
    EXPECT_EQ(marks().size(), 3u);
}

TEST_F(Choreography, UnderOnePaceThePlayheadStaysWithTheMarkThatIsWalked) {
    twoMarks();
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", 5}, {"position", {3, 1.5, -4}}}));
    run("whole-pace");
    session().playhead.setFrame(frameAt(marks()[1].time, scene().output.rate));
    ASSERT_EQ(session().camera.markHere(), 1);
    const Rational before = marks()[1].time;
    const scene::Pose from = marks()[1].pose;
    walk(interaction::WalkMode::Slide, {-160, 0});
    EXPECT_FALSE(session().camera.offMove());
    EXPECT_GT(marks()[1].pose.position.x, from.position.x + 0.5);
    EXPECT_NE(marks()[1].time, before); // the way is another, so it is passed at another time
    EXPECT_EQ(session().camera.markHere(), 1);
    // A mark set between others is where the playhead is then.
    session().playhead.setFrame(10);
    walk(interaction::WalkMode::Slide, {120, 40});
    ASSERT_TRUE(session().camera.offMove());
    QTest::keyClick(&camera(), Qt::Key_K);
    ASSERT_EQ(marks().size(), 4u);
    EXPECT_EQ(session().camera.markHere(), 1);
}

TEST_F(Choreography, ThePaceThatIsChosenIsThatWhichRuns) {
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", 2}, {"position", {1, 1.5, 0}}}));
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", 4}, {"position", {2, 1.5, -1}}}));
    ASSERT_TRUE(session().document.apply({{"edit", "pace"}, {"mark", 2}, {"pace", "soft start"}}));
    session().selection.select({});
    session().playhead.setFrame(60);
    const auto boxes = window.findChildren<PaceChoice*>(); // beside the paper, and in the details
    ASSERT_EQ(boxes.size(), 2);
    const auto choose = [](PaceChoice* box, const char* name) {
        box->setCurrentIndex(box->findText(QLatin1String(name)));
        Q_EMIT box->activated(box->currentIndex());
    };
    for (PaceChoice* box : boxes) {
        EXPECT_EQ(box->currentText(), QStringLiteral("soft start"));
        choose(box, "soft stop");
        EXPECT_EQ(paceName(scene().camera.marks[1].pace), QStringLiteral("soft stop"));
        session().document.undo();
    }
    run("whole-pace"); // that of the playhead's move
    ASSERT_TRUE(scene().camera.pace);
    EXPECT_EQ(paceName(*scene().camera.pace), QStringLiteral("soft start"));
    const scene::Pace each = scene().camera.marks[1].pace;
    for (PaceChoice* box : boxes) {
        choose(box, "even");
        EXPECT_EQ(paceName(*scene().camera.pace), QStringLiteral("even"));
        EXPECT_EQ(scene().camera.marks[1].pace, each);
        session().document.undo();
    }
    run("whole-pace");
    EXPECT_FALSE(scene().camera.pace);
}

TEST_F(Choreography, OnAMarkSettingOneSaysThatItIsThere) {
    session().playhead.setFrame(0);
    const auto before = session().document.history().step();
    run("set-mark");
    EXPECT_EQ(session().document.history().step(), before);
    bool said = false;
    for (const QLabel* label : window.statusBar()->findChildren<QLabel*>())
        said = said || label->text().contains(QStringLiteral("Mark 1 is here already"));
    EXPECT_TRUE(said);
}

TEST_F(Choreography, FocusIsPulledByAClickOnEach) {
    twoMarks();
    run("pull-focus");
    ASSERT_TRUE(camera().pulling());
    QTest::mouseClick(&camera(), Qt::LeftButton, Qt::NoModifier, inCamera(96, 54).toPoint());
    EXPECT_EQ(marks()[0].focusOn, front);
    EXPECT_EQ(session().camera.markHere(), 1); // on to the next
    QTest::mouseClick(&camera(), Qt::LeftButton, Qt::NoModifier, inCamera(20, 20).toPoint());
    EXPECT_EQ(marks()[1].focusOn, back);
    EXPECT_FALSE(camera().pulling());
    EXPECT_LT(session().move().at(0).focus, session().move().at(4).focus - 5);
    run("pull-focus");
    QTest::keyClick(&camera(), Qt::Key_Escape);
    EXPECT_FALSE(camera().pulling());
}

}
}
