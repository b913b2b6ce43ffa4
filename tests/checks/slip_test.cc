// Slip of feet against direct projections, and that what mends it does.
#include "checks/slip.h"

#include "edit/edit.h"
#include "motion/camera_move.h"
#include "optics/view.h"
#include "support/edits.h"
#include "support/moves.h"
#include "support/support.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <random>

namespace stage {
namespace {

using test::applied;

using checks::Finding;
using checks::Slip;
using test::mark;
using test::sheet;
using test::withSheets;

Slip slipOf(const scene::Scene& scene, std::int64_t layer = 1) {
    media::PixelCache cache;
    const auto slips = checks::slipsOf(scene, cache);
    EXPECT_TRUE(slips && slips->contains(layer));
    return slips && slips->contains(layer) ? slips->at(layer) : Slip{};
}

std::vector<Finding> findingsOf(const scene::Scene& scene) {
    media::PixelCache cache;
    const auto found = checks::slipFindings(scene, cache);
    EXPECT_TRUE(found);
    return found ? *found : std::vector<Finding>{};
}

/// A figure 1 m high with its foot at 1.5 m below the lens and 5 m off; the ground under it is met at 7.5 m.
scene::Scene truck() {
    auto scene =
        withSheets({mark(1, 0, V3d(0)), mark(2, 2, V3d(1, 0, 0))}, {sheet(1, {0.5, 1}, {0, -0.5, -5})});
    scene.ground = -1.5;
    return applied(scene, {{"edit", "stand"}, {"layers", {1}}, {"on", "ground"}});
}

TEST(Slip, IsWhatTheTruckMovesTheFootMoreThanTheGround) {
    const Slip slip = slipOf(truck());
    ASSERT_TRUE(slip.grounded);
    // Its foot at y -1, seen through (0, -1, -5), meets the ground at 7.5 m.
    EXPECT_NEAR(slip.groundPlace.z, -7.5, 1e-9);
    EXPECT_NEAR(slip.most, test::slope35 * (1 / 5.0 - 1 / 7.5), 1e-6);
    EXPECT_EQ(slip.worst, 24);
    ASSERT_EQ(slip.places.size(), 25u);
    EXPECT_NEAR(slip.places[0].apart.value(), 0, 1e-9);
    EXPECT_NEAR(slip.places[12].apart.value(), slip.most / 2, 1e-6);
}

TEST(Slip, FixesSayTheDepthAndTheDepthDoesIt) {
    const auto scene = truck();
    const auto found = findingsOf(scene);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].sentence, "The foot of Sheet 1 slips by 124.4 px (limit 4.0).");
    ASSERT_EQ(found[0].fixes.size(), 3u); // one frame moves it by 5.2 px: the first is over the limit
    EXPECT_EQ(found[0].fixes[0].name, "Push Sheet 1 to 7.50 m: no slip");
    EXPECT_NEAR(slipOf(applied(scene, found[0].fixes[0].edit)).most, 0, 1e-6);
    // 1 / d = 1 / 7.5 + 4 / slope
    EXPECT_EQ(found[0].fixes[1].name, "Push Sheet 1 to 7.38 m: slip 4.0 px");
    EXPECT_NEAR(slipOf(applied(scene, found[0].fixes[1].edit)).most, 4, 0.01);
    EXPECT_TRUE(findingsOf(applied(scene, found[0].fixes[1].edit)).empty());
    // The frame ends 540 px below the middle, at 5 m 1.446 m below the lens: 0.446 m below the foot.
    EXPECT_EQ(found[0].fixes[2].name, "Lower Sheet 1 by 0.45 m: its foot leaves the frame");
    EXPECT_TRUE(findingsOf(applied(scene, found[0].fixes[2].edit)).empty());
    auto edit = found[0].fixes[2].edit;
    edit["by"][1] = edit["by"][1].get<double>() * 0.99;
    EXPECT_FALSE(findingsOf(applied(scene, edit)).empty());
    // Of a limit of 20 px it is over in frame 4.
    auto loose = scene;
    loose.limits.slip = 20;
    const auto end = findingsOf(loose).at(0).fixes.back();
    EXPECT_EQ(end.name, "End the scene before it: 4 of 25 frames");
    EXPECT_TRUE(findingsOf(applied(loose, end.edit)).empty());
}

