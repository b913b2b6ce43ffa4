// Glare of the whole picture: its light, its reach, its streaks; and that scenes without are as they were.
#include "edit/edit.h"
#include "render/glare.h"
#include "render/render.h"
#include "support/moves.h"

#include <cmath>
#include <gtest/gtest.h>

namespace stage::render::glare_test {
namespace {

const V2i frame(320, 200);

/// A bright square of 0.2 m (8 px) in the middle of nothing.
scene::Scene bulb(double light = 9) {
    auto lamp = test::sheet(1, {0.2, 0.2}, {0, 0, -5});
    lamp->content = scene::Card{{{0, {light, light, light, 1}}}, 0, false};
    scene::Scene scene = test::withSheets({test::mark(1, 0, V3d(0))}, {lamp});
    scene.camera.marks[0].pose.focal = 36 * 0.5 * 5 / 4; // 80 px per metre at 5 m
    scene.camera.marks[0].pose.fstop = 1000;
    scene.camera.marks[0].pose.focus = 5;
    scene.output.background = {0, 0, 0, 1};
    return scene;
}

Image shown(const scene::Scene& scene, Quality quality = {}) {
    media::PixelCache cache;
    auto picture = render(motion::evaluate(scene, 0, frame), quality, cache);
    EXPECT_TRUE(picture) << picture.error().sentence;
    return picture ? *picture : Image(frame);
}

double sumOf(const Image& picture, int c) {
    double sum = 0;
    for (std::size_t i = 0; i < picture.rgba.size(); i += 4)
        sum += static_cast<double>(picture.rgba[i + static_cast<std::size_t>(c)]);
    return sum;
}

}

TEST(Glare, SpreadsWhatIsAboveWhiteAndLosesNone) {
    const scene::Scene plain = bulb();
    scene::Scene glaring = plain;
    glaring.glare.strength = 0.5;
    glaring.glare.radius = 0.1; // 32 px
    glaring.glare.tint = {1, 0.5, 0, 1};
    const Image without = shown(plain), with = shown(glaring);
    double bright = 0;
    for (std::size_t i = 0; i < without.rgba.size(); i += 4)
        bright += std::max(0.0, static_cast<double>(without.rgba[i]) - 1);
    ASSERT_GT(bright, 100);
    EXPECT_NEAR(sumOf(with, 0) - sumOf(without, 0), 0.5 * bright, 0.01 * bright);
    EXPECT_NEAR(sumOf(with, 1) - sumOf(without, 1), 0.25 * bright, 0.01 * bright);
    EXPECT_EQ(sumOf(with, 2), sumOf(without, 2));
    const auto at = [&](int x, int y) { return with.row(y)[4 * x]; };
    EXPECT_GT(at(160 + 20, 100), 0.f);
    EXPECT_EQ(at(160 + 60, 100), 0.f);
    EXPECT_EQ(at(160, 30), 0.f);
}

TEST(Glare, ChangesNothingWhereNothingIsBrightOrWithoutStrength) {
    const scene::Scene dim = bulb(0.9);
    scene::Scene glaring = dim;
    glaring.glare.strength = 1;
    EXPECT_EQ(shown(dim).rgba, shown(glaring).rgba);
    scene::Scene off = bulb();
    off.glare.radius = 0.2;
    EXPECT_EQ(shown(bulb()).rgba, shown(off).rgba);
}

TEST(Glare, HasStreaksAcrossTheBlades) {
    for (const int blades : {4, 5}) {
        scene::Scene scene = bulb();
        scene.glare.strength = 1;
        scene.glare.streaks = 1;
        scene.glare.length = 0.15; // 48 px
        scene.camera.iris.blades = blades;
        const Image picture = shown(scene);
        // All the way round, the light at 30 px: its peaks are where the edges' normals are.
        std::vector<double> round;
        for (int degree = 0; degree < 360; ++degree) {
            const double a = radians(1.0 * degree);
            double sum = 0;
            for (int r = 20; r < 44; ++r)
                sum += static_cast<double>(picture.row(static_cast<int>(std::lround(
                    99.5 - r * std::sin(a))))[4 * static_cast<int>(std::lround(159.5 + r * std::cos(a)))]);
            round.push_back(sum);
        }
        const int streaks = blades % 2 == 0 ? blades : 2 * blades;
        const double first = blades % 2 == 0 ? 180.0 / blades : 0;
        for (int n = 0; n < streaks; ++n) {
            const auto on = static_cast<std::size_t>(std::lround(first + 360.0 * n / streaks)) % 360;
            const auto between =
                static_cast<std::size_t>(std::lround(first + 360.0 * (n + 0.5) / streaks)) % 360;
            EXPECT_GT(round[on], 3 * round[between] + 1e-3) << blades << " blades, streak " << n;
        }
    }
}

TEST(Glare, OfARoundIrisHasNoStreaks) {
    scene::Scene scene = bulb();
    scene.glare.strength = 1;
    scene::Scene asked = scene;
    asked.glare.streaks = 1;
    EXPECT_EQ(shown(scene).rgba, shown(asked).rgba);
}

TEST(Glare, ShinesIntoARegionFromAround) {
    scene::Scene scene = bulb();
    scene.glare.strength = 1;
    scene.glare.radius = 0.1;
    scene.glare.streaks = 0.5;
    scene.camera.iris.blades = 6;
    const Image all = shown(scene);
    Quality quality;
    quality.region = {160, 64, 192, 96}; // above the square
    const Image part = shown(scene, quality);
    double most = 0;
    for (int y = 0; y < frame.y; ++y)
        for (int x = 0; x < frame.x; ++x) {
            const bool in = x >= 160 && x < 192 && y >= 64 && y < 96;
            const float should = in ? all.row(y)[4 * x] : 0;
            EXPECT_NEAR(part.row(y)[4 * x], should, 1e-4f) << x << ' ' << y;
            most = std::max(most, static_cast<double>(should));
        }
    EXPECT_GT(most, 0.01);
}

TEST(Glare, IsGradedWithThePicture) {
    scene::Scene scene = bulb();
    scene.glare.strength = 0.5;
    scene.glare.radius = 0.1;
    const Image plain = shown(scene);
    scene.grade.exposure = 1;
    Quality quality;
    std::vector<float> last(plain.rgba.size());
    quality.piece = [&](const Image& picture, const media::Box& box) {
        for (int y = box.y0; y < box.y1; ++y)
            std::copy(picture.row(y) + 4 * box.x0, picture.row(y) + 4 * box.x1,
                      last.begin() + 4 * (static_cast<std::ptrdiff_t>(y) * frame.x + box.x0));
    };
    const Image graded = shown(scene, quality);
    for (std::size_t i = 0; i < plain.rgba.size(); ++i)
        if (i % 4 != 3) {
            EXPECT_NEAR(graded.rgba[i], 2 * plain.rgba[i], 1e-3f + 1e-3f * plain.rgba[i]);
        }
    EXPECT_TRUE(std::equal(last.begin(), last.end(), graded.rgba.begin()))
        << "what was shown last is the picture";
}

}
