// How fast the renderer is and how near to the truth, each beside its yardstick of the same run.
#include "render/render.h"
#include "ten_planes.h"
#include "yardsticks.h"

#include <benchmark/benchmark.h>
#include <cstdlib>
#include <filesystem>
#include <map>
#include <oneapi/tbb/global_control.h>
#include <opencv2/core.hpp>

namespace {

using namespace stage;

struct Stage {
    scene::Scene scene;
    motion::Frame frame;
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

const Stage& stage_(const std::string& name) {
    static std::map<std::string, Stage> made;
    auto [at, fresh] = made.try_emplace(name);
    if (fresh) {
        at->second.scene = name == "ten" ? bench::tenPlanes(folder()) : name == "hundred" ? bench::hundredPlanes(folder()) : bench::veils(folder());
        at->second.frame = motion::evaluate(at->second.scene, 0, at->second.scene.output.frame);
    }
    return at->second;
}

void ours(benchmark::State& state, const std::string& name, render::Quality quality, std::size_t threads) {
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism, threads);
    const Stage& stage = stage_(name);
    if (!render::render(stage.frame, quality, cache())) return state.SkipWithError("no picture");
    for (auto _ : state)
        benchmark::DoNotOptimize(render::render(stage.frame, quality, cache())->rgba.data());
}

void warp(benchmark::State& state, const std::string& name, int threads) {
    cv::setNumThreads(threads);
    bench::WarpYardstick yardstick(stage_(name).frame, cache());
    for (auto _ : state)
        yardstick.draw();
    if (const char* where = std::getenv("STAGE_BENCH_PICTURES")) yardstick.save(where + ("/warp-" + name + ".png"));
}

void gl(benchmark::State& state, const std::string& name) {
    bench::GlYardstick yardstick(stage_(name).frame, cache());
    if (yardstick.renderer().find("llvmpipe") == std::string::npos) return state.SkipWithError("no software OpenGL here");
    yardstick.draw();
    for (auto _ : state)
        yardstick.draw();
    if (const char* where = std::getenv("STAGE_BENCH_PICTURES")) yardstick.save(where + ("/gl-" + name + ".png"));
}

}

int main(int argc, char** argv) {
    ::setenv("LIBGL_ALWAYS_SOFTWARE", "1", 1);
    ::setenv("LP_NUM_THREADS", "2", 1);
    const auto add = [](const std::string& name, auto&& what) {
        benchmark::RegisterBenchmark(name.c_str(), what)->Unit(benchmark::kMillisecond)->UseRealTime();
    };
    for (const char* scene : {"ten", "veils"}) {
        const std::string name = scene;
        add("pinhole/" + name, [=](auto& s) { ours(s, name, {}, 2); });
        add("warp/" + name, [=](auto& s) { warp(s, name, 2); });
        add("gl/" + name, [=](auto& s) { gl(s, name); });
    }
    add("pinhole/ten/1 thread", [](auto& s) { ours(s, "ten", {}, 1); });
    add("pinhole/hundred", [](auto& s) { ours(s, "hundred", {}, 2); });
    for (const int samples : {64, 128}) {
        add("final/" + std::to_string(samples), [=](auto& s) { ours(s, "ten", {render::Way::Final, samples}, 1); });
    }
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
    if (!std::getenv("STAGE_BENCH_FOLDER")) std::filesystem::remove_all(folder());
}
