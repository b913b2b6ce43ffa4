// How views lay metres and seconds out in pixels. Figures are worked out by hand.
#include "interaction/paper_scale.h"
#include "interaction/time_scale.h"

#include <gtest/gtest.h>

namespace stage::interaction {
namespace {

PaperScale fitted(bool depthUp, bool folded) {
    PaperScale scale(depthUp);
    scale.setFolded(folded, 8);
    scale.fit({{-3, 0}, {3, 0}, {-12, 24}, {12, 24}}, {10, 20}, {310, 220});
    return scale;
}

TEST(PaperScale, ATrueScaleIsTheSameBothWaysAndFillsTheArea) {
    const PaperScale plan = fitted(true, false);
    // 24 m across and in depth into 300 x 200 px: 200 / 24 px per metre, in the middle of the width.
    EXPECT_NEAR(plan.perMetre(5), 200 / 24.0, 1e-12);
    EXPECT_NEAR(plan.place({0, 0}).x, 160, 1e-9);
    EXPECT_NEAR(plan.place({0, 0}).y, 220, 1e-9);
    EXPECT_NEAR(plan.place({12, 24}).x, 160 + 100, 1e-9);
    EXPECT_NEAR(plan.place({12, 24}).y, 20, 1e-9);
    const PaperScale section = fitted(false, false);
    EXPECT_NEAR(section.place({0, 24}).x - section.place({0, 0}).x, 200, 1e-9); // depth runs to the right
    EXPECT_LT(section.place({3, 0}).y, section.place({0, 0}).y);                // up is up
}

TEST(PaperScale, FoldedPaperHalvesAtTheFold) {
    const PaperScale plan = fitted(true, true);
    EXPECT_NEAR(plan.perMetre(8) / plan.perMetre(0), 0.5, 1e-12);
    EXPECT_NEAR(plan.perMetre(24) / plan.perMetre(0), 0.25, 1e-12);
    // (a, z) -> (a, z) 8 / (z + 8): 24 m lie where 6 m to scale would.
    const double all = plan.place({0, 0}).y - plan.place({0, 24}).y;
    EXPECT_NEAR((plan.place({0, 0}).y - plan.place({0, 8}).y) / all, 4.0 / 6, 1e-12);
}

class PaperPlaces : public ::testing::TestWithParam<std::tuple<bool, bool>> {};

TEST_P(PaperPlaces, AreFoundAgainAndSightLinesStayStraight) {
    const PaperScale scale = fitted(std::get<0>(GetParam()), std::get<1>(GetParam()));
    for (const PaperPoint& point : {PaperPoint{0.4, 1}, PaperPoint{-2, 7}, PaperPoint{30, 90}}) {
        const PaperPoint again = scale.metres(scale.place(point));
        EXPECT_NEAR(again.across, point.across, 1e-9 * (1 + std::abs(point.across)));
        EXPECT_NEAR(again.depth, point.depth, 1e-9 * point.depth);
    }
    const V2d a = scale.place({0.4, 1}), b = scale.place({2.8, 7}), c = scale.place({120, 300});
    EXPECT_NEAR((b - a).cross(c - a), 0, 1e-6 * (b - a).length() * (c - a).length());
}

TEST_P(PaperPlaces, ZoomingKeepsThePlaceUnderThePointer) {
    PaperScale scale = fitted(std::get<0>(GetParam()), std::get<1>(GetParam()));
    const V2d pointer = scale.place({1.5, 7});
    const double before = scale.perMetre(7);
    scale.zoom(1.7, pointer);
    EXPECT_NEAR(scale.metres(pointer).depth, 7, 1e-9);
    EXPECT_NEAR(scale.metres(pointer).across, 1.5, 1e-9);
    EXPECT_NEAR(scale.perMetre(7) / before, 1.7, 1e-12);
    scale.pan({5, -3});
    EXPECT_NEAR(scale.metres(pointer + V2d(5, -3)).depth, 7, 1e-9);
}

INSTANTIATE_TEST_SUITE_P(PlanSectionFoldedAndNot, PaperPlaces,
                         ::testing::Combine(::testing::Bool(), ::testing::Bool()));

TEST(PaperScale, NothingIsFittedIntoNoRoom) {
    PaperScale scale = fitted(true, true);
    const V2d before = scale.place({1, 2});
    scale.fit({{0, 0}, {1, 1}}, {0, 0}, {3, 100});
    scale.fit({}, {0, 0}, {100, 100});
    EXPECT_EQ(scale.place({1, 2}), before);
    scale.fit({{0, 0}, {1, 1}}, {0, 0}, {100, 3});
    EXPECT_EQ(scale.place({1, 2}), before);
    scale.fit({{0, 0}, {1, 1}}, {0, 0}, {4, 100}); // little is not none
    EXPECT_NE(scale.place({1, 2}), before);
    scale.fit({{2, 5}}, {0, 0}, {100, 100}); // a single point: in the middle
    EXPECT_NEAR(scale.place({2, 5}).x, 50, 1e-6);
    EXPECT_NEAR(scale.place({2, 5}).y, 50, 1e-6);
}

TEST(TimeScale, TheWheelSpreadsAboutThePointer) {
    const TimeScale::Room room{100, 200, 10};
    TimeScale scale;
    EXPECT_TRUE(scale.showsAll());
    EXPECT_NEAR(scale.xOf(5, room), 200, 1e-12);
    scale.spread(150, 1, 0.1, room); // at 2.5 s; 8 s are left
    EXPECT_NEAR(scale.timeAt(150, room), 2.5, 1e-12);
    EXPECT_NEAR(scale.span(room), 8, 1e-12);
    EXPECT_NEAR(scale.timeAt(100, room), 0.5, 1e-12);
    scale.slide(-1, room); // by a tenth of what is in view
    EXPECT_NEAR(scale.timeAt(100, room), 1.3, 1e-12);
    scale.slide(-100, room); // not past the end
    EXPECT_NEAR(scale.timeAt(300, room), 10, 1e-12);
    scale.spread(150, -10, 0.1, room);
    EXPECT_TRUE(scale.showsAll());
    scale.spread(150, 1000, 0.1, room);
    EXPECT_NEAR(scale.span(room), 0.1, 1e-12);
}

}
}
