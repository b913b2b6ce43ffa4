// The draft's motion against rays: each layer smeared along its own way over the frame.
#include "render/render.h"
#include "support/support.h"

#include <cmath>
#include <gtest/gtest.h>

namespace stage::render::draft_motion_test {
namespace {

using test::Rgba8;

const V2i frame(320, 180);
/// dB against white, of sRGB-encoded values, of the whole frame.
constexpr double leastLikeness = 34;

double encoded(double v) {
    v = std::clamp(v, 0.0, 1.0);
    return v <= 0.0031308 ? 12.92 * v : 1.055 * std::pow(v, 1 / 2.4) - 0.055;
}

double decibels(const Image& a, const Image& b) {
    double sum = 0;
    for (std::size_t i = 0; i < a.rgba.size(); ++i) {
        if (i % 4 == 3) continue;
        const double d = encoded(static_cast<double>(a.rgba[i])) - encoded(static_cast<double>(b.rgba[i]));
        sum += d * d;
    }
    return -10 * std::log10(std::max(sum / (0.75 * static_cast<double>(a.rgba.size())), 1e-20));
}

/// A quarter of a second, of which the frame in the middle is looked at.
struct Case {
    const char* name;
    void (*move)(scene::Scene& scene, scene::Pose& end); ///< from the pose at the begin, the pose at the end
    double fstop = 22;
};
void PrintTo(const Case& each, std::ostream* out) {
    *out << each.name;
}

scene::Layer& layer(scene::Scene& scene, std::size_t i) {
    return const_cast<scene::Layer&>(*scene.layers[i]);
}

const Case cases[] = {
    {"truck", [](scene::Scene&, scene::Pose& end) { end.position.x += 5; }},
    {"pan", [](scene::Scene&, scene::Pose& end) { end.pan += 40; }},
    {"roll", [](scene::Scene&, scene::Pose& end) { end.roll += 90; }},
    {"dolly", [](scene::Scene&, scene::Pose& end) { end.position.z -= 3.5; }},
    {"truck out of focus", [](scene::Scene&, scene::Pose& end) { end.position.x += 5; }, 1.4},
    {"dolly past a tilted card",
     [](scene::Scene& scene, scene::Pose& end) {
         layer(scene, 1).placement.turn = {10, 40, 0};
         end.position.z -= 3;
     }},
    {"truck past a bent card",
     [](scene::Scene& scene, scene::Pose& end) {
         layer(scene, 0).hanging.bend = 70;
         end.position.x += 4;
     }},
    {"a card that spins",
     [](scene::Scene& scene, scene::Pose&) {
         scene::Track track;
         track.property = "roll";
         track.keys = {{Rational(0), 0.0}, {Rational(1, 4), 300.0}};
         layer(scene, 1).tracks.push_back(track);
     }},
    {"a card that passes behind a hole", [](scene::Scene& scene, scene::Pose&) {
         scene::Track track;
         track.property = "across";
         track.keys = {{Rational(0), -4.0}, {Rational(1, 4), 4.0}};
         layer(scene, 1).tracks.push_back(track);
     }}};

class DraftMotion : public testing::TestWithParam<Case> {};

TEST_P(DraftMotion, IsWhatRaysSee) {
    const test::TempDir dir;
    test::writePicture(dir / "back.png", {320, 180}, [](int x, int y) {
        const int squares = (x / 20 + y / 20) % 2 ? 60 : 0;
        return Rgba8{70 + x / 4 + squares, 90 + y / 3, 150 - squares, 255};
    });
    test::writePicture(dir / "middle.png", {120, 80}, [](int x, int y) {
        const double r = std::hypot((x - 60) / 58.0, (y - 40) / 38.0);
        const int bars = x / 10 % 2 ? 80 : 0;
        return Rgba8{200 - bars, 120, 40 + bars, std::clamp(static_cast<int>(255 * 12 * (1 - r)), 0, 255)};
    });
    test::writePicture(dir / "front.png", {160, 90}, [](int x, int y) { // with a hole
        const double r = std::hypot(x - 80, y - 45);
        return Rgba8{40, 60, 50, std::clamp(static_cast<int>(255 * (r - 30) / 2), 0, 255)};
    });
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = frame;
    scene.output.frames = 24;
    scene.layers = {test::pictureLayer(1, "back", dir / "back.png", {320, 180}, 30, {0, 0, -16}),
                    test::pictureLayer(2, "middle", dir / "middle.png", {120, 80}, 5, {0.4, 0, -9}),
                    test::pictureLayer(3, "front", dir / "front.png", {160, 90}, 3.2, {-1, 0.1, -6})};
    scene.camera.shutter = 180;
    scene.camera.marks.resize(1);
    scene::Mark& first = scene.camera.marks[0];
    first.pose = {};
    first.pose.focal = 35;
    first.pose.focus = 9;
    first.pose.fstop = GetParam().fstop;
    scene::Mark end = first;
    end.id = first.id + 1;
    end.time = Rational(1, 4);
    GetParam().move(scene, end.pose);
    first.pace = end.pace = {0, 0, 1, 1, {}};
    scene.camera.marks.push_back(end);
    const auto shown = [&](Method method, int samples) {
        media::PixelCache cache;
        const auto image =
            render(motion::evaluate(scene, Rational(1, 8), frame, true), {method, samples}, cache);
        EXPECT_TRUE(image) << image.error().sentence;
        return image ? *image : Image(frame);
    };
    const Image traced = shown(Method::Traced, 256), draft = shown(Method::Draft, 16);
    const Image still = [&] {
        media::PixelCache cache;
        return *render(motion::evaluate(scene, Rational(1, 8), frame, false), {Method::Draft, 16}, cache);
    }();
    const double likeness = decibels(draft, traced);
    EXPECT_GE(likeness, leastLikeness);
    EXPECT_GT(likeness, decibels(still, traced) + 6) << "it moves too little to tell";
}

INSTANTIATE_TEST_SUITE_P(Moves, DraftMotion, testing::ValuesIn(cases));

}
}
