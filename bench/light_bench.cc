// What light costs: lamps, shadows and glow, each beside the same picture without, made in turns in the same
// run.
#include "bench_folder.h"
#include "render/render.h"
#include "ten_planes.h"

#include <algorithm>
#include <benchmark/benchmark.h>
#include <chrono>
#include <functional>

namespace {

using namespace stage;
using render::Method;

const scene::Scene& tenPlanes() {
    static const scene::Scene scene = [] { return bench::tenPlanes(bench::folder()); }();
    return scene;
}

media::PixelCache& cache() {
    static media::PixelCache made(std::size_t{4} << 30);
    return made;
}

scene::LayerPtr lamp(std::int64_t id, V3d place) {
    auto layer = std::make_shared<scene::Layer>();
    layer->id = id;
    layer->name = "lamp " + std::to_string(id);
    scene::Lamp content;
    content.glow = 0, content.reach = 40, content.strength = 8;
    layer->content = content;
    layer->placement.position = place;
    layer->fitToBox();
    return layer;
}

template <class Change> void changeAll(scene::Scene& scene, const Change& change) {
    for (scene::LayerPtr& slot : scene.layers) {
        auto copy = std::make_shared<scene::Layer>(*slot);
        change(*copy);
        slot = std::move(copy);
    }
}

/// round: every picture is another one where it counts; 0: all are the same.
using Make = std::function<scene::Scene(int round)>;

scene::Scene withLamps(int round) {
    scene::Scene scene = tenPlanes();
    changeAll(scene, [](scene::Layer& layer) {
        layer.shading = std::make_shared<const scene::Shading>(scene::Shading{1, 0.2, 0, {1.5, 12, 1}});
    });
    const V3d eye = scene.camera.marks[0].pose.position;
    for (int n = 0; n < 4; ++n)
        scene.layers.push_back(lamp(900 + n, eye + V3d(3 * n - 4.5 + 0.001 * round, 1, -4.0 - 2 * n)));
    return scene;
}

/// A floor under the ten planes, and four that throw a soft shadow on it.
scene::Scene withFloor(int round, bool shadows) {
    scene::Scene scene = tenPlanes();
    const V3d eye = scene.camera.marks[0].pose.position;
    auto floor = std::make_shared<scene::Layer>();
    floor->id = 950;
    floor->pixels = {2000, 2000};
    floor->metresPerPixel = 0.01;
    floor->content = scene::Card{{{0, {0.3, 0.28, 0.25, 1}}}};
    floor->placement.position = eye + V3d(0, -1, -11);
    floor->placement.turn.x = -90;
    scene.layers.push_back(floor);
    scene.ground = floor->placement.position.y;
    scene.layers.push_back(lamp(900, eye + V3d(0.001 * round, 8, -9)));
    int thrown = 0;
    if (shadows)
        changeAll(scene, [&](scene::Layer& layer) {
            if (layer.box() || layer.id == 950 || thrown >= 4 || layer.id == scene.layers.front()->id) return;
            scene::Shadow shadow;
            shadow.from = 900, shadow.softness = 5;
            layer.shadows = {shadow};
            ++thrown;
        });
    return scene;
}

scene::Scene withGlow(int round, bool glow) {
    scene::Scene scene = tenPlanes();
    scene.layers.resize(1);
    if (glow)
        changeAll(scene, [&](scene::Layer& layer) {
            scene::Finish finish;
            finish.glow = {0.5, 0.2 + 1e-5 * round, 60, {1, 0.9, 0.8, 1}};
            layer.finish = std::make_shared<const scene::Finish>(finish);
        });
    return scene;
}

scene::Scene withGlare(int, bool glare) {
    scene::Scene scene = tenPlanes();
    scene.camera.iris.blades = 6;
    if (glare) scene.glare.strength = 0.3, scene.glare.streaks = 0.5;
    return scene;
}

double seconds(const scene::Scene& scene, const render::Quality& quality) {
    const motion::Frame frame = motion::evaluate(scene, 0, scene.output.frame);
    const auto begin = std::chrono::steady_clock::now();
    const auto picture = render::render(frame, quality, cache());
    if (!picture) return -1;
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
}

/// Best of rounds, with and without in turns.
void compared(benchmark::State& state, const Make& with, const Make& without, render::Quality quality,
              bool moving) {
    constexpr int rounds = 15; // the first ones make room that those after them use again
    double best[2] = {1e9, 1e9};
    static int round = 0;
    for (auto _ : state) {
        seconds(without(0), quality), seconds(with(0), quality); // read what does not change
        for (int n = 0; n < rounds; ++n) {
            best[0] = std::min(best[0], seconds(without(0), quality));
            best[1] = std::min(best[1], seconds(with(moving ? ++round : 0), quality));
        }
    }
    state.counters["without_ms"] = 1000 * best[0];
    state.counters["with_ms"] = 1000 * best[1];
    state.counters["added_percent"] = 100 * (best[1] / best[0] - 1);
    state.counters["added_ms"] = 1000 * (best[1] - best[0]);
}

void add(const std::string& name, const Make& with, const Make& without, const render::Quality& quality,
         bool moving) {
    benchmark::RegisterBenchmark(
        name.c_str(), [=](benchmark::State& state) { compared(state, with, without, quality, moving); })
        ->Iterations(1)
        ->Unit(benchmark::kMillisecond);
}

}

int main(int argc, char** argv) {
    const Make plain = [](int) { return tenPlanes(); };
    const std::pair<const char*, render::Quality> qualities[] = {
        {"pinhole", {}}, {"draft", {Method::Draft}}, {"final64", {Method::Final, 64}}};
    for (const bool moving : {false, true})
        for (const auto& [name, quality] : qualities)
            add(std::string(moving ? "lamps_moving/" : "lamps_still/") + name, withLamps, plain, quality,
                moving);
    for (const bool moving : {false, true})
        add(
            std::string("shadows_") + (moving ? "moving" : "still") + "/final64",
            [](int round) { return withFloor(round, true); }, [](int) { return withFloor(0, false); },
            {Method::Final, 64}, moving);
    for (const bool moving : {false, true})
        add(
            std::string("glow_") + (moving ? "changing" : "still") + "/pinhole",
            [](int round) { return withGlow(round, true); }, [](int) { return withGlow(0, false); }, {},
            moving);
    add(
        "glare/pinhole", [](int round) { return withGlare(round, true); },
        [](int round) { return withGlare(round, false); }, {}, false);
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
    return 0;
}
