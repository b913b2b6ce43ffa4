// What the lens sees of layers over a move: known answers by hand.
#include "checks/seen.h"

#include "checks/check.h"
#include "checks/frames.h"
#include "edit/edit.h"
#include "support/edits.h"
#include "support/moves.h"
#include "support/support.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

namespace stage {
namespace {

using test::applied;

using checks::Finding;
using checks::Kind;
using test::mark;
using test::sheet;
using test::withSheets;

/// Asks something of a check that has looked at all frames.
template <class Ask> auto ofAllFrames(const scene::Scene& scene, const Ask& ask) {
    media::PixelCache cache;
    const checks::Frames frames(scene);
    checks::Coverage coverage(cache);
    checks::SeenCheck check(frames, coverage);
    EXPECT_TRUE(frames.forEach({}, [&](auto f, const motion::Frame& frame) { return check.look(f, frame); }));
    return ask(check);
}

std::map<std::int64_t, checks::Seen> seenOf(const scene::Scene& scene) {
    return ofAllFrames(scene, [](const checks::SeenCheck& check) { return check.seen(); });
}

std::vector<Finding> told(const scene::Scene& scene, Kind kind) {
    auto some = ofAllFrames(scene, [](const checks::SeenCheck& check) { return check.tell(); });
    std::erase_if(some, [&](const Finding& each) { return each.kind != kind; });
    return some;
}

/// Pixels of the frame per metre at 1 m: 35 mm on 36 mm, 1920 px.
TEST(Seen, WhatIsBesideTheFrameIsNeverSeenUntilTheCameraPassesIt) {
    // At 10 m the frame shows 5.14 m to either side; the sheet begins at 9 m.
    auto scene = withSheets({mark(1, 0, V3d(0)), mark(2, 2, V3d(3, 0, 0))}, {sheet(1, {2, 2}, {10, 0, -10})});
    EXPECT_EQ(seenOf(scene).at(1).frames, 0);
    const auto found = told(scene, Kind::Unseen);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].sentence, "Sheet 1 is never in the frame.");
    EXPECT_EQ(told(applied(scene, found[0].fixes.at(0).edit), Kind::Unseen).size(), 0u);
    // Its left edge at 9 m meets the frame's right edge when the camera is 9 - 5.143 m to the right.
    scene.camera.marks[1].pose.position.x = 4;
    const auto seen = seenOf(scene).at(1);
    EXPECT_TRUE(seen.reaches);
    EXPECT_EQ(seen.first, 24); // 25 frames over 4 m: 3.857 m are passed between 23 and 24
    EXPECT_EQ(seen.frames, 1);
}

TEST(Seen, AWideOpenLensSeesFartherAside) {
    auto scene = withSheets({mark(1, 0, V3d(0))}, {sheet(1, {2, 2}, {6.2, 0, -10})}); // from 5.2 m on
    EXPECT_EQ(seenOf(scene).at(1).frames, 0);
    // 8.3 mm to either side, focused at 2 m: 33 mm more at 10 m, which does not do; of ten times that opening
    // it does.
    scene.camera.marks[0].pose.focus = 2;
    scene.camera.marks[0].pose.fstop = 2.1;
    EXPECT_EQ(seenOf(scene).at(1).frames, 0);
    scene.camera.marks[0].pose.fstop = 0.21;
    EXPECT_EQ(seenOf(scene).at(1).frames, 25);
}

TEST(Seen, WhatIsBehindSomethingOpaqueAllTheTimeIsHidden) {
    auto front = sheet(1, {4, 4}, {0, 0, -10}), behind = sheet(2, {2, 2}, {0, 0, -12});
    // The order of the list is of no account: depth is.
    for (const auto& layers : {std::vector<scene::LayerPtr>{front, behind}, {behind, front}}) {
        const auto found = told(withSheets({mark(1, 0, V3d(0))}, layers), Kind::Unseen);
        ASSERT_EQ(found.size(), 1u);
        EXPECT_EQ(found[0].layer, 2);
        EXPECT_EQ(found[0].sentence, "Sheet 2 is always hidden by what is in front of it.");
    }
    // Through half an opacity it is seen; and where the camera looks past what hides it.
    auto half = sheet(1, {4, 4}, {0, 0, -10}, 0.5);
    EXPECT_TRUE(told(withSheets({mark(1, 0, V3d(0))}, {half, behind}), Kind::Unseen).empty());
    EXPECT_TRUE(
        told(withSheets({mark(1, 0, V3d(0)), mark(2, 2, V3d(12, 0, 0), -45)}, {front, behind}), Kind::Unseen)
            .empty());
    // What adds its light hides nothing.
    auto light = std::make_shared<scene::Layer>(*front);
    light->blend = scene::Blend::Add;
    EXPECT_TRUE(told(withSheets({mark(1, 0, V3d(0))}, {light, behind}), Kind::Unseen).empty());
}

