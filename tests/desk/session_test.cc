// The parts of a session, without a window.
#include "desk/session/session.h"
#include "scene/scene_json.h"
#include "support/support.h"

#include <QSignalSpy>
#include <gtest/gtest.h>

namespace stage::desk {
namespace {

struct Sessions : ::testing::Test {
    test::TempDir dir;
    Session session{dir / "journals"};
    Document& document = session.document;

    void SetUp() override {
        for (const char* name : {"A", "B", "C"})
            ASSERT_TRUE(document.apply({{"edit", "add-card"}, {"name", name}}));
    }
    static edit::Edit rename(const char* name) { return {{"edit", "rename"}, {"layer", 1}, {"name", name}}; }
    std::string name() const { return session.scene()->layers[0]->name; }
};

// ---- layers that are added

TEST_F(Sessions, AddedLayersAreSelectedTheOutermostOfThem) {
    const std::int64_t before = scene::highestId(*session.scene());
    const auto& layers = session.scene()->layers;
    const std::vector<std::int64_t> two{layers[0]->id, layers[1]->id};
    ASSERT_TRUE(session.addLayers(edit::onLayers("group", two)));
    ASSERT_EQ(session.selection.layers(), std::vector{before + 1}); // not what it holds
    ASSERT_TRUE(session.addLayers(edit::onLayers("duplicate", session.selection.layers())));
    ASSERT_EQ(session.selection.layers().size(), 1u);
    const auto copy = session.selection.only().layer;
    ASSERT_TRUE(copy->group());
    EXPECT_EQ(copy->group()->children.size(), 2u);
    EXPECT_FALSE(session.addLayers(edit::onLayers("duplicate", std::vector<std::int64_t>{999})));
    EXPECT_EQ(session.selection.only().layer, copy); // refused: nothing has changed
}

TEST_F(Sessions, WhatTheUserStoppedIsNoProblem) {
    QSignalSpy told(&session, &Session::problem);
    session.tell(cancelled().value());
    EXPECT_TRUE(told.isEmpty());
    session.tell(Error{"The disk is full."});
    ASSERT_EQ(told.count(), 1);
    EXPECT_EQ(told[0][0].toString(), QStringLiteral("The disk is full."));
}

// ---- document

TEST_F(Sessions, APreviewIsNoStepUntilItIsCommitted) {
    QSignalSpy changed(&document, &Document::sceneChanged);
    ASSERT_TRUE(document.preview(rename("while dragging")));
    ASSERT_TRUE(document.preview(rename("further on")));
    EXPECT_EQ(changed.count(), 2);
    EXPECT_EQ(name(), "further on");
    EXPECT_EQ(document.history().scene()->layers[0]->name, "A");
    const std::size_t step = document.history().step();
    document.commit();
    EXPECT_EQ(document.history().step(), step + 1);
    EXPECT_EQ(document.history().scene()->layers[0]->name, "further on");
    ASSERT_TRUE(document.preview(rename("dropped")));
    document.dropPreview();
    EXPECT_EQ(name(), "further on");
    EXPECT_EQ(document.history().step(), step + 1);
}

TEST_F(Sessions, OnlyTheFirstRefusalOfADragIsTold) {
    QSignalSpy problems(&session, &Session::problem);
    EXPECT_FALSE(document.preview(rename("")));
    EXPECT_EQ(problems.count(), 1);
    ASSERT_TRUE(document.preview(rename("good")));
    EXPECT_FALSE(document.preview(rename("")));
    EXPECT_EQ(problems.count(), 1);
    EXPECT_EQ(name(), "good"); // the last good one stays
    document.dropPreview();
    EXPECT_FALSE(document.tryOut(rename("")));
    EXPECT_EQ(problems.count(), 1);
    EXPECT_FALSE(document.apply(rename("")));
    EXPECT_EQ(problems.count(), 2);
}

TEST_F(Sessions, UndoGoesToAnyStepAndKnowsWhatIsSaved) {
    ASSERT_TRUE(document.save(dir / "s.ostage"));
    EXPECT_FALSE(document.modified());
    for (const char* each : {"x", "y", "z"})
        ASSERT_TRUE(document.apply(rename(each)));
    const std::size_t last = document.history().step();
    document.goTo(last - 2);
    EXPECT_EQ(name(), "x");
    document.redo();
    EXPECT_EQ(name(), "y");
    document.goTo(last - 3);
    EXPECT_FALSE(document.modified());
    document.undo(); // the saved state itself
    EXPECT_TRUE(document.modified());
    ASSERT_TRUE(document.apply(rename("another way")));
    document.undo();
    EXPECT_TRUE(document.modified()); // as many steps, but that state is gone
}

TEST_F(Sessions, AnotherSceneLeavesNothingOfTheOneBefore) {
    ASSERT_TRUE(document.save(dir / "s.ostage"));
    session.selection.select({1, 2});
    session.playhead.setFrame(30);
    session.playhead.setRange(std::pair<std::int64_t, std::int64_t>{10, 20});
    scene::Pose away = session.camera.pose();
    away.position.x += 3;
    session.camera.walk(away);
    ASSERT_TRUE(session.camera.offMove());
    QStringList order;
    QObject::connect(&document, &Document::sceneChanged, &session, [&] { order << "scene"; });
    QObject::connect(&session.selection, &Selection::layersChanged, &session, [&] { order << "selection"; });
    QObject::connect(&session.playhead, &Playhead::frameChanged, &session, [&] { order << "frame"; });
    QObject::connect(&session.camera, &ShownCamera::changed, &session, [&] { order << "camera"; });
    QObject::connect(&document, &Document::pathChanged, &session, [&] { order << "path"; });
    const int generation = document.generation();
    document.newScene();
    EXPECT_EQ(order, (QStringList{"scene", "frame", "selection", "camera", "path"}));
    EXPECT_EQ(document.generation(), generation + 1);
    EXPECT_TRUE(session.selection.layers().empty());
    EXPECT_EQ(session.playhead.frame(), 0);
    EXPECT_TRUE(session.playhead.playsAll());
    EXPECT_FALSE(session.camera.offMove());
    EXPECT_TRUE(document.path().empty());
}

// ---- playhead

TEST_F(Sessions, ThePlayheadStaysWithinTheScene) {
    Playhead& playhead = session.playhead;
    QSignalSpy frames(&playhead, &Playhead::frameChanged);
    playhead.setFrame(1'000'000);
    EXPECT_EQ(playhead.frame(), session.scene()->output.frames - 1);
    playhead.setFrame(1'000'000); // no change, no word
    EXPECT_EQ(frames.count(), 1);
    playhead.setRange(std::pair<std::int64_t, std::int64_t>{100, 20}); // either way round
    EXPECT_EQ(playhead.range(), (std::pair<std::int64_t, std::int64_t>{20, 100}));
    ASSERT_TRUE(document.apply({{"edit", "settings"}, {"frames", 50}}));
    EXPECT_EQ(playhead.frame(), 49);
    EXPECT_EQ(playhead.range(), (std::pair<std::int64_t, std::int64_t>{20, 49}));
    EXPECT_EQ(playhead.time(), Rational(49, 24));
}

// ---- selection

TEST_F(Sessions, ClicksSelectAndWhatIsGoneIsNotSelected) {
    Selection& selection = session.selection;
    QSignalSpy changed(&selection, &Selection::layersChanged);
    selection.click(1, false);
    selection.click(3, true);
    EXPECT_EQ(selection.layers(), (std::vector<std::int64_t>{1, 3}));
    selection.click(3, false); // with others: they may be about to be dragged together
    EXPECT_EQ(selection.layers().size(), 2u);
    EXPECT_FALSE(selection.only().layer);
    selection.click(3, true);
    EXPECT_EQ(selection.only().layer->name, "A");
    EXPECT_EQ(changed.count(), 3);
    ASSERT_TRUE(document.apply({{"edit", "remove"}, {"layers", {1}}}));
    EXPECT_TRUE(selection.layers().empty());
    selection.click(2, false);
    selection.click(0, false);
    EXPECT_TRUE(selection.layers().empty());
}

TEST_F(Sessions, KeysAreChosenMovedAndRemoved) {
    Selection& selection = session.selection;
    for (const char* time : {"1", "2"})
        ASSERT_TRUE(document.apply(
            {{"edit", "key"}, {"layers", {1}}, {"property", "turn"}, {"time", time}, {"value", 5}}));
    const interaction::KeyRef first{1, "turn", Rational(1)}, second{1, "turn", Rational(2)};
    EXPECT_TRUE(selection.clickKey(first, false));
    EXPECT_TRUE(selection.clickKey(second, true));
    EXPECT_TRUE(selection.clickKey(first, false));
    EXPECT_EQ(selection.keys().size(), 2u);
    EXPECT_FALSE(selection.clickKey(second, true));
    const interaction::KeyRef later{1, "turn", Rational(3)};
    selection.previewKeys(interaction::changeOfKeys({first}, {.shift = Rational(2)}, "Move keys"), {later});
    EXPECT_EQ(selection.keys(), interaction::KeyRefs{later});
    document.dropPreview(); // it is not there then, so neither is it chosen
    EXPECT_TRUE(selection.keys().empty());
    selection.chooseKeys({first});
    selection.removeKeys();
    EXPECT_FALSE(interaction::keyOf(*session.scene(), first));
    EXPECT_TRUE(interaction::keyOf(*session.scene(), second));
}

// ---- the camera shown

TEST_F(Sessions, WalkingOnAMarkChangesItElsewhereLeavesTheMove) {
    ASSERT_TRUE(document.apply({{"edit", "set-mark"}, {"time", "2"}, {"position", {4, 1, 0}}}));
    ShownCamera& camera = session.camera;
    EXPECT_EQ(camera.markHere(), 0);
    scene::Pose pose = camera.pose();
    pose.position.y += 1;
    camera.walk(pose);
    camera.endWalk();
    EXPECT_NEAR(session.scene()->camera.marks[0].pose.position.y, pose.position.y, 1e-9);
    session.playhead.setFrame(24);
    EXPECT_EQ(camera.markHere(), -1);
    pose = camera.pose();
    pose.position.z -= 2;
    QSignalSpy changed(&camera, &ShownCamera::changed);
    camera.walk(pose);
    EXPECT_EQ(changed.count(), 1);
    EXPECT_TRUE(camera.offHere());
    EXPECT_NEAR(camera.pose().position.z, pose.position.z, 1e-9);
    EXPECT_EQ(session.scene()->camera.marks.size(), 2u);
    session.playhead.setFrame(0); // the pose waits at its time
    EXPECT_FALSE(camera.offHere());
    EXPECT_TRUE(camera.offMove());
    camera.setMarkOffMove();
    EXPECT_EQ(session.scene()->camera.marks.size(), 3u);
    EXPECT_EQ(session.playhead.frame(), 24); // the playhead goes to the mark that was made
    EXPECT_FALSE(camera.offMove());
    EXPECT_NEAR(session.scene()->camera.marks[1].pose.position.z, pose.position.z, 1e-9);
}

TEST_F(Sessions, ACancelledWalkGoesBackToWhereItBegan) {
    ShownCamera& camera = session.camera;
    session.playhead.setFrame(24);
    scene::Pose first = camera.pose(), second = first;
    first.position.x = 1;
    second.position.x = 2;
    camera.walk(first);
    camera.walk(second);
    camera.cancelWalk(first);
    EXPECT_NEAR(camera.pose().position.x, 1, 1e-9);
    camera.cancelWalk({});
    EXPECT_FALSE(camera.offMove());
}

// ---- together

TEST_F(Sessions, OnlyWhatIsFreeIsMoved) {
    ASSERT_TRUE(document.apply({{"edit", "group"}, {"layers", {2, 3}}, {"name", "G"}}));
    ASSERT_TRUE(document.apply({{"edit", "lock"}, {"layers", {"G"}}, {"locked", true}}));
    session.selection.select({1, 2});
    EXPECT_EQ(session.movable(), std::vector<std::int64_t>{1});
    session.playhead.setFrame(12);
    session.setHoldFraming(false);
    const edit::Edit push = session.push({{"by", 1}});
    EXPECT_EQ(push["layers"], edit::Edit({1}));
    EXPECT_EQ(push["holdFraming"], false);
    EXPECT_EQ(push["time"], Rational(1, 2).text());
    EXPECT_EQ(push["mark"], 1);
}

TEST_F(Sessions, APropertyWithKeysIsSetByAKey) {
    const edit::Edit plain = {{"edit", "place"}};
    EXPECT_EQ(session.setting(1, "turn", 5, plain), plain);
    ASSERT_TRUE(document.apply(
        {{"edit", "key"}, {"layers", {1}}, {"property", "turn"}, {"time", "1"}, {"value", 5}}));
    session.playhead.setFrame(48);
    ASSERT_TRUE(document.apply(session.setting(1, "turn", 9, plain)));
    const auto* key = interaction::keyOf(*session.scene(), {1, "turn", Rational(2)});
    ASSERT_TRUE(key);
    EXPECT_EQ(key->value, 9);
}

}
}
