// Colours picked from pictures, lenses that keep what is seen, layers on a clipboard.
#include "edit/clipboard.h"
#include "edit/edit.h"
#include "motion/measure.h"
#include "optics/placing.h"
#include "support/support.h"

#include <gtest/gtest.h>

namespace stage::edit {
namespace {

/// A colour said by where it is becomes that colour.
TEST(CutEdits, ColoursArePickedFromThePicture) {
    const test::TempDir dir;
    test::writePicture(dir / "s.png", {40, 30}, [](int x, int) {
        return x < 20 ? test::Rgba8{0, 188, 0} : test::Rgba8{188, 188, 188};
    });
    auto scene =
        edit::apply(scene::emptyScene(), {{"edit", "bring-in"}, {"files", {(dir / "s.png").string()}}});
    ASSERT_TRUE(scene);
    scene = edit::apply(*scene, {{"edit", "cut-out"},
                                 {"layers", {"s"}},
                                 {"key", {{"kind", "colour"}, {"screen", {{"at", {5, 10}}}}}},
                                 {"match", {{"grey", {{"at", {30, 10}}}}}}});
    ASSERT_TRUE(scene) << scene.error().sentence;
    const scene::Cutout& cutout = *scene->layers.front()->cutout;
    const auto& screen = std::get<scene::ColourKey>(*cutout.key).screen;
    EXPECT_NEAR(screen.g, 0.5029, 2e-3); // 188 of 255 in sRGB
    EXPECT_NEAR(screen.r, 0, 1e-3);
    EXPECT_NEAR(cutout.match->grey->b, 0.5029, 2e-3);
    const auto refused = edit::apply(*scene, {{"edit", "cut-out"},
                                              {"layers", {"s"}},
                                              {"key", {{"kind", "colour"}, {"screen", {{"at", {50, 10}}}}}}});
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().sentence, "'s' has no colour at 50, 10.");
}

/// Another lens, the same picture: a card in focus keeps its corners when the camera steps back, and all that
/// face the camera do when the layers are refitted.
TEST(Lens, AnotherOneKeepsWhatIsSeen) {
    auto scene = scene::emptyScene();
    scene.layers = {test::pictureLayer(1, "far", "/a.png", {100, 50}, 8, {1.5, 0.4, -20}),
                    test::pictureLayer(2, "near", "/b.png", {100, 50}, 2, {-0.6, 0.2, -5})};
    const auto corners = [](const scene::Scene& of, std::int64_t id) {
        return *motion::measure(of, id, motion::CameraMove(of), Rational(0)).corners;
    };
    const auto stepped =
        edit::apply(scene, {{"edit", "lens"}, {"focal", 70}, {"refit", "camera"}, {"layer", "near"}});
    ASSERT_TRUE(stepped) << stepped.error().sentence;
    EXPECT_NEAR(stepped->camera.marks[0].pose.position.z, 5,
                1e-9); // 5 m become 10 m at twice the focal length
    EXPECT_NEAR(stepped->camera.marks[0].pose.focus, 15, 1e-9);
    const auto refitted = edit::apply(scene, {{"edit", "lens"}, {"focal", 70}, {"refit", "layers"}});
    ASSERT_TRUE(refitted) << refitted.error().sentence;
    for (std::size_t i = 0; i < 4; ++i) {
        const V2d near = corners(scene, 2)[i], far = corners(scene, 1)[i];
        EXPECT_NEAR((corners(*stepped, 2)[i] - near).length(), 0, 1e-6);
        EXPECT_GT((corners(*stepped, 1)[i] - far).length(), 20); // the background is what changes
        EXPECT_NEAR((corners(*refitted, 2)[i] - near).length(), 0, 1e-6);
        EXPECT_NEAR((corners(*refitted, 1)[i] - far).length(), 0, 1e-6);
    }
    EXPECT_NEAR(refitted->layers[0]->placement.position.z, -20, 1e-9);
    EXPECT_FALSE(edit::apply(scene, {{"edit", "lens"}, {"fstop", 4}, {"refit", "camera"}}));
}

/// Copied layers stand for themselves: in their own scene they keep their ties, elsewhere only those among
/// them.
TEST(Clipboard, LayersGoFromSceneToScene) {
    auto scene = scene::emptyScene();
    for (int i = 1; i <= 4; ++i)
        scene.layers.push_back(
            test::pictureLayer(i, "L" + std::to_string(i), "/a.png", {100, 50}, 2, {i * 1.0, 0, -5.0 * i}));
    for (const Edit& edit : std::vector<Edit>{
             {{"edit", "group"}, {"layers", {"L1", "L2"}}, {"name", "G"}},
             {{"edit", "follow"}, {"layers", {"L3"}}, {"leader", "L4"}},
             {{"edit", "add-matte"}, {"layer", "L3"}, {"matte", {{"kind", "layer"}, {"layer", "L4"}}}}}) {
        auto made = edit::apply(scene, edit);
        ASSERT_TRUE(made) << made.error().sentence;
        scene = *made;
    }
    const auto place = [](const scene::Scene& of, const std::string& name) {
        for (const scene::LayerPath& found : scene::all(of))
            if (found.layer->name == name) return optics::pivotOf(found);
        ADD_FAILURE() << name;
        return V3d(0);
    };
    const auto text = copied(scene, {2, 3});
    ASSERT_TRUE(text) << text.error().sentence;
    for (const bool same : {true, false}) {
        const scene::Scene target = same ? scene : scene::emptyScene();
        const auto edit = pasted(target, *text, same);
        ASSERT_TRUE(edit) << edit.error().sentence;
        const auto after = edit::apply(target, *edit);
        ASSERT_TRUE(after) << after.error().sentence;
        const std::string two = same ? "L2 2" : "L2", three = same ? "L3 2" : "L3";
        EXPECT_NEAR((place(*after, two) - place(scene, "L2")).length(), 0, 1e-9);
        EXPECT_NEAR((place(*after, three) - place(scene, "L3")).length(), 0, 1e-9);
        const scene::LayerPtr last = after->layers.back();
        EXPECT_EQ(last->name, three);
        EXPECT_EQ(last->cutout ? last->cutout->mattes.size() : 0u, same ? 1u : 0u);
        EXPECT_EQ(last->follows, 0);
    }
    EXPECT_FALSE(pasted(scene, "[1, 2]", true));
    EXPECT_FALSE(pasted(scene, R"({"format":"open-stage-layers","layers":[3]})", true));
}

}
}
