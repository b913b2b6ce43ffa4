// What fills space: clouds and mist against exp(-density x path), particles against rays that this file sends
// itself, orders in depth, loops, and the same picture whatever else is rendered.
#include "motion/particles.h"
#include "render/render.h"
#include "support/moves.h"

#include <cmath>
#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>
#include <random>

namespace stage::render::fill_test {
namespace {

using scene::Layer;
using scene::LayerPtr;
using test::mark;
using test::sheet;

const V2i frame(96, 64);
/// Sanitizers look for errors, which show without comparing many rays.
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
constexpr bool measuring = false;
#else
constexpr bool measuring = true;
#endif

/// The camera at the origin: 36 mm on a gate of 36, so that the frame is as wide as its distance.
scene::Scene sceneOf(std::vector<LayerPtr> layers, double fstop = 1000, double focus = 8) {
    scene::Scene scene = test::withSheets({mark(1, 0, V3d(0))}, std::move(layers));
    scene.output.frame = frame;
    scene.output.background = {0, 0, 0, 1};
    scene.camera.marks[0].pose.focal = 36;
    scene.camera.marks[0].pose.fstop = fstop;
    scene.camera.marks[0].pose.focus = focus;
    return scene;
}

Image shown(const scene::Scene& scene, Method method, Rational time = 0, int samples = 64,
            const media::Box& region = {}) {
    Quality quality;
    quality.method = method;
    quality.samples = samples;
    quality.region = region;
    media::PixelCache cache;
    auto picture = render(motion::evaluate(scene, time, frame, true), quality, cache);
    EXPECT_TRUE(picture) << picture.error().sentence;
    return picture ? *picture : Image(frame);
}

template <class Content> std::shared_ptr<Layer> boxOf(std::int64_t id, V3d position, const Content& content) {
    auto layer = std::make_shared<Layer>();
    layer->id = id;
    layer->name = "box " + std::to_string(id);
    layer->placement.position = position;
    layer->content = content;
    layer->fitToBox();
    return layer;
}

scene::Cloud evenCloud(double density, V3d box) {
    scene::Cloud cloud;
    cloud.density = density;
    cloud.box = box;
    cloud.coverage = 1;
    cloud.border = 0;
    cloud.colour = {0.2, 0.5, 0.8, 1};
    return cloud;
}

/// The ray through the middle of a pixel, of depth 1.
V3d rayOf(int x, int y) {
    return {(x + 0.5 - frame.x / 2.0) / frame.x, -(y + 0.5 - frame.y / 2.0) / frame.x, -1};
}

/// Metres of a ray from the origin within an upright box, up to a depth.
double pathIn(const V3d& ray, const V3d& middle, const V3d& box, double farthest = 1e9) {
    double in = 0, out = farthest;
    for (int i = 0; i < 3; ++i) {
        const double a = (middle[i] - box[i] / 2) / ray[i], b = (middle[i] + box[i] / 2) / ray[i];
        in = std::max(in, std::min(a, b)), out = std::min(out, std::max(a, b));
    }
    return std::max(0.0, out - in) * ray.length();
}

constexpr Method methods[] = {Method::Pinhole, Method::Draft, Method::Final, Method::Traced};

TEST(Cloud, OfEvenDensityTakesLightByTheWayThroughIt) {
    struct Case {
        const char* name;
        V3d middle;
        bool card;
    };
    for (const Case& each :
         {Case{"from outside", {0.3, 0.2, -7}, false}, Case{"from inside", {0, 0, 0}, false},
          Case{"with a card in its middle", {0.3, 0.2, -7}, true}}) {
        const V3d box(9, 8, 6);
        std::vector<LayerPtr> layers = {sheet(1, {60, 60}, {0, 0, -30}, 1)};
        if (each.card) layers.push_back(sheet(2, {60, 60}, {0, 0, -7.5}, 1));
        layers.push_back(boxOf(3, each.middle, evenCloud(0.3, box)));
        const scene::Scene scene = sceneOf(layers);
        for (const Method method : methods) {
            const Image picture = shown(scene, method, 0, 16);
            for (int y = 8; y < frame.y - 8; y += 5)
                for (int x = 10; x < frame.x - 10; x += 7) {
                    const double path = pathIn(rayOf(x, y), each.middle, box, each.card ? 7.5 : 1e9),
                                 through = std::exp(-0.3 * path);
                    const float* rgba = picture.row(y) + 4 * x;
                    EXPECT_NEAR(rgba[0], through + 0.2 * (1 - through), 0.01)
                        << each.name << methodNames[static_cast<std::size_t>(method)] << x << ' ' << y;
                    EXPECT_NEAR(rgba[2], through + 0.8 * (1 - through), 0.01) << each.name;
                }
        }
    }
}

TEST(Cloud, HasStructureThatItsCoverageFills) {
    const auto cover = [](double coverage) {
        scene::Cloud cloud;
        cloud.density = 500;
        cloud.box = {40, 40, 0.02}; // so thin that no way through it meets several billows
        cloud.coverage = coverage, cloud.border = 0, cloud.size = 0.5;
        cloud.colour = {1, 1, 1, 1};
        const Image picture = shown(sceneOf({boxOf(1, {0, 0, -10}, cloud)}), Method::Final, 0, 16);
        double sum = 0;
        for (std::size_t i = 0; i < picture.rgba.size(); i += 4)
            sum += static_cast<double>(picture.rgba[i]);
        return sum / (picture.rgba.size() / 4.0);
    };
    const double thin = cover(0.3), half = cover(0.5), full = cover(1);
    EXPECT_LT(thin, half - 0.05);
    EXPECT_LT(half, 0.98);
    EXPECT_GT(half, 0.4);
    EXPECT_NEAR(full, 1, 1e-3);
}

TEST(Cloud, DraftsAndFinalPicturesAreWithin35Decibels) {
    scene::Cloud cloud;
    cloud.density = 0.8;
    cloud.box = {14, 9, 8};
    cloud.size = 2.5;
    const scene::Scene scene =
        sceneOf({sheet(1, {60, 60}, {0, 0, -20}, 0.2), boxOf(2, {0, 0, -8}, cloud)}, 4);
    const Image draft = shown(scene, Method::Draft), full = shown(scene, Method::Final);
    double sum = 0, spread = 0;
    for (std::size_t i = 0; i < full.rgba.size(); ++i) {
        const auto encoded = [](float v) { return std::pow(std::max(0.0, static_cast<double>(v)), 1 / 2.2); };
        sum += std::pow(encoded(draft.rgba[i]) - encoded(full.rgba[i]), 2);
        spread = std::max(spread, std::abs(encoded(full.rgba[i]) - encoded(full.rgba[0])));
    }
    EXPECT_GE(-10 * std::log10(sum / static_cast<double>(full.rgba.size())), 35);
    EXPECT_GT(spread, 0.1); // there is something to compare
}

TEST(Mist, TakesLightByTheWayThroughIt) {
    scene::Scene scene = sceneOf({sheet(1, {200, 200}, {0, 0, -25}, 1)});
    scene.mist = {{0.1, 0.3, 0.6, 1}, 0.12, 0.7, 1.3, 2};
    const auto density = [&](double height) { return 0.12 * std::clamp((0.7 - height) / 1.3, 0.0, 1.0); };
    for (const Method method : methods) {
        const Image picture = shown(scene, method, 0, 16);
        for (int y = 2; y < frame.y; y += 6)
            for (int x = 3; x < frame.x; x += 11) {
                const V3d ray = rayOf(x, y);
                double taken = 0; // in small steps
                constexpr int steps = 20'000;
                const double from = 2 / ray.length();
                for (int i = 0; i < steps; ++i)
                    taken += density(ray.y * (from + (25 - from) * (i + 0.5) / steps));
                const double through = std::exp(-taken * (25 - from) / steps * ray.length());
                EXPECT_NEAR(picture.row(y)[4 * x + 2], through + 0.6 * (1 - through), 0.004)
                    << methodNames[static_cast<std::size_t>(method)] << x << ' ' << y;
            }
    }
}

scene::Particles someParticles() {
    scene::Particles particles;
    particles.count = 40;
    particles.box = {6, 4, 9};
    particles.size = 0.4;
    particles.velocity = {1.5, -2, 0.3};
    particles.colour = {0.9, 0.6, 0.2, 0.9};
    return particles;
}

/// What rays through the lens and the exposure see of discs that face the camera: this file's own.
Image byRays(const scene::Scene& scene, const scene::Particles& particles, V3d middle, double halfExposure) {
    const scene::Pose& pose = scene.camera.marks[0].pose;
    const double aperture = pose.focal / 1000 / pose.fstop / 2;
    const motion::ParticleSystem system(particles);
    std::vector<motion::Particle> all;
    for (int i = 0; i < particles.count; ++i)
        all.push_back(system.at(i, 0, halfExposure));
    std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.place.z > b.place.z; });
    Image picture(frame);
    std::mt19937 random(3);
    std::uniform_real_distribution<double> chance(0, 1);
    constexpr int rays = measuring ? 400 : 1;
    for (int y = 0; y < frame.y; ++y)
        for (int x = 0; x < frame.x; ++x) {
            float* out = picture.row(y) + 4 * x;
            std::fill_n(out, 4, 0.f);
            for (int n = 0; n < rays; ++n) {
                const double r = std::sqrt(chance(random)) * aperture,
                             turn = 2 * std::numbers::pi * chance(random), t = 2 * chance(random) - 1;
                const V3d from(r * std::cos(turn), r * std::sin(turn), 0);
                V3d ray = rayOf(x, y); // through any place of the pixel
                ray.x += (chance(random) - 0.5) / frame.x, ray.y += (chance(random) - 0.5) / frame.x;
                const V3d to = ray * pose.focus;
                double through = 1;
                for (const motion::Particle& each : all) {
                    const V3d at = middle + (t < 0 ? each.place + (each.place - each.open) * t
                                                   : each.place + (each.close - each.place) * t);
                    const double share = -at.z / pose.focus;
                    if (!(share > 0)) continue;
                    const V3d met = from + (to - from) * share - at;
                    if (met.x * met.x + met.y * met.y > each.size * each.size / 4) continue;
                    const double own[3] = {particles.colour.r, particles.colour.g, particles.colour.b};
                    for (int c = 0; c < 3; ++c)
                        out[c] += static_cast<float>(through * own[c] / rays);
                    through *= 1 - particles.colour.a;
                }
            }
        }
    return picture;
}

