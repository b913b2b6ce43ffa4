// Level and colour of a layer brought to those around its place.
#include "edit/edit.h"
#include "render/match_place.h"
#include "support/moves.h"

#include <gtest/gtest.h>

namespace stage::render::match_test {
namespace {

scene::LayerPtr grey(std::int64_t id, V2d metres, V3d place, scene::Colour colour) {
    auto layer = test::sheet(id, metres, place);
    layer->content = scene::Card{{{0, colour}}, 0, false};
    return layer;
}

/// A bright cold actor before a warm dim wall; far behind, all is green.
scene::Scene sheetsToMatch() {
    scene::Scene scene =
        test::withSheets({test::mark(1, 0, V3d(0))}, {grey(1, {60, 60}, {0, 0, -40}, {0, 0.8, 0, 1}),
                                                      grey(2, {6, 6}, {0, 0, -8}, {0.12, 0.1, 0.06, 1}),
                                                      grey(3, {1, 2}, {0, 0, -6}, {0.5, 0.55, 0.7, 1})});
    scene.output.frame = {192, 108};
    return scene;
}

PlaceMatch matched(const scene::Scene& scene, double strength) {
    media::PixelCache cache;
    auto match = matchToPlace(scene, 3, 0, strength, cache);
    EXPECT_TRUE(match) << match.error().sentence;
    return match ? *match : PlaceMatch{};
}

double luminance(const V3d& c) {
    return 0.2126 * c.x + 0.7152 * c.y + 0.0722 * c.z;
}

V3d graded(const PlaceMatch& match) {
    return V3d(0.5, 0.55, 0.7) * match.colours * std::exp2(match.stops);
}

}

TEST(MatchToPlace, BringsLightAndColourToWhatStandsAround) {
    const scene::Scene scene = sheetsToMatch();
    const V3d whole = graded(matched(scene, 1));
    EXPECT_NEAR(whole.x, 0.12, 0.003);
    EXPECT_NEAR(whole.y, 0.1, 0.003);
    EXPECT_NEAR(whole.z, 0.06, 0.003);
    const PlaceMatch half = matched(scene, 0.5);
    EXPECT_NEAR(luminance(graded(half)), std::sqrt(luminance(whole) * luminance({0.5, 0.55, 0.7})), 0.005);
    const auto after = edit::apply(scene, matched(scene, 1).edit);
    ASSERT_TRUE(after) << after.error().sentence;
    EXPECT_NEAR(after->layers[2]->grade->exposure, matched(scene, 1).stops, 1e-12);
    // Measured without its own grade, so that doing it again changes nothing.
    const PlaceMatch again = matched(*after, 1);
    EXPECT_NEAR(again.stops, matched(scene, 1).stops, 1e-6);
}

TEST(MatchToPlace, CountsTheLightOfLampsAndNoGradeOfThePicture) {
    scene::Scene scene = sheetsToMatch();
    const double before = matched(scene, 1).stops;
    scene.grade.exposure = 3;
    scene.glare.strength = 1;
    EXPECT_EQ(matched(scene, 1).stops, before);
    EXPECT_LT(before, -2);
    // The wall takes light, and there is twice as much of it.
    scene::changeLayer(scene.layers, 2,
                       [](scene::Layer& layer) { layer.shading = std::make_shared<const scene::Shading>(); });
    scene.ambient.level = 2;
    EXPECT_NEAR(matched(scene, 1).stops, before + 1, 0.02);
}

TEST(MatchToPlace, IsNotRuledByALampBesideIt) {
    scene::Scene scene = sheetsToMatch();
    const PlaceMatch before = matched(scene, 1);
    scene.layers.push_back(
        grey(4, {0.3, 0.3}, {0.8, 0, -6}, {40, 20, 4, 1})); // 200 times as bright as the wall
    const PlaceMatch after = matched(scene, 1);
    EXPECT_GT(after.stops, before.stops);
    EXPECT_LT(after.stops, before.stops + 0.6);
    EXPECT_NEAR(after.colours.x, before.colours.x, 0.15);
    EXPECT_NEAR(after.colours.z, before.colours.z, 0.15);
}

TEST(MatchToPlace, SaysWhyItCannot) {
    media::PixelCache cache;
    scene::Scene scene = sheetsToMatch();
    EXPECT_FALSE(matchToPlace(scene, 77, 0, 1, cache));
    scene::changeLayer(scene.layers, 3, [](scene::Layer& layer) { layer.visible = false; });
    EXPECT_NE(matchToPlace(scene, 3, 0, 1, cache).error().sentence.find("not seen"), std::string::npos);
    scene::Scene alone = sheetsToMatch();
    alone.layers.erase(alone.layers.begin(), alone.layers.begin() + 2);
    EXPECT_NE(matchToPlace(alone, 3, 0, 1, cache).error().sentence.find("Nothing"), std::string::npos);
}

}
