// Edits of particles, clouds, veils, footage over black and displaced pixels.
#include "checks/cover.h"
#include "edit/edit.h"
#include "motion/frame.h"
#include "motion/measure.h"
#include "scene/scene_json.h"
#include "support/edits.h"
#include "support/moves.h"

#include <gtest/gtest.h>

namespace stage::edit {
namespace {

using test::applied;
using test::refused;

using scene::Scene;
using test::mark;

Scene walking() {
    return test::withSheets({mark(1, 0, {0, 1, 0}, 0), mark(2, 2, {0.8, 1.2, -3}, 8)},
                            {test::sheet(1, {4, 2}, {0, 1, -9})});
}

const scene::Particles& particlesOf(const Scene& scene) {
    return std::get<scene::Particles>(scene.layers.back()->content);
}

TEST(AirEdits, AddEveryReadyKindSoThatItIsSeenAtOnce) {
    for (const scene::ReadyParticles& ready : scene::readyParticles()) {
        const Scene scene = applied(walking(), {{"edit", "add-particles"}, {"ready", ready.name}});
        EXPECT_EQ(particlesOf(scene), ready.particles) << ready.name;
        EXPECT_EQ(scene.layers.back()->blend, ready.light ? scene::Blend::Add : scene::Blend::Normal);
        // The box is ahead of the camera, and its particles are there at time 0.
        const motion::Frame frame = motion::evaluate(scene, 0, {320, 180});
        ASSERT_EQ(frame.items.size(), 2u) << ready.name;
        ASSERT_TRUE(frame.items.back().box);
        EXPECT_GT(optics::depthOf(frame.view, frame.items.back().box->now.origin), 0);
    }
}

TEST(AirEdits, TakeARateForACountAndLayersToShow) {
    Scene scene =
        applied(walking(), {{"edit", "add-particles"}, {"rate", 40}, {"life", 5}, {"show", {"Sheet 1"}}});
    EXPECT_EQ(particlesOf(scene).count, 200);
    EXPECT_EQ(particlesOf(scene).pictures, std::vector<std::int64_t>{1});
    const std::int64_t id = scene.layers.back()->id;
    scene = applied(
        scene, {{"edit", "particles"}, {"layers", {id}}, {"box", {3, 2, 1}}, {"turbulence", {{"size", 2}}}});
    EXPECT_EQ(scene.layers.back()->natural(), V2d(3, 2));
    EXPECT_EQ(particlesOf(scene).count, 200); // what is not named stays
    EXPECT_NE(refused(scene, {{"edit", "particles"}, {"layers", {id}}, {"rate", 1e6}}).find("20000"),
              std::string::npos);
    refused(scene, {{"edit", "particles"}, {"layers", {id}}, {"count", 1'000'000}});
    refused(scene, {{"edit", "particles"}, {"layers", {id}}, {"count", 5}, {"rate", 5}});
    refused(scene, {{"edit", "particles"}, {"layers", {1}}, {"count", 5}});
    refused(scene, {{"edit", "particles"}, {"layers", {id}}, {"show", {id}}});
    refused(scene, {{"edit", "particles"}, {"layers", {id}}, {"opacities", {{0.5, 1}, {0.2, 1}}}});
    refused(scene, {{"edit", "particles"}, {"layers", {id}}, {"turbulence", {{"colour", 1}}}});
}

TEST(AirEdits, BoxesThatGoWithTheCameraAreMovedAsTheyStandAtTheFirstMark) {
    Scene scene = applied(walking(), {{"edit", "add-particles"}, {"ready", "snow"}});
    const std::int64_t id = scene.layers.back()->id;
    const V3d place = scene.layers.back()->placement.position;
    const motion::CameraMove move(scene);
    const V3d gone = move.at(2).position - move.at(0).position;
    const auto middleAt = [&](const Scene& of, Rational time) {
        const motion::ResolvedScene now(of, time, move.at(time.toDouble()));
        return optics::pivotOf(now.find(id));
    };
    EXPECT_LT((middleAt(scene, 2) - (place + gone)).length(), 1e-9);
    // Slid at the end of the move, it is that much further at its begin, too.
    const Scene slid =
        applied(scene, {{"edit", "slide"}, {"layers", {id}}, {"by", {0.5, 0.25, 0}}, {"time", "2"}});
    EXPECT_LT((slid.layers.back()->placement.position - (place + V3d(0.5, 0.25, 0))).length(), 1e-9);
    EXPECT_LT((middleAt(slid, 2) - (place + gone + V3d(0.5, 0.25, 0))).length(), 1e-9);
    // What drifts in it stays in the world: between two times a flake has only drifted, or come in again.
    const motion::Frame begin = motion::evaluate(scene, 0, {320, 180}),
                        end = motion::evaluate(scene, 2, {320, 180});
    EXPECT_LT((end.items.back().box->moved - gone).length(), 1e-9); // its box is not turned here
    EXPECT_EQ(begin.items.back().box->moved, V3d(0));
}

TEST(AirEdits, AVeilFillsTheFrameOverTheWholeMoveAndNoMore) {
    const Scene scene = applied(walking(), {{"edit", "add-veil"}, {"depth", 6}, {"opacity", 0.4}});
    const scene::Layer& veil = *scene.layers.back();
    EXPECT_EQ(veil.opacity, 0.4);
    const auto cover = checks::cover(scene, {veil.id});
    ASSERT_TRUE(cover);
    EXPECT_LE(cover->front().growth, 1);
    EXPECT_GT(cover->front().growth, 0.99);
    EXPECT_NEAR(optics::depthOf(optics::firstView(scene), veil.placement.position), 6, 1e-9);
    // Through where the camera goes, or behind it, none does.
    EXPECT_NE(refused(scene, {{"edit", "add-veil"}, {"depth", 2}}).find("cannot fill the frame"),
              std::string::npos);
}

TEST(LightEdits, ALampThatIsPushedReachesAsFarAsBefore) {
    Scene scene = applied(
        walking(), {{"edit", "add-lamp"}, {"name", "Lantern"}, {"reach", 5}, {"position", {1, 1, -6}}});
    const V3d before = scene.layers.back()->placement.position;
    scene = applied(scene, {{"edit", "push"}, {"layers", {"Lantern"}}, {"depth", 12}, {"holdFraming", true}});
    const scene::Layer& lamp = *scene.layers.back();
    EXPECT_NEAR(optics::depthOf(optics::firstView(scene), lamp.placement.position), 12, 1e-9);
    EXPECT_EQ(lamp.placement.scale, V2d(1));
    // Along the way that the first mark sees it on.
    const V3d eye = optics::firstView(scene).eye;
    EXPECT_LT((lamp.placement.position - eye).cross(before - eye).length(), 1e-9);
}

TEST(LightEdits, RefuseWhatNoLampOrLayerCanBe) {
    const Scene scene = applied(walking(), {{"edit", "add-lamp"}, {"name", "Lantern"}});
    refused(scene, {{"edit", "add-lamp"}, {"reach", 0}});
    refused(scene, {{"edit", "add-lamp"}, {"kelvin", 3000}, {"colour", {1, 1, 1, 1}}});
    refused(scene, {{"edit", "lamp"}, {"layers", {1}}, {"strength", 3}});
    refused(scene, {{"edit", "shading"}, {"layers", {"Lantern"}}});
    refused(scene, {{"edit", "shading"}, {"layers", {1}}, {"edge", {{"width", 0}}}});
    refused(scene, {{"edit", "grade"}, {"layers", {"Lantern"}}, {"exposure", 1}});
    refused(scene, {{"edit", "ambient"}, {"level", -1}});
}

TEST(AirEdits, FootageOverBlackBecomesLightOrAVeilThatLoops) {
    Scene scene = walking();
    scene::Layer smoke = *test::sheet(7, {2, 2}, {0, 1, -5});
    smoke.name = "Smoke";
    smoke.content = scene::Footage{{"smoke.mkv", 0, ""}, Rational(24), 100};
    scene.layers.push_back(std::make_shared<scene::Layer>(smoke));
    const Scene light = applied(scene, {{"edit", "over-black"}, {"layers", {"Smoke"}}});
    EXPECT_EQ(light.layers.back()->blend, scene::Blend::Add);
    EXPECT_FALSE(light.layers.back()->cutout);
    const auto& footage = std::get<scene::Footage>(light.layers.back()->content);
    EXPECT_EQ(footage.ends, scene::Ends::Loop);
    EXPECT_EQ(footage.dissolve, 24);
    const Scene veil = applied(
        light,
        {{"edit", "over-black"}, {"layers", {"Smoke"}}, {"as", "veil"}, {"depth", 8}, {"dissolve", 10}});
    EXPECT_EQ(veil.layers.back()->blend, scene::Blend::Normal);
    ASSERT_TRUE(veil.layers.back()->cutout && veil.layers.back()->cutout->key);
    EXPECT_TRUE(std::holds_alternative<scene::BrightnessKey>(*veil.layers.back()->cutout->key));
    EXPECT_LE(checks::cover(veil, {7})->front().growth, 1);
    const Scene back =
        applied(veil, {{"edit", "over-black"}, {"layers", {"Smoke"}}, {"as", "screen"}, {"cover", false}});
    EXPECT_EQ(back.layers.back()->blend, scene::Blend::Screen);
    EXPECT_FALSE(back.layers.back()->cutout && back.layers.back()->cutout->key);
    refused(applied(scene, {{"edit", "add-cloud"}}), {{"edit", "over-black"}, {"layers", {"Cloud"}}});
}

TEST(AirEdits, DisplaceOnlyWhatHasPixels) {
    Scene scene = applied(walking(), {{"edit", "add-cloud"}});
    const Edit sway = {{{"kind", "sway"}, {"amount", 3}}};
    EXPECT_EQ(applied(scene, {{"edit", "displace"}, {"layers", {1}}, {"displacements", sway}})
                  .layers.front()
                  ->displacements.size(),
              1u);
    refused(scene, {{"edit", "displace"}, {"layers", {"Cloud"}}, {"displacements", sway}});
    refused(
        scene,
        {{"edit", "displace"}, {"layers", {1}}, {"displacements", {{{"kind", "sway"}, {"strength", 3}}}}});
}

TEST(AirEdits, KeyTheirValuesAndNoOthers) {
    Scene scene = applied(walking(), {{"edit", "add-cloud"}});
    const std::int64_t id = scene.layers.back()->id;
    for (const auto& [time, value] : {std::pair("0", 0.1), std::pair("2", 0.9)})
        scene = applied(
            scene,
            {{"edit", "key"}, {"layers", {id}}, {"property", "coverage"}, {"time", time}, {"value", value}});
    const motion::Frame frame = motion::evaluate(scene, 1, {320, 180});
    EXPECT_NEAR(std::get<scene::Cloud>(frame.items.back().layer->content).coverage, 0.5, 1e-9);
    EXPECT_NE(
        refused(scene,
                {{"edit", "key"}, {"layers", {1}}, {"property", "coverage"}, {"time", "0"}, {"value", 1}})
            .find("has no property 'coverage'"),
        std::string::npos);
    // It is sized as before, and its place can be keyed beside it.
    EXPECT_EQ(scene.layers.back()->natural(), V2d(8, 4));
}

TEST(AirEdits, MistAndEverythingElseIsThereWhenTheSceneIsReadAgain) {
    Scene scene = applied(walking(), {{"edit", "mist"}, {"density", 0.2}, {"top", 0.4}, {"soft", 0.3}});
    EXPECT_EQ(scene.mist.density, 0.2);
    scene = applied(scene, {{"edit", "mist"}, {"start", 3}}); // what is not named stays
    EXPECT_EQ(scene.mist, (scene::Mist{scene::Mist{}.colour, 0.2, 0.4, 0.3, 3}));
    scene = applied(scene, {{"edit", "add-cloud"}, {"loop", "7/2"}, {"aroundCamera", true}});
    scene = applied(scene, {{"edit", "add-particles"}, {"ready", "embers"}, {"pictures", {1}}, {"loop", 2}});
    scene = applied(scene, {{"edit", "displace"},
                            {"layers", {1}},
                            {"displacements", {{{"kind", "roll"}, {"on", false}, {"loop", 3}}}}});
    const auto again = scene::sceneFromJson(scene::toJson(scene));
    ASSERT_TRUE(again);
    EXPECT_EQ(again->mist, scene.mist);
    ASSERT_EQ(again->layers.size(), scene.layers.size());
    EXPECT_EQ(std::get<scene::Cloud>(again->layers[1]->content),
              std::get<scene::Cloud>(scene.layers[1]->content));
    EXPECT_EQ(particlesOf(*again), particlesOf(scene));
    EXPECT_EQ(scene::toJson(*again), scene::toJson(scene));
}

}
}
