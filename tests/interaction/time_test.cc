// What a drag changes in time: bars, the pace, keys on curves. Figures are worked out by hand.
#include "interaction/bar_edits.h"
#include "interaction/curve_edits.h"
#include "interaction/pace_edits.h"
#include "scene/scene_json.h"

#include <gtest/gtest.h>

namespace stage::interaction {
namespace {

struct Timed : ::testing::Test {
    scene::Scene scene = scene::emptyScene(); ///< 6 s at 24 a second
    void change(const edit::Edit& edit) {
        auto made = edit::apply(scene, edit);
        ASSERT_TRUE(made) << edit.dump() << made.error().sentence;
        scene = *made;
    }
    motion::CameraMove move() const { return motion::CameraMove(scene); }
};

// ---- bars

struct Bars : Timed {
    void SetUp() override {
        for (const char* name : {"A", "B"})
            change({{"edit", "add-card"}, {"name", name}});
        change({{"edit", "showing"}, {"layers", {1}}, {"in", "1"}, {"out", "3"}, {"fadeIn", "1/2"}});
    }
    const scene::Showing& showing(std::int64_t id) { return scene::find(scene, id).layer->showing; }
    /// Drags, and gives what is to be told of it.
    std::optional<Rational> drag(BarPart part, Rational by, std::vector<std::int64_t> layers = {1}) {
        const auto changed = barDragged(scene, layers, 1, part, by);
        if (!changed) return {};
        change(changed->edit);
        return changed->now;
    }
};

TEST_F(Bars, EndsMoveAndKeepAFrameBetweenThem) {
    EXPECT_EQ(drag(BarPart::In, Rational(1, 2)), Rational(3, 2));
    EXPECT_EQ(showing(1).in, Rational(3, 2));
    EXPECT_EQ(drag(BarPart::In, Rational(9)), Rational(3) - Rational(1, 24));
    EXPECT_EQ(drag(BarPart::Out, Rational(-9)), Rational(3));
}

TEST_F(Bars, AtTheScenesEndsALayerIsThereAlways) {
    EXPECT_EQ(drag(BarPart::In, Rational(-2)), Rational(0));
    EXPECT_FALSE(showing(1).in);
    const Rational end = scene::lastTime(scene);
    EXPECT_EQ(drag(BarPart::Out, Rational(100)), end);
    EXPECT_FALSE(showing(1).out);
}

TEST_F(Bars, FadesStayWithinTheBarAndGetAnEnd) {
    EXPECT_EQ(drag(BarPart::FadeIn, Rational(1, 4)), Rational(3, 4));
    EXPECT_EQ(drag(BarPart::FadeIn, Rational(-5)), Rational(0));
    EXPECT_EQ(drag(BarPart::FadeOut, Rational(-9)), Rational(2)); // all of it
    ASSERT_FALSE(showing(2).out);
    EXPECT_TRUE(drag(BarPart::FadeOut, Rational(-1), {2}));
    EXPECT_EQ(showing(2).out, scene::lastTime(scene));
    EXPECT_EQ(showing(2).fadeOut, Rational(1));
}

TEST_F(Bars, MovingTakesThoseThatHaveSomethingInTime) {
    EXPECT_EQ(drag(BarPart::Whole, Rational(1), {1, 2}), Rational(1));
    EXPECT_EQ(showing(1).in, Rational(2));
    EXPECT_EQ(showing(1).out, Rational(4));
    EXPECT_FALSE(showing(2).in);
    EXPECT_FALSE(drag(BarPart::Whole, Rational(1), {2}));
    EXPECT_FALSE(drag(BarPart::Footage, Rational(1)));
    EXPECT_FALSE(drag(BarPart::In, Rational(1), {77}));
}

TEST(BarParts, AreTakenWithinTheirReach) {
    const DrawnBar bar{{100, 20}, {200, 40}, 30, 0};
    EXPECT_EQ(barPartAt(bar, {105, 38}, true), BarPart::In);
    EXPECT_EQ(barPartAt(bar, {195, 38}, true), BarPart::Out);
    EXPECT_EQ(barPartAt(bar, {130, 25}, true), BarPart::FadeIn);
    EXPECT_EQ(barPartAt(bar, {130, 35}, true), BarPart::Whole);
    EXPECT_EQ(barPartAt(bar, {130, 25}, false), BarPart::Whole);
    EXPECT_EQ(barPartAt(bar, {193, 25}, true), BarPart::FadeOut); // none yet: beside the end
    EXPECT_FALSE(barPartAt(bar, {150, 45}, true));
    EXPECT_FALSE(barPartAt(bar, {80, 30}, true));
    EXPECT_FALSE(barPartAt({{100, 20}, {100, 40}, 0, 0}, {100, 30}, true));
    // A short one has no fades to take, so that its ends can be.
    EXPECT_EQ(barPartAt({{100, 20}, {124, 40}, 0, 0}, {106, 25}, true), BarPart::Whole);
    EXPECT_EQ(barPartAt({{100, 20}, {125, 40}, 0, 0}, {106, 25}, true), BarPart::FadeIn);
    // Reaches end sharply: 6 px beside an end, 5 beside a fade's, 4 above and below.
    EXPECT_EQ(barPartAt(bar, {94.1, 30}, false), BarPart::In);
    EXPECT_FALSE(barPartAt(bar, {93.9, 30}, false));
    EXPECT_EQ(barPartAt(bar, {134.9, 25}, true), BarPart::FadeIn);
    EXPECT_EQ(barPartAt(bar, {135.1, 25}, true), BarPart::Whole);
    EXPECT_EQ(barPartAt(bar, {189.1, 25}, true), BarPart::FadeOut);
    EXPECT_EQ(barPartAt(bar, {188.9, 25}, true), BarPart::Whole);
    EXPECT_EQ(barPartAt(bar, {150, 43.9}, false), BarPart::Whole);
    EXPECT_FALSE(barPartAt(bar, {150, 44.1}, false));
    EXPECT_FALSE(barPartAt(bar, {150, 15.9}, false));
}

// ---- pace

struct Paces : Timed {
    void SetUp() override {
        change({{"edit", "mark"}, {"mark", 1}, {"position", {0, 1, 0}}});
        change({{"edit", "set-mark"}, {"time", "2"}, {"position", {4, 1, 0}}});
        change({{"edit", "set-mark"}, {"time", "4"}, {"position", {8, 1, 0}}});
        change({{"edit", "pace"}, {"mark", 1}, {"pace", "even"}});
    }
};

TEST_F(Paces, TheMoveAtATimeIsFound) {
    EXPECT_EQ(paceAtTime(scene, 1)->move, 0u);
    EXPECT_EQ(paceAtTime(scene, 2)->move, 1u);
    EXPECT_EQ(paceAtTime(scene, 9)->move, 1u);
    EXPECT_EQ(paceAtTime(scene, 3)->begin, 2);
    change(wholePaceEdit(scene, 1, true));
    const auto whole = paceAtTime(scene, 1);
    EXPECT_TRUE(whole->whole);
    EXPECT_EQ(whole->end, 4);
    change(wholePaceEdit(scene, 1, false));
    EXPECT_FALSE(scene.camera.pace);
    EXPECT_FALSE(paceAtTime(scene::emptyScene(), 0));
}

TEST_F(Paces, ADrawnSpeedIsKeptInItsShape) {
    DrawnPace drawn(move(), *paceAtTime(scene, 1));
    for (const double speed : drawn.speeds())
        EXPECT_NEAR(speed, 2, 1e-6); // 4 m in 2 s
    drawn.draw(0, -1, 2, 3);         // below 0 is 0
    EXPECT_EQ(drawn.speeds().front(), 0);
    EXPECT_NEAR(drawn.speeds()[24], 1, 1e-12);
    EXPECT_NEAR(drawn.speeds().back(), 3, 1e-12);
    const auto edit = drawn.edit();
    ASSERT_TRUE(edit);
    change(*edit);
    EXPECT_EQ(scene.camera.marks[0].pace.drawn.size(), DrawnPace::steps);
    // The way stays as long, so the mean speed does: drawn 0 until 0.5 s, then up to 3, 1.125 on the mean.
    EXPECT_NEAR(move().speed(1.5), 2 * 2 / 1.125, 0.02);
    EXPECT_NEAR(move().speed(0.25), 0, 0.02);
    // Of a move that begins later, a stroke over its second half changes that half.
    DrawnPace later(move(), *paceAtTime(scene, 3));
    const std::vector<double> was = later.speeds();
    later.draw(3, 1.5, 4, 0.5);
    EXPECT_EQ(later.speeds()[0], was[0]);
    EXPECT_EQ(later.speeds()[23], was[23]);
    EXPECT_NEAR(later.speeds()[24], 1.5, 1e-12);
    EXPECT_NEAR(later.speeds()[36], 1, 1e-12);
    EXPECT_NEAR(later.speeds()[48], 0.5, 1e-12);
    DrawnPace still(move(), *paceAtTime(scene, 1));
    still.draw(0, 0, 2, 0);
    EXPECT_FALSE(still.edit());
}

// ---- curves

struct Curves : Timed {
    void SetUp() override {
        change({{"edit", "add-card"}, {"name", "A"}});
        for (const auto& [time, value] : {std::pair("1", 10.0), std::pair("3", 30.0), std::pair("4", 30.0)})
            change({{"edit", "key"},
                    {"layers", {1}},
                    {"property", "turn"},
                    {"time", time},
                    {"value", value},
                    {"pace", "even"}});
        change({{"edit", "key"}, {"layers", {1}}, {"property", "up"}, {"time", "1"}, {"value", 2}});
    }
    static KeyRef turn(Rational time) { return {1, "turn", time}; }
    const scene::Track& track() { return *trackOf(scene, 1, "turn"); }
};

TEST_F(Curves, AreSampledWithRoomAround) {
    const SampledCurve curve = sampledCurve(scene, move(), 1, "turn", 0, 4, 8);
    ASSERT_EQ(curve.values.size(), 9u);
    EXPECT_NEAR(curve.values[1], 10, 1e-12);
    EXPECT_NEAR(curve.values[4], 20, 1e-12);
    EXPECT_NEAR(curve.low, 10 - 2.4, 1e-12);
    EXPECT_NEAR(curve.high, 30 + 2.4, 1e-12);
    EXPECT_TRUE(curve.keyed.empty());
    // A level one has as much room as its unit asks for: 2 mm.
    const SampledCurve focal = sampledCurve(scene, move(), 0, "focal", 0, 4, 8);
    EXPECT_NEAR(focal.high - focal.low, 2, 1e-12);
}

TEST_F(Curves, HandlesStandAtThirdsOfAnEvenPaceAndMove) {
    const auto leaving = paceHandle(scene, turn(1), true), arriving = paceHandle(scene, turn(3), false);
    ASSERT_TRUE(leaving && arriving);
    EXPECT_NEAR((*leaving - V2d(1 + 2 / 3.0, 10 + 20 / 3.0)).length(), 0, 1e-12);
    EXPECT_NEAR((*arriving - V2d(1 + 4 / 3.0, 10 + 40 / 3.0)).length(), 0, 1e-12);
    EXPECT_FALSE(paceHandle(scene, turn(4), true));
    EXPECT_FALSE(paceHandle(scene, turn(1), false));
    const auto dragged = paceHandleDragged(scene, turn(1), true, {2, 25}, 0.01);
    ASSERT_TRUE(dragged);
    change(dragged->edit);
    EXPECT_NEAR(track().keys[0].pace.x1, 0.5, 1e-12);
    EXPECT_NEAR(track().keys[0].pace.y1, 0.75, 1e-12);
    EXPECT_NEAR(track().keys[0].pace.x2, 2 / 3.0, 1e-12);
    const auto far = paceHandleDragged(scene, turn(1), true, {99, 1000}, 0.01);
    EXPECT_EQ(far->pace.x1, 1);
    EXPECT_EQ(far->pace.y1, 4);
    // Between equal values only the time counts.
    const auto level = paceHandleDragged(scene, turn(3), true, {3.25, 99}, 0.01);
    EXPECT_EQ(level->pace.x1, 0.25);
    EXPECT_EQ(level->pace.y1, 0.25);
}

TEST_F(Curves, KeysGoToWholeFramesAndOthersOnlyInTime) {
    const MovedKeys moved =
        keysDragged({turn(1), {1, "up", Rational(1)}}, turn(1), 10, 0.51, 5, Rational(24));
    EXPECT_EQ(moved.time, Rational(1) + Rational(12, 24));
    EXPECT_EQ(moved.value, 15);
    change(moved.edit);
    EXPECT_EQ(track().keys[0].time, Rational(3, 2));
    EXPECT_EQ(track().keys[0].value, 15);
    EXPECT_EQ(trackOf(scene, 1, "up")->keys[0].time, Rational(3, 2));
    EXPECT_EQ(trackOf(scene, 1, "up")->keys[0].value, 2);
    EXPECT_EQ(moved.then, (KeyRefs{turn(Rational(3, 2)), {1, "up", Rational(3, 2)}}));
    // Within what the property can be.
    EXPECT_EQ(keysDragged({turn(3)}, turn(3), 30, 0, 1e9, Rational(24)).value, 36000);
}

TEST_F(Curves, StretchingKeepsTheFirstOrTheLast) {
    const KeyRefs keys{turn(1), turn(3)};
    const auto longer = keysStretched(scene, keys, 0.5, false);
    ASSERT_TRUE(longer);
    EXPECT_EQ(longer->then, (KeyRefs{turn(1), turn(2)}));
    const auto last = keysStretched(scene, keys, 0.5, true);
    ASSERT_TRUE(last);
    change(last->edit);
    EXPECT_EQ(track().keys[0].time, Rational(2));
    EXPECT_EQ(track().keys[1].time, Rational(3));
    change(valuesStretched({turn(2), turn(3)}, 2, 10));
    EXPECT_EQ(track().keys[0].value, 10);
    EXPECT_EQ(track().keys[1].value, 50);
    EXPECT_EQ(track().keys[2].value, 30);
}

}
}