double offBy(const Image& a, const Image& b) {
    double sum = 0;
    std::size_t count = 0;
    for (std::size_t i = 0; i < a.rgba.size(); ++i)
        if (i % 4 != 3) sum += std::pow(static_cast<double>(a.rgba[i] - b.rgba[i]), 2), ++count;
    return std::sqrt(sum / static_cast<double>(count));
}

TEST(Particles, AreDiscsOfTheLensAndStreaksOfTheShutter) {
    const V3d middle(0, 0, -8);
    struct Case {
        const char* name;
        double fstop, shutter;
        double final, draft; ///< off by at most, of white
    };
    for (const Case& each :
         {Case{"sharp", 1000, 0, 0.012, 0.012}, Case{"through the lens", 0.05, 0, 0.02, 0.02},
          Case{"while the shutter is open", 1000, 300, 0.02, 0.02}, Case{"both", 0.05, 300, 0.02, 0.02}}) {
        scene::Scene scene = sceneOf({boxOf(1, middle, someParticles())}, each.fstop);
        scene.camera.shutter = each.shutter;
        const double half = motion::halfExposure(scene).toDouble();
        const Image truth = byRays(scene, someParticles(), middle, half);
        double bright = 0;
        for (const float v : truth.rgba)
            bright += static_cast<double>(v);
        EXPECT_GT(bright, 100) << each.name;
        if (!measuring) {
            shown(scene, Method::Traced, 0, 16), shown(scene, Method::Final), shown(scene, Method::Draft);
            continue;
        }
        EXPECT_LT(offBy(shown(scene, Method::Traced, 0, 512), truth), 0.02) << each.name;
        EXPECT_LT(offBy(shown(scene, Method::Final), truth), each.final) << each.name;
        EXPECT_LT(offBy(shown(scene, Method::Draft), truth), each.draft) << each.name;
    }
}

