// Where a move runs out of picture: known answers, and that what closes a gap closes it by the least that
// does.
#include "checks/gaps.h"

#include "checks/check.h"
#include "checks/cover.h"
#include "edit/edit.h"
#include "support/moves.h"
#include "support/support.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <random>

namespace stage {
namespace {

using checks::Coverage;
using checks::Gap;
using test::mark;
using test::sheet;
using test::withSheets;

Gap gapOf(const scene::Scene& scene) {
    media::PixelCache cache;
    const auto gap = checks::gap(scene, cache);
    EXPECT_TRUE(gap);
    return gap ? *gap : Gap{};
}

double openShare(const scene::Scene& scene) {
    media::PixelCache cache;
    Coverage coverage(cache);
    const auto holes = coverage.holes(motion::evaluate(scene, Rational(0), scene.output.frame, true), 4);
    EXPECT_TRUE(holes);
    double sum = 0;
    for (const checks::Hole& hole : *holes) {
        const V2d size = hole.part.high - hole.part.low;
        sum += hole.open * size.x * size.y;
    }
    return sum / (scene.output.frame.x * static_cast<double>(scene.output.frame.y));
}

// ---- one frame

TEST(Coverage, IsTheAreaThatIsNotFilled) {
    // At 10 m the frame shows 10 * 36 / 35 m across; a sheet of half of it, from the left edge on.
    const double wide = 10 * 36 / 35.0;
    auto scene = withSheets({mark(1, 0, V3d(0))}, {sheet(1, {wide / 2, 20}, {-wide / 4, 0, -10})});
    EXPECT_NEAR(openShare(scene), 0.5, 1e-3);
    // Beside another that overlaps it, all but a tenth.
    scene.layers.push_back(sheet(2, {wide * 0.45, 20}, {wide * 0.175, 0, -10}));
    EXPECT_NEAR(openShare(scene), 0.1, 2e-3);
    scene.layers.push_back(sheet(3, {wide, 20}, {wide / 2, 0, -8}));
    EXPECT_EQ(openShare(scene), 0);
}

TEST(Coverage, IsThatOfAllLayersTogether) {
    // Two of half opacity let a quarter through, in a flattened group or alone.
    auto half = sheet(1, {20, 20}, {0, 0, -10}, 0.5), other = sheet(2, {20, 20}, {0, 0, -9}, 0.5);
    auto scene = withSheets({mark(1, 0, V3d(0))}, {half, other});
    EXPECT_NEAR(openShare(scene), 0.25, 1e-3);
    // A sheet that is added fills nothing.
    auto added = std::make_shared<scene::Layer>(*sheet(3, {20, 20}, {0, 0, -8}));
    added->blend = scene::Blend::Add;
    scene.layers.push_back(added);
    EXPECT_NEAR(openShare(scene), 0.25, 1e-3);
    scene.layers.push_back(sheet(4, {20, 20}, {0, 0, -12}));
    EXPECT_EQ(openShare(scene), 0);
}

TEST(Coverage, SeesAHoleInAPictureOnlyWhereNothingIsBehindIt) {
    const test::TempDir dir;
    test::writePicture(dir / "ring.png", {400, 400}, [](int x, int y) {
        return std::hypot(x - 200, y - 200) < 50 ? test::Rgba8{0, 0, 0, 0} : test::Rgba8{200, 90, 30, 255};
    });
    // 20 m across, so the hole's radius is 2.5 m at 10 m.
    auto scene = withSheets({mark(1, 0, V3d(0))},
                            {test::pictureLayer(1, "ring", dir / "ring.png", {400, 400}, 20, {0, 0, -10})});
    const double perMetre = 35.0 / 36 * 1920 / 10;
    const double area = std::numbers::pi * std::pow(2.5 * perMetre, 2) / (1920.0 * 1080);
    EXPECT_NEAR(openShare(scene), area, 0.01 * area);
    scene.layers.insert(scene.layers.begin(), sheet(2, {8, 8}, {0, 0, -11}));
    EXPECT_EQ(openShare(scene), 0);
}

TEST(Coverage, CountsWhatTheLensLooksPast) {
    // It ends exactly at the frame's edge: a pinhole sees nothing beyond, a wide lens does.
    const double wide = 10 * 36 / 35.0;
    auto scene = withSheets({mark(1, 0, V3d(0))}, {sheet(1, {wide * 1.0001, 20}, {0, 0, -10})});
    EXPECT_EQ(openShare(scene), 0);
    scene.camera.marks[0].pose.fstop = 1.4;
    scene.camera.marks[0].pose.focus = 3;
    EXPECT_GT(openShare(scene), 0);
}

// ---- a move

TEST(Gaps, NoneWhereABackdropCoversTheMove) {
    const Gap gap =
        gapOf(withSheets({mark(1, 0, V3d(0)), mark(2, 2, {1, 0, 0})}, {sheet(1, {14, 8}, {0, 0, -10})}));
    EXPECT_EQ(gap.frames, 0);
    EXPECT_TRUE(gap.fixes.empty());
}

TEST(Gaps, OfATruckAreWhereItEnds) {
    // 5 m away 5 * 36/35 m are seen. The sheet ends 0.2 m beyond the frame's right edge, and the camera goes
    // on by 0.5 m: 0.3 m are missing.
    const double half = 5 * 18 / 35.0;
    const auto scene = withSheets({mark(1, 0, V3d(0)), mark(2, 2, {0.5, 0, 0})},
                                  {sheet(1, {2 * half + 0.4, 6}, {0, 0, -5})});
    const Gap gap = gapOf(scene);
    EXPECT_EQ(gap.sides, (std::array<bool, 4>{false, false, true, false}));
    EXPECT_NEAR(gap.pixels, 0.3 / (2 * half) * 1920, 2.1);
    EXPECT_EQ(gap.worst, 24);
    EXPECT_EQ(gap.last, 24);
    EXPECT_EQ(gap.first, 10); // 0.2 m of 0.5 m in 2 s at 12 frames a second: after frame 9.6
    EXPECT_EQ(gap.layer, 1);
    EXPECT_NEAR(gap.growth, (half + 0.5) / (half + 0.2), 2e-5);
    EXPECT_NEAR(gap.needed.s1, 0.5 + (half + 0.5) / (2 * half + 0.4), 2e-5);
}

TEST(Gaps, AreClosedByWhateverIsBehind) {
    const double half = 5 * 18 / 35.0;
    auto scene = withSheets({mark(1, 0, V3d(0)), mark(2, 2, {0.5, 0, 0})},
                            {sheet(1, {2 * half + 0.4, 6}, {0, 0, -5}), sheet(2, {3, 9}, {4, 0, -7})});
    EXPECT_EQ(gapOf(scene).frames, 0);
}

/// Every fix closes all of it; 99 % of the growth does not.
void expectFixed(const scene::Scene& scene, const Gap& gap) {
    for (const checks::Fix& fix : gap.fixes) {
        const auto mended = edit::apply(scene, fix.edit);
        ASSERT_TRUE(mended) << fix.name << ": " << mended.error().sentence;
        EXPECT_EQ(gapOf(*mended).frames, 0) << fix.name;
    }
    if (gap.layer == 0) return;
    const double less = gap.growth * 0.99;
    const auto grown =
        edit::apply(scene, {{"edit", "scale"}, {"layers", {gap.layer}}, {"by", less}, {"about", "pivot"}});
    ASSERT_TRUE(grown);
    EXPECT_GT(gapOf(*grown).frames, 0) << gap.growth;
}

TEST(Gaps, EveryFixClosesThem) {
    const auto scene = withSheets({mark(1, 0, V3d(0)), mark(2, 2, {0.5, 0.1, 0.4})},
                                  {sheet(1, {5.6, 3.4}, {0, 0, -5}), sheet(2, {0.5, 0.5}, {0, 0, -3})});
    const Gap gap = gapOf(scene);
    ASSERT_GT(gap.frames, 0);
    std::vector<std::string> names;
    for (const checks::Fix& fix : gap.fixes)
        names.push_back(fix.name.substr(0, fix.name.find(' ')));
    EXPECT_THAT(names, testing::ElementsAre("Grow", "Grow", "Extend", "Extend", "Extend", "Push", "Take",
                                            "End", "Let"));
    expectFixed(scene, gap);
}

TEST(Gaps, AreNoneWhereTheBackgroundIsMeantToShow) {
    auto scene = withSheets({mark(1, 0, V3d(0))}, {sheet(1, {1, 1}, {0, 0, -5})});
    EXPECT_EQ(gapOf(scene).frames, 25);
    const auto shown = edit::apply(scene, {{"edit", "settings"}, {"backgroundSeen", true}});
    ASSERT_TRUE(shown);
    EXPECT_EQ(gapOf(*shown).frames, 0);
}

TEST(Gaps, AreNotToldWhereNothingIsStagedYet) {
    const auto scene = withSheets({mark(1, 0, V3d(0))}, {});
    EXPECT_EQ(gapOf(scene).frames, 0);
    media::PixelCache cache;
    Coverage coverage(cache);
    EXPECT_FALSE(*checks::glanceForGap(checks::Frames(scene), coverage));
}

TEST(Gaps, AreOfTheWholeExposure) {
    // Filled at every frame's middle, open at the end of the last one's exposure.
    const double half = 5 * 18 / 35.0;
    auto scene = withSheets({mark(1, 0, V3d(0)), mark(2, 2, {0.5, 0, 0})},
                            {sheet(1, {2 * half + 0.97, 6}, {0, 0, -5})});
    scene.output.frames = 24; // the last one at 23/12 s
    EXPECT_EQ(gapOf(scene).frames, 0);
    scene.camera.shutter = 360;
    const Gap gap = gapOf(scene);
    EXPECT_EQ(gap.frames, 1);
    EXPECT_NEAR(gap.growth, (half + 0.25 * 23.5 / 12) / (half + 0.485), 2e-5);
}

TEST(Gaps, OpenOnlyInsideAnExposureAreFound) {
    // The sheet swings 2 m to the left and back, at its farthest midway between the middle and the end of an
    // exposure; there 5 mm are missing, 4.6 mm less than it is off by 1/24 s before and after.
    const double half = 5 * 18 / 35.0, right = half + 2 - 0.005;
    auto swings = sheet(1, {2 * right, 6}, {0, 0, -5});
    const scene::Pace smooth{1 / 3.0, 0, 2 / 3.0, 1, {}};
    swings->tracks.push_back(
        {"across", {{Rational(0), 0.0, smooth}, {Rational(25, 24), -2.0, smooth}, {Rational(50, 24), 0.0}}});
    auto scene = withSheets({mark(1, 0, V3d(0))}, {swings});
    scene.output.rate = Rational(6);
    scene.output.frames = 13;
    EXPECT_EQ(gapOf(scene).frames, 0);
    scene.camera.shutter = 360;
    const Gap gap = gapOf(scene);
    EXPECT_EQ(gap.frames, 1);
    EXPECT_EQ(gap.worst, 6);
    EXPECT_NEAR(gap.growth, (half + 2) / right, 2e-4); // as evenly accelerated over the exposure
}

TEST(Gaps, OfABentBackdropAreClosedToo) {
    auto layer = sheet(1, {8, 5}, {0, 0, -6});
    layer->hanging.bend = 60;
    const auto scene = withSheets({mark(1, 0, V3d(0), 0, 35), mark(2, 2, V3d(0), 25, 35)}, {layer});
    const Gap gap = gapOf(scene);
    ASSERT_GT(gap.frames, 0);
    ASSERT_EQ(gap.layer, 1);
    expectFixed(scene, gap);
}

TEST(Gaps, LeftByALayerThatIsCutOutAreNotItsToClose) {
    // The picture is transparent along its right side: growing it would close nothing there.
    const test::TempDir dir;
    test::writePicture(dir / "cut.png", {400, 300}, [](int x, int) {
        return x > 380 ? test::Rgba8{0, 0, 0, 0} : test::Rgba8{200, 90, 30, 255};
    });
    const auto scene =
        withSheets({mark(1, 0, V3d(0)), mark(2, 2, {0.5, 0, 0})},
                   {test::pictureLayer(1, "cut", dir / "cut.png", {400, 300}, 5.3, {0, 0, -5})});
    const Gap gap = gapOf(scene);
    EXPECT_GT(gap.frames, 0);
    EXPECT_EQ(gap.layer, 0);
}

/// The least growth of a flat layer about its pivot for all that is rendered, by brute force: each exposure
/// at 33 moments, between whose begin, middle and end everything moves evenly accelerated.
double renderedGrowth(const scene::Scene& scene) {
    const auto mixed = [](auto a, auto b, auto c, double t) {
        return a * (t * (t - 1) / 2) + b * (1 - t * t) + c * (t * (t + 1) / 2);
    };
    double growth = 1;
    for (std::int64_t f = 0; f < scene.output.frames; ++f) {
        const motion::Frame frame =
            motion::evaluate(scene, timeOfFrame(f, scene.output.rate), scene.output.frame, true);
        const motion::Item& item = frame.items.front();
        const scene::Layer& layer = *item.layer;
        const V2d pivot(0.5 + layer.hanging.pivot.x / (layer.pixels.x * layer.metresPerPixel),
                        0.5 - layer.hanging.pivot.y / (layer.pixels.y * layer.metresPerPixel));
        for (int k = frame.exposed ? -16 : 0; k <= (frame.exposed ? 16 : 0); ++k) {
            const double t = k / 16.0;
            optics::Surface card = item.card;
            optics::View view = frame.view;
            card.corner = mixed(item.open.corner, item.card.corner, item.close.corner, t);
            card.across = mixed(item.open.across, item.card.across, item.close.across, t);
            card.down = mixed(item.open.down, item.card.down, item.close.down, t);
            view.eye = mixed(frame.open.eye, frame.view.eye, frame.close.eye, t);
            view.forward = mixed(frame.open.forward, frame.view.forward, frame.close.forward, t).normalized();
            view.right = mixed(frame.open.right, frame.view.right, frame.close.right, t);
            view.right = (view.right - view.forward * view.forward.dot(view.right)).normalized();
            view.up = view.right.cross(view.forward);
            view.slope = mixed(frame.open.slope, frame.view.slope, frame.close.slope, t);
            view.aperture = mixed(frame.open.aperture, frame.view.aperture, frame.close.aperture, t);
            view.focus = mixed(frame.open.focus, frame.view.focus, frame.close.focus, t);
            const V3d about = card.corner + card.across * pivot.x + card.down * pivot.y;
            growth = std::max(
                growth, optics::leastGrowth(view, optics::wholeOf(frame.size), card, about, frame.iris));
        }
    }
    return growth;
}

/// After growing no frame is open; at 99 % of it one is; and the growth is that of the geometry alone.
TEST(Gaps, OfRandomMovesAreClosedByTheLeastGrowth) {
    std::mt19937 engine(7);
    const auto random = [&](double from, double to) {
        return std::uniform_real_distribution<double>(from, to)(engine);
    };
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
    constexpr int rounds = 120; // each takes ten times as long
#else
    constexpr int rounds = 1000;
#endif
    int open = 0;
    for (int round = 0; round < rounds; ++round) {
        auto layer = sheet(1, {random(4.5, 8), random(2.6, 6)}, {random(-0.3, 0.3), random(-0.3, 0.3), -6});
        layer->placement.turn = {random(-12, 12), random(-12, 12), random(-5, 5)};
        layer->hanging.pivot = {random(-0.5, 0.5), random(-0.5, 0.5)};
        auto scene = withSheets({mark(1, 0, V3d(0), random(-8, 8), random(24, 60)),
                                 mark(2, 1, {random(-0.6, 0.6), random(-0.4, 0.4), random(-0.8, 0.8)},
                                      random(-8, 8), random(24, 60))},
                                {layer});
        scene.output.frames = 13;
        if (round % 2) {
            for (scene::Mark& each : scene.camera.marks)
                each.pose.fstop = 2, each.pose.focus = 3;
            scene.camera.shutter = 180;
        }
        const Gap gap = gapOf(scene);
        const auto geometry = checks::cover(scene, {1});
        ASSERT_TRUE(geometry);
        if (gap.frames == 0) {
            EXPECT_LT(geometry->front().growth, 1.0005) << round;
            continue;
        }
        if (std::isinf(geometry->front().growth)) {
            EXPECT_EQ(gap.layer, 0) << round;
            continue;
        }
        ++open;
        ASSERT_EQ(gap.layer, 1) << round;
        EXPECT_NEAR(gap.growth / renderedGrowth(scene), 1, 1e-3) << round;
        // Where a camera stops at once, an exposure takes it a little beyond.
        EXPECT_GT(gap.growth / geometry->front().growth, 1 - 1e-3) << round;
        if (scene.camera.shutter == 0) {
            EXPECT_NEAR(gap.growth / geometry->front().growth, 1, 1e-3) << round;
        }
        if (round < 80) {
            expectFixed(scene, gap);
            continue;
        }
        ASSERT_TRUE(gap.fixes.front().name.starts_with("Grow")) << round;
        scene::Json grow = gap.fixes.front().edit;
        EXPECT_EQ(gapOf(*edit::apply(scene, grow)).frames, 0) << round;
        // At 99 % of it, or at 0.1 % of the layer less, which is about a px, something is open.
        const double by = grow["by"];
        grow["by"] = by - std::max(0.01 * (by - 1), 1e-3);
        EXPECT_GT(gapOf(*edit::apply(scene, grow)).frames, 0) << round;
    }
    EXPECT_GT(open, rounds / 2);
}

TEST(Gaps, WhatIsToSpareOnOneSideServesTheOther) {
    // At 10 m the frame shows 10.286 m; a truck of 1 m to the right asks for 1 m more there. 11.4 m in the
    // middle of the first frame have 0.557 m to spare on either side.
    auto scene =
        withSheets({mark(1, 0, V3d(0)), mark(2, 2, V3d(1, 0, 0))}, {sheet(1, {11.4, 11.4}, {0, 0, -10})});
    const auto fixOf = [&](const char* begin) -> std::optional<checks::Fix> {
        for (const checks::Fix& fix : gapOf(scene).fixes)
            if (fix.name.starts_with(begin)) return fix;
        return {};
    };
    const auto shift = fixOf("Shift");
    ASSERT_TRUE(shift);
    EXPECT_EQ(shift->name, "Shift Sheet 1 by 0.44 m"); // 1 - 0.557
    EXPECT_EQ(gapOf(*edit::apply(scene, shift->edit)).frames, 0);
    // Of 11 m, 11.286 m are needed: 2.6 % more instead of 16.9 %.
    scene.layers = {sheet(1, {11, 11}, {0, 0, -10})};
    const auto both = fixOf("Grow Sheet 1 by 2.6 % and shift it by 0.50 m");
    ASSERT_TRUE(both);
    const auto closed = edit::apply(scene, both->edit);
    EXPECT_EQ(gapOf(*closed).frames, 0);
    scene::Json less = both->edit;
    less["edits"][0]["by"] = 1 + 0.99 * (less["edits"][0]["by"].get<double>() - 1);
    EXPECT_GT(gapOf(*edit::apply(scene, less)).frames, 0);
    // Off its pivot too.
    auto off = sheet(1, {11, 11}, {0, 0, -10});
    off->hanging.pivot = {3, -2};
    scene.layers = {off};
    const auto other = fixOf("Grow Sheet 1 by 2.6 % and shift");
    ASSERT_TRUE(other);
    EXPECT_EQ(gapOf(*edit::apply(scene, other->edit)).frames, 0);
}

TEST(Gaps, OfALayerThatAnotherCutsMoveWithIt) {
    // A backdrop that shows only where a sheet of half its width is, which slides out to the right from frame
    // 12 on.
    auto matte = std::make_shared<scene::Layer>(*sheet(2, {20, 20}, {0, 0, -10}));
    matte->opacity = 0;
    auto scene = withSheets({mark(1, 0, V3d(0))}, {sheet(1, {20, 20}, {0, 0, -10}), matte});
    for (const scene::Json& each : std::vector<scene::Json>{
             {{"edit", "add-matte"}, {"layer", 1}, {"matte", {{"kind", "layer"}, {"layer", 2}}}},
             {{"edit", "key"}, {"layers", {2}}, {"property", "across"}, {"time", 1}, {"value", 0}},
             {{"edit", "key"}, {"layers", {2}}, {"property", "across"}, {"time", 2}, {"value", 12}}}) {
        const auto changed = edit::apply(scene, each);
        ASSERT_TRUE(changed) << changed.error().sentence;
        scene = *changed;
    }
    const Gap gap = gapOf(scene);
    EXPECT_GT(gap.first, 12); // 4.86 m to spare: it takes five frames of 1 m each
    EXPECT_LT(gap.first, 20);
    EXPECT_EQ(gap.last, 24);
}

TEST(Gaps, AreToldAtOnceByAGlance) {
    auto scene =
        withSheets({mark(1, 0, V3d(0)), mark(2, 2, V3d(1, 0, 0))}, {sheet(1, {11, 11}, {0, 0, -10})});
    media::PixelCache cache;
    const auto glance = [&]() -> std::optional<checks::Finding> {
        const checks::Frames frames(scene);
        Coverage coverage(cache);
        const auto found = checks::glanceForGap(frames, coverage);
        EXPECT_TRUE(found);
        return found ? *found : std::nullopt;
    };
    const auto found = glance();
    ASSERT_TRUE(found);
    EXPECT_EQ(found->kind, checks::Kind::Gap);
    EXPECT_EQ(found->at, Rational(2)); // where it has gone farthest
    scene.layers = {sheet(1, {14, 14}, {0, 0, -10})};
    EXPECT_FALSE(glance());
    scene.layers.clear();
    scene.output.backgroundSeen = true;
    EXPECT_FALSE(glance());
}

// ---- size variants

TEST(Check, TellsOfGapsInSizeVariants) {
    const test::TempDir dir;
    test::writePicture(dir / "a.png", {320, 180}, [](int x, int y) { return test::Rgba8{x % 256, y, 60}; });
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = {320, 180};
    scene.output.frames = 3;
    // Just as large as what the frame sees at 10 m.
    scene.layers = {test::pictureLayer(1, "far", dir / "a.png", {320, 180},
                                       10 * scene.camera.gate / scene.camera.marks[0].pose.focal,
                                       {0, 0, -10})};
    media::PixelCache cache;
    const auto gapsIn = [&](const scene::Scene& looked) {
        std::vector<checks::Finding> gaps;
        const auto report = checks::check(looked, cache);
        EXPECT_TRUE(report);
        for (const checks::Finding& each : report->findings)
            if (each.kind == checks::Kind::Gap) gaps.push_back(each);
        return gaps;
    };
    scene.output.variants = {{"inside", {90, 180}, scene::Keep::Height, V2d(0)}};
    EXPECT_TRUE(gapsIn(scene).empty());
    // As wide, it sees 320 px up and down of which 180 are there.
    scene.output.variants.push_back({"square", {320, 320}, scene::Keep::Width, V2d(0)});
    const auto gaps = gapsIn(scene);
    ASSERT_EQ(gaps.size(), 1u);
    EXPECT_TRUE(gaps[0].sentence.starts_with("'square': ")) << gaps[0].sentence;
    EXPECT_NE(gaps[0].sentence.find("70 px"), std::string::npos) << gaps[0].sentence;
    ASSERT_FALSE(gaps[0].fixes.empty());
    const auto mended = edit::apply(scene, gaps[0].fixes.front().edit);
    ASSERT_TRUE(mended) << mended.error().sentence;
    EXPECT_TRUE(gapsIn(*mended).empty());
}

}
}
