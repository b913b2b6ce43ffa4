// How fast the renderer is and how near to the truth, each beside its yardstick of the same run.
#include "render/render.h"
#include "render/tile.h"
#include "ten_planes.h"
#include "yardsticks.h"

#include <algorithm>
#include <benchmark/benchmark.h>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <map>
#include <numeric>
#include <oneapi/tbb/global_control.h>
#include <oneapi/tbb/parallel_for.h>
#include <opencv2/core.hpp>
#include <thread>

namespace {

using namespace stage;
using render::Method;

struct Stage {
    scene::Scene scene;
    motion::Frame frame, exposed;
};

std::filesystem::path folder() {
    static const std::filesystem::path path = [] {
        // Kept from run to run where a folder is given, which spares drawing the pictures.
        if (const char* kept = std::getenv("STAGE_BENCH_FOLDER")) return std::filesystem::path(kept);
        std::string name = (std::filesystem::temp_directory_path() / "open-stage-bench-XXXXXX").string();
        return std::filesystem::path(::mkdtemp(name.data()));
    }();
    return path;
}

media::PixelCache& cache() {
    static media::PixelCache made(std::size_t{4} << 30);
    return made;
}

/// Snow from the lens to 12 m, or a cloud from 3 to 9 m that fills the frame.
void addAir(scene::Scene& scene, const std::string& name) {
    scene::Layer layer;
    layer.id = scene::highestId(scene) + 1;
    layer.name = name;
    layer.placement.position = scene.camera.marks[0].pose.position - V3d(0, 0, 6);
    if (name == "cloud") {
        scene::Cloud cloud;
        cloud.box = {14, 10, 6};
        cloud.density = 0.3;
        cloud.size = 2;
        layer.content = cloud;
    } else {
        scene::Particles snow = scene::readyParticles().front().particles;
        snow.aroundCamera = false;
        snow.count = std::stoi(name);
        layer.content = snow;
    }
    layer.fitToBox();
    scene.layers.push_back(std::make_shared<scene::Layer>(layer));
}

const Stage& stage_(const std::string& name) {
    static std::map<std::string, Stage> made;
    auto [at, fresh] = made.try_emplace(name);
    if (fresh) {
        scene::Scene& scene = at->second.scene;
        scene = name == "hundred" ? bench::hundredPlanes(folder())
                : name == "veils" ? bench::veils(folder())
                                  : bench::tenPlanes(folder());
        if (name == "bent") {
            auto backdrop = std::make_shared<scene::Layer>(*scene.layers.front());
            backdrop->hanging.bend = 60;
            scene.layers.front() = backdrop;
        }
        if (name == "5000" || name == "20000" || name == "cloud") addAir(scene, name);
        // A truck for the shutter, as fast as the demo's: 0.7 m in a second.
        scene::Mark end = scene.camera.marks[0];
        end.id = 2;
        end.time = 1;
        end.pose.position.x += 0.7;
        at->second.frame = motion::evaluate(scene, 0, scene.output.frame);
        scene.camera.marks.push_back(end);
        scene.camera.marks[0].pace = {0, 0, 1, 1};
        at->second.exposed = motion::evaluate(scene, Rational(1, 100), scene.output.frame, true);
    }
    return at->second;
}

double encoded(double c) {
    c = std::clamp(c, 0.0, 1.0);
    return c <= 0.0031308 ? 12.92 * c : 1.055 * std::pow(c, 1 / 2.4) - 0.055;
}

/// Peak signal to noise over the whole frame, as the screen shows it, against 2048 rays.
double distance(const render::Image& picture, bool exposed) {
    static std::map<bool, render::Image> truths;
    if (!truths.count(exposed)) {
        const Stage& stage = stage_("ten");
        truths[exposed] =
            *render::render(exposed ? stage.exposed : stage.frame, {Method::Traced, 2048}, cache());
    }
    const render::Image& truth = truths[exposed];
    double sum = 0;
    for (std::size_t i = 0; i < truth.rgba.size(); ++i)
        if (i % 4 != 3) sum += std::pow(encoded(picture.rgba[i]) - encoded(truth.rgba[i]), 2);
    return -10 * std::log10(sum / (static_cast<double>(truth.rgba.size()) * 0.75));
}

/// How much of the frame the planes in front of the backdrop cover, each counted alone: in frames.
void cover(benchmark::State& state, const std::string& name) {
    const Stage& stage = stage_(name);
    double sum = 0;
    motion::Frame alone = stage.frame;
    alone.background = {0, 0, 0, 0};
    for (std::size_t i = 1; i < stage.frame.items.size(); ++i) {
        alone.items = {stage.frame.items[i]};
        const auto picture = render::render(alone, {}, cache());
        for (std::size_t k = 3; k < picture->rgba.size(); k += 4)
            sum += picture->rgba[k];
    }
    for (auto _ : state)
        state.counters["frames"] = sum / (static_cast<double>(stage.frame.size.x) * stage.frame.size.y);
}

void ours(benchmark::State& state, const std::string& name, const render::Quality& quality,
          std::size_t threads, bool exposed = false, bool measured = false) {
    const Stage& stage = stage_(name);
    const motion::Frame& frame = exposed ? stage.exposed : stage.frame;
    std::vector<std::uint16_t> counts;
    render::Quality counted = quality;
    counted.counts = &counts;
    const auto picture = render::render(frame, counted, cache());
    if (!picture) return state.SkipWithError("no picture");
    if (measured) state.counters["dB"] = distance(*picture, exposed);
    if (quality.noise > 0)
        state.counters["rays"] =
            std::accumulate(counts.begin(), counts.end(), 0.0) / static_cast<double>(counts.size());
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism, threads);
    for (auto _ : state)
        benchmark::DoNotOptimize(render::render(frame, quality, cache())->rgba.data());
}