TEST(Particles, KeepAllOfTheirLightHoweverBlurred) {
    // One in the middle, alone: its light in all pixels together is its colour times its area.
    scene::Particles one;
    one.count = 1;
    one.box = {1e-3, 1e-3, 1e-3};
    one.velocity = V3d(0);
    one.sizeSpread = 0;
    one.size = 0.5;
    one.colour = {1, 1, 1, 1};
    for (const auto shape :
         {scene::ParticleShape::Disc, scene::ParticleShape::Soft, scene::ParticleShape::Crystal,
          scene::ParticleShape::Leaf, scene::ParticleShape::Ring})
        for (const double size : {0.5, 0.02}) {
            std::vector<double> sums;
            for (const double fstop : {1000.0, 0.2, 0.05, 0.015}) {
                one.shape = shape;
                one.size = size;
                for (const int blades : {0, 6}) {
                    scene::Scene scene = sceneOf({boxOf(1, {0, 0, -6}, one)}, fstop, 9);
                    scene.camera.iris.blades = blades;
                    for (const Method method : {Method::Final, Method::Traced}) {
                        if (method == Method::Traced && size < 0.1) continue; // of which few rays meet any
                        const Image picture = shown(scene, method, 0, 1024);
                        double sum = 0;
                        for (std::size_t i = 0; i < picture.rgba.size(); i += 4)
                            sum += static_cast<double>(picture.rgba[i]);
                        sums.push_back(sum);
                    }
                }
            }
            for (const double sum : sums)
                EXPECT_NEAR(sum / sums.front(), 1, 0.06)
                    << scene::particleShapeNames[static_cast<std::size_t>(shape)] << ' ' << size;
        }
    // Of the disc that area is known: 8 px across at this depth, so 50.3 px.
    one.shape = scene::ParticleShape::Disc;
    one.size = 0.5;
    const Image sharp = shown(sceneOf({boxOf(1, {0, 0, -6}, one)}), Method::Pinhole);
    double sum = 0;
    for (std::size_t i = 0; i < sharp.rgba.size(); i += 4)
        sum += static_cast<double>(sharp.rgba[i]);
    EXPECT_NEAR(sum, std::numbers::pi * 16, 0.5);
}

