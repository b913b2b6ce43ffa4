// Grades of layers, groups and the whole picture where the renderer takes them.
#include "edit/edit.h"
#include "grade/grading.h"
#include "render/render.h"
#include "support/moves.h"

#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

namespace stage::render::grade_test {
namespace {

using scene::Grade;
using test::sheet;

const V2i frame(96, 64);

/// A half transparent red sheet before a grey one, which are out of focus at their edges.
scene::Scene gradedSheets() {
    auto far = sheet(1, {20, 20}, {0, 0, -10}), near = sheet(2, {2, 2}, {0.4, 0, -4});
    far->content = scene::Card{{{0, {0.2, 0.2, 0.2, 1}}}, 0, false};
    near->content = scene::Card{{{0, {0.3, 0.05, 0.02, 0.5}}}, 0, false};
    scene::Scene scene = test::withSheets({test::mark(1, 0, V3d(0))}, {far, near});
    scene.camera.marks[0].pose.fstop = 2;
    scene.camera.marks[0].pose.focus = 10;
    return scene;
}

Image shown(const scene::Scene& scene, Method method, Rational time = 0, Quality quality = {}) {
    quality.method = method;
    quality.samples = 32;
    media::PixelCache cache;
    auto picture = render(motion::evaluate(scene, time, frame), quality, cache);
    EXPECT_TRUE(picture) << picture.error().sentence;
    return picture ? *picture : Image(frame);
}

double farthest(const Image& a, const Image& b) {
    double most = 0;
    for (std::size_t i = 0; i < a.rgba.size(); ++i)
        most = std::max(most, std::abs(static_cast<double>(a.rgba[i]) - static_cast<double>(b.rgba[i])));
    return most;
}

Grade exposed(double stops) {
    Grade grade;
    grade.exposure = stops;
    return grade;
}

scene::Scene withGrade(scene::Scene scene, std::int64_t id, const Grade& grade) {
    scene::changeLayer(scene.layers, id,
                       [&](scene::Layer& l) { l.grade = std::make_shared<const Grade>(grade); });
    return scene;
}

}

TEST(Grades, OfThePictureIsDoneToWhatWouldBeSeen) {
    scene::Scene scene = gradedSheets();
    for (const scene::Blending blending : {scene::Blending::Light, scene::Blending::Paint})
        for (const Method method : {Method::Pinhole, Method::Draft, Method::Final, Method::Traced}) {
            scene.output.blending = blending;
            scene.grade = {};
            Image before = shown(scene, method);
            scene.grade.exposure = 1;
            scene.grade.offset = {0, 0.05, 0};
            scene.grade.saturation = 0.5;
            const Image after = shown(scene, method);
            EXPECT_GT(farthest(before, after), 0.1);
            const auto grading = grade::gradingOf({std::make_shared<const Grade>(scene.grade)});
            (*grading)->apply(before.rgba.data(), before.rgba.size() / 4);
            EXPECT_LT(farthest(before, after), 1e-5) << static_cast<int>(method);
        }
}

TEST(Grades, OfThePictureIsTheSameForAnyThreadsRegionAndInPieces) {
    scene::Scene scene = gradedSheets();
    scene.grade.contrast = 1.4;
    const Image whole = shown(scene, Method::Final);
    for (const std::size_t threads : {1u, 7u}) {
        const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                                threads);
        EXPECT_EQ(shown(scene, Method::Final).rgba, whole.rgba);
    }
    Quality part;
    part.region = {32, 32, 64, 64};
    std::atomic<int> pieces = 0;
    part.piece = [&](const Image& picture, const media::Box& box) {
        ++pieces;
        for (int y = box.y0; y < box.y1; ++y)
            EXPECT_TRUE(std::equal(picture.row(y) + 4 * box.x0, picture.row(y) + 4 * box.x1,
                                   whole.row(y) + 4 * box.x0));
    };
    shown(scene, Method::Final, 0, part);
    EXPECT_EQ(pieces, 1);
}

TEST(Grades, OfALayerChangesItsOwnStraightColours) {
    const scene::Scene scene = gradedSheets();
    Grade grade;
    grade.slope = {2, 2, 2};
    grade.offset = {0.1, 0, 0};
    // The same as a sheet that has these colours.
    scene::Scene painted = scene;
    scene::changeLayer(painted.layers, 2, [](scene::Layer& l) {
        l.content = scene::Card{{{0, {2 * 0.3 + 0.05, 0.1, 0.04, 0.5}}}, 0, false};
    });
    for (const Method method : {Method::Pinhole, Method::Draft, Method::Final, Method::Traced})
        EXPECT_LT(farthest(shown(withGrade(scene, 2, grade), method), shown(painted, method)), 1e-3)
            << static_cast<int>(method);
}

TEST(Grades, OfAGroupComeAfterThoseInIt) {
    scene::Scene scene = withGrade(gradedSheets(), 2, exposed(1));
    scene::Layer group;
    group.id = 9;
    group.name = "group";
    group.content = scene::Group{scene.layers, {}, {}, false};
    Grade outer;
    outer.offset = {0.1, 0.1, 0.1};
    group.grade = std::make_shared<const Grade>(outer);
    scene.layers = {std::make_shared<const scene::Layer>(group)};
    scene::Scene painted = gradedSheets();
    scene::changeLayer(painted.layers, 1, [](scene::Layer& l) {
        l.content = scene::Card{{{0, {0.3, 0.3, 0.3, 1}}}, 0, false};
    });
    scene::changeLayer(painted.layers, 2, [](scene::Layer& l) {
        l.content = scene::Card{{{0, {0.65, 0.15, 0.09, 0.5}}}, 0, false};
    });
    EXPECT_LT(farthest(shown(scene, Method::Pinhole), shown(painted, Method::Pinhole)), 1e-3);
    // Also of one that is mixed on its own.
    scene::changeLayer(scene.layers, 9, [](scene::Layer& l) { l.opacity = 0.5; });
    const double middle = static_cast<double>(shown(scene, Method::Pinhole).row(32)[4 * 8]);
    EXPECT_NEAR(middle, 0.5 * 0.3, 1e-3);
}

