// Pictures that end within the frame: known answers by hand.
#include "checks/cut_edges.h"

#include "edit/edit.h"
#include "support/moves.h"
#include "support/support.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

namespace stage {
namespace {

using checks::Finding;
using test::mark;
using test::Rgba8;
using test::sheet;
using test::withSheets;

std::vector<Finding> edgesOf(const scene::Scene& scene) {
    media::PixelCache cache;
    const checks::Frames frames(scene);
    checks::Coverage coverage(cache);
    checks::CutEdgeCheck check(frames, coverage);
    EXPECT_TRUE(frames.forEach({}, [&](auto f, const motion::Frame& frame) { return check.look(f, frame); }));
    return check.tell();
}

class CutEdges : public testing::Test {
protected:
    void SetUp() override {
        test::writePicture(dir / "meadow.png", {200, 100}, [](int, int y) {
            return Rgba8{60, 140, 50, y < 50 ? 0 : 255};
        });
        // 12 m wide at 10 m, where the frame shows 10.29 m; a truck of 2 m to the left.
        scene =
            withSheets({mark(1, 0, V3d(0)), mark(2, 2, V3d(-2, 0, 0))},
                       {sheet(1, {40, 40}, {0, 0, -20}),
                        test::pictureLayer(2, "Meadow", dir / "meadow.png", {200, 100}, 12, {0, 0, -10})});
    }
    test::TempDir dir;
    scene::Scene scene;
};

TEST_F(CutEdges, AMeadowThatEndsWithinTheFrameIsToldAndExtended) {
    const auto found = edgesOf(scene);
    ASSERT_EQ(found.size(), 1u);
    // From -6 m to the frame's left side at -7.143 m: 213 px. Of its lower half 540 px are in the frame.
    EXPECT_THAT(found[0].sentence,
                testing::StartsWith("Meadow ends within the frame (left): its cut edge is up to 213 px"));
    EXPECT_EQ(found[0].at, Rational(2));
    EXPECT_GT(found[0].from, Rational(3, 4)); // it enters after 0.857 m
    EXPECT_LT(found[0].from, Rational(1));
    ASSERT_EQ(found[0].fixes.size(), 2u);
    EXPECT_EQ(found[0].fixes[0].name, "Extend Meadow (stretch): left 20 px"); // 1.143 m of 6 cm each
    const auto mended = edit::apply(scene, found[0].fixes[0].edit);
    ASSERT_TRUE(mended) << mended.error().sentence;
    EXPECT_TRUE(edgesOf(*mended).empty());
}

TEST_F(CutEdges, WhatHidesTheEdgeOrShowsAWholeCardIsNoFinding) {
    auto hidden = scene;
    hidden.layers.push_back(sheet(3, {4, 20}, {-5, 0, -9}));
    EXPECT_TRUE(edgesOf(hidden).empty());
    // Of half its opacity it is seen through.
    hidden.layers.back() = sheet(3, {4, 20}, {-5, 0, -9}, 0.5);
    EXPECT_EQ(edgesOf(hidden).size(), 1u);
    // A photograph all around within the frame is a card on purpose; cut off by the frame it is not.
    test::writePicture(dir / "photo.png", {200, 100}, [](int, int) { return Rgba8{200, 140, 50, 255}; });
    auto card = withSheets({mark(1, 0, V3d(0))},
                           {sheet(1, {40, 40}, {0, 0, -20}),
                            test::pictureLayer(2, "Photo", dir / "photo.png", {200, 100}, 4, {0, 0, -10})});
    EXPECT_TRUE(edgesOf(card).empty());
    auto moved = std::make_shared<scene::Layer>(*card.layers[1]);
    moved->placement.position.x = 4;
    card.layers[1] = moved;
    EXPECT_EQ(edgesOf(card).size(), 1u);
}

}
}