TEST(Particles, LieBeforeABentCardOnce) {
    // A card that lets light through shows none of what is in front of it once more.
    scene::Particles particles = someParticles();
    particles.velocity = V3d(0);
    particles.colour = {1, 1, 1, 0.5};
    const auto brightness = [&](double bend) {
        auto card = std::make_shared<Layer>(*sheet(1, {60, 60}, {0, 0, -20}, 0.5));
        card->content = scene::Card{{{0, {0, 0, 0, 0.5}}}, 0, false};
        card->hanging.bend = bend;
        std::vector<double> sums;
        for (const Method method : methods) {
            const Image picture = shown(sceneOf({boxOf(2, {0, 0, -9}, particles), card}), method, 0, 16);
            double sum = 0;
            for (std::size_t i = 0; i < picture.rgba.size(); i += 4)
                sum += static_cast<double>(picture.rgba[i]);
            sums.push_back(sum);
        }
        return sums;
    };
    const auto flat = brightness(0), bent = brightness(20);
    for (std::size_t i = 0; i < flat.size(); ++i)
        EXPECT_NEAR(bent[i], flat[i], 0.02 * flat[i]) << methodNames[i];
}

TEST(Particles, LieAmongTheCardsByTheirDepths) {
    scene::Particles particles = someParticles();
    particles.count = 300;
    particles.velocity = V3d(0);
    particles.colour = {1, 1, 1, 1};
    const auto brightness = [&](double depth, bool turned) {
        auto card = std::make_shared<Layer>(*sheet(1, {60, 60}, {0, 0, -depth}, 1));
        card->content = scene::Card{{{0, {0, 0, 0, 1}}}, 0, false};
        if (turned) card->placement.turn.y = 40;
        const scene::Scene scene = sceneOf({boxOf(2, {0, 0, -8}, particles), card});
        std::vector<double> sums;
        for (const Method method : methods) {
            const Image picture = shown(scene, method, 0, 16);
            double sum = 0;
            for (std::size_t i = 0; i < picture.rgba.size(); i += 4)
                sum += static_cast<double>(picture.rgba[i]);
            sums.push_back(sum);
        }
        for (const double sum : sums)
            EXPECT_NEAR(sum, sums.back(), 0.02 * sums.back() + 1) << depth;
        return sums.front();
    };
    const double all = brightness(20, false), half = brightness(8, false), none = brightness(2.5, false);
    EXPECT_LT(half, 0.9 * all);
    EXPECT_GT(half, 0.2 * all);
    EXPECT_LT(none, 1e-3);
    const double turned = brightness(8, true); // through the middle of the box
    EXPECT_GT(turned, 0.2 * all);
    EXPECT_LT(turned, 0.95 * all);
}

/// Particles in a cloud, beside a tilted card, and in a group that is mixed on its own.
scene::Scene mixedScene() {
    scene::Cloud cloud;
    cloud.box = {9, 5, 6};
    cloud.loop = 2;
    cloud.drift = {0.7, 0, 0.2};
    scene::Particles flakes = someParticles();
    flakes.loop = 2;
    flakes.turbulence = {0.2, 1, 0.5};
    auto group = std::make_shared<Layer>();
    group->id = 10;
    group->name = "group";
    group->opacity = 0.7;
    group->placement.position = {0, 0, -6};
    group->content = scene::Group{{boxOf(11, V3d(0), flakes)}};
    auto water = std::make_shared<Layer>(*sheet(4, {30, 10}, {0, -1, -9}, 0.5));
    water->placement.turn.x = -70;
    water->displacements = {{scene::DisplacementKind::Shimmer, true, 30, 200, 0.75}};
    water->displacements[0].loop = 2;
    scene::Scene scene = sceneOf({sheet(1, {60, 60}, {0, 0, -20}, 0.3), water, boxOf(2, {0, 0, -8}, flakes),
                                  boxOf(3, {0, 0.4, -8}, cloud), group},
                                 2, 6);
    scene.camera.shutter = 180;
    scene.mist = {{0.3, 0.3, 0.4, 1}, 0.05, 0, 1};
    return scene;
}

