// From files to frames: the demo, and a scene of four clips. Yardsticks in the same run: FFmpeg decoding the
// same four clips, and the demo's own frames without its clip or without the shutter.
#include "bench_folder.h"
#include "motion/frame.h"
#include "render/render.h"
#include "scene/file.h"
#include "scene/timing.h"

#include <benchmark/benchmark.h>
#include <cstdlib>
#include <filesystem>

namespace {

using namespace stage;
using bench::folder;
namespace fs = std::filesystem;

void run(const std::string& command) {
    if (std::system(command.c_str()) != 0) std::exit(1);
}

const scene::Scene& demo() {
    static const scene::Scene made = [] {
        auto loaded = scene::load(fs::path(STAGE_SOURCE_DIR) / "demo/lantern-quay.ostage");
        if (!loaded) std::exit(1);
        return *loaded;
    }();
    return made;
}

/// Frames one after the other, the first not counted: pictures are there by then.
/// held: the light of every second frame for the next as well.
void frames(benchmark::State& state, const scene::Scene& scene, V2i size, const render::Quality& quality,
            bool exposed, bool held = false) {
    media::PixelCache cache(std::size_t{3} << 30); // which has none of what is made for each frame
    const auto draw = [&](std::int64_t n) {
        const auto at = [&](std::int64_t frame) {
            return motion::evaluate(scene, timeOfFrame(frame, scene.output.rate), size, exposed);
        };
        motion::Frame frame = at(n);
        if (held && n % 2) motion::holdLight(at(n - 1), frame);
        const auto picture = render::render(frame, quality, cache);
        if (!picture) std::exit(1);
        benchmark::DoNotOptimize(picture->rgba.data());
    };
    std::int64_t n = 10;
    draw(n);
    measureTimes(true);
    const StageTimes before = timesMeasured();
    for (auto _ : state) {
        n = n + 1 < scene.output.frames ? n + 1 : 10;
        draw(n);
    }
    // Of all threads together, ms a frame.
    const StageTimes after = timesMeasured();
    for (std::size_t i = 0; i < after.size(); ++i)
        if (const double ms = std::chrono::duration<double, std::milli>(after[i] - before[i]).count() /
                              static_cast<double>(state.iterations());
            ms >= 0.1)
            state.counters[stageNames[i]] = ms;
}

void demoFrames(benchmark::State& state, V2i size, render::Method method, bool exposed, double noise,
                bool hurried = false, bool held = false) {
    render::Quality quality{.method = method, .samples = 64};
    quality.noise = noise;
    quality.hurried = hurried;
    frames(state, demo(), size, quality, exposed, held);
}
constexpr V2i whole(1920, 1080), half(960, 540);
#define DEMO(name, ...)                                                                                      \
    BENCHMARK_CAPTURE(demoFrames, name, __VA_ARGS__)                                                         \
        ->Unit(benchmark::kMillisecond)                                                                      \
        ->UseRealTime()                                                                                      \
        ->Iterations(12)
DEMO(pinhole, whole, render::Method::Pinhole, false, 0);
DEMO(draft, whole, render::Method::Draft, false, 0);
DEMO(draftExposed, whole, render::Method::Draft, true, 0);
DEMO(final64, whole, render::Method::Final, true, 0);
DEMO(finalByNeed, whole, render::Method::Final, true, render::usualNoise);
BENCHMARK_CAPTURE(demoFrames, play, half, render::Method::Draft, false, 0)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(72);

/// As the desk asks for them where they would be late.
BENCHMARK_CAPTURE(demoFrames, playHurried, half, render::Method::Draft, false, 0, true)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(72);

/// As it asks where that is not enough, at first as large, then smaller.
BENCHMARK_CAPTURE(demoFrames, playHeld, half, render::Method::Draft, false, 0, true, true)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(72);
BENCHMARK_CAPTURE(demoFrames, playSmaller, V2i(605, 340), render::Method::Draft, false, 0, true, true)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(72);

// ---- four clips

/// Full HD, five seconds each, of unlike pictures and codecs.
const std::vector<std::string>& clips() {
    static const std::vector<std::string> made = [] {
        std::vector<std::string> paths;
        const char* const kinds[] = {"-c:v libx264 -preset veryfast -b:v 10M -g 48 -bf 2",
                                     "-c:v libx264 -preset veryfast -b:v 10M -g 24",
                                     "-c:v libx265 -preset ultrafast -b:v 8M -x265-params log-level=error",
                                     "-c:v mpeg2video -b:v 18M -g 12 -bf 2"};
        for (int i = 0; i < 4; ++i) {
            paths.push_back((folder() / ("clip" + std::to_string(i) + ".mkv")).string());
            run("ffmpeg -v error -y -f lavfi -i \"gradients=s=1920x1080:nb_colors=4:speed=0.01:seed=" +
                std::to_string(i) + ":r=24:d=4,noise=alls=6:allf=t\" " + kinds[i] + " -pix_fmt yuv420p " +
                paths.back());
        }
        return paths;
    }();
    return made;
}
constexpr std::int64_t clipFrames = 96;

/// One behind the other, each 0.6 of the frame wide, a corner each.
const scene::Scene& fourClips() {
    static const scene::Scene made = [] {
        scene::Scene scene = scene::emptyScene();
        scene.output.frame = whole;
        scene.output.frames = clipFrames;
        const scene::Pose& pose = scene.camera.marks.front().pose;
        const optics::View view = optics::viewOf(pose, scene.camera.gate, whole);
        for (int i = 0; i < 4; ++i) {
            auto layer = std::make_shared<scene::Layer>();
            layer->id = i + 1;
            layer->name = "Clip " + std::to_string(i + 1);
            scene::Footage footage;
            footage.media.path = clips()[static_cast<std::size_t>(i)];
            footage.rate = scene.output.rate;
            footage.frames = clipFrames;
            layer->content = footage;
            layer->pixels = whole;
            const double depth = 8 - i, wide = 0.6 * depth / view.slope * whole.x;
            layer->metresPerPixel = wide / whole.x;
            layer->placement.position = view.eye + view.forward * depth +
                                        V3d(i % 2 ? 0.2 : -0.2, 0, 0) * (wide / 0.6) +
                                        V3d(0, i / 2 ? 0.1 : -0.1, 0) * (wide / 0.6);
            scene.layers.push_back(std::move(layer));
        }
        return scene;
    }();
    return made;
}

void fourClipsForward(benchmark::State& state) {
    fourClips();
    for (auto _ : state) {
        media::PixelCache cache;
        for (std::int64_t n = 0; n < clipFrames; ++n) {
            const auto picture = render::render(
                motion::evaluate(fourClips(), timeOfFrame(n, fourClips().output.rate), whole, false), {},
                cache);
            if (!picture) std::exit(1);
        }
    }
}
BENCHMARK(fourClipsForward)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(1);

/// The program that everybody has, decoding them at once and doing nothing with them.
void yardstickFourClips(benchmark::State& state) {
    std::string command = "ffmpeg -v error -y";
    for (const std::string& clip : clips())
        command += " -i " + clip;
    for (int i = 0; i < 4; ++i)
        command += " -map " + std::to_string(i) + ":v -f null -";
    for (auto _ : state)
        run(command);
}
BENCHMARK(yardstickFourClips)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(1);

// ---- from the start of the program

/// One pinhole frame at full HD into a PNG file. cold: with an empty cache folder.
void firstFrame(benchmark::State& state, bool cold) {
    const std::string home = (folder() / "home").string();
    const std::string command =
        "HOME=" + home +
        " XDG_CACHE_HOME= " STAGE_CLI " render --quiet --quality pinhole --size 1920x1080 "
        "--frames 10 -o " +
        (folder() / "first.png").string() + " " STAGE_SOURCE_DIR "/demo/lantern-quay.ostage";
    run("mkdir -p " + home + " && " + command);
    for (auto _ : state) {
        if (cold) {
            state.PauseTiming();
            run("rm -rf " + home + "/.cache");
            state.ResumeTiming();
        }
        run(command);
    }
}
BENCHMARK_CAPTURE(firstFrame, warm, false)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(3);
BENCHMARK_CAPTURE(firstFrame, cold, true)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(2);

}

BENCHMARK_MAIN();
