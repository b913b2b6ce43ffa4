#include "render/render.h"

#include "edit/bring_in.h"
#include "media/still.h"
#include "render/blend.h"
#include "render/curve.h"
#include "render/sampler.h"
#include "support/support.h"

#include <cmath>
#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

namespace stage::render::render_test {
namespace {

using test::Rgba8;
using test::TempDir;

double linear(double v8) {
    const double v = v8 / 255;
    return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
}
double encoded8(double v) {
    return 255 * (v <= 0.0031308 ? 12.92 * v : 1.055 * std::pow(v, 1 / 2.4) - 0.055);
}

scene::Scene sceneOf(V2i frame, std::vector<scene::LayerPtr> layers) {
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = frame;
    scene.camera.marks[0].pose.focal = 36; // a plane at depth d is d metres wide
    scene.layers = std::move(layers);
    return scene;
}

Image shown(const scene::Scene& scene, Rational time = 0) {
    media::PixelCache sources;
    auto picture = render(motion::evaluate(scene, time, scene.output.frame), {}, sources);
    EXPECT_TRUE(picture) << picture.error().sentence;
    return *picture;
}

Rgba8 noisy(int x, int y) {
    return {(x * 37 + y * 11) % 256, (x * 5 + y * 91) % 256, (x * 13 ^ y * 7) % 256, (x * 29 + y * 17) % 256};
}

TEST(Pinhole, NaturalSizeComesOutAsItWent) {
    const TempDir dir;
    test::writePicture(dir / "a.png", {96, 54}, noisy);
    auto scene = sceneOf({96, 54}, {test::pictureLayer(1, "a", dir / "a.png", {96, 54}, 10, {0, 0, -10})});
    scene.output.background = {0, 0, 0, 0};
    const Image picture = shown(scene);
    for (int y = 0; y < 54; ++y)
        for (int x = 0; x < 96; ++x) {
            const Rgba8 c = noisy(x, y);
            const double a = c.a / 255.0;
            ASSERT_NEAR(picture.row(y)[4 * x], linear(c.r) * a, 6e-4) << x << " " << y;
            ASSERT_NEAR(picture.row(y)[4 * x + 3], a, 6e-4);
        }
}

TEST(Pinhole, PerspectiveOfATurnedCard) {
    // A horizontal ramp turned by 60 degrees around the upright axis, against the exact crossing of each
    // pixel's ray
    const TempDir dir;
    const int n = 256;
    test::writePicture(dir / "a.png", {n, 64}, [](int x, int) { return Rgba8{x, x, x}; });
    auto layer =
        std::make_shared<scene::Layer>(*test::pictureLayer(1, "a", dir / "a.png", {n, 64}, 8, {0, 0, -10}));
    layer->placement.turn = {0, 60, 0};
    layer->placement.scale = {1, 4};
    const scene::Scene scene = sceneOf({320, 180}, {layer});
    const Image picture = shown(scene);
    const double c = std::cos(radians(60)), s = std::sin(radians(60));
    for (int x = 100; x < 220; ++x) {
        // card point u along its width: (u c, -10 - u s); pixel slope k = (x + 0.5 - 160) / 320 = u c / (10 +
        // u s)
        const double k = (x + 0.5 - 160) / 320;
        const double u = 10 * k / (c - k * s);
        if (std::abs(u) > 3.5) continue;
        const double texel = (u / 8 + 0.5) * n - 0.5;
        EXPECT_NEAR(encoded8(picture.row(90)[4 * x]), texel, 1.0) << x;
    }
}

TEST(Pinhole, MinifiedDetailIsItsMean) {
    // a fine checkerboard of black and white, 64 times smaller, is half the light and does not shimmer when
    // it creeps
    const TempDir dir;
    test::writePicture(dir / "a.png", {1024, 1024}, [](int x, int y) {
        return (x + y) % 2 ? Rgba8{255, 255, 255} : Rgba8{0, 0, 0};
    });
    double lowest = 1, highest = 0;
    for (int step = 0; step < 10; ++step) {
        const auto scene = sceneOf(
            {32, 32}, {test::pictureLayer(1, "a", dir / "a.png", {1024, 1024}, 20, {step * 0.013, 0, -10})});
        const Image picture = shown(scene);
        for (int i = 10; i < 22; ++i) {
            lowest = std::min<double>(lowest, picture.row(i)[4 * i]);
            highest = std::max<double>(highest, picture.row(i)[4 * i]);
        }
    }
    EXPECT_NEAR(lowest, 0.5, 2e-3);
    EXPECT_NEAR(highest, 0.5, 2e-3);
}

TEST(Pinhole, CardEdgesAreCoveredByTheirShareOfThePixel) {
    const TempDir dir;
    test::writePicture(dir / "a.png", {16, 16}, [](int, int) { return Rgba8{255, 255, 255}; });
    // 1 px of the frame is 10/100 m; the card's edge lies 0.25 px inside a pixel
    for (const double share : {0.0, 0.25, 0.5, 0.75}) {
        const auto scene = sceneOf(
            {100, 100}, {test::pictureLayer(1, "a", dir / "a.png", {16, 16}, 4, {0.1 * share, 0, -10})});
        const Image picture = shown(scene);
        EXPECT_NEAR(picture.row(50)[4 * 70], share, 0.01);     // right edge at 70 + share
        EXPECT_NEAR(picture.row(50)[4 * 30], 1 - share, 0.01); // left edge at 30 + share
        EXPECT_EQ(picture.row(50)[4 * 50], 1.f);
    }
}

TEST(Pinhole, NoFringeAtSoftAlphaEdges) {
    // white that fades to nothing, its hidden colour black, over white: nothing darker may appear
    const TempDir dir;
    test::writePicture(dir / "a.png", {64, 64}, [](int x, int) {
        return x < 32 ? Rgba8{255, 255, 255, 255 - x * 8} : Rgba8{0, 0, 0, 0};
    });
    for (const double width : {5.0, 7.3, 23.0}) {
        auto scene = sceneOf({120, 120},
                             {test::pictureLayer(1, "a", dir / "a.png", {64, 64}, width, {0.31, 0.17, -10})});
        scene.output.background = {1, 1, 1, 1};
        const Image picture = shown(scene);
        for (std::size_t i = 0; i < picture.rgba.size(); i += 4)
            ASSERT_NEAR(picture.rgba[i], 1, 1e-3);
    }
}

scene::LayerPtr colourCard(const TempDir& dir, std::int64_t id, Rgba8 colour, double depth,
                           double width = 100) {
    const auto path = dir / ("c" + std::to_string(id) + ".png");
    test::writePicture(path, {8, 8}, [&](int, int) { return colour; });
    return test::pictureLayer(id, "c" + std::to_string(id), path, {8, 8}, width, {0, 0, -depth});
}

TEST(Order, ByDepthWhateverTheListSays) {
    const TempDir dir;
    const auto red = colourCard(dir, 1, {255, 0, 0}, 5), green = colourCard(dir, 2, {0, 255, 0}, 6),
               blue = colourCard(dir, 3, {0, 0, 255}, 7);
    std::vector<scene::LayerPtr> layers = {red, green, blue};
    std::sort(layers.begin(), layers.end());
    do {
        const Image picture = shown(sceneOf({70, 70}, layers));
        EXPECT_EQ(picture.row(35)[4 * 35], 1.f);
        EXPECT_EQ(picture.row(35)[4 * 35 + 1], 0.f);
    } while (std::next_permutation(layers.begin(), layers.end()));
}

TEST(Order, LaterAboveEarlierInOnePlane) {
    const TempDir dir;
    const auto red = colourCard(dir, 1, {255, 0, 0}, 5), green = colourCard(dir, 2, {0, 255, 0}, 5, 60);
    EXPECT_EQ(shown(sceneOf({70, 70}, {red, green})).row(35)[4 * 35 + 1], 1.f);
    EXPECT_EQ(shown(sceneOf({70, 70}, {green, red})).row(35)[4 * 35], 1.f);
    // and also when the camera looks at the plane askew
    auto scene = sceneOf({70, 70}, {red, green});
    scene.camera.marks[0].pose.pan = 23;
    scene.camera.marks[0].pose.tilt = 11;
    EXPECT_EQ(shown(scene).row(35)[4 * 35 + 1], 1.f);
}

TEST(Order, CrossingCardsAreRightAtEveryPixel) {
    const TempDir dir;
    auto red = std::make_shared<scene::Layer>(*colourCard(dir, 1, {255, 0, 0}, 10, 12));
    auto green = std::make_shared<scene::Layer>(*colourCard(dir, 2, {0, 255, 0}, 10, 12));
    red->placement.turn = {0, 40, 0}; // its right side is farther away
    green->placement.turn = {0, -40, 0};
    const Image picture = shown(sceneOf({200, 200}, {red, green}));
    for (int x = 70; x < 131; ++x) {
        if (std::abs(x - 100) < 2) continue;
        const bool greenInFront = x > 100; // turned by -40: the right side comes nearer
        // turn by +40 around Y takes +X towards -Z, away from the viewer
        EXPECT_EQ(picture.row(100)[4 * x + 1] > 0.5f, greenInFront) << x;
    }
    // Black hides as any colour does.
    auto black = std::make_shared<scene::Layer>(*colourCard(dir, 3, {0, 0, 0}, 10, 12));
    black->placement.turn = green->placement.turn;
    const Image dark = shown(sceneOf({200, 200}, {red, black}));
    for (int x = 70; x < 131; ++x) {
        if (std::abs(x - 100) < 2) continue;
        EXPECT_EQ(dark.row(100)[4 * x]<0.5f, x> 100) << x;
    }
}

TEST(Order, ManyCardsThatCrossEachOtherAreLaidOverEachOtherByDepth) {
    const TempDir dir;
    // Half of what is behind shows through each; lines where two meet run askew, several through one tile.
    for (const int count : {2, 3, 5, 12}) {
        std::vector<scene::LayerPtr> layers;
        std::vector<std::pair<double, double>> cards; // depth of the middle, m, and turn, radians
        for (int i = 0; i < count; ++i) {
            const int grey = 40 + 211 * i / count;
            auto layer = std::make_shared<scene::Layer>(
                *colourCard(dir, i + 1, {grey, 255 - grey, 90}, 10 + 0.07 * i, 60));
            const double turn = 5.0 * i * (i % 2 ? 1 : -1);
            layer->placement.turn = {0, turn, 0};
            layer->opacity = 0.5;
            cards.emplace_back(10 + 0.07 * i, turn * std::numbers::pi / 180);
            layers.push_back(std::move(layer));
        }
        auto scene = sceneOf({100, 80}, layers);
        scene.camera.marks[0].pose.roll = 27;
        scene.output.background = {0, 0, 0, 1};
        const motion::Frame frame = motion::evaluate(scene, 0, scene.output.frame);
        const Image picture = shown(scene);
        int apart = 0;
        for (int y = 0; y < 80; ++y)
            for (int x = 0; x < 100; ++x) {
                const V3d ray = optics::rayThrough(frame.view, {x + 0.5, y + 0.5});
                std::vector<std::pair<double, int>> order;
                for (int i = 0; i < count; ++i) {
                    const auto [depth, turn] = cards[static_cast<std::size_t>(i)];
                    const V3d normal(std::sin(turn), 0, std::cos(turn));
                    order.emplace_back(normal.dot(V3d(0, 0, -depth) - frame.view.eye) / normal.dot(ray), i);
                }
                std::sort(order.begin(), order.end());
                double red = 0, through = 1;
                for (const auto& [depth, i] : order) {
                    red += through * 0.5 * linear(40 + 211 * i / count);
                    through /= 2;
                }
                apart += std::abs(red - static_cast<double>(picture.row(y)[4 * x])) > 2e-3;
            }
        EXPECT_EQ(apart, 0) << count;
    }
}

TEST(Order, NothingIsSeenBehindTheCamera) {
    const TempDir dir;
    auto scene = sceneOf({70, 70}, {colourCard(dir, 1, {255, 0, 0}, 5)});
    scene.camera.marks[0].pose.position = {0, 0, -6};
    const Image picture = shown(scene);
    for (std::size_t i = 0; i < picture.rgba.size(); i += 4)
        ASSERT_EQ(picture.rgba[i], 0.f);
    scene.camera.marks[0].pose.position = {0, 0, -5}; // in the very plane
    (void)shown(scene);
}

/// W3C Compositing and Blending Level 1, 5.8 and 9.1.2: co = cs as (1 - ab) + as ab B(cb, cs) + (1 - as) ab
/// cb
TEST(Blending, SeparableModesAgainstTheFormulas) {
    using scene::Blend;
    const auto hard = [](double b, double s) {
        return s <= .5 ? b * 2 * s : b + (2 * s - 1) - b * (2 * s - 1);
    };
    const std::vector<std::pair<Blend, std::function<double(double, double)>>> modes = {
        {Blend::Normal, [](double, double s) { return s; }},
        {Blend::Multiply, [](double b, double s) { return b * s; }},
        {Blend::Screen, [](double b, double s) { return b + s - b * s; }},
        {Blend::Overlay, [&](double b, double s) { return hard(s, b); }},
        {Blend::Darken, [](double b, double s) { return std::min(b, s); }},
        {Blend::Lighten, [](double b, double s) { return std::max(b, s); }},
        {Blend::ColorDodge,
         [](double b, double s) { return b == 0   ? 0
                                         : s == 1 ? 1
                                                  : std::min(1.0, b / (1 - s)); }},
        {Blend::ColorBurn,
         [](double b, double s) { return b == 1   ? 1
                                         : s == 0 ? 0
                                                  : 1 - std::min(1.0, (1 - b) / s); }},
        {Blend::HardLight, hard},
        {Blend::SoftLight,
         [](double b, double s) {
             const double d = b <= .25 ? ((16 * b - 12) * b + 4) * b : std::sqrt(b);
             return s <= .5 ? b - (1 - 2 * s) * b * (1 - b) : b + (2 * s - 1) * (d - b);
         }},
        {Blend::Difference, [](double b, double s) { return std::abs(b - s); }},
        {Blend::Exclusion, [](double b, double s) { return b + s - 2 * b * s; }},
    };
    const double values[] = {0, 0.1, 0.25, 0.5, 0.8, 1};
    for (const auto& [mode, formula] : modes)
        for (const double cb : values)
            for (const double cs : values)
                for (const double ab : {0.0, 0.4, 1.0})
                    for (const double as : {0.0, 0.3, 1.0}) {
                        float below[4] = {static_cast<float>(cb * ab), 0, 0, static_cast<float>(ab)};
                        const float source[4] = {static_cast<float>(cs * as), 0, 0, static_cast<float>(as)};
                        blendOnto(below, source, 1, mode);
                        EXPECT_NEAR(below[0],
                                    cs * as * (1 - ab) + as * ab * formula(cb, cs) + (1 - as) * ab * cb, 1e-5)
                            << static_cast<int>(mode) << " " << cb << " " << cs << " " << ab << " " << as;
                        EXPECT_NEAR(below[3], as + ab * (1 - as), 1e-6);
                    }
    float below[4] = {0.5f, 0.25f, 0, 0.75f};
    const float glow[4] = {1, 0.5f, 0.25f, 0.5f};
    blendOnto(below, glow, 0.5f, Blend::Add);
    EXPECT_EQ(below[0], 1.0f);
    EXPECT_EQ(below[1], 0.5f);
    EXPECT_EQ(below[3], 1.0f);
}

TEST(Blending, NonSeparableModesKeepWhatTheyPromise) {
    using scene::Blend;
    const auto lum = [](const float* c) { return 0.3 * c[0] + 0.59 * c[1] + 0.11 * c[2]; };
    const float b[4] = {0.2f, 0.5f, 0.4f, 1}, s[4] = {0.7f, 0.3f, 0.35f, 1};
    for (const auto& [mode, from] :
         {std::pair{Blend::Hue, b}, {Blend::Saturation, b}, {Blend::Color, b}, {Blend::Luminosity, s}}) {
        float below[4] = {b[0], b[1], b[2], 1};
        blendOnto(below, s, 1, mode);
        EXPECT_NEAR(lum(below), lum(from), 1e-5); // SetLum's purpose
    }
}

TEST(Groups, OpacityFadesTheGroupAsOne) {
    const TempDir dir;
    // two white cards over each other at half opacity of the group: 0.5, not 0.75
    auto group = std::make_shared<scene::Layer>();
    group->id = 10;
    group->name = "g";
    group->opacity = 0.5;
    group->placement.position = {0, 0, -5};
    auto a = std::make_shared<scene::Layer>(*colourCard(dir, 1, {255, 255, 255}, 0)),
         b = std::make_shared<scene::Layer>(*colourCard(dir, 2, {255, 255, 255}, -1));
    group->content = scene::Group{{a, b}};
    EXPECT_NEAR(shown(sceneOf({70, 70}, {group})).row(30)[4 * 30], 0.5, 1e-3);
}

TEST(OpenRasterImport, LooksAsTheMergedPicture) {
    // Layers with soft alpha, offsets, opacity and a nested stack; merged as flat pictures are: 8-bit values
    // over each other.
    const TempDir dir;
    const V2i canvas(120, 90);
    const auto base = [](int x, int y) { return Rgba8{200 - x, 40 + y, 90 + x / 2, 255}; };
    const auto soft = [](int x, int y) {
        return Rgba8{20 + 3 * x, 250 - 2 * y, 30,
                     std::max(0, 255 - 5 * std::abs(x - 25) - 4 * std::abs(y - 20))};
    };
    const auto veil = [](int x, int) { return Rgba8{255, 255, 255, x * 4 % 256}; };
    struct Flat {
        test::Paint paint;
        V2i at, size;
        double opacity;
    };
    const std::vector<Flat> flats = {
        {base, {0, 0}, canvas, 1}, {soft, {15, 8}, {50, 40}, 1}, {veil, {40, 30}, {64, 48}, 0.6}};
    std::vector<Rgba8> merged;
    for (int y = 0; y < canvas.y; ++y)
        for (int x = 0; x < canvas.x; ++x) {
            double r = 0, g = 0, b = 0;
            for (const Flat& f : flats) {
                const int u = x - f.at.x, v = y - f.at.y;
                if (u < 0 || v < 0 || u >= f.size.x || v >= f.size.y) continue;
                const Rgba8 c = f.paint(u, v);
                const double a = c.a / 255.0 * f.opacity;
                r = c.r * a + r * (1 - a), g = c.g * a + g * (1 - a), b = c.b * a + b * (1 - a);
            }
            merged.push_back({static_cast<int>(std::lround(r)), static_cast<int>(std::lround(g)),
                              static_cast<int>(std::lround(b)), 255});
        }
    const char* xml =
        R"(<image w="120" h="90"><stack><layer name="veil" src="data/2.png" x="40" y="30" opacity="0.6"/>
<stack name="group" x="5" y="3"><layer name="soft" src="data/1.png" x="10" y="5"/></stack><layer name="base" src="data/0.png"/></stack></image>)";
    test::writeOra(dir / "p.ora", xml,
                   {test::pngMember("data/0.png", flats[0].size, base),
                    test::pngMember("data/1.png", flats[1].size, soft),
                    test::pngMember("data/2.png", flats[2].size, veil),
                    test::pngMember("mergedimage.png", canvas, [&](int x, int y) {
                        return merged[static_cast<std::size_t>(y * canvas.x + x)];
                    })});
    for (const char* as : {"layers", "group"}) {
        const auto scene = edit::apply(
            scene::emptyScene(), {{"edit", "bring-in"}, {"files", {(dir / "p.ora").string()}}, {"as", as}});
        ASSERT_TRUE(scene) << scene.error().sentence;
        const auto pixels = encoded<std::uint8_t>(shown(*scene));
        int worst = 0;
        for (std::size_t i = 0; i < merged.size(); ++i)
            worst = std::max({worst, std::abs(pixels[4 * i] - merged[i].r),
                              std::abs(pixels[4 * i + 1] - merged[i].g),
                              std::abs(pixels[4 * i + 2] - merged[i].b)});
        EXPECT_LE(worst, 2) << as;
    }
}

TEST(HoldFraming, PushedLayersKeepTheirPixels) {
    const TempDir dir;
    test::writePicture(dir / "a.png", {200, 150}, noisy);
    auto layer = std::make_shared<scene::Layer>(
        *test::pictureLayer(1, "a", dir / "a.png", {200, 150}, 6, {0.83, -0.37, -7}));
    layer->placement.turn = {13, -28, 7};
    auto scene = sceneOf({320, 180}, {layer});
    scene.camera.marks[0].pose.position = {0.2, 0.1, 0.4};
    const auto before = encoded<std::uint8_t>(shown(scene));
    const auto pushed = edit::apply(scene, {{"edit", "push"}, {"layers", {1}}, {"depth", 35.0}});
    ASSERT_TRUE(pushed);
    const auto after = encoded<std::uint8_t>(shown(*pushed));
    int worst = 0;
    for (std::size_t i = 0; i < before.size(); ++i)
        worst = std::max(worst, std::abs(before[i] - after[i]));
    EXPECT_LE(worst, 1);
}

TEST(Work, IsTheSameForAnyNumberOfThreads) {
    const TempDir dir;
    test::writePicture(dir / "a.png", {200, 150}, noisy);
    auto layer = std::make_shared<scene::Layer>(
        *test::pictureLayer(1, "a", dir / "a.png", {200, 150}, 6, {0.83, -0.37, -7}));
    layer->placement.turn = {13, -28, 7};
    const auto scene = sceneOf({333, 187}, {colourCard(dir, 2, {30, 60, 90}, 7), layer});
    std::vector<Image> pictures;
    for (const std::size_t threads : {1, 2, 7}) {
        const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                                threads);
        pictures.push_back(shown(scene));
    }
    EXPECT_EQ(pictures[0].rgba, pictures[1].rgba);
    EXPECT_EQ(pictures[0].rgba, pictures[2].rgba);
}

