// Tracks in the timeline and on the curves, layers in time, and what the checks say.
#include "desk/session/findings.h"
#include "desk/time/curve_paper.h"
#include "desk/time/curve_view.h"
#include "desk/time/findings_sheet.h"
#include "desk/time/timeline.h"
#include "motion/values.h"
#include "scene/scene_json.h"
#include "staged_fixture.h"

#include <QComboBox>
#include <QListWidget>
#include <QPushButton>
#include <cmath>

namespace stage::desk {
namespace {

class Tracks : public Staged {
protected:
    Timeline& timeline() { return *window.views().timeline; }
    CurvePaper& paper() { return window.views().curves->paper(); }
    void key(std::int64_t id, const char* property, Rational time, double value) {
        edit::Edit edit = {{"edit", "key"}, {"property", property}, {"time", time.text()}, {"value", value}};
        if (id != 0) edit["layers"] = {id};
        ASSERT_TRUE(session().document.apply(edit));
    }
    const scene::Track* track(std::int64_t id, const char* property) {
        return interaction::trackOf(scene(), id, property);
    }
    void showCurves() {
        window.views().panes->reveal(Panes::View::Curves);
        // Once it is laid out, or a drag would begin on another paper than it ends on.
        ASSERT_TRUE(QTest::qWaitFor([&] { return paper().width() > 200 && paper().height() > 200; }, 5000));
        window.views().curves->setProperty("up");
    }
};

TEST_F(Tracks, KeysAreDraggedCopiedAndTakenOffInTheTimeline) {
    key(front, "up", 1, 0.5);
    key(front, "up", 3, 1.5);
    timeline().open(front, true);
    const interaction::KeyRef first{front, "up", 1}, last{front, "up", 3};
    ASSERT_FALSE(timeline().map().laneOf(front, "up").isEmpty());
    const QPointF at = timeline().map().placeOf(first);
    drag(&timeline(), at, at + QPointF(timeline().map().xOfFrame(12) - timeline().map().xOfFrame(0), 0));
    EXPECT_EQ(track(front, "up")->keys[0].time, Rational(3, 2));
    EXPECT_TRUE(interaction::contains(session().selection.keys(), {front, "up", Rational(3, 2)}));
    // With Shift a copy.
    const QPointF end = timeline().map().placeOf(last);
    drag(&timeline(), end, {timeline().map().xOfFrame(96), end.y()}, Qt::ShiftModifier);
    ASSERT_EQ(track(front, "up")->keys.size(), 3u);
    EXPECT_EQ(track(front, "up")->keys[2].time, Rational(4));
    EXPECT_EQ(track(front, "up")->keys[2].value, 1.5);
    // Several by a frame around them, then off.
    const QRectF lane = timeline().map().laneOf(front, "up");
    drag(&timeline(), {timeline().map().xOfFrame(60), lane.top() + 1},
         {timeline().map().xOfFrame(120), lane.bottom() - 1});
    EXPECT_EQ(session().selection.keys().size(), 2u);
    QTest::keyClick(&timeline(), Qt::Key_Delete);
    ASSERT_EQ(track(front, "up")->keys.size(), 1u);
    EXPECT_EQ(scene().layers.size(), 2u); // the layer is still there
    // A double click is a key, with what the value is there.
    QTest::mouseDClick(&timeline(), Qt::LeftButton, Qt::NoModifier,
                       QPointF(timeline().map().xOfFrame(72), lane.center().y()).toPoint());
    ASSERT_EQ(track(front, "up")->keys.size(), 2u);
    EXPECT_NEAR(track(front, "up")->keys[1].value, 0.5, 1e-9);
}

TEST_F(Tracks, CurvesSetMoveAndBendKeys) {
    session().selection.select({front});
    showCurves();
    const double here = scene::find(scene(), front).layer->placement.position.y;
    QTest::mouseDClick(&paper(), Qt::LeftButton, Qt::NoModifier, paper().placeOf("up", 1, here).toPoint());
    ASSERT_TRUE(track(front, "up"));
    EXPECT_NEAR(track(front, "up")->keys[0].value, here, 1e-9); // on the curve: its value
    key(front, "up", 4, here + 2);
    const interaction::KeyRef last{front, "up", 4};
    const QPointF at = paper().placeOf(last);
    const QPointF to = paper().placeOf("up", 5, here + 1);
    drag(&paper(), at, to);
    EXPECT_EQ(track(front, "up")->keys[1].time, Rational(5));
    EXPECT_NEAR(track(front, "up")->keys[1].value, here + 1, 0.05);
    // Along one axis with Shift.
    const QPointF from = paper().placeOf({front, "up", 5});
    drag(&paper(), from, from + QPointF(3, -40), Qt::ShiftModifier);
    EXPECT_EQ(track(front, "up")->keys[1].time, Rational(5));
    EXPECT_GT(track(front, "up")->keys[1].value, here + 1.1);
    // How it arrives, by the hand at the key.
    session().selection.chooseKeys({{front, "up", 5}});
    const auto hand = paper().handle({front, "up", 5}, false);
    ASSERT_TRUE(hand);
    drag(&paper(), *hand, *hand + QPointF(-60, 0));
    EXPECT_LT(track(front, "up")->keys[0].pace.x2, 0.95);
    EXPECT_FALSE(paper().handle({front, "up", 5}, true)); // nothing comes after it
}

TEST_F(Tracks, SeveralKeysAreStretchedReversedAndLooped) {
    key(front, "up", 1, 0);
    key(front, "up", 2, 4);
    key(front, "turn", 2, 10);
    key(front, "turn", 3, 50);
    session().selection.select({front});
    run("keys-all");
    EXPECT_EQ(session().selection.keys().size(), 4u);
    run("keys-reverse"); // as one: 1..3 becomes 3..1
    EXPECT_EQ(track(front, "up")->keys[0].time, Rational(2));
    EXPECT_EQ(track(front, "up")->keys[0].value, 4);
    EXPECT_EQ(track(front, "turn")->keys[0].time, Rational(1));
    EXPECT_EQ(track(front, "turn")->keys[0].value, 50);
    session().document.undo();
    run("keys-all");
    run("keys-stretch", [](QDialog* dialog) {
        for (NumberField* f : dialog->findChildren<NumberField*>())
            f->setText(QStringLiteral("200 %"));
        dialog->accept();
    });
    EXPECT_EQ(track(front, "up")->keys[1].time, Rational(3));
    EXPECT_EQ(track(front, "turn")->keys[0].time, Rational(3));
    EXPECT_EQ(track(front, "turn")->keys[1].time, Rational(5));
    session().selection.chooseKeys({{front, "turn", 3}});
    run("extrapolation-ping-pong");
    EXPECT_EQ(track(front, "turn")->extrapolation, scene::Extrapolation::PingPong);
    run("keys-hold");
    EXPECT_TRUE(track(front, "turn")->keys[0].hold);
}

TEST_F(Tracks, KeysAreCopiedToAnotherLayerAndTheCamera) {
    key(front, "up", 1, 0);
    key(front, "up", 2, 4);
    key(front, "opacity", 1, 1);
    session().selection.select({front});
    run("keys-all");
    run("keys-copy");
    session().selection.select({back});
    session().playhead.setFrame(48);
    run("keys-put");
    ASSERT_TRUE(track(back, "up"));
    EXPECT_EQ(track(back, "up")->keys[0].time, Rational(2));
    EXPECT_EQ(track(back, "up")->keys[1].value, 4);
    EXPECT_TRUE(track(back, "opacity"));
    session().selection.select({});
    run("keys-put");
    ASSERT_TRUE(track(0, "up")); // the camera has a height, but no opacity
    EXPECT_FALSE(track(0, "opacity"));
}

TEST_F(Tracks, LinksAndNoiseByTheirDialogs) {
    key(front, "across", 0, 0);
    key(front, "across", 4, 2);
    session().selection.select({back});
    showCurves();
    window.views().curves->setProperty("across");
    run("track-link", [this](QDialog* dialog) {
        auto* leader = dialog->findChild<QComboBox*>(QStringLiteral("linkLayer"));
        leader->setCurrentIndex(leader->findData(QVariant::fromValue<qlonglong>(front)));
        dialog->findChild<QComboBox*>(QStringLiteral("linkProperty"))
            ->setCurrentText(QStringLiteral("across"));
        for (NumberField* f : dialog->findChildren<NumberField*>())
            if (f->accessibleName() == QStringLiteral("Factor")) f->setText(QStringLiteral("0.5"));
        dialog->accept();
    });
    ASSERT_TRUE(track(back, "across") && track(back, "across")->link);
    EXPECT_NEAR(*motion::Values(scene()).of(back, "across", 2), 0.5, 1e-9);
    run("track-noise", [](QDialog* dialog) {
        for (NumberField* f : dialog->findChildren<NumberField*>())
            if (f->accessibleName() == QStringLiteral("Amount")) f->setText(QStringLiteral("5cm"));
        dialog->reject();
    });
    EXPECT_TRUE(track(back, "across")->noises.empty());
    run("track-noise", [](QDialog* dialog) {
        for (NumberField* f : dialog->findChildren<NumberField*>())
            if (f->accessibleName() == QStringLiteral("Amount")) f->setText(QStringLiteral("0.05"));
        dialog->accept();
    });
    ASSERT_EQ(track(back, "across")->noises.size(), 1u);
    EXPECT_EQ(track(back, "across")->noises[0].amount, 0.05);
    run("track-remove");
    EXPECT_FALSE(track(back, "across"));
}

TEST_F(Tracks, BarsAreTrimmedFadedAndMoved) {
    session().selection.select({front});
    const QRectF bar = timeline().map().barOf(front);
    const double y = bar.bottom() - 2;
    drag(&timeline(), {bar.left(), y}, {timeline().map().xOfFrame(24), y});
    EXPECT_EQ(layer(front).showing.in, Rational(1));
    drag(&timeline(), {bar.right(), y}, {timeline().map().xOfFrame(96), y});
    EXPECT_EQ(layer(front).showing.out, Rational(4));
    // A fade, by the dot at its upper corner.
    const QRectF now = timeline().map().barOf(front);
    drag(&timeline(), {now.left() + 6, now.top() + 1},
         {now.left() + 6 + timeline().map().xOfFrame(12) - timeline().map().xOfFrame(0), now.top() + 1});
    EXPECT_EQ(layer(front).showing.fadeIn, Rational(1, 2));
    drag(&timeline(), {now.right() - 6, now.top() + 1},
         {now.right() - 6 - timeline().map().xOfFrame(24) + timeline().map().xOfFrame(0), now.top() + 1});
    EXPECT_EQ(layer(front).showing.fadeOut, Rational(1));
    EXPECT_NEAR(motion::shownAt(layer(front).showing, Rational(5, 4)), 0.5, 1e-9);
    // All of it.
    drag(&timeline(), {now.center().x(), y},
         {now.center().x() + timeline().map().xOfFrame(24) - timeline().map().xOfFrame(0), y});
    EXPECT_EQ(layer(front).showing.in, Rational(2));
    EXPECT_EQ(layer(front).showing.out, Rational(5));
    // With all that is keyed on it.
    key(front, "up", 2, 1);
    key(front, "turn", 3, 5);
    drag(&timeline(), {timeline().map().barOf(front).center().x(), y},
         {timeline().map().barOf(front).center().x() - timeline().map().xOfFrame(24) +
              timeline().map().xOfFrame(0),
          y});
    EXPECT_EQ(layer(front).showing.in, Rational(1));
    EXPECT_EQ(track(front, "up")->keys[0].time, Rational(1));
    EXPECT_EQ(track(front, "turn")->keys[0].time, Rational(2));
    // Back to the very begin: it shows always.
    const QRectF then = timeline().map().barOf(front);
    drag(&timeline(), {then.left(), y}, {timeline().map().xOfFrame(-20), y});
    EXPECT_FALSE(layer(front).showing.in);
}

TEST_F(Tracks, StaggeredFromTheFirstSelected) {
    session().selection.select({back, front});
    run("stagger", [](QDialog* dialog) {
        for (NumberField* f : dialog->findChildren<NumberField*>())
            f->setText(QStringLiteral("0.5"));
        dialog->accept();
    });
    EXPECT_EQ(layer(back).showing.in, Rational(0));
    EXPECT_EQ(layer(front).showing.in, Rational(1, 2));
}

TEST_F(Tracks, NumbersOfTheDetailsChangeTheKeys) {
    key(front, "opacity", 0, 1);
    key(front, "opacity", 4, 0);
    session().selection.select({front});
    session().playhead.setFrame(48);
    ASSERT_TRUE(field("Opacity"));
    EXPECT_NEAR(field("Opacity")->value(), 50, 1e-9);
    type("Opacity", "80");
    ASSERT_EQ(track(front, "opacity")->keys.size(), 3u);
    EXPECT_NEAR(track(front, "opacity")->keys[1].value, 0.8, 1e-9);
    type("Near: full", "2");
    EXPECT_EQ(layer(front).showing.nearFull, 2);
}

TEST_F(Tracks, APartIsPlayedAgainAndAgain) {
    QTest::mouseMove(&timeline());
    drag(&timeline(), {timeline().map().xOfFrame(20), 8}, {timeline().map().xOfFrame(40), 8},
         Qt::ShiftModifier);
    EXPECT_EQ(session().playhead.range(), std::pair(std::int64_t{20}, std::int64_t{40}));
    session().playhead.setFrame(39);
    timeline().setPlaying(true);
    EXPECT_TRUE(QTest::qWaitFor(
        [&] { return session().playhead.frame() >= 20 && session().playhead.frame() < 30; }, 10000));
    timeline().setPlaying(false);
    run("play-all");
    EXPECT_TRUE(session().playhead.playsAll());
    session().playhead.setFrame(30);
    run("play-from");
    EXPECT_EQ(session().playhead.range().first, 30);
}

TEST_F(Tracks, ChosenKeysAreStretchedByTheirBox) {
    key(front, "up", 1, 1.0);
    key(front, "up", 2, 2.0);
    session().selection.select({front});
    showCurves();
    session().selection.chooseKeys({{front, "up", 1}, {front, "up", 2}});
    QApplication::processEvents();
    // The box is 9 px around them; its hands are in the middles of its sides.
    const QPointF a = paper().placeOf(interaction::KeyRef{front, "up", 1}),
                  b = paper().placeOf(interaction::KeyRef{front, "up", 2});
    const double middle = (a.y() + b.y()) / 2, second = b.x() - a.x();
    drag(&paper(), {b.x() + 9, middle}, {b.x() + 9 + second, middle});
    const auto keys = [&] { return track(front, "up")->keys; };
    EXPECT_NEAR(keys()[1].time.toDouble(), 3, 0.05); // twice as long
    EXPECT_EQ(keys()[0].time, Rational(1));
    EXPECT_EQ(session().selection.keys().size(), 2u); // still chosen, where they are now
    session().document.undo();
    session().selection.chooseKeys({{front, "up", 1}, {front, "up", 2}});
    QApplication::processEvents();
    const double half = (a.x() + b.x()) / 2, rise = a.y() - b.y();
    drag(&paper(), {half, b.y() - 9}, {half, b.y() - 9 + rise / 2}); // its top, halfway down
    EXPECT_NEAR(keys()[0].value, 1, 1e-6);
    EXPECT_NEAR(keys()[1].value, 1.5, 0.02);
    EXPECT_EQ(keys()[1].time, Rational(2));
}

TEST_F(Tracks, TimeIsSpreadAtThePointerAndSlid) {
    const auto turn = [&](double x, int turns, Qt::KeyboardModifiers keys) {
        QWheelEvent wheel({x, 8}, timeline().mapToGlobal(QPointF(x, 8)), {}, {0, 120 * turns}, Qt::NoButton,
                          keys, Qt::NoScrollPhase, false);
        QApplication::sendEvent(&timeline(), &wheel);
    };
    const auto perFrame = [&] { return timeline().map().xOfFrame(1) - timeline().map().xOfFrame(0); };
    const double before = perFrame(), x = timeline().map().xOfFrame(60);
    turn(x, 4, Qt::ControlModifier);
    EXPECT_NEAR(perFrame(), before / std::pow(0.8, 4), 1e-9);
    EXPECT_NEAR(timeline().map().xOfFrame(60), x, 1e-6); // what is under the pointer stays
    QTest::mouseClick(&timeline(), Qt::LeftButton, Qt::NoModifier,
                      QPointF(timeline().map().xOfFrame(70), 8).toPoint());
    EXPECT_EQ(session().playhead.frame(), 70);
    turn(x, -1, Qt::ShiftModifier); // later
    EXPECT_LT(timeline().map().xOfFrame(60), x - 10);
    turn(x, -1000, Qt::ShiftModifier); // not beyond the end
    const double last = timeline().map().xOfFrame(static_cast<double>(scene().output.frames - 1));
    turn(x, -1, Qt::ShiftModifier);
    EXPECT_EQ(timeline().map().xOfFrame(static_cast<double>(scene().output.frames - 1)), last);
    QTest::mouseDClick(&timeline(), Qt::LeftButton, Qt::NoModifier, QPoint(400, 8));
    EXPECT_NEAR(perFrame(), before, 1e-9);
}

TEST_F(Tracks, ASignOfAFindingLeadsThereAndToTheList) {
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", 2}, {"position", {0, 1.5, -16}}}));
    ASSERT_TRUE(QTest::qWaitFor([&] { return !window.findings().report().findings.empty(); }, 10000));
    checks::Finding worst;
    for (const auto& finding : window.findings().report().findings)
        if (finding.kind == checks::Kind::Speed) worst = finding;
    ASSERT_EQ(worst.kind, checks::Kind::Speed);
    session().playhead.setFrame(100);
    const QRectF row = timeline().map().rowRect(0);
    const std::int64_t at = frameAt(worst.at, scene().output.rate);
    QTest::mouseClick(
        &timeline(), Qt::LeftButton, Qt::NoModifier,
        QPointF(timeline().map().xOfFrame(static_cast<double>(at)), row.bottom() - 6).toPoint());
    EXPECT_EQ(session().playhead.frame(), at);
    auto* sheet = window.findChild<FindingsSheet*>();
    ASSERT_TRUE(sheet);
    EXPECT_TRUE(sheet->isVisible());
    sheet->hide();
}

TEST_F(Tracks, AMarkUnderASignIsDraggedAllTheSame) {
    // A corner at the second mark at full speed: what is wrong there is told in that frame.
    const auto mark = [&](int time, double x, double z) {
        ASSERT_TRUE(
            session().document.apply({{"edit", "set-mark"}, {"time", time}, {"position", {x, 1.5, z}}}));
    };
    mark(2, 0, -8);
    mark(4, 9, -8);
    for (const int from : {1, 2})
        ASSERT_TRUE(session().document.apply({{"edit", "pace"}, {"mark", from}, {"pace", "even"}}));
    const auto sign = [&]() -> std::optional<Rational> {
        for (const auto& finding : window.findings().report().findings)
            if (finding.layer == 0 && std::abs(finding.at.toDouble() - 2) < 0.02) return finding.at;
        return {};
    };
    ASSERT_TRUE(QTest::qWaitFor([&] { return window.findings().known() && sign(); }, 10000));
    const double y = timeline().map().rowRect(0).center().y() + 1;
    drag(&timeline(), {timeline().map().xOf(*sign()), y}, {timeline().map().xOfFrame(72), y});
    EXPECT_EQ(scene().camera.marks[1].time, Rational(3));
    EXPECT_FALSE(window.findChild<FindingsSheet*>()->isVisible());
}

TEST_F(Tracks, FootageIsSlidInsideItsBar) {
    auto footage = std::make_shared<scene::Layer>(layer(front));
    footage->content = scene::Footage{{"rain.####.png", 0, ""}, Rational(24), 100, 0, Rational(0)};
    ASSERT_TRUE(session().document.apply({{"edit", "add"}, {"layers", {scene::toJson(*footage)}}}));
    const std::int64_t clip = scene().layers.back()->id;
    ASSERT_NE(clip, front);
    ASSERT_TRUE(
        session().document.apply(edit::onLayers("showing", std::vector{clip}, {{"in", "1"}, {"out", "3"}})));
    session().selection.select({clip});
    QApplication::processEvents();
    const auto start = [&] { return std::get<scene::Footage>(layer(clip).content).start; };
    const Rational was = start();
    const double frame = timeline().map().xOfFrame(1) - timeline().map().xOfFrame(0);
    const QPointF middle = timeline().map().barOf(clip).center() + QPointF(0, 4);
    drag(&timeline(), middle, middle + QPointF(6 * frame, 0), Qt::ControlModifier);
    EXPECT_EQ(start() - was, Rational(1, 4));       // 6 frames at 24
    EXPECT_EQ(layer(clip).showing.in, Rational(1)); // its bar stays
    EXPECT_EQ(layer(clip).showing.out, Rational(3));
    // Without Ctrl all of it goes.
    drag(&timeline(), middle, middle + QPointF(12 * frame, 0));
    EXPECT_EQ(start() - was, Rational(3, 4));
    EXPECT_EQ(layer(clip).showing.in, Rational(3, 2));
    session().document.undo();
    session().document.undo();
    EXPECT_EQ(start(), was);
}

TEST_F(Tracks, AllFramesAreKeptReadyWhileNothingIsDone) {
    ASSERT_TRUE(session().document.apply({{"edit", "settings"}, {"frames", 8}}));
    EXPECT_TRUE(
        QTest::qWaitFor([&] { return window.views().camera->picture().cache().count() == 8; }, 60000));
    const std::size_t each = window.views().camera->picture().cache().bytes() / 8;
    window.views().camera->picture().setPlayBudget(each * 3 + each / 2);
    EXPECT_EQ(window.views().camera->picture().cache().count(), 3);
    ASSERT_TRUE(session().document.apply({{"edit", "look"}, {"layers", {front}}, {"opacity", 0.5}}));
    EXPECT_LE(window.views().camera->picture().cache().count(),
              1); // what was rendered before is no longer true
}

}
}
