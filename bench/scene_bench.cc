// What reads a whole scene, over 5000 layers of which every tenth sways: `measure` and the checks of the
// camera. Yardsticks in the same run: evaluating all frames once, and the scene's own file written and read.
#include "checks/choreography.h"
#include "motion/frame.h"
#include "motion/measure.h"
#include "scene/scene_json.h"

#include <benchmark/benchmark.h>

namespace {

using namespace stage;

const scene::Scene& many() {
    static const scene::Scene made = [] {
        scene::Scene scene = scene::emptyScene();
        for (int i = 0; i < 5000; ++i) {
            auto layer = std::make_shared<scene::Layer>();
            layer->id = i + 1;
            layer->name = "Card " + std::to_string(i + 1);
            layer->content = scene::Card{};
            layer->pixels = {320, 180};
            layer->metresPerPixel = 0.01;
            layer->placement.position = {(i % 50 - 25) * 1.0, (i / 50 % 10 - 5) * 1.0, -5 - i * 0.01};
            if (i % 10 == 0) {
                scene::Track track;
                track.property = "turn";
                track.noises = {{scene::Noise::Kind::Sway, 5, 1, i + 1}};
                layer->tracks.push_back(track);
            }
            scene.layers.push_back(std::move(layer));
        }
        scene::Mark end = scene.camera.marks.front();
        end.time = Rational(6);
        end.pose.position.x += 2;
        scene.camera.marks.push_back(end);
        return scene;
    }();
    return made;
}

void measureAll(benchmark::State& state) {
    const scene::Scene& scene = many();
    for (auto _ : state)
        benchmark::DoNotOptimize(motion::measureAll(scene, motion::CameraMove(scene), Rational(3)));
}
BENCHMARK(measureAll)->Unit(benchmark::kMillisecond);

void choreography(benchmark::State& state) {
    for (auto _ : state)
        benchmark::DoNotOptimize(checks::choreography(many()));
}
BENCHMARK(choreography)->Unit(benchmark::kMillisecond);

void yardstickFrames(benchmark::State& state) {
    const scene::Scene& scene = many();
    const std::int64_t frames = scene.output.frames;
    for (auto _ : state)
        for (std::int64_t n = 0; n < frames; ++n)
            benchmark::DoNotOptimize(
                motion::evaluate(scene, timeOfFrame(n, scene.output.rate), scene.output.frame, false));
}
BENCHMARK(yardstickFrames)->Unit(benchmark::kMillisecond);

void yardstickFile(benchmark::State& state) {
    for (auto _ : state)
        benchmark::DoNotOptimize(scene::sceneFromJson(*scene::parseJson(scene::toJson(many()).dump())));
}
BENCHMARK(yardstickFile)->Unit(benchmark::kMillisecond);

}

BENCHMARK_MAIN();
