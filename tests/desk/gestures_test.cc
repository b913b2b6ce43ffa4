// Each gesture of the desk and what it does to the scene.
#include "desk/kit/number_field.h"
#include "desk/set/draft_view.h"
#include "desk/set/ladder.h"
#include "desk/time/marks_strip.h"
#include "desk/time/timeline.h"
#include "edit/journal.h"
#include "optics/lens.h"
#include "optics/placing.h"
#include "scene/scene_json.h"
#include "staged_fixture.h"

#include <QComboBox>
#include <QPushButton>
#include <QToolButton>
#include <QTreeWidget>

namespace stage::desk {
namespace {

TEST_F(Staged, ClickSelectsWhatIsSeenThere) {
    QTest::mouseClick(window.views().camera, Qt::LeftButton, Qt::NoModifier, inCamera(96, 54).toPoint());
    EXPECT_EQ(session().selection.layers(), std::vector{front});
    QTest::mouseClick(window.views().camera, Qt::LeftButton, Qt::NoModifier,
                      inCamera(20, 20).toPoint()); // through its transparent part
    EXPECT_EQ(session().selection.layers(), std::vector{back});
    QTest::mouseClick(window.views().camera, Qt::LeftButton, Qt::ControlModifier, inCamera(96, 54).toPoint());
    EXPECT_EQ(session().selection.layers(), (std::vector{back, front}));
}

TEST_F(Staged, SlidingKeepsThePointUnderTheHand) {
    const V3d before = scene().layers[1]->placement.position;
    drag(window.views().camera, inCamera(96, 54), inCamera(116, 44));
    const V3d by = scene().layers[1]->placement.position - before;
    // 20 px of 192 at the home depth of 10 m
    const double perPixel = optics::widthAt(10, 35, 36) / 192;
    EXPECT_NEAR(by.x, 20 * perPixel, perPixel * 0.5);
    EXPECT_NEAR(by.y, 10 * perPixel, perPixel * 0.5);
    EXPECT_NEAR(by.z, 0, 1e-12);
    EXPECT_EQ(session().document.history().undoName(),
              "Slide front"); // one step, whatever the number of events
    session().document.undo();
    EXPECT_EQ(scene().layers[1]->placement.position, before);
}

TEST_F(Staged, ShiftSlidesAlongOneEdge) {
    const V3d before = scene().layers[1]->placement.position;
    drag(window.views().camera, inCamera(96, 54), inCamera(126, 48), Qt::ShiftModifier);
    EXPECT_NEAR(scene().layers[1]->placement.position.y, before.y, 1e-12);
}

TEST_F(Staged, EscapeDropsADrag) {
    const auto before = scene::toJson(scene());
    drag(window.views().camera, inCamera(96, 54), inCamera(120, 60), Qt::NoModifier, false);
    EXPECT_NE(scene::toJson(scene()), before);
    QTest::keyClick(window.views().camera, Qt::Key_Escape);
    EXPECT_EQ(scene::toJson(scene()), before);
    EXPECT_EQ(session().document.history().undoName(), "Push back");
}

TEST_F(Staged, BarsAndRungsPushWithOrWithoutFraming) {
    Rungs& plan = window.views().ladder->rungs();
    const QPointF bar = window.views().plan->barMiddle(front) + QPointF(14, 0);
    drag(window.views().plan, bar, {bar.x(), window.views().plan->placeOfDepth(6).y()});
    EXPECT_EQ(session().selection.layers(), std::vector{front});
    EXPECT_NEAR(depth(front), 6, 0.3);
    EXPECT_NEAR(scene().layers[1]->placement.scale.x, depth(front) / 10, 1e-9);
    // and at constant size with the switch off
    auto* hold = window.findChild<QToolButton*>(QStringLiteral("holdFraming"));
    QTest::mouseClick(hold, Qt::LeftButton);
    const double scale = scene().layers[1]->placement.scale.x, was = depth(front);
    const QRectF rung = plan.rungRect(front);
    drag(&plan, rung.center(), rung.center() - QPointF(0, 30));
    EXPECT_GT(depth(front), was + 0.2);
    EXPECT_EQ(scene().layers[1]->placement.scale.x, scale);
}

TEST_F(Staged, SeveralLayersKeepTheirDistance) {
    session().selection.select({back, front});
    Rungs& plan = window.views().ladder->rungs();
    const QRectF rung = plan.rungRect(front);
    drag(&plan, rung.center(), rung.center() + QPointF(0, 25));
    EXPECT_LT(depth(front), 9.9);
    EXPECT_NEAR(depth(back) - depth(front), 14, 1e-9);
    EXPECT_EQ(session().document.history().undoName(), "Push 2 layers");
}

TEST_F(Staged, PushToolAndArrowKeys) {
    QTest::keyClick(&window, Qt::Key_P);
    EXPECT_EQ(window.views().camera->tool(), CameraView::Tool::Push);
    drag(window.views().camera, inCamera(96, 54), inCamera(96, 54) - QPointF(0, 60));
    EXPECT_NEAR(depth(front), 10 * std::exp(60 / 180.0), 0.2);
    const double was = depth(front);
    window.views().plan->setFocus();
    QTest::keyClick(window.views().plan, Qt::Key_Up);
    EXPECT_NEAR(depth(front), was + 0.1, 1e-9);
    QTest::keyClick(window.views().plan, Qt::Key_Down, Qt::ShiftModifier);
    EXPECT_NEAR(depth(front), was - 0.9, 1e-9);
}

TEST_F(Staged, DetailsTakeArithmeticAndUnits) {
    session().selection.select({front});
    type("Depth", "12.5m - 50cm");
    EXPECT_NEAR(depth(front), 12, 1e-9);
    type("Across", "-30cm");
    EXPECT_NEAR(scene().layers[1]->placement.position.x, -0.3, 1e-9);
    type("Width", "3");
    EXPECT_NEAR(scene().layers[1]->size().x, 3, 1e-9);
    type("Turn", "180/4");
    EXPECT_NEAR(scene().layers[1]->placement.turn.y, 45, 1e-9);
    type("Opacity", "70");
    EXPECT_NEAR(scene().layers[1]->opacity, 0.7, 1e-9);
    type("Depth", "far away");
    EXPECT_TRUE(field("Depth")->property("wrong").toBool());
    EXPECT_NEAR(depth(front), 12, 1e-9);
}

TEST_F(Staged, LensFieldsAgree) {
    type("Focal length", "50");
    EXPECT_NEAR(scene().camera.marks[0].pose.focal, 50, 1e-12);
    EXPECT_TRUE(field("Angle of view")->text().startsWith(QStringLiteral("39.6")));
    type("Angle of view", "65");
    EXPECT_NEAR(scene().camera.marks[0].pose.focal, 28.254, 1e-3);
}

TEST_F(Staged, WalkingOnAMarkChangesTheMark) {
    QTest::keyClick(&window, Qt::Key_W);
    drag(window.views().camera, inCamera(96, 54),
         inCamera(76, 54)); // looks to the right: what was right comes in
    ASSERT_EQ(scene().camera.marks.size(), 1u);
    const double pan = scene().camera.marks[0].pose.pan;
    EXPECT_NEAR(pan, degrees(std::atan(20 / (35 / 36.0 * 192))), 0.6);
    EXPECT_FALSE(session().camera.offMove());
    drag(window.views().camera, inCamera(96, 54), inCamera(96, 64), Qt::ShiftModifier);
    EXPECT_GT(scene().camera.marks[0].pose.position.y, 0.1); // the picture goes down as the camera goes up
    const double z = scene().camera.marks[0].pose.position.z;
    QTest::keyClick(window.views().camera, Qt::Key_Up);
    // A row of presses is one step, which ends by itself.
    EXPECT_TRUE(QTest::qWaitFor([&] { return session().document.history().undoName() == "Set mark"; }));
    EXPECT_LT(scene().camera.marks[0].pose.position.z, z);
}

TEST_F(Staged, WalkingBetweenMarksKeysNothingAndLosesNothing) {
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", "5"}, {"position", {1, 0, 0}}}));
    const auto before = scene::toJson(scene());
    session().playhead.setFrame(48);
    QTest::keyClick(&window, Qt::Key_W);
    drag(window.views().camera, inCamera(96, 54), inCamera(96, 60));
    ASSERT_TRUE(session().camera.offMove());
    EXPECT_EQ(scene::toJson(scene()), before);
    const double tilt = session().camera.pose().tilt;
    EXPECT_NE(tilt, 0);
    auto* set = window.findChild<QPushButton*>(QStringLiteral("bannerSet"));
    auto* backButton = window.findChild<QPushButton*>(QStringLiteral("bannerBack"));
    EXPECT_TRUE(set->isVisible());
    // elsewhere in time the move is seen, and the pose waits
    session().playhead.setFrame(60);
    EXPECT_EQ(session().camera.pose().tilt, 0);
    EXPECT_TRUE(set->isVisible());
    QTest::mouseClick(set, Qt::LeftButton); // "Show it"
    EXPECT_EQ(session().playhead.frame(), 48);
    EXPECT_EQ(session().camera.pose().tilt, tilt);
    QTest::mouseClick(backButton, Qt::LeftButton);
    EXPECT_EQ(session().camera.pose().tilt, 0);
    EXPECT_FALSE(set->isVisible());
    EXPECT_EQ(scene::toJson(scene()), before);
}

TEST_F(Staged, MarksAreDraggedInTimeAndInThePlan) {
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", "5"}, {"position", {1, 0, 0}}}));
    Timeline& timeline = *window.views().timeline;
    const double y = timeline.map().rowRect(0).center().y();
    drag(&timeline, {timeline.map().xOfFrame(120), y}, {timeline.map().xOfFrame(60), y});
    EXPECT_EQ(scene().camera.marks[1].time, Rational(60, 24));
    EXPECT_EQ(session().playhead.frame(), 60);
    // scrub
    drag(&timeline, {timeline.map().xOfFrame(60), 10}, {timeline.map().xOfFrame(100), 10});
    EXPECT_EQ(session().playhead.frame(), 100);
    // in the strip
    auto* strip = window.findChild<MarksStrip*>();
    QTest::mouseClick(strip, Qt::LeftButton, Qt::NoModifier, strip->cardRect(1).center().toPoint());
    EXPECT_EQ(session().playhead.frame(), 60);
    EXPECT_EQ(session().camera.markHere(), 1);
    QTest::keyClick(&window, Qt::Key_Delete, Qt::ShiftModifier);
    EXPECT_EQ(scene().camera.marks.size(), 1u);
}

TEST_F(Staged, LayersAreHiddenRenamedAndRemoved) {
    Timeline& timeline = *window.views().timeline;
    QTest::mouseClick(&timeline, Qt::LeftButton, Qt::NoModifier,
                      QPoint(16, static_cast<int>(timeline.map().rowOf(scene().layers[1]->id).center().y())));
    EXPECT_FALSE(scene().layers[1]->visible); // the first row is the topmost layer
    QTest::mouseClick(&timeline, Qt::LeftButton, Qt::NoModifier,
                      QPoint(80, static_cast<int>(timeline.map().rowOf(back).center().y())));
    EXPECT_EQ(session().selection.layers(), std::vector{back});
    QTest::keyClick(&window, Qt::Key_Delete);
    EXPECT_EQ(scene().layers.size(), 1u);
    QTest::keyClick(&window, Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(scene().layers.size(), 2u);
}

TEST_F(Staged, BrokenFilesLeaveTheSceneAlone) {
    const auto before = scene::toJson(scene());
    test::writeAll(dir / "bad.png", "no picture");
    QSignalSpy problems(&session(), &Session::problem);
    EXPECT_FALSE(drop({"bad.png"}));
    test::writeAll(dir / "bad.ostage", "{\"format\":");
    EXPECT_FALSE(window.scenes().open(dir / "bad.ostage"));
    EXPECT_EQ(scene::toJson(scene()), before);
}

TEST_F(Staged, EveryStepIsInTheJournalBeforeItIsSaved) {
    ASSERT_TRUE(session().document.save(dir / "s.ostage"));
    drag(&window.views().ladder->rungs(), window.views().ladder->rungs().rungRect(front).center(),
         window.views().ladder->rungs().rungRect(front).center() + QPointF(0, 20));
    ASSERT_TRUE(session().document.modified());
    // as another process would find it after a crash: the file is there, copied so that its owner does not
    // count
    std::filesystem::copy_file(edit::journalOf(dir / "s.ostage"), dir / "copy");
    const auto recovered = edit::recover(dir / "copy");
    ASSERT_TRUE(recovered);
    EXPECT_EQ(scene::toJson(*recovered->history.scene()), scene::toJson(scene()));
    // what is recovered is not saved yet, and is journalled anew at once
    session().document.adopt(*recovered);
    EXPECT_TRUE(session().document.modified());
    std::filesystem::copy_file(edit::journalOf(dir / "s.ostage"), dir / "copy2");
    EXPECT_TRUE(edit::recover(dir / "copy2"));
    ASSERT_TRUE(session().document.save(dir / "s.ostage"));
    EXPECT_FALSE(session().document.modified());
    session().document.close();
    EXPECT_FALSE(std::filesystem::exists(edit::journalOf(dir / "s.ostage")));
}

TEST_F(Staged, CancelledWritingLeavesNothingHalf) {
    test::writePicture(dir / "big.png", {1800, 1000}, [](int x, int y) {
        return Rgba8{x % 256, y % 256, (x * y) % 256};
    });
    ASSERT_TRUE(drop({"big.png"}));
    QSignalSpy written(&window.writer(), &OutputWriter::written);
    output::Job job = output::wholeScene(scene(), dir / "a.mp4", output::Format::H264);
    job.size = {1920, 1080};
    window.writer().write(job);
    window.writer().showQueue();
    auto* queue = window.findChild<QDialog*>(QStringLiteral("queueWindow"));
    ASSERT_TRUE(queue);
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            const auto& jobs = window.writer().queue().jobs();
            return !jobs.empty() && jobs.back().job.path.filename() == "a.mp4" &&
                   jobs.back().state == output::QueuedJob::State::Running;
        },
        20000));
    // The desk goes on living meanwhile.
    ASSERT_TRUE(session().document.apply({{"edit", "add-card"}}));
    auto* list = queue->findChild<QTreeWidget*>(QStringLiteral("queueList"));
    list->setCurrentItem(list->topLevelItem(list->topLevelItemCount() - 1));
    auto* cancel = queue->findChild<QPushButton*>(QStringLiteral("queueCancel"));
    ASSERT_TRUE(cancel->isEnabled());
    QTest::mouseClick(cancel, Qt::LeftButton);
    ASSERT_TRUE(!written.isEmpty() || written.wait(20000));
    EXPECT_FALSE(written.at(0).at(0).toBool());
    for (const auto& entry : std::filesystem::directory_iterator(dir.path()))
        EXPECT_EQ(entry.path().filename().string().find("a.mp4"), std::string::npos) << entry.path();
}

}
}
