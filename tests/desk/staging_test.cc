// Staging by hand: views, handles, catching, the ladder and the list, commands. Each gesture is made with the
// mouse or the keyboard on the real widgets; the scene says what came of it.
#include "desk/cutting/cut_view.h"
#include "desk/kit/panes.h"
#include "desk/look/points.h"
#include "desk/set/draft_view.h"
#include "desk/set/ladder.h"
#include "desk/set/layer_list.h"
#include "desk/set/model_view.h"
#include "desk/time/timeline.h"
#include "motion/measure.h"
#include "scene/scene_json.h"
#include "staged_fixture.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileSystemWatcher>
#include <QKeySequenceEdit>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>
#include <QToolButton>

namespace stage::desk {
namespace {

class Staging : public Staged {
protected:
    motion::Measure seen(std::int64_t id) {
        return motion::measureAt(session().now(), session().now().find(id));
    }
    QPointF handle(interaction::Handle::Kind kind, double s, double t) {
        for (const auto& [each, at] : window.views().camera->handles())
            if (each.kind == kind &&
                (kind == interaction::Handle::Kind::Turn || kind == interaction::Handle::Kind::Pivot ||
                 (each.share - V2d(s, t)).length() < 1e-6))
                return at;
        ADD_FAILURE() << "no such handle";
        return {};
    }
    void wheel(QWidget* widget, QPointF at, int turns) {
        QWheelEvent event(at, widget->mapToGlobal(at), {}, {0, 120 * turns}, Qt::NoButton, Qt::NoModifier,
                          Qt::NoScrollPhase, false);
        QApplication::sendEvent(widget, &event);
    }
    Rungs& rungs() { return window.views().ladder->rungs(); }
};

// ---- views

TEST_F(Staging, LayoutsRememberTheirViews) {
    Panes& panes = *window.views().panes;
    EXPECT_EQ(panes.count(), 2);
    run("panes-4");
    EXPECT_TRUE(window.views().section->isVisible());
    EXPECT_TRUE(window.views().model->isVisible());
    run("panes-3");
    panes.show(2, Panes::View::Model);
    run("panes-1");
    EXPECT_FALSE(window.views().plan->isVisible());
    EXPECT_TRUE(window.views().camera->isVisible());
    run("panes-3");
    EXPECT_TRUE(panes.at(2) == Panes::View::Model);
    // What is shown twice changes places.
    panes.show(0, Panes::View::Plan);
    EXPECT_TRUE(panes.at(1) == Panes::View::Camera);
    panes.keep();
    MainWindow another(dir / "journals");
    EXPECT_EQ(another.views().panes->count(), 3);
    EXPECT_TRUE(another.views().panes->at(0) == Panes::View::Plan);
    run("panes-2");
    panes.show(0, Panes::View::Camera);
    panes.keep();
}

TEST_F(Staging, WhatCuttingOutHidesComesBack) {
    Panes& panes = *window.views().panes;
    panes.setCount(2);
    ASSERT_EQ(panes.at(1), Panes::View::Plan);
    window.views().setCutting(true);
    EXPECT_EQ(panes.at(1), Panes::View::CutOut);
    EXPECT_TRUE(window.views().cut->hasFocus());
    window.views().setCutting(false);
    EXPECT_EQ(panes.at(1), Panes::View::Plan);
    // Shown elsewhere meanwhile, it does not come twice, and one is never left cutting.
    window.views().setCutting(true);
    panes.show(0, Panes::View::Plan);
    window.views().setCutting(false);
    EXPECT_FALSE(window.views().cutting());
    EXPECT_EQ(panes.at(0), Panes::View::Plan);
    EXPECT_NE(panes.at(1), Panes::View::Plan);
}

TEST_F(Staging, PaperZoomsAtThePointerAndUnfolds) {
    DraftView& plan = *window.views().plan;
    const auto on = [&](double depth) { return toPoint(plan.scale().place({0.4 * depth, depth})); };
    const QPointF a = on(1), b = on(7), c = on(300);
    wheel(&plan, b, 3);
    EXPECT_NEAR(plan.scale().metres(toV2d(b)).depth, 7, 1e-6);
    EXPECT_GT(std::abs(on(300).y() - on(1).y()), std::abs(c.y() - a.y()) * 1.3);
    run("fit-all");
    EXPECT_NEAR(on(7).y(), b.y(), 1e-6);
    run("fold-far");
    EXPECT_FALSE(plan.folded());
    run("fold-far");
}

TEST_F(Staging, FittingASelectionShowsItLarge) {
    session().selection.select({front});
    run("fit-selection");
    const QRectF plan(window.views().plan->rect());
    EXPECT_TRUE(plan.contains(window.views().plan->barMiddle(front)));
    EXPECT_NEAR(window.views().plan->barMiddle(front).y(), plan.center().y(), plan.height() * 0.2);
    run("fit-all");
}

TEST_F(Staging, SectionPushesSlidesAndStandsThingsOnTheGround) {
    window.views().panes->show(1, Panes::View::Section);
    DraftView& section = *window.views().section;
    doPosted();
    const QPointF bar = section.barMiddle(front);
    drag(&section, bar, {section.placeOfDepth(16).x(), bar.y()});
    EXPECT_NEAR(depth(front), 16, 0.5);
    EXPECT_NEAR(layer(front).placement.scale.x, depth(front) / 10, 1e-9);
    // With Shift it goes up and down, and catches with its foot on the ground.
    const double foot = -layer(front).size().y / 2;
    ASSERT_NEAR(layer(front).placement.position.y, 0, 1e-9);
    const double metres = -foot;
    const QPointF at = section.barMiddle(front);
    drag(&section, at, at - QPointF(0, metres * section.scale().perMetre(depth(front)) + 3),
         Qt::ShiftModifier);
    EXPECT_NEAR(layer(front).placement.position.y + foot, 0, 1e-6);
    window.views().panes->show(1, Panes::View::Plan);
}

TEST_F(Staging, DepthsCatchOnOthersUnlessSuspended) {
    DraftView& plan = *window.views().plan;
    const QPointF bar = plan.barMiddle(front);
    const QPointF near = bar + QPointF(0, plan.placeOfDepth(24).y() - plan.placeOfDepth(10).y() + 3);
    drag(&plan, bar, near);
    EXPECT_NEAR(depth(front), 24, 1e-9); // caught on the one behind
    session().document.undo();
    drag(&plan, plan.barMiddle(front), near, Qt::NoModifier, false);
    QMouseEvent move(QEvent::MouseMove, near, plan.mapToGlobal(near), Qt::NoButton, Qt::LeftButton,
                     Qt::ControlModifier);
    QApplication::sendEvent(&plan, &move);
    QTest::mouseRelease(&plan, Qt::LeftButton, Qt::NoModifier, near.toPoint());
    EXPECT_LT(depth(front), 23.9);
    EXPECT_GT(depth(front), 18);
}

TEST_F(Staging, TheFocusLineIsDragged) {
    ASSERT_TRUE(session().document.apply({{"edit", "lens"}, {"focus", 5}}));
    DraftView& plan = *window.views().plan;
    const QPointF at = plan.placeOfDepth(5) + QPointF(40, 0);
    drag(&plan, at, {at.x(), plan.placeOfDepth(8).y()});
    EXPECT_NEAR(scene().camera.marks[0].pose.focus, 8, 0.2);
    session().selection.select({front});
    run("focus-here");
    EXPECT_EQ(scene().camera.marks[0].focusOn, front);
    EXPECT_NEAR(session().camera.pose().focus, 10, 1e-9);
    type("f-stop", "2.8");
    EXPECT_NEAR(scene().camera.marks[0].pose.fstop, 2.8, 1e-9);
}

TEST_F(Staging, ModelTurnsWithoutTouchingTheSceneAndItsArrowsMoveLayers) {
    window.views().panes->show(1, Panes::View::Model);
    ModelView& model = *window.views().model;
    ASSERT_TRUE(QTest::qWaitFor([&] { return model.hasPicture(); }, 20000));
    session().selection.select({front});
    const auto before = scene::toJson(scene());
    const auto middle = model.placeOf({0, 0, -10});
    ASSERT_TRUE(middle);
    drag(&model, {12, 12}, {60, 30});
    EXPECT_EQ(scene::toJson(scene()), before);
    EXPECT_GT((*model.placeOf({0, 0, -10}) - *middle).manhattanLength(), 3);
    auto ends = model.arrowEnds();
    ASSERT_EQ(ends.size(), 3u);
    const auto pivot = model.placeOf(optics::pivotOf(scene::find(scene(), front)));
    ASSERT_TRUE(pivot);
    // As far again along what is seen of the depth arrow.
    drag(&model, ends[2], ends[2] + (ends[2] - *pivot) * 0.5);
    EXPECT_GT(depth(front), 10.2);
    EXPECT_NEAR(layer(front).placement.scale.x, depth(front) / 10, 1e-9);
    const double was = depth(front);
    ends = model.arrowEnds();
    drag(&model, ends[1], ends[1] + (ends[1] - *model.placeOf(optics::pivotOf(scene::find(scene(), front)))));
    EXPECT_GT(layer(front).placement.position.y, 0.1);
    EXPECT_NEAR(depth(front), was, 1e-9);
    // A click selects what is under it.
    session().selection.select({});
    const auto corner = model.placeOf(optics::surfaceOf(layer(back), {}).at(0.02, 0.02));
    ASSERT_TRUE(corner);
    QTest::mouseClick(&model, Qt::LeftButton, Qt::NoModifier, corner->toPoint());
    EXPECT_EQ(session().selection.layers(), std::vector{back});
    window.views().panes->show(1, Panes::View::Plan);
}

// ---- handles in the Camera view

TEST_F(Staging, CornersScaleAboutThePivotAndStayUnderTheHand) {
    ASSERT_TRUE(session().document.apply({{"edit", "scale"}, {"layers", {front}}, {"by", 0.5}}));
    ASSERT_TRUE(session().document.apply({{"edit", "place"}, {"layer", front}, {"turn", {8, 30, 12}}}));
    session().selection.select({front});
    const V2d scale = layer(front).placement.scale;
    const QPointF from = handle(interaction::Handle::Kind::Corner, 1, 1);
    drag(window.views().camera, from, from + (from - inCamera(96, 54)) * 0.25);
    const double k = layer(front).placement.scale.x / scale.x;
    EXPECT_GT(k, 1.15);
    EXPECT_NEAR(layer(front).placement.scale.y / scale.y, k, 1e-9); // both alike
    EXPECT_NEAR(layer(front).placement.position.x, 0, 1e-9);
    // Freely with Shift, the corner goes where the hand goes, turned as the layer is.
    const QPointF again = handle(interaction::Handle::Kind::Corner, 0, 0), to = again + QPointF(-14, 9),
                  pressed = again.toPoint(); // presses come on whole pixels
    drag(window.views().camera, pressed, pressed + (to - again), Qt::ShiftModifier);
    EXPECT_LT((handle(interaction::Handle::Kind::Corner, 0, 0) - to).manhattanLength(), 0.5);
    // An edge scales one way.
    const V2d before = layer(front).placement.scale;
    const QPointF edge = handle(interaction::Handle::Kind::Edge, 1, 0.5);
    drag(window.views().camera, edge, edge + QPointF(18, 3));
    EXPECT_GT(layer(front).placement.scale.x, before.x * 1.05);
    EXPECT_EQ(layer(front).placement.scale.y, before.y);
}

TEST_F(Staging, ScalingAboutTheLensAxisKeepsTheMiddleOfTheFrame) {
    ASSERT_TRUE(session().document.apply({{"edit", "scale"}, {"layers", {front}}, {"by", 0.4}}));
    ASSERT_TRUE(session().document.apply({{"edit", "slide"}, {"layers", {front}}, {"by", {2, 0, 0}}}));
    session().selection.select({front});
    run("scale-about-axis");
    const QPointF from = handle(interaction::Handle::Kind::Corner, 1, 0);
    drag(window.views().camera, from, from + QPointF(40, -22));
    const double k = layer(front).placement.scale.x / 0.4;
    EXPECT_GT(k, 1.05);
    EXPECT_NEAR(layer(front).placement.position.x, 2 * k, 1e-6);
    run("scale-about-axis");
}

TEST_F(Staging, ArcAndTurnToolTurnAndThePivotMoves) {
    ASSERT_TRUE(session().document.apply({{"edit", "scale"}, {"layers", {front}}, {"by", 0.5}}));
    session().selection.select({front});
    const QPointF arc = handle(interaction::Handle::Kind::Turn, 0, 0), middle = inCamera(96, 54);
    // A quarter of a turn to the left of the middle.
    const QPointF to = middle + QPointF(arc.y() - middle.y(), -(arc.x() - middle.x()));
    drag(window.views().camera, arc, to);
    EXPECT_NEAR(layer(front).placement.turn.z, 90, 1);
    session().document.undo();
    const QPointF cross = handle(interaction::Handle::Kind::Pivot, 0, 0);
    const auto before = seen(front);
    drag(window.views().camera, cross, handle(interaction::Handle::Kind::Edge, 0.5, 1), Qt::ShiftModifier);
    EXPECT_NEAR(layer(front).hanging.pivot.y, -layer(front).pixels.y * layer(front).metresPerPixel / 2, 1e-6);
    EXPECT_LT((seen(front).low - before.low).length() + (seen(front).high - before.high).length(), 1e-6);
    QTest::keyClick(&window, Qt::Key_T);
    EXPECT_EQ(window.views().camera->tool(), CameraView::Tool::Turn);
    drag(window.views().camera, inCamera(96, 54), inCamera(96, 54) + QPointF(50, 0));
    EXPECT_NEAR(layer(front).placement.turn.y, 20, 1);
    EXPECT_NEAR(layer(front).placement.turn.x, 0, 1);
    window.views().camera->setTool(CameraView::Tool::Move);
}

TEST_F(Staging, SlidingCatchesOnTheFrameAndOnGuides) {
    ASSERT_TRUE(session().document.apply({{"edit", "scale"}, {"layers", {front}}, {"by", 0.5}}));
    ASSERT_TRUE(session().document.apply({{"edit", "slide"}, {"layers", {front}}, {"by", {1.7, 1.1, 0}}}));
    ASSERT_TRUE(session().document.apply(
        {{"edit", "slide"}, {"layers", {back}}, {"by", {0, 30, 0}}})); // out of the way
    session().selection.select({front});
    const double px = window.views().camera->frameRect().width() / 192;
    const auto centre = [&] { return (seen(front).low + seen(front).high) / 2.0; };
    const V2d was = centre();
    const QPointF from = inCamera(was.x, was.y);
    drag(window.views().camera, from, from + QPointF((96 - was.x) * px + 3, (30 - was.y) * px));
    EXPECT_NEAR(centre().x, 96, 1e-6); // the middle, though the hand was 3 px off
    session().document.undo();
    drag(window.views().camera, from, from + QPointF((96 - was.x) * px + 3, 0), Qt::NoModifier, false);
    const QPointF end = from + QPointF((96 - was.x) * px + 3, 0);
    QMouseEvent move(QEvent::MouseMove, end, window.views().camera->mapToGlobal(end), Qt::NoButton,
                     Qt::LeftButton, Qt::ControlModifier);
    QApplication::sendEvent(window.views().camera, &move);
    QTest::mouseRelease(window.views().camera, Qt::LeftButton, Qt::NoModifier, end.toPoint());
    EXPECT_NEAR(centre().x, 96 + 3 / px, 0.3); // suspended
    session().document.undo();
    // A guide, set where one points, dragged, caught on, and dragged out.
    window.views().camera->addGuide(true, inCamera(150, 54));
    ASSERT_EQ(scene().output.guides.size(), 1u);
    session().selection.select({});
    drag(window.views().camera, inCamera(150, 5), inCamera(160, 5));
    EXPECT_NEAR(scene().output.guides[0].at, 160.0 / 192, 0.01);
    const double guide = scene().output.guides[0].at * 192;
    const double right = seen(front).high.x;
    session().selection.select({front});
    drag(window.views().camera, from, from + QPointF((guide - right) * px - 2, 2));
    EXPECT_NEAR(seen(front).high.x, guide, 1e-6);
    session().selection.select({});
    drag(window.views().camera, inCamera(guide, 5), inCamera(guide, 5) + QPointF(400, 0));
    EXPECT_TRUE(scene().output.guides.empty());
}

TEST_F(Staging, LockedLayersAreLeftAlone) {
    session().selection.select({front});
    QTest::keyClick(&window, Qt::Key_L, Qt::ControlModifier);
    EXPECT_TRUE(layer(front).locked);
    const auto before = scene::toJson(scene());
    drag(window.views().plan, window.views().plan->barMiddle(front),
         window.views().plan->barMiddle(front) + QPointF(0, 40));
    session().selection.select({front});
    drag(window.views().camera, inCamera(96, 54), inCamera(120, 54));
    EXPECT_EQ(layer(front).placement.position, V3d(0, 0, -10));
    session().selection.select({front});
    run("flip-across");
    EXPECT_EQ(layer(front).placement.scale.x, 1);
    // A click goes through to what lies behind.
    QTest::mouseClick(window.views().camera, Qt::LeftButton, Qt::NoModifier, inCamera(96, 54).toPoint());
    EXPECT_EQ(session().selection.layers(), std::vector{back});
}

// ---- ladder and list

TEST_F(Staging, TheLadderIsSearchedHiddenAndLocked) {
    ASSERT_TRUE(session().document.apply({{"edit", "tag"}, {"layers", {back}}, {"add", {"far"}}}));
    run("search");
    QTest::keyClicks(&window.views().ladder->search(), "FAR");
    EXPECT_TRUE(rungs().rungRect(front).isEmpty());
    EXPECT_FALSE(rungs().rungRect(back).isEmpty());
    QTest::keyClick(&window.views().ladder->search(), Qt::Key_Return);
    EXPECT_EQ(session().selection.layers(), std::vector{back});
    window.views().ladder->search().clear();
    const QRectF rung = rungs().rungRect(front);
    const QPointF eye(rung.right() - 10, rung.center().y()), lock(rung.right() - 26, rung.center().y());
    QMouseEvent hover(QEvent::MouseMove, rung.center(), rungs().mapToGlobal(rung.center()), Qt::NoButton,
                      Qt::NoButton, Qt::NoModifier);
    QApplication::sendEvent(&rungs(), &hover);
    QTest::mouseClick(&rungs(), Qt::LeftButton, Qt::NoModifier, eye.toPoint());
    EXPECT_FALSE(layer(front).visible);
    QTest::mouseClick(&rungs(), Qt::LeftButton, Qt::NoModifier, lock.toPoint());
    EXPECT_TRUE(layer(front).locked);
    session().document.undo();
    session().document.undo();
    // All but one are hidden, and come back.
    session().selection.select({front});
    run("hide-others");
    EXPECT_FALSE(layer(back).visible);
    EXPECT_TRUE(layer(front).visible);
    run("hide-others");
    EXPECT_TRUE(layer(back).visible);
}

TEST_F(Staging, TheWindowMayGoWhileANameIsWritten) {
    MainWindow other(dir / "other-journals");
    other.resize(1280, 800);
    other.show();
    other.activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowActive(&other));
    ASSERT_TRUE(other.session().document.apply({{"edit", "add"}, {"layers", {scene::toJson(layer(front))}}}));
    other.views().ladder->setListing(true);
    doPosted();
    LayerList& list = other.views().ladder->list();
    const QRect row = list.rowRect(other.session().scene()->layers[0]->id);
    ASSERT_FALSE(row.isEmpty());
    QTest::mouseClick(list.viewport(), Qt::LeftButton, Qt::NoModifier, row.center());
    QTest::mouseDClick(list.viewport(), Qt::LeftButton, Qt::NoModifier, row.center());
    ASSERT_TRUE(qobject_cast<QLineEdit*>(QApplication::focusWidget()));
    other.session().document.close(); // and gone; a memory checker looks on
}

TEST_F(Staging, TheListRenamesHidesAndSelects) {
    run("list");
    EXPECT_TRUE(window.views().ladder->listing());
    LayerList& list = window.views().ladder->list();
    doPosted();
    const QRect row = list.rowRect(front);
    ASSERT_FALSE(row.isEmpty());
    QTest::mouseClick(list.viewport(), Qt::LeftButton, Qt::NoModifier, row.center());
    EXPECT_EQ(session().selection.layers(), std::vector{front});
    QTest::mouseDClick(list.viewport(), Qt::LeftButton, Qt::NoModifier, row.center());
    QWidget* entry = QApplication::focusWidget();
    ASSERT_TRUE(qobject_cast<QLineEdit*>(entry));
    QTest::keyClick(entry, Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(entry, "Lantern");
    QTest::keyClick(entry, Qt::Key_Return);
    // The list commits after the key.
    EXPECT_TRUE(QTest::qWaitFor([&] { return layer(front).name == "Lantern"; }));
    const QModelIndex index = list.indexAt(list.rowRect(back).center());
    const QRect eye = list.visualRect(index.siblingAtColumn(2));
    QTest::mouseClick(list.viewport(), Qt::LeftButton, Qt::NoModifier, eye.center());
    EXPECT_FALSE(layer(back).visible);
    session().selection.select({back, front});
    EXPECT_EQ(list.selectionModel()->selectedRows().size(), 2);
    run("list");
}

TEST_F(Staging, LayersAreDroppedIntoGroupsAndBesideOthers) {
    session().selection.select({front});
    run("group");
    const std::int64_t group = session().selection.layers().front();
    session().selection.select({back});
    LayerList& list = window.views().ladder->list();
    list.drop(group, LayerList::Drop::Onto);
    ASSERT_EQ(scene::find(scene(), back).holders.size(), 1u);
    EXPECT_EQ(layer(group).group()->children.back()->id, back); // on top
    EXPECT_NEAR(depth(back), 24, 1e-9);
    list.drop(front, LayerList::Drop::Below); // below it in the list is below it in the stack
    EXPECT_EQ(layer(group).group()->children.front()->id, back);
    list.drop(front, LayerList::Drop::Above);
    EXPECT_EQ(layer(group).group()->children.back()->id, back);
    list.drop(0, LayerList::Drop::Below);
    EXPECT_TRUE(scene::find(scene(), back).holders.empty());
    session().selection.select({group});
    const auto before = scene::toJson(scene());
    list.drop(front, LayerList::Drop::Above); // into itself
    EXPECT_EQ(scene::toJson(scene()), before);
}

TEST_F(Staging, ThreeHundredCopiesAreOneRungUntilOpened) {
    session().selection.select({front});
    run("scatter", [](QDialog* dialog) {
        dialog->findChild<QSpinBox*>(QStringLiteral("scatterCount"))->setValue(300);
        dialog->accept();
    });
    ASSERT_TRUE(layer(front).group());
    EXPECT_EQ(layer(front).group()->children.size(), 300u);
    EXPECT_FALSE(rungs().rungRect(front).isEmpty());
    EXPECT_TRUE(rungs().rungRect(layer(front).group()->children[5]->id).isEmpty());
    run("scatter", [](QDialog* dialog) {
        EXPECT_EQ(dialog->findChild<QSpinBox*>(QStringLiteral("scatterCount"))->value(), 300);
        dialog->findChild<QSpinBox*>(QStringLiteral("scatterCount"))->setValue(12);
        dialog->accept();
    });
    EXPECT_EQ(layer(front).group()->children.size(), 12u);
}

// ---- many layers, groups, followers

TEST_F(Staging, ManyArePushedTogetherBySpreadAndRatio) {
    session().selection.select({front, back});
    type("Push by", "1m");
    EXPECT_NEAR(depth(front), 11, 1e-9);
    EXPECT_NEAR(depth(back), 25, 1e-9);
    type("Push to", "200%");
    EXPECT_NEAR(depth(front), 22, 1e-9);
    EXPECT_NEAR(depth(back), 50, 1e-9);
    type("Nearest", "5");
    type("Farthest", "40");
    doPosted();
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("spread")), Qt::LeftButton);
    EXPECT_NEAR(depth(front), 5, 1e-9);
    EXPECT_NEAR(depth(back), 40, 1e-9);
    EXPECT_NEAR(layer(front).placement.scale.x, 0.5, 1e-9); // framing held all the while
    EXPECT_EQ(session().document.history().undoName(), "Push 2 layers");
    run("push", [](QDialog* dialog) {
        dialog->findChild<QComboBox*>(QStringLiteral("pushWay"))->setCurrentIndex(3);
        dialog->accept();
    });
    EXPECT_NEAR(depth(front), 5, 1e-9);
    for (QToolButton* button : window.findChildren<QToolButton*>())
        if (button->isVisible() && button->accessibleName() == QStringLiteral("Align left"))
            QTest::mouseClick(button, Qt::LeftButton);
    EXPECT_NEAR(seen(front).low.x, seen(back).low.x, 1e-6);
}