TEST(Grades, AreKeyedInTime) {
    scene::Scene scene = withGrade(gradedSheets(), 1, exposed(0));
    const auto applied = edit::apply(
        scene, {{"edit", "key"}, {"layers", {1}}, {"property", "exposure"}, {"time", "0"}, {"value", 0}});
    ASSERT_TRUE(applied) << applied.error().sentence;
    const auto keyed = edit::apply(
        *applied, {{"edit", "key"}, {"layers", {1}}, {"property", "exposure"}, {"time", "1"}, {"value", 2}});
    ASSERT_TRUE(keyed) << keyed.error().sentence;
    const auto grey = [&](Rational time) {
        return static_cast<double>(shown(*keyed, Method::Pinhole, time).row(4)[4 * 4]);
    };
    EXPECT_NEAR(grey(0), 0.2, 1e-3);
    EXPECT_NEAR(grey(Rational(1, 2)), 0.4, 1e-3);
    EXPECT_NEAR(grey(1), 0.8, 1e-3);
}

TEST(Grades, WhoseLookIsNotThereAreToldOrLeftOut) {
    scene::Scene scene = gradedSheets();
    scene.grade.look.path = "/tmp/there/is/no/such.cube";
    media::PixelCache cache;
    Quality quality;
    const auto refused = render(motion::evaluate(scene, 0, frame), quality, cache);
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().sentence.find("such.cube"), std::string::npos);
    quality.placeholders = true;
    const auto without = render(motion::evaluate(scene, 0, frame), quality, cache);
    ASSERT_TRUE(without);
    EXPECT_EQ(without->rgba, shown(gradedSheets(), Method::Pinhole).rgba);
}

TEST(Grades, ByDepthChangeWhatStandsThere) {
    scene::Scene scene = gradedSheets();
    const Image plain = shown(scene, Method::Pinhole);
    scene.depthGrades = {{8, 12, 1, exposed(1)}};
    for (const Method method : {Method::Pinhole, Method::Final}) {
        const Image far = shown(scene, method);
        // At the left the far sheet alone: twice the light. Through the near one: its own light is left as it
        // is.
        EXPECT_NEAR(far.row(32)[4 * 5], 0.4, 2e-3);
        const float *was = plain.row(32) + 4 * 52, *is = far.row(32) + 4 * 52;
        EXPECT_NEAR(is[0], was[0] + 0.5f * 0.2f, 5e-3f);
    }
    // Half way into what is soft; twice of it is one and a half times.
    scene.depthGrades = {{10.5, 12, 1, exposed(1)}};
    EXPECT_NEAR(shown(scene, Method::Pinhole).row(32)[4 * 5], 0.3, 2e-3);
    scene.depthGrades = {{11.5, 12, 1, exposed(1)}};
    EXPECT_EQ(shown(scene, Method::Pinhole).rgba, plain.rgba);
}

TEST(Grades, ByDepthGoAlongAFloorWithItsDepth) {
    auto floor = sheet(1, {20, 20}, {0, -2, -12});
    floor->placement.turn.x = -90;
    floor->content = scene::Card{{{0, {0.2, 0.2, 0.2, 1}}}, 0, false};
    scene::Scene scene = test::withSheets({test::mark(1, 0, V3d(0))}, {floor});
    scene.depthGrades = {{6, 8, 2, exposed(2)}};
    const Image picture = shown(scene, Method::Pinhole);
    const optics::View view = motion::evaluate(scene, 0, frame).view;
    int looked = 0;
    for (int y = 34; y < 64; ++y) {
        const V3d ray = optics::rayThrough(view, {48.5, y + 0.5});
        const double depth = -2 / ray.y; // the ray has 1 of depth
        if (depth > 20) continue;
        const double outside = std::max({6 - depth, depth - 8, 0.0}) / 2, t = std::max(0.0, 1 - outside);
        const double should = 0.2 * (1 + 3 * t * t * (3 - 2 * t));
        EXPECT_NEAR(static_cast<double>(picture.row(y)[4 * 48]), should, 0.02) << depth;
        ++looked;
    }
    EXPECT_GT(looked, 10);
}

TEST(Grades, OfThePictureFollowTracksOfTheCamera) {
    scene::Scene scene = gradedSheets();
    scene::Track track;
    track.property = "exposure";
    track.keys = {{Rational(0), 0.0}, {Rational(1), 2.0}};
    scene.camera.tracks = {track};
    const Image first = shown(scene, Method::Pinhole, 0), later = shown(scene, Method::Pinhole, 1);
    for (std::size_t i = 0; i < first.rgba.size(); ++i)
        if (i % 4 != 3) {
            EXPECT_NEAR(later.rgba[i], 4 * first.rgba[i], 1e-4f);
        }
    // Other values of the picture as well, and by noise.
    track.property = "haze";
    track.keys = {{Rational(0), 0.5}};
    scene.camera.tracks = {track};
    EXPECT_EQ(motion::evaluate(scene, 0, frame).haze.density, 0.5);
    EXPECT_EQ(scene.haze.density, 0);
}

}