TEST(Seen, OfTiltedSheetsThatCrossBothAreSeen) {
    auto one = sheet(1, {4, 4}, {0, 0, -10}), other = sheet(2, {3, 3}, {0, 0, -10});
    one->placement.turn.y = 30, other->placement.turn.y = -30;
    EXPECT_TRUE(told(withSheets({mark(1, 0, V3d(0))}, {one, other}), Kind::Unseen).empty());
}

TEST(Seen, InAFlattenedGroupAChildIsHiddenByItsSiblings) {
    auto group = std::make_shared<scene::Layer>();
    group->id = 9;
    group->name = "Group";
    group->opacity = 0.5;
    group->content =
        scene::Group{{sheet(1, {4, 4}, {0, 0, -10}), sheet(2, {2, 2}, {0, 0, -12})}, {}, {}, false};
    const auto found = told(withSheets({mark(1, 0, V3d(0))}, {group}), Kind::Unseen);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].layer, 2);
}

TEST(Seen, EnlargementIsThatOfTheNearestPlaceInTheFrame) {
    // 4 m of 1000 pixels, at 10 m and after a dolly of 5 m at 5 m.
    auto scene = withSheets({mark(1, 0, V3d(0)), mark(2, 2, V3d(0, 0, -5))}, {sheet(1, {4, 4}, {0, 0, -10})});
    const auto seen = seenOf(scene).at(1);
    EXPECT_NEAR(seen.enlargement, test::slope35 * 0.004 / 5, 1e-3);
    EXPECT_EQ(seen.enlarged, 24);
}

TEST(Seen, APictureEnlargedSaysTheSizeThatWouldDo) {
    auto picture = sheet(1, {4, 4}, {0, 0, -10});
    picture->content = scene::Picture{{"/none.png", 0, ""}, ""};
    // 746.7 px of the frame of 1000: not enlarged; of 500: to 149 %.
    auto scene = withSheets({mark(1, 0, V3d(0))}, {picture});
    EXPECT_TRUE(told(scene, Kind::Enlarged).empty());
    auto coarse = std::make_shared<scene::Layer>(*picture);
    coarse->pixels = {500, 500};
    coarse->metresPerPixel = 0.008;
    scene.layers = {coarse};
    const auto found = told(scene, Kind::Enlarged);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].sentence,
              "Sheet 1 is enlarged to 149 % of its pixels; a picture of 747 x 747 would do.");
    EXPECT_TRUE(
        told(applied(scene, {{"edit", "check-limits"}, {"enlargement", 1.5}}), Kind::Enlarged).empty());
    // 20000 pixels for the same.
    auto fine = std::make_shared<scene::Layer>(*picture);
    fine->pixels = {20000, 20000};
    fine->metresPerPixel = 0.0002;
    scene.layers = {fine};
    const auto large = told(scene, Kind::TooLarge);
    ASSERT_EQ(large.size(), 1u);
    EXPECT_THAT(large[0].sentence,
                testing::HasSubstr("never seen larger than 747 x 747 of its 20000 x 20000 pixels"));
}

TEST(Seen, BlurIsTheSharpestDiscAndStoppingDownBringsItUnderTheLimit) {
    auto scene = withSheets({mark(1, 0, V3d(0)), mark(2, 2, V3d(0, 0, -1))}, {sheet(1, {2, 2}, {0, 0, -3})});
    for (auto& each : scene.camera.marks)
        each.pose.fstop = 2, each.pose.focus = 20;
    // A F |d - s| / (s d), A = 17.5 mm: at 3 m, where it is sharper than at 2 m.
    const double disc = 0.0175 * test::slope35 * 17 / (20 * 3);
    EXPECT_NEAR(seenOf(scene).at(1).sharpest, disc, 1e-6);
    scene.limits.blur = 0.5 * disc / 1920;
    const auto found = told(scene, Kind::Blurred);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_NEAR(found[0].excess, 2, 1e-9);
    ASSERT_EQ(found[0].fixes.size(), 1u);
    EXPECT_EQ(found[0].fixes[0].name, "Stop down to f/4.0");
    EXPECT_TRUE(told(applied(scene, found[0].fixes[0].edit), Kind::Blurred).empty());
}

