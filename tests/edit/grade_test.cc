// Edits of colours, and grades in files.
#include "edit/edit.h"
#include "scene/file.h"
#include "scene/scene_json.h"
#include "support/edits.h"
#include "support/moves.h"
#include "support/support.h"

#include <gtest/gtest.h>

namespace stage::edit {
namespace {

using test::applied;
using test::refused;

scene::Scene twoSheets() {
    return test::withSheets({test::mark(1, 0, V3d(0))},
                            {test::sheet(1, {9, 9}, {0, 0, -9}), test::sheet(2, {1, 1}, {0, 0, -5})});
}

const char* const cube = "LUT_3D_SIZE 2\n0 0 0\n1 0 0\n0 1 0\n1 1 0\n0 0 1\n1 0 1\n0 1 1\n1 1 0.5\n";

}

TEST(GradeEdits, ChangeWhatTheyNameAndKeepTheRest) {
    scene::Scene scene =
        applied(twoSheets(), {{"edit", "grade"}, {"layers", {2}}, {"exposure", 1}, {"tint", 4}});
    scene = applied(scene, {{"edit", "grade"}, {"layers", {2}}, {"exposure", -2}});
    EXPECT_EQ(scene.layers[1]->grade->exposure, -2);
    EXPECT_EQ(scene.layers[1]->grade->tint, 4);
    EXPECT_FALSE(scene.layers[0]->grade);
    EXPECT_EQ(scene.grade, scene::Grade());
    scene = applied(scene, {{"edit", "grade"}, {"saturation", 0.5}, {"power", {1, 1.1, 1}}});
    EXPECT_EQ(scene.grade.saturation, 0.5);
    EXPECT_EQ(scene.grade.power, V3d(1, 1.1, 1));
    EXPECT_EQ(applied(scene, {{"edit", "grade"}, {"remove", true}}).grade, scene::Grade());
}

TEST(GradeEdits, TakenOffTheyTakeTheirKeysAlong) {
    scene::Scene scene = applied(twoSheets(), {{"edit", "grade"}, {"layers", {2}}, {"exposure", 1}});
    scene = applied(
        scene, {{"edit", "key"}, {"layers", {2}}, {"property", "exposure"}, {"time", "1"}, {"value", 3}});
    EXPECT_EQ(scene.layers[1]->tracks.size(), 1u);
    scene = applied(scene, {{"edit", "grade"}, {"layers", {2}}, {"remove", true}});
    EXPECT_FALSE(scene.layers[1]->grade);
    EXPECT_TRUE(scene.layers[1]->tracks.empty());
}

TEST(GradeEdits, RefuseWhatNoGradeCanBe) {
    const scene::Scene scene = twoSheets();
    for (const Edit& more : std::vector<Edit>{{{"exposure", 99}},
                                              {{"power", {0, 1, 1}}},
                                              {{"slope", {1, 1}}},
                                              {{"curves", {{"all", {{0, 0}}}}}},
                                              {{"curves", {{"all", {{0.5, 0}, {0.5, 1}}}}}},
                                              {{"curves", {{"violet", {{0, 0}, {1, 1}}}}}},
                                              {{"look", {{"path", "/tmp/there/is/no/such.cube"}}}},
                                              {{"look", {{"strength", 2}}}},
                                              {{"glow", 1}}}) {
        Edit edit = {{"edit", "grade"}};
        edit.update(more);
        EXPECT_NE(refused(scene, edit), "taken") << edit.dump();
    }
    const scene::Scene snowed = applied(scene, {{"edit", "add-particles"}, {"ready", "snow"}});
    EXPECT_NE(refused(snowed, {{"edit", "grade"}, {"layers", {snowed.layers.back()->id}}, {"tint", 1}}),
              "taken");
}

TEST(GradeEdits, AreReadAgainFromFilesWithTheirLooksBesideThem) {
    const test::TempDir folder;
    test::writeAll(folder / "dusk.cube", cube);
    scene::Scene scene = applied(
        twoSheets(),
        {{"edit", "grade"},
         {"layers", {2}},
         {"exposure", 0.5},
         {"warmth", 20},
         {"offset", {0.1, 0, -0.1}},
         {"contrast", 1.2},
         {"pivot", 0.3},
         {"curves", {{"all", {{0, 0}, {0.5, 0.4}, {1, 1}}}, {"blue", {{0, 0.1}, {1, 1}}}}},
         {"look", {{"path", (folder / "dusk.cube").string()}, {"values", "light"}, {"strength", 0.5}}}});
    scene = applied(
        scene, {{"edit", "grade"}, {"on", false}, {"look", {{"path", (folder / "dusk.cube").string()}}}});
    ASSERT_TRUE(scene::save(scene, folder / "scene.ostage"));
    EXPECT_NE(test::readAll(folder / "scene.ostage").find("\"path\": \"dusk.cube\""), std::string::npos);
    const auto read = scene::load(folder / "scene.ostage");
    ASSERT_TRUE(read) << read.error().sentence;
    EXPECT_EQ(*read->layers[1]->grade, *scene.layers[1]->grade);
    EXPECT_EQ(read->grade, scene.grade);
}

}
