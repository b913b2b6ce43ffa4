// What the lens does to a picture, against answers that do not come from the renderer: the optics of a thin
// lens, the area of a disc cut by a line, rays met with planes one by one.
#include "render/lens_points.h"
#include "render/rays.h"
#include "render/reach.h"
#include "render/render.h"
#include "render/sampler.h"
#include "support/support.h"

#include <OpenImageIO/imageio.h>
#include <cmath>
#include <gtest/gtest.h>
#include <numbers>
#include <oneapi/tbb/global_control.h>
#include <random>

namespace stage::render::lens_test {
namespace {

using test::Rgba8;
using test::TempDir;

constexpr Method methods[] = {Method::Draft, Method::Final, Method::Traced};

void writeExr(const std::filesystem::path& path, V2i size,
              const std::function<std::array<float, 4>(int, int)>& paint) {
    std::vector<float> rgba;
    for (int y = 0; y < size.y; ++y)
        for (int x = 0; x < size.x; ++x)
            for (const float v : paint(x, y))
                rgba.push_back(v);
    const auto out = OIIO::ImageOutput::create(path.string());
    out->open(path.string(), OIIO::ImageSpec(size.x, size.y, 4, OIIO::TypeDesc::HALF));
    out->write_image(OIIO::TypeDesc::FLOAT, rgba.data());
    out->close();
}

/// A camera at the origin that looks along -Z.
scene::Scene sceneOf(V2i frame, double focal, double fstop, double focus,
                     std::vector<scene::LayerPtr> layers) {
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = frame;
    scene::Pose& pose = scene.camera.marks[0].pose;
    pose.focal = focal;
    pose.fstop = fstop;
    pose.focus = focus;
    scene.output.background = {0, 0, 0, 0};
    scene.layers = std::move(layers);
    return scene;
}

Image shown(const scene::Scene& scene, const Quality& quality, Rational time = 0, bool exposed = false) {
    media::PixelCache cache;
    auto picture = render(motion::evaluate(scene, time, scene.output.frame, exposed), quality, cache);
    EXPECT_TRUE(picture) << picture.error().sentence;
    return *picture;
}

/// Of the green light of a picture: how much, where its middle is, and the mean square of distances from it.
struct Spread {
    double light = 0, x = 0, y = 0, square = 0, squareX = 0;
};
Spread spreadOf(const Image& picture) {
    Spread s;
    for (int y = 0; y < picture.size.y; ++y)
        for (int x = 0; x < picture.size.x; ++x) {
            const double v = picture.row(y)[4 * x + 1];
            s.light += v, s.x += v * (x + 0.5), s.y += v * (y + 0.5);
        }
    s.x /= s.light, s.y /= s.light;
    for (int y = 0; y < picture.size.y; ++y)
        for (int x = 0; x < picture.size.x; ++x) {
            const double v = picture.row(y)[4 * x + 1], dx = x + 0.5 - s.x, dy = y + 0.5 - s.y;
            s.square += v * (dx * dx + dy * dy), s.squareX += v * dx * dx;
        }
    s.square /= s.light, s.squareX /= s.light;
    return s;
}

/// A dot of light in black, a pixel of the frame wide: four texels across, so that it stays where it is in
/// smaller levels.
/// at: of its upper left texel.
scene::LayerPtr dot(const TempDir& dir, double depth, double perPixel, float value, V2i at = V2i(62)) {
    const auto path = dir / ("dot" + std::to_string(value) + "-" + std::to_string(at.x) + "-" +
                             std::to_string(at.y) + ".exr");
    writeExr(path, {128, 128}, [&](int x, int y) {
        const float v = x >= at.x && x < at.x + 4 && y >= at.y && y < at.y + 4 ? value : 0;
        return std::array<float, 4>{v, v, v, v > 0 ? 1.f : 0.f};
    });
    return test::pictureLayer(1, "dot", path, {128, 128}, 32 * perPixel, {0, 0, -depth});
}

TEST(Lens, APointBecomesADiscOfTheDiameterThatOpticsSays) {
    // optics.md's figures at W = 1920
    struct Row {
        double focal, fstop, focus, depth, disc;
    };
    for (const Row row : {Row{50, 2, 4, 10, 10},
                          {35, 2, 6.4, 1.6, 15.3125},
                          {35, 2, 6.4, 60, 4.5597},
                          {85, 1.8, 3, 30, 64.222}})
        for (const float value : {1.f, 300.f}) // sampled; thrown as a whole
            for (const Method method : methods) {
                const TempDir dir;
                const double perPixel =
                    row.depth * 36 / row.focal / 1920; // metres that a pixel sees at that depth
                auto scene = sceneOf({1920, 1080}, row.focal, row.fstop, row.focus,
                                     {dot(dir, row.depth, perPixel, value)});
                // All of its light is around the frame's middle.
                const media::Box middle{880, 460, 1040, 620};
                const Spread s = spreadOf(shown(scene, {.method = method, .samples = 256, .region = middle}));
                // A disc's mean square is R^2 / 2; the dot adds its own, as a pinhole shows it.
                const Spread sharp = spreadOf(shown(scene, {.method = Method::Pinhole, .region = middle}));
                const double disc = 2 * std::sqrt(2 * std::max(0.0, s.square - sharp.square));
                EXPECT_NEAR(disc, row.disc, std::max(0.3, 0.02 * row.disc))
                    << "f " << row.focal << " method " << static_cast<int>(method) << " value " << value;
                EXPECT_NEAR(s.x, 960, 0.15);
                EXPECT_NEAR(s.y, 540, 0.15);
                // One pixel's light, wherever it goes: exactly where it is thrown as a whole, else to the
                // rays' chance.
                const bool thrown = value > 1 && method != Method::Traced && row.disc > 5;
                EXPECT_NEAR(s.light / static_cast<double>(value), 1, thrown ? 0.005 : 0.02)
                    << row.disc << " method " << static_cast<int>(method) << " value " << value;
            }
}

TEST(Lens, SmallDiscsOfADraftAreAsWideAsOpticsSaysOverAllPlacesOfThePicture) {
    // These are read from smaller levels, whose texels divide the picture evenly: a dot is a little narrower
    // in the middle of one and wider between some, but as wide as it should be over all of its places.
    const TempDir dir;
    const V2i frame(96, 64);
    constexpr double focal = 50, focus = 4, depth = 10;
    const double slope = focal / 36 * frame.x, perPixel = depth / slope;
    for (const double disc : {1.0, 2.0, 3.0, 3.9}) {
        const double fstop = focal * 1e-3 * slope * (1 / focus - 1 / depth) / disc;
        double squares = 0;
        int places = 0;
        for (int y = 50; y < 66; y += 2)
            for (int x = 50; x < 66; x += 2, ++places) {
                // Between pixels too: straight upon them a sharp picture comes out as it is.
                auto light = std::make_shared<scene::Layer>(*dot(dir, depth, perPixel, 0.5f, {x, y}));
                light->placement.position += V3d(0.13 * (x - 58), 0.29 * (y - 58), 0) * perPixel;
                const auto scene = sceneOf(frame, focal, fstop, focus, {light});
                squares += spreadOf(shown(scene, {Method::Draft})).square -
                           spreadOf(shown(scene, {Method::Pinhole})).square;
            }
        EXPECT_NEAR(2 * std::sqrt(2 * squares / places), disc, 0.1 * disc);
    }
}

TEST(Lens, ADraftSoftensTheEdgeOfACardAsItsDiscDoes) {
    const V2i frame(96, 64);
    constexpr double focal = 50, focus = 4, depth = 10;
    const double slope = focal / 36 * frame.x, perPixel = depth / slope;
    for (const double disc : {1.5, 2.5, 3.5}) {
        const double fstop = focal * 1e-3 * slope * (1 / focus - 1 / depth) / disc;
        scene::Layer card;
        card.id = 1;
        card.pixels = {64, 64};
        card.metresPerPixel = perPixel;                        // a texel to a pixel
        card.placement.position = {-32 * perPixel, 0, -depth}; // its right edge is in the frame's middle
        card.content = scene::Card{{{0, {1, 1, 1, 1}}}};
        const auto scene = sceneOf(frame, focal, fstop, focus, {std::make_shared<scene::Layer>(card)});
        const Image picture = shown(scene, {Method::Draft}), traced = shown(scene, {Method::Traced, 1024});
        // Light beyond the edge is that of the disc's part there; all of it together as much on both sides.
        for (int x = 40; x < 56; ++x)
            EXPECT_NEAR(picture.row(32)[4 * x + 3], traced.row(32)[4 * x + 3], 0.06) << disc << ", " << x;
        EXPECT_NEAR(picture.row(32)[4 * 47 + 3] + picture.row(32)[4 * 48 + 3], 1, 0.01) << disc;
    }
}

TEST(Lens, SixBladesMakeAHexagon) {
    const TempDir dir;
    for (const double turn : {0.0, 20.0})
        for (const double depth : {2.0, 30.0}) // in front of and behind the focus plane
            for (const Method method : methods) {
                auto scene = sceneOf({480, 270}, 50, 0.35, 4, {dot(dir, depth, depth * 36 / 50 / 480, 300)});
                scene.camera.iris = {6, turn};
                const Image picture = shown(scene, {method, 256});
                const Spread s = spreadOf(picture);
                const double radius =
                    50e-3 / 0.35 / 2 * (50.0 / 36 * 480) * std::abs(depth - 4) / (4 * depth);
                // J / A of a regular hexagon is 5/12 of its circumradius squared.
                EXPECT_NEAR(s.square - 2 / 12.0, 5 / 12.0 * radius * radius, 0.04 * radius * radius)
                    << static_cast<int>(method);
                // Light at a corner, none between two beyond the flat side. In front it is the other way
                // round.
                const auto at = [&](double angle, double share) {
                    const double sign = depth < 4 ? -1 : 1;
                    const double a = radians(angle + turn);
                    return picture.row(static_cast<int>(
                        135 -
                        sign * share * radius *
                            std::sin(
                                a)))[4 * static_cast<int>(240 + sign * share * radius * std::cos(a)) + 1];
                };
                const double inside = at(0, 0.3);
                if (method == Method::Traced) continue; // grainy from pixel to pixel
                EXPECT_GT(at(60, 0.8), 0.8 * inside) << static_cast<int>(method);
                EXPECT_LT(at(30, 1.0), 0.2 * inside) << static_cast<int>(method);
            }
}

TEST(Lens, AnEdgeOutOfFocusIsADiscCutByALine) {
    const TempDir dir;
    test::writePicture(dir / "white.png", {64, 64}, [](int, int) { return Rgba8{255, 255, 255}; });
    for (const double depth : {2.0, 40.0})
        for (const Method method : methods) {
            // Its left edge runs through the middle of the frame.
            const double width = 40 * depth / 4;
            const auto scene = sceneOf(
                {320, 180}, 50, 1.4, 4,
                {test::pictureLayer(1, "a", dir / "white.png", {64, 64}, width, {width / 2, 0, -depth})});
            const Image picture = shown(scene, {method, 256});
            const double radius = 50e-3 / 1.4 / 2 * (50.0 / 36 * 320) * std::abs(depth - 4) / (4 * depth);
            ASSERT_GT(radius, 1.5);
            double worst = 0;
            for (int x = 100; x < 220; ++x) {
                double covered = 0; // of the pixel, all over its width
                for (int i = 0; i < 10; ++i) {
                    const double t = std::clamp((x + (i + 0.5) / 10 - 160) / radius, -1.0, 1.0);
                    covered += (std::acos(-t) + t * std::sqrt(1 - t * t)) / std::numbers::pi / 10;
                }
                worst = std::max(worst, std::abs(picture.row(90)[4 * x + 3] - covered));
            }
            EXPECT_LT(worst, method == Method::Draft ? 0.03 : 0.02)
                << depth << " method " << static_cast<int>(method);
        }
}

TEST(Lens, CrossingPlanesAreRightForEveryRay) {
    const TempDir dir;
    test::writePicture(dir / "red.png", {8, 8}, [](int, int) { return Rgba8{255, 0, 0}; });
    test::writePicture(dir / "green.png", {8, 8}, [](int, int) { return Rgba8{0, 255, 0}; });
    auto red = std::make_shared<scene::Layer>(
        *test::pictureLayer(1, "r", dir / "red.png", {8, 8}, 12, {0.3, 0, -5}));
    auto green = std::make_shared<scene::Layer>(
        *test::pictureLayer(2, "g", dir / "green.png", {8, 8}, 12, {0, 0, -5}));
    red->placement.turn = {0, 35, 0};
    green->placement.turn = {0, -35, 0};
    const auto scene = sceneOf({160, 90}, 50, 0.5, 3, {red, green});
    const Image picture = shown(scene, {Method::Final, 256});
    const double slope = 50.0 / 36 * 160, aperture = 50e-3 / 0.5 / 2;
    // A card's plane: through its middle, its normal turned about the upright axis.
    const auto depthOf = [&](const V3d& from, const V3d& along, const V3d& middle, double turn) {
        const V3d normal(std::sin(radians(turn)), 0, std::cos(radians(turn)));
        return (middle - from).dot(normal) / along.dot(normal);
    };
    double worst = 0;
    for (int x = 40; x < 120; x += 3) {
        double reds = 0;
        int rays = 0;
        constexpr int grid = 60;
        for (int i = 0; i < grid; ++i)
            for (int j = 0; j < grid; ++j) {
                const double p = 2 * (i + 0.5) / grid - 1, q = 2 * (j + 0.5) / grid - 1;
                if (p * p + q * q > 1) continue;
                const V3d from(p * aperture, q * aperture, 0);
                const V3d focus = V3d((x + 0.5 - 80) / slope, -(45.5 - 45) / slope, -1) * 3.0;
                const V3d along = focus - from;
                reds += depthOf(from, along, {0.3, 0, -5}, 35) < depthOf(from, along, {0, 0, -5}, -35);
                ++rays;
            }
        worst = std::max(worst, std::abs(reds / rays - picture.row(45)[4 * x]));
        EXPECT_NEAR(picture.row(45)[4 * x] + picture.row(45)[4 * x + 1], 1, 2e-3);
    }
    EXPECT_LT(worst, 0.03);
}

/// A hollow backdrop: each of its columns is blurred as its own depth says, and rays meet its arc where its
/// formula is.
TEST(Lens, ABentBackdropIsBlurredByItsDepthAtEveryColumn) {
    const TempDir dir;
    // Bright columns on dark, far enough apart to be told from each other.
    constexpr int columns = 1024;
    test::writePicture(dir / "bars.png", {columns, 256}, [](int x, int) {
        return x % 128 >= 62 && x % 128 < 66 ? Rgba8{255, 255, 255} : Rgba8{0, 0, 0};
    });
    auto layer = std::make_shared<scene::Layer>(
        *test::pictureLayer(1, "arc", dir / "bars.png", {columns, 256}, 12, {0, 0, -9}));
    layer->hanging.bend = 100; // its ends come forward
    const double angle = radians(100), arc = 12 / angle;
    const auto scene = sceneOf({640, 360}, 30, 0.5, 4, {layer});
    const double slope = 30.0 / 36 * 640;
    for (const Method method : {Method::Pinhole, Method::Draft, Method::Final}) {
        const Image picture = shown(scene, {method, 128});
        for (const int bar : {1, 2, 3, 4, 5, 6}) {
            const double a = ((bar * 128 + 64.0) / columns - 0.5) * angle;
            const double x = arc * std::sin(a), depth = 9 - arc * (1 - std::cos(a));
            const double middle = 320 + slope * x / depth;
            const double radius =
                method == Method::Pinhole ? 0 : 30e-3 / 0.5 / 2 * slope * std::abs(1 / depth - 1 / 4.0);
            double light = 0, place = 0, square = 0;
            for (int px = static_cast<int>(middle - 18); px < static_cast<int>(middle + 19); ++px) {
                const double v = picture.row(180)[4 * px + 1];
                light += v, place += v * (px + 0.5);
            }
            place /= light;
            for (int px = static_cast<int>(middle - 18); px < static_cast<int>(middle + 19); ++px)
                square += picture.row(180)[4 * px + 1] * (px + 0.5 - place) * (px + 0.5 - place) / light;
            EXPECT_NEAR(place, middle, 0.25) << bar << " method " << static_cast<int>(method);
            // Across a line, a disc's mean square is R^2 / 4; the bar itself is about 2 px wide.
            const double own =
                std::pow(slope * 12.0 * 4 / columns / depth * std::cos(a - std::atan2(x, depth)), 2) / 12;
            EXPECT_NEAR(square, radius * radius / 4 + own, 0.1 * radius * radius / 4 + 0.4)
                << bar << " method " << static_cast<int>(method);
        }
    }
}

/// A tube open towards us: its near wall has a window, through which its far wall shows.
TEST(Lens, ABentCardIsSeenTwiceAlongARay) {
    const TempDir dir;
    test::writePicture(dir / "tube.png", {360, 64}, [](int x, int) {
        return x > 150 && x < 210   ? Rgba8{0, 0, 0, 0}
               : x < 60 || x >= 300 ? Rgba8{255, 0, 0}
                                    : Rgba8{0, 255, 0};
    });
    auto layer = std::make_shared<scene::Layer>(
        *test::pictureLayer(1, "tube", dir / "tube.png", {360, 64}, 2 * std::numbers::pi * 2, {0, 0, -6}));
    layer->hanging.bend = -355; // hollow away from us: its middle is nearest
    const Image picture = shown(sceneOf({160, 90}, 35, 8, 6, {layer}), {Method::Final, 32});
    // Red through the window; in the very middle the tube's ends leave a gap.
    for (const int x : {75, 86}) {
        EXPECT_GT(picture.row(45)[4 * x], 0.9);
        EXPECT_LT(picture.row(45)[4 * x + 1], 0.1);
        EXPECT_GT(picture.row(45)[4 * x + 3], 0.95);
    }
    EXPECT_GT(picture.row(45)[4 * 46 + 1], 0.9); // the near wall beside it
}

TEST(Lens, OrderIsByDepthWhateverTheListSays) {
    const TempDir dir;
    std::vector<scene::LayerPtr> layers;
    for (int i = 0; i < 3; ++i) {
        const auto path = dir / (std::to_string(i) + ".png");
        test::writePicture(path, {16, 16}, [&](int x, int) {
            return Rgba8{i == 0 ? 255 : 0, i == 1 ? 255 : 0, i == 2 ? 255 : 0, x < 8 ? 255 : 90};
        });
        layers.push_back(test::pictureLayer(i + 1, "c", path, {16, 16}, 3, {0.4 * i, 0, -3.0 - i}));
    }
    for (const Method method : {Method::Draft, Method::Final}) {
        std::vector<int> order = {0, 1, 2};
        std::optional<Image> first;
        do {
            const Image picture = shown(sceneOf({96, 54}, 35, 1, 4,
                                                {layers[static_cast<std::size_t>(order[0])],
                                                 layers[static_cast<std::size_t>(order[1])],
                                                 layers[static_cast<std::size_t>(order[2])]}),
                                        {method, 32});
            if (first) {
                EXPECT_EQ(picture.rgba, first->rgba);
            }
            first = picture;
        } while (std::next_permutation(order.begin(), order.end()));
    }
}

TEST(Air, HazeTakesWhatOpticsSays) {
    const TempDir dir;
    test::writePicture(dir / "white.png", {8, 8}, [](int, int) { return Rgba8{255, 255, 255, 255}; });
    auto layer = std::make_shared<scene::Layer>(
        *test::pictureLayer(1, "a", dir / "white.png", {8, 8}, 200, {0, 0, -23}));
    for (const double opacity : {1.0, 0.5})
        for (const double turn : {0.0, 30.0})
            for (const Method method : {Method::Pinhole, Method::Draft, Method::Final, Method::Traced}) {
                layer->opacity = opacity;
                layer->placement.turn = {0, turn, 0};
                auto scene = sceneOf({64, 36}, 35, 8, 10, {layer});
                scene.haze = {{0.25, 0.5, 0.75, 1}, 0.05, 3};
                const Image picture = shown(scene, {method, 64});
                const float* pixel = picture.row(18) + 4 * 32;
                // The pixel's middle is half a pixel off the axis: depth 20 behind the start, to a little.
                for (int c = 0; c < 3; ++c)
                    EXPECT_NEAR(pixel[c], opacity * (0.36788 + (1 - 0.36788) * (c + 1) / 4), 4e-3)
                        << static_cast<int>(method) << " " << turn;
                EXPECT_NEAR(pixel[3], opacity, 1e-3);
            }
}

/// A ground that runs to the horizon and past the camera: pixel by pixel the depth of the ground there.
TEST(Air, HazeRunsToTheHorizonOfAGround) {
    const TempDir dir;
    test::writePicture(dir / "white.png", {64, 64}, [](int, int) { return Rgba8{255, 255, 255}; });
    auto ground = std::make_shared<scene::Layer>(
        *test::pictureLayer(1, "ground", dir / "white.png", {64, 64}, 4000, {0, -2, 0}));
    for (const double lean : {-90.0, 90.0}) // whichever way it lies
        for (const Method method : {Method::Pinhole, Method::Draft, Method::Final, Method::Traced}) {
            ground->placement.turn = {lean, 0, 0};
            auto scene = sceneOf({160, 90}, 35, 8, 10, {ground});
            scene.haze = {{0.2, 0.4, 0.6, 1}, 0.01, 0};
            const Image picture = shown(scene, {method, 64});
            const double slope = 35.0 / 36 * 160;
            int looked = 0;
            for (int y = 47; y < 90; y += 2) {
                const double depth = 2 * slope / (y + 0.5 - 45), t = std::exp(-0.01 * depth);
                const float* pixel = picture.row(y) + 4 * 80;
                if (pixel[3] < 0.99f) continue;
                EXPECT_NEAR(pixel[1], t + 0.4 * (1 - t), 0.02) << y << " method " << static_cast<int>(method);
                ++looked;
            }
            EXPECT_GT(looked, 15) << static_cast<int>(method);
        }
}

TEST(Shutter, AStreakIsAsLongAsTheExposure) {
    const TempDir dir;
    struct Case {
        double angle, bend;
    };
    for (const auto& [angle, bend] : {Case{90, 0}, Case{180, 0}, Case{360, 0}, Case{180, 5}})
        for (const Method method : methods) {
            const scene::LayerPtr light = dot(dir, 5, 5.0 * 36 / 35 / 480, 1);
            const auto bent = std::make_shared<scene::Layer>(*light);
            bent->hanging.bend = bend;
            auto scene = sceneOf({480, 270}, 35, 22, 5, {bent});
            // 30 m/s to the right at 24 frames a second: 35/36 * 480 / 5 px per metre
            scene.camera.shutter = angle;
            scene::Mark end = scene.camera.marks[0];
            scene.camera.marks[0].pose.position = {-30, 0, 0};
            end.id = 2;
            end.time = 2;
            end.pose.position = {30, 0, 0};
            scene.camera.marks.push_back(end);
            scene.camera.marks[0].pace = {0, 0, 1, 1};
            const double length = 30.0 / 24 * angle / 360 * (35.0 / 36 * 480 / 5);
            const Spread s = spreadOf(shown(scene, {method, 256}, 1, true));
            const Spread still = spreadOf(shown(scene, {method, 64}, 1, false));
            EXPECT_LT(still.squareX, 0.5);
            EXPECT_NEAR(s.squareX - still.squareX, length * length / 12,
                        std::max(0.1, 0.05 * length * length / 12))
                << angle << " method " << static_cast<int>(method) << " bent by " << bend;
            EXPECT_NEAR(s.x, 240, 0.2); // the exposure is centred on the frame's time
        }
}

TEST(Blending, EveryMethodMixesByTheFormulas) {
    using scene::Blend;
    const TempDir dir;
    test::writePicture(dir / "low.png", {8, 8}, [](int, int) { return Rgba8{188, 120, 60}; });
    test::writePicture(dir / "high.png", {8, 8}, [](int, int) { return Rgba8{90, 200, 150, 153}; });
    const auto linear = [](double v) {
        return v / 255 <= 0.04045 ? v / 255 / 12.92 : std::pow((v / 255 + 0.055) / 1.055, 2.4);
    };
    const double b = linear(120), s = linear(200), as = 0.6;
    const std::pair<Blend, double> modes[] = {{Blend::Normal, s},
                                              {Blend::Multiply, b * s},
                                              {Blend::Screen, b + s - b * s},
                                              {Blend::Difference, std::abs(b - s)},
                                              {Blend::Darken, std::min(b, s)},
                                              {Blend::Exclusion, b + s - 2 * b * s}};
    for (const auto& [mode, mixed] : modes)
        for (const Method method : {Method::Pinhole, Method::Draft, Method::Final}) {
            const auto low = test::pictureLayer(1, "low", dir / "low.png", {8, 8}, 60, {0, 0, -9});
            auto high = std::make_shared<scene::Layer>(
                *test::pictureLayer(2, "high", dir / "high.png", {8, 8}, 40, {0, 0, -6}));
            high->blend = mode;
            const Image picture = shown(sceneOf({64, 36}, 35, 2, 4, {low, high}), {method, 32});
            EXPECT_NEAR(picture.row(18)[4 * 32 + 1], as * mixed + (1 - as) * b, 2e-3)
                << static_cast<int>(mode) << " method " << static_cast<int>(method);
        }
}

TEST(Groups, AreMixedFirstOrStayInTheirDepths) {
    const TempDir dir;
    test::writePicture(dir / "white.png", {8, 8}, [](int, int) { return Rgba8{255, 255, 255}; });
    test::writePicture(dir / "black.png", {8, 8}, [](int, int) { return Rgba8{0, 0, 0}; });
    for (const bool inDepth : {false, true})
        for (const Method method : {Method::Pinhole, Method::Draft, Method::Final}) {
            auto group = std::make_shared<scene::Layer>();
            group->id = 10;
            group->opacity = 0.5;
            group->placement.position = {0, 0, -5};
            scene::Group content{{test::pictureLayer(1, "a", dir / "white.png", {8, 8}, 50, {0, 0, 0}),
                                  test::pictureLayer(2, "b", dir / "white.png", {8, 8}, 50, {0, 0, -3})},
                                 {},
                                 {},
                                 inDepth};
            group->content = content;
            // Between the two: hides half of the far one only where they stay in their depths.
            const auto between = test::pictureLayer(3, "c", dir / "black.png", {8, 8}, 50, {0, 0, -6});
            const Image picture = shown(sceneOf({64, 36}, 35, 2, 4, {between, group}), {method, 32});
            EXPECT_NEAR(picture.row(18)[4 * 32], 0.5, 2e-3)
                << inDepth << " method " << static_cast<int>(method);
            EXPECT_NEAR(picture.row(18)[4 * 32 + 3], 1, 1e-3);
            const Image alone = shown(sceneOf({64, 36}, 35, 2, 4, {group}), {method, 32});
            EXPECT_NEAR(alone.row(18)[4 * 32], inDepth ? 0.75 : 0.5, 2e-3)
                << inDepth << " method " << static_cast<int>(method);
        }
}

TEST(Work, BlurAndMotionAreTheSameForAnyNumberOfThreads) {
    const TempDir dir;
    std::mt19937 random(3);
    test::writePicture(dir / "a.png", {200, 150}, [&](int x, int y) {
        return Rgba8{(x * 37) % 256, (y * 53) % 256, 90, (x / 20 + y / 20) % 2 ? 255 : 0};
    });
    auto near = std::make_shared<scene::Layer>(
        *test::pictureLayer(1, "a", dir / "a.png", {200, 150}, 3, {0.2, -0.1, -3}));
    near->placement.turn = {8, -28, 7};
    const auto far = test::pictureLayer(2, "b", dir / "a.png", {200, 150}, 12, {0, 0, -9});
    auto scene = sceneOf({233, 131}, 50, 1.4, 5, {far, near});
    scene::Mark end = scene.camera.marks[0];
    end.id = 2;
    end.time = 1;
    end.pose.position = {0.5, 0.1, -0.4};
    end.pose.pan = 3;
    scene.camera.marks.push_back(end);
    for (const Method method : {Method::Draft, Method::Final}) {
        std::vector<Image> pictures;
        for (const std::size_t threads : {1, 2, 7}) {
            const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                                    threads);
            pictures.push_back(shown(scene, {method, 32}, Rational(1, 2), true));
        }
        EXPECT_EQ(pictures[0].rgba, pictures[1].rgba);
        EXPECT_EQ(pictures[0].rgba, pictures[2].rgba);
    }
}

/// The kernel's rays one by one in double precision.
TEST(Rays, AreTheirPlainTwinOnEveryInstructionSet) {
    std::mt19937 random(9);
    const auto in = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
    for (const V2i& size : {V2i(2, 3), V2i(61, 47), V2i(300, 260)})
        for (const int blades : {0, 5})
            for (const int count : {16, 48, 144}) {
                media::Raster base(size);
                for (std::size_t i = 0; i < base.rgba.size(); i += 4) {
                    const double alpha = in(0, 1);
                    for (std::size_t c = 0; c < 4; ++c)
                        base.rgba[i + c] = static_cast<float>(c < 3 ? in(0, 1) * alpha : alpha);
                }
                const auto pixels = media::makePyramid(base);
                scene::Pose pose;
                pose.pan = in(-10, 10);
                pose.focal = 35;
                pose.fstop = 0.7;
                pose.focus = 4;
                const auto view = optics::viewOf(pose, 36, {128, 72});
                const V3d across(7, 0, in(-3, 3)), down(0, -5, in(-1, 1));
                const Plane plane = planeOf({V3d(-3.5, 2.5, -9), across, down}, view, size);
                const media::Box box{40, 20, 71, 33};
                const RayPoints points = rayPoints(count);
                RayTile tile;
                tile.points = &points;
                tile.opening = {blades, 0.3f};
                tile.x0 = box.x0, tile.y0 = box.y0, tile.width = box.x1 - box.x0,
                tile.height = box.y1 - box.y0;
                PatchArena arena;
                RayCard card;
                card.fine = arena.take(plane, *pixels, 0, {-1, -1, size.x + 1, size.y + 1});
                const double cx = box.x0 + 0.5, cy = box.y0 + 0.5, each = 1 / plane.pinhole.w.at(cx, cy);
                const auto local = [&](const Projective& of, Linear Projective::*which) {
                    const Linear l = of.*which - of.w * 0.5;
                    return TileLinear{static_cast<float>(l.at(cx, cy) * each), static_cast<float>(l.b * each),
                                      static_cast<float>(l.c * each)};
                };
                card.level = false;
                card.u = local(plane.pinhole, &Projective::u), card.v = local(plane.pinhole, &Projective::v);
                card.ru = local(plane.right, &Projective::u), card.rv = local(plane.right, &Projective::v);
                card.uu = local(plane.up, &Projective::u), card.uv = local(plane.up, &Projective::v);
                card.w = {1, static_cast<float>(plane.pinhole.w.b * each),
                          static_cast<float>(plane.pinhole.w.c * each)};
                card.rw = static_cast<float>(plane.right.w.a * each),
                card.uw = static_cast<float>(plane.up.w.a * each);
                Occupancy occupancy;
                occupancy.survey(card.fine);
                findPresent(&occupancy, tile.width, tile.height, card);
                const std::vector<RayCard> cards = {card};
                std::vector<std::array<double, 4>> wanted;
                for (int y = box.y0; y < box.y1; ++y)
                    for (int x = box.x0; x < box.x1; ++x) {
                        std::array<double, 4> sum{};
                        const BlueNoise& noise = blueNoise();
                        for (int i = 0; i < points.count; ++i) {
                            const auto n = static_cast<std::size_t>(i);
                            const auto turned = [](float v) { return v >= 1 ? v - 1 : v; };
                            const auto [p, q] = onOpening(tile.opening, turned(points.u[n] + noise.at(x, y)),
                                                          turned(points.v[n] + noise.at(x + 23, y + 37)));
                            const Projective& m = plane.pinhole;
                            const double w = m.w.at(x + 0.5, y + 0.5) +
                                             static_cast<double>(p) * plane.right.w.a +
                                             static_cast<double>(q) * plane.up.w.a;
                            const auto on = [&](Linear Projective::*which) {
                                return ((m.*which).at(x + 0.5, y + 0.5) +
                                        static_cast<double>(p) * (plane.right.*which).at(x + 0.5, y + 0.5) +
                                        static_cast<double>(q) * (plane.up.*which).at(x + 0.5, y + 0.5)) /
                                       w;
                            };
                            const double u = std::clamp(on(&Projective::u), 0.5, size.x - 0.5),
                                         v = std::clamp(on(&Projective::v), 0.5, size.y - 0.5);
                            const auto c = texelAt(plane, *pixels, u, v, 0);
                            for (std::size_t k = 0; k < 4; ++k)
                                sum[k] += static_cast<double>(c[k]) / points.count;
                        }
                        wanted.push_back(sum);
                    }
                for (const std::string& set : instructionSets()) {
                    useInstructionSet(set);
                    const auto canvas = std::make_unique<Canvas>();
                    canvas->clear(tile.width, tile.height);
                    traceRays(tile, cards, *canvas, {});
                    double worst = 0;
                    for (int y = 0; y < tile.height; ++y)
                        for (int x = 0; x < tile.width; ++x)
                            for (std::size_t k = 0; k < 4; ++k)
                                worst = std::max(
                                    worst,
                                    std::abs(
                                        wanted[static_cast<std::size_t>(y * tile.width + x)][k] -
                                        static_cast<double>(
                                            canvas->rgba[4 * static_cast<std::size_t>(y * Canvas::side + x) +
                                                         k])));
                    EXPECT_LT(worst, 2e-3)
                        << set << " " << size.x << " rays " << count << " blades " << blades;
                }
                useInstructionSet("");
            }
}

TEST(Rays, PointsAreSpreadEvenlyAndTheNoiseIsBlue) {
    // Every row and column of a grid as fine as the count has one point: what Sobol's sequence promises.
    for (const int count : {64, 256}) {
        const RayPoints points = rayPoints(count);
        for (const auto* axis : {&points.u, &points.v, &points.t, &points.a}) {
            std::vector<int> hits(static_cast<std::size_t>(count));
            for (const float v : *axis)
                ++hits[static_cast<std::size_t>(v * static_cast<float>(count))];
            EXPECT_EQ(*std::min_element(hits.begin(), hits.end()), 1);
        }
    }
    // Blue noise: every value once, and neighbours unlike each other.
    const BlueNoise& noise = blueNoise();
    auto sorted = noise.value;
    std::sort(sorted.begin(), sorted.end());
    for (std::size_t i = 0; i < sorted.size(); ++i)
        ASSERT_NEAR(sorted[i], (static_cast<double>(i) + 0.5) / 4096, 1e-6);
    double neighbours = 0;
    for (int y = 0; y < 64; ++y)
        for (int x = 0; x < 64; ++x)
            neighbours += (noise.at(x, y) - 0.5f) * (noise.at(x + 1, y) - 0.5f) / 4096;
    EXPECT_LT(neighbours, -0.01);
    // The opening keeps areas in proportion: half of the square lies within half of the circle's area.
    int half = 0, inside = 0;
    for (int i = 0; i < 200; ++i)
        for (int j = 0; j < 200; ++j) {
            const auto [p, q] =
                onOpening({}, (static_cast<float>(i) + 0.5f) / 200, (static_cast<float>(j) + 0.5f) / 200);
            half += p * p + q * q < 0.5f;
            inside += p * p + q * q <= 1.0001f;
        }
    EXPECT_NEAR(half, 20'000, 200);
    EXPECT_EQ(inside, 40'000);
    EXPECT_NEAR(openingShare({6, 0}), 3 * std::sqrt(3.0) / 2 / std::numbers::pi, 1e-9);
}

TEST(Lens, TheFirstRaysOfEveryPixelGoWhereTheirNumbersSay) {
    const BlueNoise& noise = blueNoise();
    const auto turned = [](float v) { return v >= 1 ? v - 1 : v; };
    for (const Opening& opening : {Opening{}, Opening{5, 0.3f}}) {
        RayPoints points = rayPoints(64);
        aimFirst(opening, points);
        for (const auto& [x, y] : {std::pair(0, 0), {63, 0}, {17, 63}, {1900, 1079}, {-1, -70}}) {
            const float* const first = points.firstOf(x, y);
            for (int i = 0; i < RayPoints::step; ++i) {
                const auto n = static_cast<std::size_t>(i);
                const auto [p, q] = onOpening(opening, turned(points.u[n] + noise.at(x, y)),
                                              turned(points.v[n] + noise.at(x + 23, y + 37)));
                EXPECT_NEAR(first[i], p, 1e-5);
                EXPECT_NEAR(first[RayPoints::step + i], q, 1e-5);
            }
        }
    }
}

}
}
