// All checks of a scene: of the demo, of the demo with a sky too small, and of 300 layers over 240 frames.
// Yardstick in the same run: the same frames rendered at 160 x 90, by a pinhole, pictures in memory.
#include "checks/check.h"
#include "checks/gaps.h"
#include "motion/frame.h"
#include "render/render.h"
#include "scene/file.h"

#include <benchmark/benchmark.h>
#include <random>

namespace {

using namespace stage;

scene::Scene demo() {
    auto loaded = scene::load(STAGE_SOURCE_DIR "/demo/lantern-quay.ostage");
    return loaded ? *loaded : scene::emptyScene();
}

scene::Scene smallSky() {
    scene::Scene scene = demo();
    std::int64_t sky = 0;
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) {
        if (layer->name == "Night sky") sky = layer->id;
    });
    scene::changeLayer(scene.layers, sky, [](scene::Layer& layer) { layer.placement.scale *= 0.7; });
    return scene;
}

/// Cards between 3 and 30 m before a backdrop, of which every tenth sways; the camera trucks through 2 m.
scene::Scene many() {
    scene::Scene scene = scene::emptyScene();
    scene.output.frames = 240;
    std::mt19937 random(3);
    const auto within = [&](double low, double high) {
        return std::uniform_real_distribution(low, high)(random);
    };
    for (int i = 0; i < 300; ++i) {
        auto layer = std::make_shared<scene::Layer>();
        layer->id = i + 1;
        layer->name = "Card " + std::to_string(i + 1);
        layer->content = scene::Card{};
        layer->pixels = {320, 180};
        layer->metresPerPixel = 0.01;
        const double depth = 3 + i * 0.09;
        layer->placement.position = {within(-0.5, 0.5) * depth, within(-0.3, 0.3) * depth, -depth};
        if (i == 0) { // the backdrop
            layer->metresPerPixel = 0.2;
            layer->placement.position = {0, 0, -31};
        }
        if (i % 10 == 1) {
            scene::Track track;
            track.property = "turn";
            track.noises = {{scene::Noise::Kind::Sway, 5, 1, i + 1}};
            layer->tracks.push_back(track);
        }
        scene.layers.push_back(std::move(layer));
    }
    scene::Mark end = scene.camera.marks.front();
    end.id = 2;
    end.time = Rational(9);
    end.pose.position.x += 2;
    scene.camera.marks.push_back(end);
    return scene;
}

void check(benchmark::State& state, scene::Scene (*make)()) {
    const scene::Scene scene = make();
    media::PixelCache cache;
    std::size_t findings = 0;
    benchmark::DoNotOptimize(checks::check(scene, cache)); // what is read stays in memory
    for (auto _ : state) {
        const auto report = checks::check(scene, cache);
        findings = report ? report->findings.size() : 0;
    }
    state.counters["findings"] = static_cast<double>(findings);
}

/// What is told at once.
void glance(benchmark::State& state, scene::Scene (*make)()) {
    const scene::Scene scene = make();
    media::PixelCache cache;
    bool found = false;
    for (auto _ : state) {
        const checks::Frames frames(scene);
        checks::Coverage coverage(cache);
        const auto gap = checks::glanceForGap(frames, coverage);
        found = gap && *gap;
    }
    state.counters["findings"] = found;
}

void yardstick(benchmark::State& state, scene::Scene (*make)()) {
    const scene::Scene scene = make();
    media::PixelCache cache;
    render::Quality quality;
    quality.method = render::Method::Pinhole;
    quality.placeholders = true;
    const auto all = [&] {
        for (std::int64_t f = 0; f < scene.output.frames; ++f)
            benchmark::DoNotOptimize(render::render(
                motion::evaluate(scene, timeOfFrame(f, scene.output.rate), {160, 90}), quality, cache));
    };
    all();
    for (auto _ : state)
        all();
}

BENCHMARK_CAPTURE(check, demo, demo)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(yardstick, demo, demo)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(glance, smallSky, smallSky)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(check, smallSky, smallSky)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(yardstick, smallSky, smallSky)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(check, many, many)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(yardstick, many, many)->Unit(benchmark::kMillisecond)->UseRealTime();

}

BENCHMARK_MAIN();