/// The backdrop rippling: every frame is another one.
void rippling(benchmark::State& state, bool ripples) {
    scene::Scene scene = stage_("ten").scene;
    auto backdrop = std::make_shared<scene::Layer>(*scene.layers.front());
    if (ripples) backdrop->displacements = {{scene::DisplacementKind::Ripple, true, 6, 80, 0.5}};
    scene.layers.front() = backdrop;
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism, 2);
    static std::int64_t frame = 0; // never one that is kept already
    for (auto _ : state)
        benchmark::DoNotOptimize(
            render::render(motion::evaluate(scene, Rational(++frame, 24), scene.output.frame), {}, cache())
                ->rgba.data());
}

/// Every plane over every pixel of its own box, farthest first, by the same kernel: nothing is skipped.
void everything(benchmark::State& state) {
    const Stage& stage = stage_("ten");
    const auto entries = render::entriesOf(stage.frame, {}, cache(), {});
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism, 2);
    constexpr int side = render::Canvas::side;
    const V2i size = stage.frame.size;
    const int across = (size.x + side - 1) / side, down = (size.y + side - 1) / side;
    for (auto _ : state) {
        render::Image picture(size);
        oneapi::tbb::parallel_for(0, across * down, [&](int index) {
            thread_local render::PatchArena arena;
            thread_local render::Canvas sum, layer;
            const int x0 = index % across * side, y0 = index / across * side;
            const int w = std::min(side, size.x - x0), h = std::min(side, size.y - y0);
            sum.clear(w, h);
            for (const render::Entry& entry : entries->list) {
                const render::Reach reach =
                    render::reachOf(entry.plane, x0, y0, x0 + w, y0 + h, render::Through::Pinhole);
                if (reach.off) continue;
                arena.reset();
                const render::Look look = render::lookAt(entry.plane, *entry.pixels, reach, x0, y0, w, h);
                const render::Brush brush =
                    render::brushOf(look, entry.plane, *entry.pixels, reach, x0, y0, w, h,
                                    render::BlockGrid(entry.plane, x0, y0, w, h), 0, arena);
                layer.clear(w, h);
                render::paintUnder(brush, layer);
                for (int i = 0; i < side * h * 4; i += 4)
                    for (int c = 0; c < 4; ++c)
                        sum.rgba[i + c] = layer.rgba[i + c] + sum.rgba[i + c] * (1 - layer.rgba[i + 3]);
            }
            for (int y = 0; y < h; ++y)
                std::copy_n(sum.rgba + 4 * y * side, 4 * w, picture.row(y0 + y) + 4 * x0);
        });
        benchmark::DoNotOptimize(picture.rgba.data());
    }
}

/// From asking a final picture to stop until the renderer is out of it.
void stopping(benchmark::State& state) {
    const Stage& stage = stage_("ten");
    double worst = 0;
    for (auto _ : state) {
        std::stop_source stop;
        std::chrono::steady_clock::time_point asked;
        std::jthread hand([&] {
            std::this_thread::sleep_for(std::chrono::milliseconds(60));
            asked = std::chrono::steady_clock::now();
            stop.request_stop();
        });
        (void)render::render(stage.frame, {Method::Final, 128}, cache(), {{}, stop.get_token()});
        hand.join();
        const double ms =
            std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - asked).count();
        worst = std::max(worst, ms);
        state.SetIterationTime(ms / 1000);
    }
    state.counters["worst_ms"] = worst;
}

void warp(benchmark::State& state, const std::string& name) {
    cv::setNumThreads(2);
    bench::WarpYardstick yardstick(stage_(name).frame, cache());
    for (auto _ : state)
        yardstick.draw();
    if (const char* where = std::getenv("STAGE_BENCH_PICTURES"))
        yardstick.save(where + ("/warp-" + name + ".png"));
}

