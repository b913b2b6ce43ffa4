// Edits of shadows, finish, glare, grades by depth and tracks of the whole picture.
#include "edit/edit.h"
#include "motion/values.h"
#include "scene/scene_json.h"
#include "support/edits.h"
#include "support/moves.h"

#include <gtest/gtest.h>

namespace stage::edit {
namespace {

using test::applied;
using test::refused;

scene::Scene litFloor() {
    auto floor = test::sheet(1, {9, 9}, {0, 0, -9}), figure = test::sheet(2, {1, 1}, {0, 0, -5});
    floor->name = "Floor", figure->name = "Figure";
    scene::Scene scene = test::withSheets({test::mark(1, 0, V3d(0))}, {floor, figure});
    return applied(scene, {{"edit", "add-lamp"}, {"name", "Lantern"}});
}

}

TEST(LightEdits, ShadowsNameLampsAndLayers) {
    scene::Scene scene =
        applied(litFloor(),
                {{"edit", "shadows"},
                 {"layers", {"Figure"}},
                 {"shadows", {{{"from", "Lantern"}, {"on", "Floor"}, {"darkness", 0.4}}, {{"height", 20}}}}});
    const auto& shadows = scene.layers[1]->shadows;
    ASSERT_EQ(shadows.size(), 2u);
    EXPECT_EQ(shadows[0].from, 3);
    EXPECT_EQ(shadows[0].on, 1);
    EXPECT_EQ(shadows[0].darkness, 0.4);
    EXPECT_EQ(shadows[1].from, 0);
    EXPECT_EQ(shadows[1].height, 20);
    const auto again = scene::sceneFromJson(scene::toJson(scene));
    ASSERT_TRUE(again);
    EXPECT_EQ(again->layers[1]->shadows, shadows);
    // Keyed; taken off they take their keys along.
    scene = applied(
        scene, {{"edit", "key"}, {"layers", {2}}, {"property", "shadow"}, {"time", "0"}, {"value", 0.1}});
    EXPECT_EQ(motion::Values(scene).of(2, "shadow", 0), 0.1);
    scene = applied(scene, {{"edit", "shadows"}, {"layers", {2}}, {"shadows", Edit::array()}});
    EXPECT_TRUE(scene.layers[1]->shadows.empty() && scene.layers[1]->tracks.empty());
}

TEST(LightEdits, RefuseShadowsThatCannotBe) {
    const scene::Scene scene = litFloor();
    const auto with = [&](const Edit& shadow, std::int64_t layer = 2) {
        return refused(scene, {{"edit", "shadows"}, {"layers", {layer}}, {"shadows", {shadow}}});
    };
    for (const Edit& shadow : std::vector<Edit>{{{"from", "Floor"}},
                                                {{"from", "Nobody"}},
                                                {{"on", 77}},
                                                {{"on", "Figure"}},
                                                {{"darkness", 2}},
                                                {{"softness", -1}},
                                                {{"contactReach", 0}},
                                                {{"height", 100}},
                                                {{"wind", 1}}})
        EXPECT_NE(with(shadow), "taken") << shadow.dump();
    EXPECT_NE(with(Edit::object(), 3), "taken") << "of a lamp";
    Edit many = Edit::array();
    for (std::size_t i = 0; i <= scene::Shadow::most; ++i)
        many.push_back(Edit::object());
    EXPECT_NE(refused(scene, {{"edit", "shadows"}, {"layers", {2}}, {"shadows", many}}), "taken");
}

TEST(LightEdits, AShadowWhoseLampWasRemovedCanBeChangedAndGivenAnotherLight) {
    scene::Scene scene = applied(
        litFloor(), {{"edit", "shadows"}, {"layers", {2}}, {"shadows", {{{"from", 3}, {"darkness", 0.4}}}}});
    scene = applied(scene, {{"edit", "remove"}, {"layers", {3}}});
    scene = applied(scene,
                    {{"edit", "shadows"}, {"layers", {2}}, {"shadows", {{{"from", 3}, {"darkness", 0.8}}}}});
    ASSERT_EQ(scene.layers[1]->shadows.size(), 1u);
    EXPECT_EQ(scene.layers[1]->shadows[0].darkness, 0.8);
    EXPECT_EQ(scene.layers[1]->shadows[0].from, 3);
    EXPECT_NE(refused(scene, {{"edit", "shadows"}, {"layers", {2}}, {"shadows", {{{"from", 4}}}}}), "taken");
    scene = applied(scene, {{"edit", "shadows"}, {"layers", {2}}, {"shadows", {{{"from", 0}}}}});
    EXPECT_EQ(scene.layers[1]->shadows[0].from, 0);
}

TEST(LightEdits, FinishChangesWhatItNamesAndKeepsTheRest) {
    scene::Scene scene =
        applied(litFloor(), {{"edit", "finish"}, {"layers", {2}}, {"glow", {{"strength", 0.5}}}});
    scene = applied(
        scene,
        {{"edit", "finish"}, {"layers", {2}}, {"glow", {{"reach", 30}}}, {"dropShadow", {{"strength", 1}}}});
    const scene::Finish& finish = *scene.layers[1]->finish;
    EXPECT_EQ(finish.glow.strength, 0.5);
    EXPECT_EQ(finish.glow.reach, 30);
    EXPECT_EQ(finish.shadow.strength, 1);
    EXPECT_EQ(scene::reachOf(finish), 58) << "distance and softness of the shadow, and the glow on top";
    scene =
        applied(scene, {{"edit", "key"}, {"layers", {2}}, {"property", "glow"}, {"time", "1"}, {"value", 2}});
    EXPECT_EQ(motion::Values(scene).of(2, "glow", 1), 2);
    EXPECT_EQ(scene::sceneFromJson(scene::toJson(scene))->layers[1]->finish->glow.reach, 30);
    scene = applied(scene, {{"edit", "finish"}, {"layers", {2}}, {"remove", true}});
    EXPECT_FALSE(scene.layers[1]->finish);
    EXPECT_TRUE(scene.layers[1]->tracks.empty());
    for (const Edit& more : std::vector<Edit>{{{"glow", {{"reach", 0}}}},
                                              {{"glow", {{"colour", 1}}}},
                                              {{"softFocus", {{"share", 2}}}},
                                              {{"shine", 1}}}) {
        Edit edit = {{"edit", "finish"}, {"layers", {2}}};
        edit.update(more);
        EXPECT_NE(refused(scene, edit), "taken") << edit.dump();
    }
}

TEST(LightEdits, GlareAndGradesByDepthAreOfTheScene) {
    scene::Scene scene = applied(litFloor(), {{"edit", "glare"}, {"strength", 0.2}, {"streaks", 0.5}});
    EXPECT_EQ(scene.glare.strength, 0.2);
    scene = applied(
        scene, {{"edit", "depth-grades"},
                {"depthGrades", {{{"from", 5}, {"to", 9}, {"soft", 2}, {"grade", {{"exposure", -1}}}}}}});
    ASSERT_EQ(scene.depthGrades.size(), 1u);
    EXPECT_EQ(scene.depthGrades[0].grade.exposure, -1);
    const auto again = scene::sceneFromJson(scene::toJson(scene));
    ASSERT_TRUE(again);
    EXPECT_EQ(again->depthGrades, scene.depthGrades);
    EXPECT_EQ(again->glare, scene.glare);
    EXPECT_NE(refused(scene, {{"edit", "depth-grades"}, {"depthGrades", {{{"from", 5}, {"to", 2}}}}}),
              "taken");
    EXPECT_NE(refused(scene, {{"edit", "glare"}, {"radius", 0.9}}), "taken");
    EXPECT_NE(refused(scene, {{"edit", "view-transform"}, {"config", "/tmp/there/is/no.ocio"}}), "taken");
}

TEST(LightEdits, TheCameraHasTracksOfThePicture) {
    scene::Scene scene = litFloor();
    scene.grade.warmth = 10;
    for (const double time : {0.0, 2.0})
        scene = applied(scene, {{"edit", "key"},
                                {"property", "warmth"},
                                {"time", time == 0 ? "0" : "2"},
                                {"value", 10 + 20 * time}});
    EXPECT_EQ(motion::Values(scene).of(0, "warmth", 1), 30);
    // A key without a value has what is there now.
    scene = applied(scene, {{"edit", "key"}, {"property", "glare"}, {"time", "1"}});
    EXPECT_EQ(motion::Values(scene).of(0, "glare", 1), 0);
    // Layers may follow them.
    scene = applied(scene, {{"edit", "track"},
                            {"layers", {3}},
                            {"property", "strength"},
                            {"link", {{"property", "warmth"}, {"factor", 0.1}}}});
    EXPECT_NEAR(*motion::Values(scene).of(3, "strength", 1), 3, 1e-12);
    EXPECT_NE(refused(scene, {{"edit", "key"}, {"property", "gloom"}, {"time", "1"}, {"value", 1}}), "taken");
}

}