TEST(Work, MissingMediaFailsOrShowsAPlaceholder) {
    const auto scene =
        sceneOf({64, 36}, {test::pictureLayer(1, "Boat", "/nowhere/boat.png", {100, 50}, 100, {0, 0, -5})});
    media::PixelCache sources;
    const auto frame = motion::evaluate(scene, 0, {64, 36});
    const auto failed = render(frame, {}, sources);
    ASSERT_FALSE(failed);
    EXPECT_EQ(failed.error().sentence, "Layer 'Boat': Cannot read /nowhere/boat.png: it does not exist.");
    const auto hatched = render(frame, {.placeholders = true}, sources);
    ASSERT_TRUE(hatched);
    EXPECT_GT(hatched->row(18)[4 * 32], 0.05f);
}

TEST(Work, StopsWhenAsked) {
    const TempDir dir;
    const auto scene = sceneOf({640, 360}, {colourCard(dir, 1, {255, 0, 0}, 5)});
    media::PixelCache sources;
    std::stop_source stop;
    const auto picture = render(motion::evaluate(scene, 0, {640, 360}), {}, sources,
                                {[&](double) { stop.request_stop(); }, stop.get_token()});
    ASSERT_FALSE(picture);
    EXPECT_TRUE(picture.error().cancelled);
}