TEST(Seen, ATextInTheFrameForLessThanItTakesToReadIsTold) {
    auto text = std::make_shared<scene::Layer>(*sheet(1, {2, 1}, {0, 0, -10}));
    text->name = "Title";
    scene::Text words;
    words.text = "Fifteen and fifteen letters ok\n"; // 26 without spaces
    text->content = words;
    text->showing.in = Rational(0);
    text->showing.out = Rational(1);
    auto scene = withSheets({mark(1, 0, V3d(0))}, {text});
    scene.limits.reading = 20; // 1.3 s, of the 1 s in which it shows: frames 0 to 11 of 12 a second
    const auto found = told(scene, Kind::Reading);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].sentence, "Title can be read for 1.0 s; its 26 letters take 1.3 s.");
    ASSERT_EQ(found[0].fixes.size(), 1u);
    EXPECT_TRUE(told(applied(scene, found[0].fixes[0].edit), Kind::Reading).empty());
    // Half out of the frame it cannot be read at all.
    auto beside = std::make_shared<scene::Layer>(*text);
    beside->placement.position.x = 5;
    scene.layers = {beside};
    EXPECT_THAT(told(scene, Kind::Reading).at(0).sentence, testing::HasSubstr("can be read for 0.0 s"));
}

TEST(Seen, AFocusPullThatEndsBeforeOrBehindEverythingIsTold) {
    auto scene = withSheets({mark(1, 0, V3d(0)), mark(2, 1, V3d(0))},
                            {sheet(1, {2, 2}, {0, 0, -5}), sheet(2, {20, 20}, {0, 0, -10})});
    for (auto& each : scene.camera.marks)
        each.pose.fstop = 1.4;
    scene.camera.marks[1].pose.focus = 2;
    auto found = told(scene, Kind::Focus);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].sentence,
              "The focus ends at 2.00 m, in front of everything; nearest is Sheet 1 at 5.00 m.");
    EXPECT_EQ(found[0].at, Rational(1));
    const auto mended = applied(scene, found[0].fixes.at(0).edit);
    EXPECT_DOUBLE_EQ(mended.camera.marks[1].pose.focus, 5);
    EXPECT_TRUE(told(mended, Kind::Focus).empty());
    scene.camera.marks[1].pose.focus = 60;
    EXPECT_THAT(told(scene, Kind::Focus).at(0).sentence,
                testing::HasSubstr("behind everything; farthest is Sheet 2"));
    // A pinhole sees all of it sharply.
    for (auto& each : scene.camera.marks)
        each.pose.fstop = 1000;
    EXPECT_TRUE(told(scene, Kind::Focus).empty());
    // By keys.
    scene = applied(scene, {{"edit", "lens"}, {"fstop", 1.4}, {"focus", 10}});
    for (const auto& [time, value] : {std::pair(0, 10.0), {1, 2.0}})
        scene = applied(scene, {{"edit", "key"}, {"property", "focus"}, {"time", time}, {"value", value}});
    found = told(scene, Kind::Focus);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_TRUE(told(applied(scene, found[0].fixes.at(0).edit), Kind::Focus).empty());
}

// ---- together

checks::Report checked(const scene::Scene& scene) {
    media::PixelCache cache;
    auto report = checks::check(scene, cache);
    EXPECT_TRUE(report);
    return report ? *report : checks::Report{};
}

const Finding* of(const std::vector<Finding>& findings, Kind kind) {
    const auto at =
        std::find_if(findings.begin(), findings.end(), [&](const Finding& f) { return f.kind == kind; });
    return at == findings.end() ? nullptr : &*at;
}

/// A dolly through lanterns in a row.
scene::Scene lanterns(int count) {
    std::vector<scene::LayerPtr> layers{sheet(1000, {100, 100}, {0, 0, -30})};
    for (int i = 1; i <= count; ++i)
        layers.push_back(sheet(i, {1, 1}, {0, 0, -2.0 - 0.1 * i}));
    return withSheets({mark(1, 0, V3d(0)), mark(2, 2, V3d(0, 0, -15))}, layers);
}

TEST(Check, ManyOfAKindAreToldAsOneThatMendsAllOfThem) {
    const auto scene = lanterns(100);
    const auto report = checked(scene);
    const Finding* through = of(report.findings, Kind::Through);
    ASSERT_TRUE(through);
    EXPECT_EQ(through->sentence,
              "The camera goes through 100 layers: Sheet 1, Sheet 2, Sheet 3 and 97 more.");
    EXPECT_EQ(through->members.size(), 100u);
    ASSERT_EQ(through->fixes.size(), 1u);
    EXPECT_EQ(through->fixes[0].name, "Fade them as the camera comes near");
    EXPECT_FALSE(of(checked(applied(scene, through->fixes[0].edit)).findings, Kind::Through));
    // Two are told by themselves.
    EXPECT_TRUE(of(checked(lanterns(2)).findings, Kind::Through)->members.empty());
}