void discs(benchmark::State& state) {
    cv::setNumThreads(1);
    bench::DiscYardstick yardstick(stage_("ten").frame, cache());
    for (auto _ : state)
        yardstick.draw();
}

void gl(benchmark::State& state, const std::string& name) {
    bench::GlYardstick yardstick(stage_(name).frame, cache());
    if (yardstick.renderer().find("llvmpipe") == std::string::npos)
        return state.SkipWithError("no software OpenGL here");
    yardstick.draw();
    for (auto _ : state)
        yardstick.draw();
    if (const char* where = std::getenv("STAGE_BENCH_PICTURES"))
        yardstick.save(where + ("/gl-" + name + ".png"));
}

}

int main(int argc, char** argv) {
    ::setenv("LIBGL_ALWAYS_SOFTWARE", "1", 1);
    ::setenv("LP_NUM_THREADS", "2", 1);
    const auto once = [](const std::string& name, auto&& what) {
        return benchmark::RegisterBenchmark(name.c_str(), what)
            ->Unit(benchmark::kMillisecond)
            ->Iterations(1)
            ->Repetitions(5);
    };
    const auto slow = [&](const std::string& name, auto&& what) { once(name, what)->UseRealTime(); };
    const auto add = [](const std::string& name, auto&& what) {
        benchmark::RegisterBenchmark(name.c_str(), what)
            ->Unit(benchmark::kMillisecond)
            ->UseRealTime()
            ->MinTime(0.3)
            ->Repetitions(7);
    };
    // The machine's speed changes from minute to minute: runs of all are mixed, and the best of each counts.
    add("pinhole", [](auto& s) { ours(s, "ten", {}, 2); });
    add("warp", [](auto& s) { warp(s, "ten"); });
    add("gl", [](auto& s) { gl(s, "ten"); });
    add("pinhole everything", [](auto& s) { everything(s); });
    add("pinhole hundred", [](auto& s) { ours(s, "hundred", {}, 2); });
    once("cover", [](auto& s) { cover(s, "ten"); })->Repetitions(1);
    once("cover hundred", [](auto& s) { cover(s, "hundred"); })->Repetitions(1);
    add("pinhole veils", [](auto& s) { ours(s, "veils", {}, 2); });
    add("warp veils", [](auto& s) { warp(s, "veils"); });
    add("gl veils", [](auto& s) { gl(s, "veils"); });
    add("pinhole 1 thread", [](auto& s) { ours(s, "ten", {}, 1); });
    add("draft", [](auto& s) { ours(s, "ten", {Method::Draft}, 1, false, true); });
    add("draft exposed", [](auto& s) { ours(s, "ten", {Method::Draft}, 1, true, true); });
    slow("opencv discs", [](auto& s) { discs(s); });
    slow("final 64", [](auto& s) { ours(s, "ten", {Method::Final, 64}, 1, false, true); });
    slow("final 128", [](auto& s) { ours(s, "ten", {Method::Final, 128}, 1, false, true); });
    const auto byNeed = [](double levels) {
        return render::Quality{.method = Method::Final, .samples = 256, .noise = levels / 255};
    };
    slow("final by need 1.58", [=](auto& s) { ours(s, "ten", byNeed(1.58), 1, false, true); });
    slow("final by need 0.78", [=](auto& s) { ours(s, "ten", byNeed(0.78), 1, false, true); });
    slow("final 64 exposed", [](auto& s) { ours(s, "ten", {Method::Final, 64}, 1, true); });
    slow("final 64 2 threads", [](auto& s) { ours(s, "ten", {Method::Final, 64}, 2); });
    slow("final 64 bent", [](auto& s) { ours(s, "bent", {Method::Final, 64}, 1); });
    add("draft exposed with 5000 particles", [](auto& s) { ours(s, "5000", {Method::Draft}, 1, true); });
    slow("final 64 exposed with 20000 particles", [](auto& s) {
        ours(s, "20000", {Method::Final, 64}, 1, true);
    });
    add("draft with a cloud", [](auto& s) { ours(s, "cloud", {Method::Draft}, 1); });
    slow("final 64 with a cloud", [](auto& s) { ours(s, "cloud", {Method::Final, 64}, 1); });
    add("pinhole, frame after frame", [](auto& s) { rippling(s, false); });
    add("pinhole rippling", [](auto& s) { rippling(s, true); });
    once("stopping", [](auto& s) { stopping(s); })->UseManualTime()->Iterations(8)->Repetitions(1);
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
    if (!std::getenv("STAGE_BENCH_FOLDER")) std::filesystem::remove_all(folder());
}