/// The card's own plane seen at natural size, 40 x 20 px in a frame of 120 x 60.
Image extended(scene::Beyond beyond, double turn = 0) {
    const TempDir dir;
    test::writePicture(dir / "a.png", {40, 20}, noisy);
    auto layer = std::make_shared<scene::Layer>(
        *test::pictureLayer(1, "a", dir / "a.png", {40, 20}, 40.0 / 12, {0, 0, -10}));
    const scene::Extension side{beyond, 1};
    layer->hanging.extensions = {side, side, side, side};
    layer->placement.turn.y = turn;
    auto scene = sceneOf({120, 60}, {layer});
    scene.output.background = {0, 0, 0, 0};
    return shown(scene);
}

TEST(Hanging, BeyondItsEdgesAPictureGoesOnWithoutASeam) {
    const auto expected = [](scene::Beyond beyond, int i, int count) {
        switch (beyond) {
        case scene::Beyond::Mirror:
            return i < 0 ? -1 - i : i >= count ? 2 * count - 1 - i : i;
        case scene::Beyond::Repeat:
            return (i + count) % count;
        default:
            return std::clamp(i, 0, count - 1);
        }
    };
    for (const auto beyond : {scene::Beyond::Mirror, scene::Beyond::Repeat, scene::Beyond::Stretch}) {
        const Image picture = extended(beyond);
        for (int y = 0; y < 60; ++y)
            for (int x = 0; x < 120; ++x) {
                const Rgba8 c = noisy(expected(beyond, x - 40, 40), expected(beyond, y - 20, 20));
                const double a = c.a / 255.0;
                ASSERT_NEAR(picture.row(y)[4 * x + 1], linear(c.g) * a, 6e-4) << x << " " << y;
                ASSERT_NEAR(picture.row(y)[4 * x + 3], a, 6e-4) << x << " " << y;
            }
    }
    const Image none = extended(scene::Beyond::Nothing);
    EXPECT_EQ(none.row(30)[4 * 20 + 3], 0);
}