TEST(Slip, AgainstTheProjectionOfBothPointsOnRandomMoves) {
    std::mt19937 random(7);
    const auto within = [&](double low, double high) {
        return std::uniform_real_distribution(low, high)(random);
    };
    int looked = 0;
    for (int i = 0; i < 60; ++i) {
        // A figure on a tilted floor's picture, which slides by keys in every other scene.
        auto floor = sheet(2, {40, 40}, {within(-2, 2), -2, -12});
        floor->placement.turn = V3d(-90 + within(-8, 8), 0, within(-5, 5));
        auto scene =
            withSheets({mark(1, 0, V3d(0), within(-5, 5), within(-10, 0)),
                        mark(2, 2, V3d(within(-1, 1), within(-0.3, 0.3), within(-1, 1)), within(-8, 8))},
                       {floor, sheet(1, {0.4, 0.8}, {within(-1, 1), within(-0.9, -0.3), within(-6, -3)})});
        if (i % 2)
            for (const auto& [time, value] : {std::pair(0, 0.0), {2, 1.0}})
                scene = applied(scene, {{"edit", "key"},
                                        {"layers", {2}},
                                        {"property", "across"},
                                        {"time", time},
                                        {"value", value}});
        scene = applied(scene, {{"edit", "stand"}, {"layers", {1}}, {"on", 2}, {"foot", {0.5, 1}}});
        const Slip slip = slipOf(scene);
        if (!slip.grounded) continue;
        // Directly: the foot does not move; the ground's point goes across with its floor.
        const motion::CameraMove move(scene);
        const auto view = [&](double t) { return optics::viewOf(move.at(t), 36, scene.output.frame); };
        const scene::Layer& figure = *scene::find(scene, 1).layer;
        const V3d foot = figure.placement.position - V3d(0, 0.4, 0);
        double most = 0;
        for (int f = 0; f < 25; ++f) {
            const double t = f / 12.0;
            const double moved = i % 2 ? motion::Values(scene).of(2, "across", t).value() -
                                             motion::Values(scene).of(2, "across", 0).value()
                                       : 0;
            const auto a = optics::project(view(t), foot),
                       b = optics::project(view(t), slip.groundPlace + V3d(moved, 0, 0));
            if (!a || !b || a->x < 0 || a->y < 0 || a->x > 1920 || a->y > 1080) continue;
            most = std::max(most, (*a - *b).length());
        }
        EXPECT_NEAR(slip.most, most, 1e-6) << i;
        // The point is on the floor, and under the foot as the first mark sees it.
        EXPECT_NEAR((*optics::project(view(0), foot) - *optics::project(view(0), slip.groundPlace)).length(),
                    0, 1e-6);
        ++looked;
        if (i % 2 || slip.most < 20) continue;
        const double wished = slip.most / 3;
        const auto k = checks::pushForSlip(scene, 1, slip, wished);
        if (!k) continue;
        const double depth = optics::depthOf(scene, scene::find(scene, 1)) * *k;
        EXPECT_NEAR(slipOf(applied(scene, {{"edit", "push"}, {"layers", {1}}, {"depth", depth}})).most,
                    wished, 0.01)
            << i;
    }
    EXPECT_GT(looked, 40);
}

TEST(Slip, TheFootIsTheLowestOfWhatIsOpaque) {
    const test::TempDir folder;
    // A leg from x 60 to 79 down to row 149 of 200.
    test::writePicture(folder / "leg.png", {100, 200}, [](int x, int y) {
        return y < 100 || (y < 150 && x >= 60 && x < 80) ? test::Rgba8{200, 100, 50, 255}
                                                         : test::Rgba8{0, 0, 0, 0};
    });
    auto scene =
        withSheets({mark(1, 0, V3d(0))},
                   {test::pictureLayer(1, "Leg", folder / "leg.png", {100, 200}, 0.5, {0, -0.5, -5})});
    scene.ground = -4;
    scene = applied(scene, {{"edit", "stand"}, {"layers", {1}}, {"on", "ground"}});
    const Slip slip = slipOf(scene);
    EXPECT_NEAR(slip.foot.x, 0.7, 1e-9);
    EXPECT_NEAR(slip.foot.y, 0.75, 1e-9);
}

TEST(Slip, WithoutGroundUnderItThatIsTold) {
    auto scene = truck();
    scene.ground = 3; // above the lens, and the foot below it
    const auto found = findingsOf(scene);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].sentence, "The foot of Sheet 1 has no ground under it as mark 1 sees it.");
    EXPECT_EQ(found[0].fixes.at(0).name, "Put the ground at its foot: -1.00 m");
    scene = applied(scene, found[0].fixes[0].edit);
    EXPECT_NEAR(slipOf(scene).most, 0, 1e-6);
    EXPECT_TRUE(findingsOf(scene).empty());
    // On a layer that has been removed it stands on nothing.
    scene =
        withSheets({mark(1, 0, V3d(0))}, {sheet(1, {0.5, 1}, {0, -0.5, -5}), sheet(2, {9, 9}, {0, 0, -9})});
    scene = applied(scene, {{"edit", "stand"}, {"layers", {1}}, {"on", 2}});
    EXPECT_TRUE(scene::find(scene, 1).layer->standing);
    scene = applied(scene, {{"edit", "remove"}, {"layers", {2}}});
    EXPECT_FALSE(scene::find(scene, 1).layer->standing);
}

TEST(Slip, OfALayerThatMovesByItselfNoPushIsOffered) {
    auto scene = truck();
    for (const auto& [time, value] : {std::pair(0, 0.0), {2, 0.5}})
        scene = applied(
            scene,
            {{"edit", "key"}, {"layers", {1}}, {"property", "across"}, {"time", time}, {"value", value}});
    const auto found = findingsOf(scene);
    ASSERT_EQ(found.size(), 1u);
    for (const auto& fix : found[0].fixes)
        EXPECT_THAT(fix.name, testing::Not(testing::HasSubstr("Push")));
}

}
}
