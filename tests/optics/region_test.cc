// What a frame shows of a card, against rays that are found another way: by projecting places of the card
// through a lens point and searching for the one that lands where it should.
#include "optics/region.h"

#include <gtest/gtest.h>
#include <numbers>
#include <random>

namespace stage {
namespace {

using optics::Region;
using optics::Surface;
using optics::View;

constexpr V2i frame(1920, 1080);
const optics::FramePart whole = optics::wholeOf(frame);

View viewFrom(V3d eye, double pan, double tilt, double roll, double focal, double fstop, double focus) {
    scene::Pose pose;
    pose.position = eye;
    pose.pan = pan, pose.tilt = tilt, pose.roll = roll;
    pose.focal = focal, pose.fstop = fstop, pose.focus = focus;
    return optics::viewOf(pose, 36, frame);
}

Surface standing(double width, double height, double depth) {
    Surface card;
    card.corner = {-width / 2, height / 2, -depth};
    card.across = {width, 0, 0};
    card.down = {0, -height, 0};
    return card;
}

/// Where a point of the world is seen through a point of the lens (radii): where its ray meets the focus
/// plane.
V2d seenThrough(const View& view, const V2d& lens, const V3d& point) {
    const V3d eye = view.eye + (view.right * lens.x + view.up * lens.y) * view.aperture;
    const double depth = (point - view.eye).dot(view.forward);
    const V3d sharp = eye + (point - eye) * (view.focus / depth) - view.eye;
    return view.centre + V2d(sharp.dot(view.right), -sharp.dot(view.up)) * (view.slope / view.focus);
}

/// The place of the card that is seen there, by Newton's method with differences.
V2d searched(const View& view, const V2d& lens, const V2d& place, const Surface& card) {
    V2d at(0.5);
    for (int i = 0; i < 300; ++i) {
        constexpr double h = 1e-6;
        const V2d here = seenThrough(view, lens, card.at(at.x, at.y)),
                  s = (seenThrough(view, lens, card.at(at.x + h, at.y)) - here) / h,
                  t = (seenThrough(view, lens, card.at(at.x, at.y + h)) - here) / h, off = place - here;
        const double area = s.x * t.y - s.y * t.x;
        const V2d step = V2d(off.x * t.y - off.y * t.x, s.x * off.y - s.y * off.x) / area;
        at += step * std::min(1.0, 0.1 / std::max(step.length(), 1e-12)); // not too far at once
        if (off.length() < 1e-6) break;
    }
    EXPECT_NEAR((seenThrough(view, lens, card.at(at.x, at.y)) - place).length(), 0, 1e-3);
    return at;
}

Region bySearch(const View& view, const Surface& card, const scene::Iris& iris) {
    std::vector<V2d> lens{V2d(0)};
    const int around = iris.blades > 0 ? iris.blades : 120;
    if (view.aperture > 0)
        for (int i = 0; i < around; ++i) {
            const double a = 2 * std::numbers::pi * i / around + (iris.blades > 0 ? radians(iris.turn) : 0.0);
            lens.emplace_back(std::cos(a), std::sin(a));
        }
    std::vector<V2d> places;
    const int steps = card.bend == 0 ? 1 : 24;
    for (int i = 0; i < steps; ++i) {
        const double x = frame.x * static_cast<double>(i) / steps,
                     y = frame.y * static_cast<double>(i) / steps;
        for (const V2d& place : {V2d(x, 0), V2d(frame.x, y), V2d(frame.x - x, frame.y), V2d(0, frame.y - y)})
            places.push_back(place);
    }
    Region region;
    for (const V2d& place : places)
        for (const V2d& each : lens) {
            const V2d at = searched(view, each, place, card);
            region.add({at.x, at.y, at.x, at.y});
        }
    return region;
}

void expectSame(const Region& a, const Region& b, double within) {
    EXPECT_NEAR(a.s0, b.s0, within);
    EXPECT_NEAR(a.t0, b.t0, within);
    EXPECT_NEAR(a.s1, b.s1, within);
    EXPECT_NEAR(a.t1, b.t1, within);
}

TEST(Region, OfACardThatStandsStraightIsTheFrameAtItsDepth) {
    // A 35 mm lens sees 36/35 of the depth across; pinhole.
    View view = viewFrom({0.2, 0, 0}, 0, 0, 0, 35, 8, 10);
    view.aperture = 0;
    const Region region = optics::regionSeen(view, whole, standing(4, 2, 5));
    const double across = 5 * 36 / 35.0, down = across * 1080 / 1920;
    EXPECT_NEAR(region.s0, 0.5 + (0.2 - across / 2) / 4, 1e-12);
    EXPECT_NEAR(region.s1, 0.5 + (0.2 + across / 2) / 4, 1e-12);
    EXPECT_NEAR(region.t0, 0.5 - down / 4, 1e-12);
    EXPECT_NEAR(region.t1, 0.5 + down / 4, 1e-12);
}

TEST(Region, IsWiderByTheDiscOfTheLens) {
    // The lens's radius is 50 mm / 2 / 2; at 10 m, focused at 4 m, a ray is off by its share (10 - 4) / 4.
    const View view = viewFrom(V3d(0), 0, 0, 0, 50, 2, 4);
    View pinhole = view;
    pinhole.aperture = 0;
    const Region sharp = optics::regionSeen(pinhole, whole, standing(8, 8, 10)),
                 wide = optics::regionSeen(view, whole, standing(8, 8, 10));
    const double more = 0.0125 * 6 / 4 / 8;
    EXPECT_NEAR(wide.s1 - sharp.s1, more, 1e-12);
    EXPECT_NEAR(sharp.s0 - wide.s0, more, 1e-12);
    EXPECT_NEAR(wide.t1 - sharp.t1, more, 1e-12);
    // A square opening with its corners up, down and to the sides reaches as far; turned by 45 degrees, less.
    expectSame(optics::regionSeen(view, whole, standing(8, 8, 10), {4, 0}), wide, 1e-9);
    const Region turned = optics::regionSeen(view, whole, standing(8, 8, 10), {4, 45});
    EXPECT_NEAR(turned.s1 - sharp.s1, more * std::sqrt(0.5), 1e-12);
}

class AnyCard : public ::testing::TestWithParam<std::pair<double, int>> {}; // bend in degrees, blades

TEST_P(AnyCard, IsSeenWhereASearchFindsIt) {
    const auto [bend, blades] = GetParam();
    std::mt19937 random(7);
    std::uniform_real_distribution<double> any(-1, 1);
    int compared = 0;
    for (int i = 0; i < 12; ++i) {
        const View view = viewFrom({any(random), any(random), any(random)}, 12 * any(random), 8 * any(random),
                                   20 * any(random), 50 + 20 * any(random), 1.4, 6 + 3 * any(random));
        Surface card = standing(10 + 2 * any(random), 6, 9 + 2 * any(random));
        const double turn = radians(30 * any(random));
        const V3d centre = card.centre();
        card.across =
            V3d(std::cos(turn), 0.2 * any(random), std::sin(turn)).normalized() * card.across.length();
        card.corner = centre - (card.across + card.down) / 2;
        card.front = card.down.cross(card.across).normalized();
        card.bend = radians(bend);
        const scene::Iris iris{blades, 17};
        const Region region = optics::regionSeen(view, whole, card, iris);
        if (!region.bounded()) continue; // a ray goes past the cylinder
        ++compared;
        expectSame(region, bySearch(view, card, iris), bend == 0 ? 1e-4 : 2e-3);
    }
    EXPECT_GE(compared, bend == 0 ? 12 : 6);
}
INSTANTIATE_TEST_SUITE_P(Cards, AnyCard,
                         ::testing::Values(std::pair(0.0, 0), std::pair(0.0, 6), std::pair(60.0, 0),
                                           std::pair(-40.0, 5)));

TEST(Region, IsWithoutBoundsWhereTheHorizonIsInTheFrame) {
    // The ground under a level camera.
    Surface ground = standing(100, 100, 1);
    ground.corner = {-50, -1.5, -100};
    ground.down = {0, 0, 100};
    ground.front = {0, 1, 0};
    const View view = viewFrom(V3d(0), 0, 0, 0, 35, 8, 10);
    EXPECT_FALSE(optics::regionSeen(view, whole, ground).bounded());
    EXPECT_TRUE(std::isinf(optics::leastGrowth(view, whole, ground, ground.centre())));
    // Looking down on it there are.
    EXPECT_TRUE(optics::regionSeen(viewFrom(V3d(0), 0, -60, 0, 35, 8, 10), whole, ground).bounded());
}

TEST(Growth, OfACardAboutItsMiddleIsTheRatioOfWidths) {
    View view = viewFrom(V3d(0), 0, 0, 0, 35, 8, 10);
    view.aperture = 0;
    const Surface card = standing(4, 4, 5);
    EXPECT_NEAR(optics::leastGrowth(view, whole, card, card.centre()), 5 * 36 / 35.0 / 4, 1e-12);
    EXPECT_EQ(optics::leastGrowth(view, whole, standing(6, 6, 5), card.centre()), 1);
    // About a point of its left edge the right side has to make up for what the left cannot.
    EXPECT_TRUE(std::isinf(optics::leastGrowth(view, whole, card, {-2, 0, -5})));
    // What goes on beyond an edge counts.
    Surface extended = card;
    extended.left = extended.right = 0.2;
    EXPECT_EQ(optics::leastGrowth(view, whole, extended, card.centre()), 1);
}

TEST(Growth, CoversAndALittleLessDoesNot) {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> any(-1, 1);
    for (int i = 0; i < 60; ++i) {
        const View view = viewFrom({any(random), any(random), 0}, 10 * any(random), 5 * any(random),
                                   10 * any(random), 40, 2, 5);
        Surface card = standing(3, 2, 8 + any(random));
        const double turn = radians(20 * any(random));
        const V3d centre = card.centre();
        card.across = V3d(std::cos(turn), 0, std::sin(turn)) * 3;
        card.corner = centre - (card.across + card.down) / 2;
        card.front = card.down.cross(card.across).normalized();
        card.bend = i % 3 == 0 ? radians(40 * any(random)) : 0;
        const V3d about = card.at(0.5, 0.5) + (i % 2 == 0 ? card.across * 0.2 : V3d(0));
        const double growth = optics::leastGrowth(view, whole, card, about);
        ASSERT_TRUE(std::isfinite(growth)) << i;
        ASSERT_GT(growth, 1);
        const auto covers = [&](double k) {
            Surface large = card;
            large.corner = about + (card.corner - about) * k;
            large.across *= k, large.down *= k;
            const Region seen = bySearch(view, large, {});
            return seen.s0 >= -1e-4 && seen.t0 >= -1e-4 && seen.s1 <= 1 + 1e-4 && seen.t1 <= 1 + 1e-4;
        };
        EXPECT_TRUE(covers(growth * 1.0005)) << i;
        EXPECT_FALSE(covers(1 + (growth - 1) * 0.99)) << i << ": " << growth;
    }
}

}
}