TEST_F(Staging, GroupsFollowersCopiesAndFlips) {
    session().selection.select({front, back});
    QTest::keyClick(&window, Qt::Key_G, Qt::ControlModifier);
    ASSERT_EQ(session().selection.layers().size(), 1u);
    const std::int64_t group = session().selection.layers().front();
    EXPECT_EQ(scene::find(scene(), front).holders.front()->id, group);
    EXPECT_NEAR(depth(front), 10, 1e-9);
    QTest::keyClick(&window, Qt::Key_G, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_TRUE(scene::find(scene(), front).holders.empty());
    session().selection.select({front});
    run("follow", [](QDialog* dialog) {
        dialog->findChild<QComboBox*>()->setCurrentText(QStringLiteral("back"));
        dialog->accept();
    });
    EXPECT_EQ(layer(front).follows, back);
    session().selection.select({back});
    type("Across", "3");
    EXPECT_NEAR(optics::pivotOf(scene::find(scene(), front)).x, 3, 1e-9);
    session().selection.select({front});
    run("duplicate");
    ASSERT_EQ(session().selection.layers().size(), 1u);
    EXPECT_EQ(layer(session().selection.layers().front()).name, "front 2");
    run("flip-across");
    EXPECT_LT(layer(session().selection.layers().front()).placement.scale.x, 0);
    run("fit-cover");
    EXPECT_LE(seen(session().selection.layers().front()).low.x, 1e-6);
    run("tags", [](QDialog* dialog) {
        dialog->findChild<QLineEdit*>()->setText(QStringLiteral("near, paper"));
        dialog->accept();
    });
    EXPECT_EQ(layer(session().selection.layers().front()).tags, (std::vector<std::string>{"near", "paper"}));
}

TEST_F(Staging, FramingIsHeldForTheMarkChosen) {
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", "5"}, {"position", {2, 0, -3}}}));
    session().setReferenceMark(1);
    session().selection.select({front});
    const auto corners = [&] {
        const motion::ResolvedScene seen(scene(), 0, scene().camera.marks[1].pose);
        return *motion::measureAt(seen, seen.find(front)).corners;
    };
    const auto before = corners();
    type("Depth", "15");
    EXPECT_NEAR(depth(front), 15, 1e-9);
    for (std::size_t i = 0; i < 4; ++i)
        EXPECT_LT((corners()[i] - before[i]).length(), 1e-6);
    auto* mark = window.findChild<QToolButton*>(QStringLiteral("holdMark"));
    EXPECT_TRUE(mark->isVisible());
    EXPECT_TRUE(mark->text().startsWith(QLatin1Char('2')));
}

TEST_F(Staging, KeysOfPlaceAreSetAndSaid) {
    session().selection.select({front});
    run("key-place");
    session().playhead.setFrame(48);
    run("key-place");
    ASSERT_EQ(layer(front).places.size(), 2u);
    drag(window.views().plan, window.views().plan->barMiddle(front),
         {window.views().plan->barMiddle(front).x(), window.views().plan->placeOfDepth(17).y()});
    const double then = session().now().depthOf(session().now().find(front));
    EXPECT_NEAR(then, 17, 0.5);
    session().playhead.setFrame(0);
    EXPECT_NEAR(session().now().depthOf(session().now().find(front)), 10, 1e-9);
    session().playhead.setFrame(24);
    EXPECT_NEAR(session().now().depthOf(session().now().find(front)), (10 + then) / 2, 1e-6);
    session().playhead.setFrame(60);
    run("recede", [](QDialog* dialog) { dialog->accept(); });
    EXPECT_EQ(layer(front).places.size(), 4u);
}

// ---- details

TEST_F(Staging, SizesHangingAndReadOuts) {
    session().selection.select({front});
    type("Width", "4m");
    EXPECT_NEAR(layer(front).size().x, 4, 1e-9);
    EXPECT_NEAR(layer(front).size().y, 2.25, 1e-9);
    for (QCheckBox* box : window.findChildren<QCheckBox*>())
        if (box->isVisible() && box->text().startsWith(QStringLiteral("Width and height")))
            box->setChecked(false);
    type("Height", "3m");
    EXPECT_NEAR(layer(front).size().x, 4, 1e-9);
    EXPECT_NEAR(layer(front).size().y, 3, 1e-9);
    type("Bend", "40");
    EXPECT_NEAR(layer(front).hanging.bend, 40, 1e-9);
    const auto choose = [&](const char* name, int i) {
        for (QComboBox* box : window.findChildren<QComboBox*>())
            if (box->isVisible() && box->accessibleName() == QLatin1String(name)) {
                box->setCurrentIndex(i);
                Q_EMIT box->activated(i);
                return;
            }
        ADD_FAILURE() << name;
    };
    choose("Faces camera", 1);
    EXPECT_EQ(layer(front).hanging.facing, scene::Facing::Upright);
    choose("Beyond left", 1);
    EXPECT_EQ(layer(front).hanging.extensions.left.beyond, scene::Beyond::Mirror);
    EXPECT_GT(layer(front).hanging.extensions.left.by, 0);
    type("Pivot up", "0");
    EXPECT_NEAR(layer(front).hanging.pivot.y, -layer(front).pixels.y * layer(front).metresPerPixel / 2, 1e-9);
    // Enlarged beyond its pixels it says so, by a sign and not by colour alone.
    type("Width", "40m");
    const auto says = [&](const QString& text) {
        for (QLabel* label : window.findChildren<QLabel*>())
            if (label->isVisible() && label->text().contains(text)) return true;
        return false;
    };
    EXPECT_TRUE(says(QStringLiteral("▲")));
    // 36 x 35 mm of lens, f/8, focus 10 m: what lies at 10 m is sharp, at 24 m it is 3.2 % of 192 px.
    session().selection.select({back});
    const double slope = 35.0 / 36 * 192, disc = 0.035 / 8 * slope * 14 / 240;
    EXPECT_NEAR(seen(back).blur, disc, 1e-9);
    EXPECT_TRUE(says(figure(disc, 1) + QStringLiteral(" px")));
}

// ---- the guide's second chapter

TEST_F(Staging, FiveLoosePicturesAreStagedInFewActions) {
    session().document.newScene();
    const char* names[] = {"sky.png", "hills.png", "bridge.png", "boat.png", "lanterns.png"};
    for (int i = 0; i < 5; ++i) // one behind the other: each leaves free what is above its own height
        test::writePicture(dir / names[i], {160, 90}, [i](int x, int y) {
            return Rgba8{40 * i, x, 90, y >= 15 * i ? 255 : 0};
        });
    int actions = 0;
    const auto id = [&](std::size_t i) { return scene().layers[i]->id; };
    const auto act = [&](auto&& what) {
        ++actions;
        what();
        doPosted();
    };
    act([&] { ASSERT_TRUE(drop({names[0], names[1], names[2], names[3], names[4]})); });
    ASSERT_EQ(scene().layers.size(), 5u);
    EXPECT_EQ(session().selection.layers().size(), 5u);
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            return std::all_of(scene().layers.begin(), scene().layers.end(), [&](const auto& each) {
                return !session().swatches().of(scene(), each).cover.isNull();
            });
        },
        20000));
    act([&] { type("Nearest", "5"); });
    act([&] { type("Farthest", "60"); });
    act([&] {
        for (QComboBox* box : window.findChildren<QComboBox*>())
            if (box->isVisible() && box->accessibleName() == QStringLiteral("Steps")) box->setCurrentIndex(1);
    });
    act([&] { QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("spread")), Qt::LeftButton); });
    EXPECT_NEAR(depth(id(0)), 60, 1e-9);
    EXPECT_NEAR(depth(id(4)), 5, 1e-9);
    EXPECT_NEAR(depth(id(2)), 2 / (1 / 5.0 + 1 / 60.0), 1e-9); // half the parallax
    for (std::size_t i = 0; i < 5; ++i)                        // and all look as they did
        EXPECT_NEAR(seen(id(i)).size().x, 160, 1e-6);
    const auto pick = [&](std::size_t i) {
        QTest::mouseClick(&rungs(), Qt::LeftButton, Qt::NoModifier,
                          rungs().rungRect(id(i)).center().toPoint());
    };
    act([&] { pick(3); });
    EXPECT_EQ(session().selection.layers(), std::vector{id(3)});
    act([&] { type("Width", "3.4m"); });
    act([&] { drag(window.views().camera, inCamera(80, 50), inCamera(70, 58), Qt::ControlModifier); });
    EXPECT_NEAR(seen(id(3)).size().x / 160, 3.4 / (depth(id(3)) * 36 / 35), 1e-6);
    act([&] { pick(4); });
    act([&] { drag(window.views().camera, inCamera(20, 80), inCamera(20, 70)); });
    act([&] { pick(2); });
    act([&] { type("Width", "8m"); });
    act([&] { pick(1); });
    act([&] { drag(window.views().camera, inCamera(8, 60), inCamera(8, 64)); });
    EXPECT_LT(optics::pivotOf(scene::find(scene(), id(1))).y, -0.1);
    act([&] { run("last-frame"); });
    act([&] { run("tool-walk"); });
    act([&] {
        for (int i = 0; i < 5; ++i)
            wheel(window.views().camera, inCamera(80, 45), 1);
    });
    ASSERT_TRUE(session().camera.offMove());
    act([&] { run("set-mark"); });
    ASSERT_EQ(scene().camera.marks.size(), 2u);
    EXPECT_LT(scene().camera.marks[1].pose.position.z, -0.2);
    EXPECT_FALSE(session().camera.offMove());
    act([&] { run("play"); });
    EXPECT_TRUE(window.views().timeline->playing());
    window.views().timeline->setPlaying(false);
    EXPECT_LT(actions, 25);
}

