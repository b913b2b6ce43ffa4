// What is told of lamps and shadows, and that what is offered mends it.
#include "checks/check.h"
#include "checks/light.h"
#include "edit/edit.h"
#include "support/edits.h"
#include "support/moves.h"

#include <gtest/gtest.h>

namespace stage::checks {
namespace {

using test::applied;

/// A wall and a figure that stands on the ground.
scene::Scene wallAndFigure() {
    auto wall = test::sheet(1, {20, 20}, {0, 0, -10}), figure = test::sheet(2, {1, 2}, {0, 1, -6});
    wall->name = "Wall", figure->name = "Figure";
    scene::Scene scene = test::withSheets({test::mark(1, 0, V3d(0))}, {wall, figure});
    scene.output.frames = 5;
    return scene;
}

std::vector<Finding> told(const scene::Scene& scene, Kind kind) {
    auto findings = lightFindings(Frames(scene));
    EXPECT_TRUE(findings);
    std::erase_if(*findings, [&](const Finding& each) { return each.kind != kind; });
    return *findings;
}

}

TEST(LightChecks, TellALampThatLightsNothing) {
    scene::Scene scene =
        applied(wallAndFigure(), {{"edit", "add-lamp"}, {"position", {0, 1, -8}}, {"reach", 5}, {"glow", 0}});
    auto found = told(scene, Kind::LampOnNothing);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].layer, 3);
    EXPECT_TRUE(told(applied(scene, found[0].fixes[0].edit), Kind::LampOnNothing).empty());
    // Where it shows itself, or haze shows it, or a layer within its reach takes light, all is well.
    EXPECT_TRUE(
        told(applied(scene, {{"edit", "lamp"}, {"layers", {3}}, {"glow", 1}}), Kind::LampOnNothing).empty());
    EXPECT_TRUE(told(applied(scene, {{"edit", "haze"}, {"density", 0.1}}), Kind::LampOnNothing).empty());
    EXPECT_TRUE(told(applied(scene, {{"edit", "shading"}, {"layers", {1}}}), Kind::LampOnNothing).empty());
    const scene::Scene far = applied(scene, {{"edit", "lamp"}, {"layers", {3}}, {"reach", 1}});
    EXPECT_EQ(told(applied(far, {{"edit", "shading"}, {"layers", {1}}}), Kind::LampOnNothing).size(), 1u);
}

TEST(LightChecks, TellALayerThatIsLitFarBeyondWhite) {
    scene::Scene scene = applied(wallAndFigure(), {{"edit", "shading"}, {"layers", {2}}});
    EXPECT_TRUE(told(scene, Kind::OverLit).empty());
    scene = applied(
        scene,
        {{"edit", "add-lamp"}, {"position", {0, 1, -4}}, {"radius", 1}, {"strength", 6}, {"reach", 20}});
    auto found = told(scene, Kind::OverLit);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].layer, 2);
    EXPECT_GT(found[0].excess, 2);
    // Ambient light is left as it is, so what is lit by a lamp alone comes down to the limit.
    const scene::Scene dark = applied(scene, {{"edit", "ambient"}, {"level", 0}});
    const auto alone = told(dark, Kind::OverLit);
    ASSERT_EQ(alone.size(), 1u);
    EXPECT_TRUE(told(applied(dark, alone[0].fixes[0].edit), Kind::OverLit).empty());
}

TEST(LightChecks, TellAShadowThatFallsOnNothing) {
    const auto with = [](const edit::Edit& shadow) {
        return applied(applied(wallAndFigure(), {{"edit", "add-lamp"}, {"position", {0, 4, -3}}}),
                       {{"edit", "shadows"}, {"layers", {2}}, {"shadows", {shadow}}});
    };
    scene::Scene scene = with({{"from", 3}});
    const auto found = told(scene, Kind::ShadowOnNothing);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_NE(found[0].sentence.find("ground"), std::string::npos);
    EXPECT_TRUE(applied(scene, found[0].fixes[0].edit).layers[1]->shadows.empty());
    auto floor = test::sheet(9, {20, 20}, {0, 0, -8});
    floor->placement.turn.x = -90;
    scene.layers.push_back(floor);
    EXPECT_TRUE(told(scene, Kind::ShadowOnNothing).empty());
    EXPECT_TRUE(told(with({{"on", 1}}), Kind::ShadowOnNothing).empty());
    scene::Scene hidden = with({{"on", 1}});
    scene::changeLayer(hidden.layers, 1, [](scene::Layer& layer) { layer.visible = false; });
    EXPECT_EQ(told(hidden, Kind::ShadowOnNothing).size(), 1u);
    scene::Scene lost = with({{"from", 3}, {"on", 1}});
    lost.layers.pop_back();
    ASSERT_EQ(told(lost, Kind::ShadowOnNothing).size(), 1u);
    EXPECT_NE(told(lost, Kind::ShadowOnNothing)[0].sentence.find("lamp"), std::string::npos);
}

}
