// Where things are on the timeline, without a window.
#include "desk/time/timeline_map.h"
#include "support/support.h"

#include <gtest/gtest.h>

namespace stage::desk {
namespace {

/// 144 frames at 24 in a second; two cards, of which the second has keys. The map is 780 px wide, so that 574
/// are for 143 steps of time: 4.01 each.
struct TimelineMaps : ::testing::Test {
    static constexpr double width = 780, height = 200, names = 180, step = (780 - 180 - 26) / 143.0;
    test::TempDir dir;
    Session session{dir / "journals"};
    std::int64_t low = 0, top = 0;

    void SetUp() override {
        ASSERT_TRUE(session.document.apply({{"edit", "add-card"}, {"name", "Low"}}));
        ASSERT_TRUE(session.document.apply({{"edit", "add-card"}, {"name", "Top"}}));
        low = session.scene()->layers[0]->id;
        top = session.scene()->layers[1]->id;
        for (const double at : {1.0, 3.0})
            ASSERT_TRUE(session.document.apply({{"edit", "key"},
                                                {"layers", {top}},
                                                {"property", "opacity"},
                                                {"time", Rational::nearest(at).text()},
                                                {"value", at / 4}}));
        ASSERT_EQ(session.scene()->output.frames, 144);
    }
    TimelineMap map() {
        TimelineMap made(session);
        made.resize({width, height});
        return made;
    }
};

TEST_F(TimelineMaps, TimeRunsAcross) {
    const TimelineMap all = map();
    EXPECT_NEAR(all.xOfFrame(0), names, 1e-9);
    EXPECT_NEAR(all.xOfFrame(143), width - 26, 1e-9);
    EXPECT_NEAR(all.xOf(Rational(1, 2)), names + 12 * step, 1e-9);
    EXPECT_EQ(all.frameOfX(names + 7.4 * step), 7);
    EXPECT_EQ(all.frameOfX(-1000), 0);
    EXPECT_EQ(all.frameOfX(1e6), 143);
}

TEST_F(TimelineMaps, RowsAreTheMoveTheLensAndLayersTopmostFirst) {
    const TimelineMap all = map();
    ASSERT_EQ(all.rows().size(), 4u);
    EXPECT_EQ(all.rowRect(0), QRectF(0, 28, width, 27));
    EXPECT_EQ(all.rowOf(top), QRectF(0, 28 + 2 * 27, width, 27));
    EXPECT_EQ(all.rowOf(low), QRectF(0, 28 + 3 * 27, width, 27));
    EXPECT_EQ(all.rowAt({300, 28 + 2 * 27 + 1}), 2);
    EXPECT_EQ(all.rowAt({300, 10}), -1);
    EXPECT_EQ(all.rowAt({300, 28 + 4 * 27 + 1}), -1);
}

TEST_F(TimelineMaps, LanesOpenUnderTheirLayer) {
    TimelineMap all = map();
    EXPECT_TRUE(all.laneOf(top, "opacity").isEmpty());
    all.setOpen(top, true);
    EXPECT_EQ(all.laneOf(top, "opacity"), QRectF(0, 28 + 3 * 27, width, 30));
    EXPECT_EQ(all.rowOf(low).top(), 28 + 3 * 27 + 30);
    // The least of the curve stands 7 px above the lane's foot, the most 7 px below its head.
    const interaction::KeyRef first{top, "opacity", Rational(1)}, last{top, "opacity", Rational(3)};
    EXPECT_NEAR(all.placeOf(first).x(), names + 24 * step, 1e-9);
    EXPECT_NEAR(all.placeOf(first).y(), 28 + 3 * 27 + 30 - 7, 1e-9);
    EXPECT_NEAR(all.placeOf(last).y(), 28 + 3 * 27 + 7, 1e-9);
    const auto found = all.keyAt({names + 24 * step + 6, 28 + 3 * 27 + 15});
    ASSERT_TRUE(found);
    EXPECT_EQ(*found, first);
    EXPECT_FALSE(all.keyAt({names + 24 * step + 8, 28 + 3 * 27 + 15}));
    all.setOpen(top, false);
    EXPECT_EQ(all.rows().size(), 4u);
}

TEST_F(TimelineMaps, BarsLastAsLongAsTheirLayersShow) {
    EXPECT_EQ(map().barOf(low), QRectF(names, 28 + 3 * 27 + 6, 143 * step, 15));
    ASSERT_TRUE(
        session.document.apply(edit::onLayers("showing", std::vector{low}, {{"in", "1"}, {"out", "2"}})));
    const QRectF bar = map().barOf(low);
    EXPECT_NEAR(bar.left(), names + 24 * step, 1e-9);
    EXPECT_NEAR(bar.right(), names + 48 * step, 1e-9);
}

TEST_F(TimelineMaps, WhatIsRevealedScrollsIntoViewAndNoFurther) {
    for (int i = 0; i < 20; ++i)
        ASSERT_TRUE(session.document.apply({{"edit", "add-card"}}));
    TimelineMap all = map();
    EXPECT_GT(all.rowOf(low).bottom(), height);
    all.reveal(low);
    EXPECT_NEAR(all.rowOf(low).bottom(), height, 1e-9);
    EXPECT_EQ(all.rowRect(0).top(), 28); // the camera's move stays
    all.scrollTo(1e6);
    EXPECT_NEAR(all.rowOf(low).bottom(), height, 1e-9); // the last one
    all.scrollTo(-5);
    EXPECT_EQ(all.scroll(), 0);
}

}
}
