// What the lens needs of a layer over a whole move: known answers, and every ray of a great many moments.
#include "checks/cover.h"

#include "support/moves.h"

#include <gtest/gtest.h>
#include <random>

namespace stage {
namespace {

using checks::Cover;
using test::card;
using test::mark;

scene::Scene withCard(std::vector<scene::Mark> marks, std::shared_ptr<scene::Layer> layer, V2d metres) {
    scene::Scene scene = test::sceneOf(std::move(marks));
    for (scene::Mark& each : scene.camera.marks)
        each.pose.fstop = 1e6; // as good as a pinhole
    layer->pixels = {1000, static_cast<int>(1000 * metres.y / metres.x)};
    layer->metresPerPixel = metres.x / 1000;
    scene.layers = {std::move(layer)};
    scene.output.frames = 49;
    return scene;
}

Cover coverOf(const scene::Scene& scene) {
    const auto covers = checks::cover(scene, {1});
    EXPECT_TRUE(covers);
    EXPECT_EQ(covers->size(), 1u);
    return covers->front();
}

TEST(Cover, OfATruckIsTheFrameAndTheWay) {
    // From 0 to 0.5 m in 2 s, past a card 5 m away: 5 * 36/35 m across are seen, and half a metre more to the
    // right.
    auto scene = withCard({mark(1, 0, V3d(0)), mark(2, 2, {0.5, 0, 0})}, card(1, {0, 0, -5}), {5, 4});
    const Cover cover = coverOf(scene);
    const double half = 5 * 18 / 35.0;
    EXPECT_FALSE(cover.covers());
    EXPECT_NEAR(cover.sides[0].shares * 5, half - 2.5, 1e-6);
    EXPECT_NEAR(cover.sides[2].shares * 5, half + 0.5 - 2.5, 1e-6);
    EXPECT_NEAR(cover.sides[2].seconds, 2, 0.011); // the exposure goes on a little
    EXPECT_EQ(cover.sides[1].shares, 0);
    EXPECT_NEAR(cover.growth, (half + 0.5) / 2.5, 1e-6);
    EXPECT_NEAR(cover.needed.s1, 0.5 + (half + 0.5) / 5, 1e-6);
    // So much larger it covers; a little less, it does not.
    for (const auto& [factor, covered] : {std::pair(1.0001, true), std::pair(0.999, false)}) {
        auto grown = std::make_shared<scene::Layer>(*scene.layers[0]);
        grown->placement.scale *= cover.growth * factor;
        auto other = scene;
        other.layers = {grown};
        EXPECT_EQ(coverOf(other).covers(), covered);
    }
}

TEST(Cover, OfADollyOutIsThatOfItsEnd) {
    const auto scene = withCard({mark(1, 0, V3d(0)), mark(2, 2, {0, 0, 3})}, card(1, {0, 0, -5}), {6, 6});
    EXPECT_NEAR(coverOf(scene).growth, 8 * 36 / 35.0 / 6, 1e-7);
}

TEST(Cover, OfAPanIsWhereTheEdgesOfTheAngleMeetTheCard) {
    const auto scene = withCard({mark(1, 0, V3d(0)), mark(2, 2, V3d(0), 10)}, card(1, {0, 0, -5}), {5, 50});
    // The lens is open by 35e-6 mm, which is what remains.
    const double edge = std::atan(18 / 35.0) + radians(10);
    EXPECT_NEAR(coverOf(scene).growth, 5 * std::tan(edge) / 2.5, 1e-7);
}

TEST(Cover, FindsWhatIsOpenBetweenTwoFramesOnly) {
    // Off and back within one exposure: at both frames all is well.
    const Rational away(3, 240);
    auto scene = withCard({mark(1, 0, V3d(0)), mark(2, away, {0.3, 0, 0}), mark(3, Rational(1, 24), V3d(0))},
                          card(1, {0, 0, -5}), {5.2, 6});
    for (scene::Mark& each : scene.camera.marks)
        each.corner = true;
    scene.camera.shutter = 360;
    const Cover cover = coverOf(scene);
    EXPECT_FALSE(cover.covers());
    EXPECT_NEAR(cover.growth, (5 * 18 / 35.0 + 0.3) / 2.6, 1e-4);
    EXPECT_NEAR(cover.seconds, away.toDouble(), 1e-4);
    scene.camera.shutter = 0;
    EXPECT_TRUE(coverOf(scene).covers());
}

TEST(Cover, IsAskedOnlyWhileTheLayerShows) {
    auto layer = card(1, {0, 0, -5});
    layer->showing.out = Rational(1);
    const auto scene = withCard({mark(1, 0, V3d(0)), mark(2, 2, {4, 0, 0})}, layer, {8, 6});
    // After the second in which it shows the camera is two metres on.
    EXPECT_NEAR(coverOf(scene).needed.s1, 0.5 + (5 * 18 / 35.0 + 2) / 8, 0.02);
}

TEST(Cover, LeavesOutGroupsAndWhatIsNotThere) {
    const auto scene = withCard({mark(1, 0, V3d(0))}, card(1, {0, 0, -5}), {8, 6});
    const auto covers = checks::cover(scene, {7, 1});
    ASSERT_TRUE(covers);
    ASSERT_EQ(covers->size(), 1u);
    EXPECT_EQ(covers->front().layer, 1);
    EXPECT_TRUE(covers->front().covers());
}

TEST(Cover, CanBeStopped) {
    std::stop_source stop;
    stop.request_stop();
    EXPECT_FALSE(
        checks::cover(withCard({mark(1, 0, V3d(0))}, card(1, {0, 0, -5}), {8, 6}), {1}, stop.get_token()));
}

}
}
