// Layers that turn to the camera by themselves. At turn 0 a layer's front is towards
// +z, where the camera is as a rule.
#include "motion/facing.h"
#include "motion/resolved_scene.h"
#include "support/support.h"

#include <gtest/gtest.h>

namespace stage::motion {
namespace {

using scene::Facing;

scene::LayerPtr card(std::int64_t id, Facing facing, V3d position, V3d turn = V3d(0)) {
    auto layer =
        std::make_shared<scene::Layer>(*test::pictureLayer(id, "card", "card.png", {200, 100}, 2, position));
    layer->hanging.facing = facing;
    layer->placement.turn = turn;
    return layer;
}
scene::LayerPtr group(std::int64_t id, Facing facing, V3d position, V3d turn,
                      std::vector<scene::LayerPtr> children) {
    auto layer = std::make_shared<scene::Layer>();
    layer->id = id;
    layer->name = "group";
    layer->content = scene::Group{std::move(children)};
    layer->hanging.facing = facing;
    layer->placement = {position, turn, V2d(1)};
    return layer;
}
scene::Scene with(std::vector<scene::LayerPtr> layers) {
    scene::Scene scene = scene::emptyScene();
    scene.layers = std::move(layers);
    return scene;
}
/// The direction of a layer's front in the world.
V3d frontOf(const scene::Scene& scene, std::int64_t id) {
    const scene::LayerPath found = scene::find(scene, id);
    return -optics::surfaceOf(*found.layer, optics::worldOf(found.carriers)).normal();
}
void expectTowards(const scene::Scene& scene, std::int64_t id, V3d to) {
    to.normalize();
    const V3d front = frontOf(scene, id);
    EXPECT_NEAR((front - to).length(), 0, 1e-9) << front << " " << to;
}

TEST(FacingLayers, FullyLooksAtTheEyeUprightOnlyAround) {
    scene::Scene scene = with({card(1, Facing::Fully, {1, 2, -6}), card(2, Facing::Upright, {1, 2, -6}),
                               card(3, Facing::Fixed, {1, 2, -6}, {5, 10, 15})});
    const V3d eye(4, 6, 3);
    faceEye(scene, eye);
    expectTowards(scene, 1, {3, 4, 9});
    expectTowards(scene, 2, {3, 0, 9});
    EXPECT_EQ(scene.layers[2]->placement.turn, V3d(5, 10, 15));
    EXPECT_NEAR(scene.layers[1]->placement.turn.y, degrees(std::atan2(3, 9)), 1e-9);
    for (const scene::LayerPtr& layer : scene.layers)
        EXPECT_FALSE(facesEye(*layer));
}

TEST(FacingLayers, TheirOwnRollStays) {
    scene::Scene scene = with({card(1, Facing::Upright, {0, 0, -6}, {70, 80, 25})});
    faceEye(scene, {6, 0, 0});
    EXPECT_NEAR(scene.layers[0]->placement.turn.y, 45, 1e-9);
    EXPECT_NEAR(scene.layers[0]->placement.turn.x, 0, 1e-9); // of no account
    EXPECT_NEAR(scene.layers[0]->placement.turn.z, 25, 1e-9);
}

TEST(FacingLayers, FromStraightAboveNothingTurns) {
    scene::Scene scene = with({card(1, Facing::Upright, {0, 0, -6}, {0, 30, 0}),
                               card(2, Facing::Fully, {0, 0, -6}, {0, 30, 0}),
                               card(3, Facing::Fully, {2, 5, -6}, {0, 30, 0})});
    faceEye(scene, {0, 5, -6});
    EXPECT_EQ(scene.layers[0]->placement.turn, V3d(0, 30, 0));
    EXPECT_EQ(scene.layers[1]->placement.turn, V3d(0, 30, 0));
    expectTowards(scene, 3, {-1, 0, 0});
}

TEST(FacingLayers, InATurnedGroupTheyLookAtTheEyeAllTheSame) {
    scene::Scene scene =
        with({group(1, Facing::Fixed, {0, 1, -8}, {0, 60, 0}, {card(2, Facing::Fully, {3, 0, 0})})});
    const V3d eye(0, 3, 2);
    const V3d pivot = optics::pivotOf(scene::find(scene, 2));
    EXPECT_NEAR((pivot - V3d(1.5, 1, -8 - 3 * std::sqrt(0.75))).length(), 0, 1e-9);
    faceEye(scene, eye);
    expectTowards(scene, 2, eye - pivot);
}

TEST(FacingLayers, CarriersTurnFirst) {
    // The group turns by a right angle to the eye at its side; what it carries then stands elsewhere.
    scene::Scene scene =
        with({group(1, Facing::Upright, {0, 0, 0}, V3d(0), {card(2, Facing::Fully, {0, 0, 2})})});
    const V3d eye(10, 4, 0);
    faceEye(scene, eye);
    const V3d pivot = optics::pivotOf(scene::find(scene, 2));
    EXPECT_NEAR((pivot - V3d(2, 0, 0)).length(), 0, 1e-9);
    expectTowards(scene, 2, eye - pivot);
}

TEST(FacingLayers, APivotIsFoundWithoutResolvingTheRest) {
    auto keyed = std::make_shared<scene::Layer>(
        *group(1, Facing::Fixed, V3d(0), V3d(0), {card(2, Facing::Fixed, {0, 0, 2})}));
    keyed->places = {{Rational(0), {{0, 0, 0}, V3d(0), V2d(1)}, {}, false},
                     {Rational(2), {{4, 0, 0}, {0, 90, 0}, V2d(1)}, {}, false}};
    scene::Scene scene =
        with({keyed, group(3, Facing::Upright, {1, 0, 0}, V3d(0), {card(4, Facing::Fixed, {0, 0, 2})})});
    const Values values(scene);
    for (const double at : {0.0, 0.7, 2.0, 9.0})
        for (const std::int64_t id : {2, 4}) {
            const Rational time = Rational::nearest(at);
            const V3d eye(3, 1, 7);
            const V3d whole = optics::pivotOf(scene::find(resolved(scene, time, eye), id));
            const V3d alone = pivotAt(scene, values, scene::find(scene, id), time, eye);
            EXPECT_NEAR((whole - alone).length(), 0, 1e-9) << at << " " << id;
        }
    // At its second key the group has turned by a right angle about its new place.
    const V3d end = pivotAt(scene, values, scene::find(scene, 2), Rational(2), V3d(0));
    EXPECT_NEAR((end - V3d(6, 0, 0)).length(), 0, 1e-9);
}

}
}