TEST_F(Staging, TheWheelGoesFromPrimeToPrime) {
    NumberField* focal = field("Focal length");
    ASSERT_TRUE(focal);
    focal->setFocus();
    wheel(focal, QPointF(20, 10), 1);
    EXPECT_NEAR(scene().camera.marks[0].pose.focal, 40, 1e-9);
    wheel(focal, QPointF(20, 10), 1);
    EXPECT_NEAR(scene().camera.marks[0].pose.focal, 50, 1e-9);
    type("Focal length", "47");
    focal->setFocus();
    wheel(focal, QPointF(20, 10), -1);
    EXPECT_NEAR(scene().camera.marks[0].pose.focal, 40, 1e-9);
}

// ---- comfort

TEST_F(Staging, CommandsAreFoundByAPartOfTheirName) {
    session().selection.select({front});
    run("find-command", [](QDialog* dialog) {
        auto* line = dialog->findChild<QLineEdit*>();
        QTest::keyClicks(line, "flip acr");
        QTest::keyClick(line, Qt::Key_Return);
    });
    EXPECT_LT(layer(front).placement.scale.x, 0);
    EXPECT_LT(rank(QStringLiteral("Flip across"), QStringLiteral("flop")), 0);
    EXPECT_LT(rank(QStringLiteral("Flip across"), QStringLiteral("acr")),
              rank(QStringLiteral("Sacred"), QStringLiteral("acr")));
}