TEST(Hanging, ABentCardShowsEachColumnWhereItsArcIs) {
    const TempDir dir;
    // A ramp across: what is seen tells the share of the width that the ray met.
    test::writePicture(dir / "ramp.png", {256, 64}, [](int x, int) { return Rgba8{x, 255, 0}; });
    for (const double bend : {60.0, -60.0, 170.0}) {
        auto layer = std::make_shared<scene::Layer>(
            *test::pictureLayer(1, "ramp", dir / "ramp.png", {256, 64}, 8, {0, 0, -10}));
        layer->hanging.bend = bend;
        auto scene = sceneOf({160, 90}, {layer});
        scene.output.background = {0, 0, 0, 0};
        const Image picture = shown(scene);
        const double angle = bend * std::numbers::pi / 180, radius = 8 / angle;
        int looked = 0;
        for (double s = 0.04; s < 0.97; s += 0.01) {
            // From the arc's own formula to the frame.
            const double a = (s - 0.5) * angle;
            const double x = radius * std::sin(a), z = -10 + radius * (1 - std::cos(a));
            const double px = 80 + 160 * x / -z;
            const int column = static_cast<int>(std::floor(px));
            if (column < 1 || column >= 159) continue;
            // From the outside its ends turn away and are hidden by its middle.
            if (bend < 0 && std::abs(a) > 0.9) continue;
            const float* pixel = picture.row(45) + 4 * column;
            ASSERT_NEAR(pixel[3], 1, 0.01) << bend << " " << s;
            // The pixel's middle is up to half a pixel from the place asked for: so many steps of the ramp.
            const auto column_ = [&](double share) {
                const double turn = (share - 0.5) * angle;
                return 80 - 160 * radius * std::sin(turn) / (-10 + radius * (1 - std::cos(turn)));
            };
            const double steps = 2.56 / std::abs(column_(s + 0.005) - column_(s - 0.005));
            EXPECT_NEAR(encoded8(pixel[0]), 256 * s - 0.5, 0.5 * steps + 1) << bend << " " << s;
            ++looked;
        }
        EXPECT_GT(looked, 60);
    }
}