TEST(Check, TheWorstComesFirst) {
    const auto report = checked(lanterns(3));
    ASSERT_GE(report.findings.size(), 2u);
    EXPECT_EQ(report.findings[0].kind, Kind::Through); // before its speed of 7.5 m/s
    EXPECT_TRUE(std::is_sorted(report.findings.begin(), report.findings.end(), checks::worse));
}

TEST(Check, WhatIsSetAsideStandsApartWithItsReason) {
    auto scene = lanterns(4);
    scene = applied(scene, {{"edit", "set-aside"},
                            {"kind", "through a layer"},
                            {"layers", {1, 2}},
                            {"reason", "the camera dives"}});
    auto report = checked(scene);
    EXPECT_EQ(report.setAside.size(), 2u);
    EXPECT_EQ(report.setAside.at(0).reason, "the camera dives");
    int left = 0;
    checks::forEachSingle(report.findings, [&](const Finding& each) { left += each.kind == Kind::Through; });
    EXPECT_EQ(left, 2);
    // The camera's own speed, whoever's layer is.
    ASSERT_TRUE(of(report.findings, Kind::Speed));
    scene = applied(scene, {{"edit", "set-aside"}, {"kind", "speed"}});
    EXPECT_FALSE(of(checked(scene).findings, Kind::Speed));
    scene = applied(scene, {{"edit", "set-aside"}, {"kind", "speed"}, {"aside", false}});
    EXPECT_TRUE(of(checked(scene).findings, Kind::Speed));
    // A layer that is gone has nothing set aside.
    scene = applied(scene, {{"edit", "remove"}, {"layers", {1}}});
    EXPECT_EQ(scene.setAside.size(), 1u);
}

TEST(Frames, LookAtPicturesAsTheyWereCut) {
    auto card = test::sheet(1, {2, 2}, {0, 0, -5});
    card->shading = std::make_shared<const scene::Shading>();
    scene::Grade grade;
    grade.exposure = 1;
    card->grade = std::make_shared<const scene::Grade>(grade);
    auto lamp = std::make_shared<scene::Layer>();
    lamp->id = 2;
    lamp->content = scene::Lamp{};
    lamp->placement.position = {0, 0, -4};
    lamp->fitToBox();
    const scene::Scene scene = test::withSheets({test::mark(1, 0, V3d(0))}, {card, lamp});
    const motion::Frame lit = motion::evaluate(scene, 0, {96, 54}), still = checks::stilled(lit);
    ASSERT_EQ(lit.items.size(), 2u);
    EXPECT_TRUE(lit.items[0].pixels->light);
    ASSERT_EQ(still.items.size(), 1u);
    EXPECT_FALSE(still.items[0].pixels->light);
    EXPECT_TRUE(still.items[0].pixels->grades.empty());
}

TEST(Check, MissingFilesAndFramesThatDoNotFallOnTheScenes) {
    auto footage = sheet(1, {20, 20}, {0, 0, -10});
    scene::Footage clip;
    clip.media.path = test::TempDir().path() / "gone.mp4";
    clip.rate = Rational(25);
    clip.frames = 100;
    footage->content = clip;
    auto scene = withSheets({mark(1, 0, V3d(0))}, {footage});
    EXPECT_EQ(of(checked(scene).findings, Kind::Missing)->layer, 1);
    EXPECT_FALSE(of(checked(scene).findings, Kind::Rate)); // one thing at a time

    test::TempDir folder;
    clip.media.path = folder.path() / "clip.mp4";
    test::writeAll(clip.media.path, "not a clip, but there");
    footage = std::make_shared<scene::Layer>(*footage);
    footage->content = clip;
    scene.layers = {footage};
    scene.output.rate = Rational(24);
    const auto report = checked(scene);
    const Finding* rate = of(report.findings, Kind::Rate);
    ASSERT_TRUE(rate);
    EXPECT_EQ(rate->sentence,
              "Sheet 1 runs at 25.00 frames a second in a scene of 24.00: its motion is uneven.");
    ASSERT_EQ(rate->fixes.size(), 2u);
    EXPECT_EQ(rate->fixes[0].name, "Run it 4.0 % slower");
    const auto slower = applied(scene, rate->fixes[0].edit);
    EXPECT_EQ(std::get<scene::Footage>(slower.layers[0]->content).speed, Rational(24, 25));
    EXPECT_FALSE(of(checked(slower).findings, Kind::Rate));
    EXPECT_FALSE(of(checked(applied(scene, rate->fixes[1].edit)).findings, Kind::Rate));
    scene.output.rate = Rational(50); // each shows twice
    EXPECT_FALSE(of(checked(scene).findings, Kind::Rate));
}

}
}