TEST_F(Staging, ShortcutsAreChangedButNotTakenTwice) {
    QAction* flip = window.commands().find(QStringLiteral("flip-up"));
    int row = 0;
    while (window.commands().all()[static_cast<std::size_t>(row)] != flip)
        ++row;
    const auto enter = [row](QDialog* dialog, const char* keys) {
        auto* table = dialog->findChild<QTableWidget*>();
        auto* edit = qobject_cast<QKeySequenceEdit*>(table->cellWidget(row, 1));
        edit->setKeySequence(QKeySequence(QLatin1String(keys)));
        Q_EMIT edit->editingFinished();
        dialog->close();
    };
    run("shortcuts", [&](QDialog* dialog) { enter(dialog, "Ctrl+G"); });
    EXPECT_NE(flip->shortcut(), QKeySequence(QStringLiteral("Ctrl+G"))); // groups
    run("shortcuts", [&](QDialog* dialog) { enter(dialog, "Ctrl+Alt+U"); });
    EXPECT_EQ(flip->shortcut(), QKeySequence(QStringLiteral("Ctrl+Alt+U")));
    MainWindow another(dir / "journals");
    EXPECT_EQ(another.commands().find(QStringLiteral("flip-up"))->shortcut(),
              QKeySequence(QStringLiteral("Ctrl+Alt+U")));
    window.commands().setKeys(flip, window.commands().preset(flip));
}

