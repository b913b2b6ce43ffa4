// Keys that are chosen, changed, copied: the edits made of that, by what they do to a scene.
#include "interaction/key_edits.h"
#include "scene/scene_json.h"

#include <gtest/gtest.h>

namespace stage::interaction {
namespace {

using Times = std::vector<Rational>;

struct Keys : ::testing::Test {
    scene::Scene scene = scene::emptyScene();
    void SetUp() override {
        for (const edit::Edit& each : std::vector<edit::Edit>{{{"edit", "add-card"}, {"name", "A"}},
                                                              {{"edit", "add-card"}, {"name", "B"}}})
            change(each);
        for (const auto& [layer, time, value] :
             {std::tuple(1, "1", 5.0), std::tuple(1, "2", 10.0), std::tuple(2, "3", 7.0)})
            change({{"edit", "key"},
                    {"layers", {layer}},
                    {"property", "turn"},
                    {"time", time},
                    {"value", value}});
    }
    void change(const edit::Edit& edit) {
        auto made = edit::apply(scene, edit);
        ASSERT_TRUE(made) << edit.dump() << made.error().sentence;
        scene = *made;
    }
    Times times(std::int64_t layer) const {
        Times found;
        for (const KeyRef& key : keysOf(scene, layer, "turn"))
            found.push_back(key.time);
        return found;
    }
    double value(std::int64_t layer, Rational time) const {
        const auto* key = keyOf(scene, {layer, "turn", time});
        return key ? key->value : std::nan("");
    }
    KeyRefs all() const {
        KeyRefs keys = keysOf(scene, 1, "turn");
        for (const KeyRef& key : keysOf(scene, 2, "turn"))
            keys.push_back(key);
        return keys;
    }
};

TEST_F(Keys, AreFoundByWhereTheyAre) {
    EXPECT_EQ(times(1), (Times{Rational(1), Rational(2)}));
    EXPECT_EQ(value(1, Rational(2)), 10);
    EXPECT_FALSE(keyOf(scene, {1, "turn", Rational(3, 2)}));
    EXPECT_TRUE(tracksOf(scene, 99).empty());
    EXPECT_TRUE(contains(all(), {2, "turn", Rational(3)}));
    const KeyRefs there =
        existingKeys(scene, {{1, "turn", Rational(1)}, {1, "turn", Rational(9)}, {7, "turn", Rational(1)}});
    EXPECT_EQ(there, (KeyRefs{{1, "turn", Rational(1)}}));
}

TEST_F(Keys, AShiftMovesAllOfThemByAsMuch) {
    change(changeOfKeys(all(), {.shift = Rational(1, 2)}, "Move keys"));
    EXPECT_EQ(times(1), (Times{Rational(3, 2), Rational(5, 2)}));
    EXPECT_EQ(times(2), (Times{Rational(7, 2)}));
    EXPECT_EQ(value(1, Rational(5, 2)), 10);
    EXPECT_EQ(shiftedKeys({{2, "turn", Rational(3)}}, Rational(1, 2)),
              (KeyRefs{{2, "turn", Rational(7, 2)}}));
}

TEST_F(Keys, StretchingAndReversingGoOverTheSpanOfAllOfThem) {
    change(changeOfKeys(all(), {.stretch = 2}, "Stretch keys")); // 1, 2 | 3 about 1
    EXPECT_EQ(times(1), (Times{Rational(1), Rational(3)}));
    EXPECT_EQ(times(2), (Times{Rational(5)}));
    change(changeOfKeys(all(), {.reverse = true}, "Reverse keys")); // 1, 3 | 5 becomes 3, 5 | 1
    EXPECT_EQ(times(1), (Times{Rational(3), Rational(5)}));
    EXPECT_EQ(times(2), (Times{Rational(1)}));
    EXPECT_EQ(value(1, Rational(3)), 10);
    EXPECT_EQ(value(1, Rational(5)), 5);
}

TEST_F(Keys, CopiesGoToEveryTargetFromTheGivenTimeOn) {
    const CopiedKeys copied = copyKeys(scene, keysOf(scene, 1, "turn"));
    const auto edit = pasteKeys(copied, Rational(4), {1, 2});
    ASSERT_TRUE(edit);
    change(*edit);
    EXPECT_EQ(times(1), (Times{Rational(1), Rational(2), Rational(4), Rational(5)}));
    EXPECT_EQ(times(2), (Times{Rational(3), Rational(4), Rational(5)}));
    EXPECT_EQ(value(2, Rational(5)), 10);
}

TEST_F(Keys, CopiesOfSeveralLayersStayWithThem) {
    const auto edit = pasteKeys(copyKeys(scene, all()), Rational(4), {1});
    ASSERT_TRUE(edit);
    change(*edit);
    EXPECT_EQ(times(1), (Times{Rational(1), Rational(2), Rational(4), Rational(5)}));
    EXPECT_EQ(times(2), (Times{Rational(3), Rational(6)}));
}

TEST_F(Keys, WhatATargetHasNoPropertyForIsLeftOut) {
    EXPECT_FALSE(pasteKeys({}, Rational(0), {1}));
    const auto names = propertiesOf(0);
    ASSERT_EQ(std::find(names.begin(), names.end(), "turn"), names.end()); // the camera pans, tilts and rolls
    EXPECT_FALSE(pasteKeys(copyKeys(scene, keysOf(scene, 1, "turn")), Rational(0), {}));
}

TEST_F(Keys, PropertiesSayHowTheyAreShown) {
    EXPECT_EQ(propertyFormat(1, "turn").unit, "°");
    EXPECT_EQ(propertyFormat(1, "turn").decimals, 1);
    EXPECT_EQ(propertyFormat(0, "focal").unit, "mm");
    EXPECT_EQ(propertyFormat(0, "no such thing").unit, "");
}

TEST_F(Keys, SeveralEditsBecomeOneFlatStep) {
    const edit::Edit look = {{"edit", "look"}, {"layers", {1}}, {"visible", false}};
    EXPECT_EQ(combined("One", {look}), look);
    const edit::Edit both = combined("Both", {edit::several("Two", {look, look}), look});
    EXPECT_EQ(both["edit"], "several");
    EXPECT_EQ(both["edits"].size(), 3u);
}

}
}