TEST(Hanging, ABentCardCrossesAFlatOne) {
    const TempDir dir;
    test::writePicture(dir / "red.png", {32, 32}, [](int, int) { return Rgba8{255, 0, 0}; });
    test::writePicture(dir / "blue.png", {32, 32}, [](int, int) { return Rgba8{0, 0, 255}; });
    auto arc = std::make_shared<scene::Layer>(
        *test::pictureLayer(1, "arc", dir / "red.png", {32, 32}, 12, {0, 0, -12}));
    arc->hanging.bend = 120; // its ends come forward
    const double radius = 12 / (120 * std::numbers::pi / 180);
    const auto flat =
        test::pictureLayer(2, "flat", dir / "blue.png", {32, 32}, 30, {0, 0, -12 + radius * 0.2});
    const Image picture = shown(sceneOf({128, 72}, {arc, flat}));
    // cos a = 0.8 where they meet; nearer ends are red, the middle is blue.
    const double x = radius * 0.6, crossing = 64 + 128 * x / (12 - radius * 0.2);
    EXPECT_GT(picture.row(36)[4 * 64 + 2], 0.99);
    EXPECT_GT(picture.row(36)[4 * static_cast<int>(crossing - 3) + 2], 0.99);
    EXPECT_GT(picture.row(36)[4 * static_cast<int>(crossing + 3)], 0.99);
    EXPECT_LT(picture.row(36)[4 * static_cast<int>(crossing + 3) + 2], 0.01);
}

TEST(Curve, TablesAreCloseToTheCurve) {
    double worst = 0;
    for (int i = 0; i <= 100'000; ++i) {
        const double v = i / 100'000.0;
        worst = std::max({worst, std::abs(encode(static_cast<float>(v)) - encoded8(v) / 255),
                          std::abs(decode(static_cast<float>(v)) - linear(255 * v))});
    }
    EXPECT_LT(worst, 2e-5);
    EXPECT_EQ(encode(0), 0);
    EXPECT_NEAR(encode(4), encoded8(4) / 255, 1e-5);
}

}
}