TEST_F(Staging, EveryCommandHasItsOwnNameAndKeys) {
    std::set<QString> names;
    std::map<QString, QString> keys;
    for (QAction* action : window.commands().all()) {
        EXPECT_TRUE(names.insert(action->objectName()).second) << action->objectName().toStdString();
        if (action->shortcut().isEmpty()) continue;
        const auto [at, fresh] = keys.emplace(action->shortcut().toString(), action->objectName());
        EXPECT_TRUE(fresh) << action->objectName().toStdString() << " and " << at->second.toStdString();
    }
}

TEST_F(Staging, StepsAreClickedInAList) {
    session().selection.select({front});
    run("flip-across");
    run("flip-up");
    const auto flipped = scene::toJson(scene());
    run("history", [](QDialog* dialog) {
        auto* list = dialog->findChild<QListWidget*>();
        list->setCurrentRow(list->count() - 3);
        dialog->accept();
    });
    EXPECT_GT(layer(front).placement.scale.x, 0);
    EXPECT_TRUE(session().document.history().canRedo());
    run("history", [](QDialog* dialog) {
        auto* list = dialog->findChild<QListWidget*>();
        list->setCurrentRow(list->count() - 1);
        dialog->accept();
    });
    EXPECT_EQ(scene::toJson(scene()), flipped);
}