TEST(Fills, LoopToTheBit) {
    const scene::Scene scene = mixedScene();
    for (const Method method : {Method::Draft, Method::Final}) {
        const Image first = shown(scene, method, Rational(1, 8), 16);
        EXPECT_EQ(shown(scene, method, Rational(17, 8), 16).rgba, first.rgba);
        EXPECT_EQ(shown(scene, method, Rational(81, 8), 16).rgba, first.rgba);
        EXPECT_NE(shown(scene, method, Rational(9, 8), 16).rgba, first.rgba);
    }
}

TEST(Fills, AreTheSameForAnyThreadsAndRegion) {
    const scene::Scene scene = mixedScene();
    for (const Method method : methods) {
        const Image whole = shown(scene, method, Rational(1, 8), 16);
        for (const std::size_t threads : {1u, 2u, 7u}) {
            if (!measuring && threads != 2) continue;
            const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                                    threads);
            EXPECT_EQ(shown(scene, method, Rational(1, 8), 16).rgba, whole.rgba) << threads;
        }
        const Image part = shown(scene, method, Rational(1, 8), 16, {40, 10, 60, 30});
        for (int y = 10; y < 30; ++y)
            for (int i = 4 * 40; i < 4 * 60; ++i)
                ASSERT_EQ(part.row(y)[i], whole.row(y)[i]) << i / 4 << ' ' << y;
    }
}

TEST(Fills, MethodsAgreeOnAMixedScene) {
    const scene::Scene scene = mixedScene();
    scene::Scene plain = scene; // drafts are off by some of it without what fills space, too
    plain.mist.density = 0;
    plain.layers.resize(2);
    const auto off = [](const scene::Scene& of, Method method, int samples) {
        return offBy(shown(of, method, Rational(1, 8), samples),
                     shown(of, Method::Traced, Rational(1, 8), measuring ? 256 : 16));
    };
    if (!measuring) return void(off(scene, Method::Final, 16));
    EXPECT_LT(off(scene, Method::Final, 128), 0.004);
    EXPECT_LT(off(scene, Method::Draft, 0), off(plain, Method::Draft, 0) + 0.004);
}

TEST(Fills, StayFiniteWhateverTheirValues) {
    std::vector<scene::Scene> scenes;
    const auto add = [&](const auto& content, V3d position, double fstop = 1) {
        scenes.push_back(sceneOf({sheet(1, {60, 60}, {0, 0, -20}, 0.3), boxOf(2, position, content)}, fstop));
        scenes.back().camera.shutter = 180;
    };
    scene::Particles particles = someParticles();
    particles.box = {0.2, 0.2, 0.2}; // around the lens
    add(particles, V3d(0), 0.5);
    particles.box = {1e6, 1e6, 1e6};
    particles.count = 2000;
    particles.size = 1e4;
    particles.velocity = {1e5, 0, 0};
    add(particles, V3d(0));
    particles.box = {1e-6, 1e-6, 1e-6};
    particles.size = 1e-6;
    add(particles, {0, 0, -5});
    particles.size = 1e7;
    particles.colour.a = 0.3; // many that each fill the frame
    particles.count = 200;
    particles.box = {5, 5, 1e7};
    add(particles, {0, 0, -1e7});
    scene::Cloud cloud;
    cloud.box = {1e6, 1e6, 1e6};
    cloud.density = 1e6;
    add(cloud, V3d(0));
    cloud.size = 1e-6;
    cloud.density = 1e-9;
    add(cloud, V3d(0));
    cloud.box = {1e-6, 1e7, 1e-6};
    add(cloud, {0, 0, -3});
    for (scene::Scene& scene : scenes) {
        scene.mist = {{1, 1, 1, 1}, 1000, 1e7, 1e-6};
        for (const Method method : methods)
            for (const float v : shown(scene, method, Rational(1, 3), 16).rgba)
                ASSERT_TRUE(std::isfinite(v));
    }
}

}
}