TEST_F(Staging, AReadySizeKeepsWhatIsSeen) {
    run("settings", [](QDialog* dialog) {
        auto* ready = dialog->findChild<QComboBox*>(QStringLiteral("readySizes"));
        ready->setCurrentIndex(ready->findData(QSize(1080, 1920)));
        auto* keep = dialog->findChild<QComboBox*>(QStringLiteral("keepSeen"));
        keep->setCurrentIndex(1);
        dialog->accept();
    });
    EXPECT_EQ(scene().output.frame, V2i(1080, 1920));
    // Half of 36 mm over 35 mm, times 108 / 192, is seen up and down as before.
    const optics::View view = optics::firstView(scene());
    EXPECT_NEAR(1920 / (2 * view.slope), 18.0 / 35 * 108 / 192, 1e-9);
}

TEST_F(Staging, MissingMediaAreFoundAndChangedOnesReadAgain) {
    std::filesystem::create_directories(dir / "elsewhere");
    std::filesystem::rename(dir / "front.png", dir / "elsewhere" / "front.png");
    QSignalSpy found(&window.media(), &MediaFiles::found);
    window.media().find(dir.path());
    ASSERT_TRUE(found.wait(10000));
    EXPECT_TRUE(found[0][0].toBool());
    EXPECT_EQ(scene::mediaOf(layer(front))->path, (dir / "elsewhere" / "front.png").string());
    // Written anew with twice the pixels: as wide as before, of another size in pixels.
    const QString path = QString::fromStdString((dir / "elsewhere" / "front.png").string());
    auto* watcher = window.findChild<QFileSystemWatcher*>();
    ASSERT_TRUE(watcher);
    ASSERT_TRUE(QTest::qWaitFor([&] { return watcher->files().contains(path); }, 10000));
    const double width = layer(front).size().x;
    test::writePicture(dir / "elsewhere" / "front.png", {384, 216}, [](int, int) { return Rgba8{9, 9, 9}; });
    ASSERT_TRUE(QTest::qWaitFor([&] { return layer(front).pixels == V2i(384, 216); }, 10000));
    EXPECT_NEAR(layer(front).size().x, width, 1e-9);
}

TEST_F(Staging, ScenesOpenedAreRemembered) {
    ASSERT_TRUE(session().document.save(dir / "quay.ostage"));
    for (QMenu* menu : window.findChildren<QMenu*>())
        if (menu->title() == QStringLiteral("Recent")) {
            Q_EMIT menu->aboutToShow();
            ASSERT_FALSE(menu->isEmpty());
            EXPECT_EQ(menu->actions().front()->text(), QStringLiteral("quay"));
        }
}

}
}
