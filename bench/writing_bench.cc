// A movie of the ten planes at full HD, pinhole, as H.264. Yardsticks in the same run: the renderer alone,
// and the same encoder alone on frames that are ready. Then the demo at 1280 x 720, final, beside its
// rendering alone.
#include "bench_folder.h"
#include "media/ffmpeg.h"
#include "output/write.h"
#include "scene/file.h"
#include "ten_planes.h"

#include <benchmark/benchmark.h>
#include <cstdlib>
#include <filesystem>

namespace {

using namespace stage;
using bench::folder;

constexpr std::int64_t frames = 24;
constexpr V2i size(1920, 1080);

media::PixelCache& cache() {
    static media::PixelCache made(std::size_t{4} << 30);
    return made;
}

/// The camera trucks past the planes.
const scene::Scene& stage_() {
    static const scene::Scene made = [] {
        scene::Scene scene = bench::tenPlanes(folder());
        scene.output.frames = frames;
        scene::Mark end = scene.camera.marks[0];
        end.id = 2;
        end.time = scene::lastTime(scene);
        end.pose.position.x += 0.5;
        scene.camera.marks.push_back(end);
        return scene;
    }();
    return made;
}

render::Image pictureOf(std::int64_t frame) {
    const auto picture = render::render(
        motion::evaluate(stage_(), timeOfFrame(frame, stage_().output.rate), size, false), {}, cache());
    if (!picture) std::exit(1);
    return *picture;
}

void write(benchmark::State& state) {
    output::Job job = output::wholeScene(stage_(), folder() / "move.mp4", output::Format::H264);
    job.quality = {};
    for (auto _ : state)
        if (!output::write(stage_(), job, cache())) return state.SkipWithError("not written");
}

void yardstickRender(benchmark::State& state) {
    for (auto _ : state)
        for (std::int64_t i = 0; i < frames; ++i)
            benchmark::DoNotOptimize(pictureOf(i).rgba.data());
}

/// As output/movie.cc sets the encoder.
void yardstickEncode(benchmark::State& state) {
    static const std::vector<media::ffmpeg::Frame> ready = [] {
        std::vector<media::ffmpeg::Frame> made;
        const media::ffmpeg::Sws sws(sws_getContext(size.x, size.y, AV_PIX_FMT_RGBA, size.x, size.y,
                                                    AV_PIX_FMT_YUV420P, SWS_BICUBIC, nullptr, nullptr,
                                                    nullptr));
        for (std::int64_t i = 0; i < frames; ++i) {
            const auto rgba =
                render::encoded<std::uint8_t>(pictureOf(i), {.overBlack = true, .dithered = true});
            AVFrame* frame = av_frame_alloc();
            frame->format = AV_PIX_FMT_YUV420P;
            frame->width = size.x, frame->height = size.y;
            av_frame_get_buffer(frame, 0);
            const std::uint8_t* planes[1] = {rgba.data()};
            const int strides[1] = {4 * size.x};
            sws_scale(sws.get(), planes, strides, 0, size.y, frame->data, frame->linesize);
            frame->pts = i;
            made.emplace_back(frame);
        }
        return made;
    }();
    for (auto _ : state) {
        const AVCodec* codec = avcodec_find_encoder_by_name("libx264");
        const media::ffmpeg::Codec encoder(avcodec_alloc_context3(codec));
        encoder->width = size.x, encoder->height = size.y;
        encoder->pix_fmt = AV_PIX_FMT_YUV420P;
        encoder->time_base = {1, 24};
        encoder->thread_count = 0;
        AVDictionary* options = nullptr;
        av_dict_set(&options, "crf", "16", 0);
        av_dict_set(&options, "preset", "faster", 0);
        const int opened = avcodec_open2(encoder.get(), codec, &options);
        av_dict_free(&options);
        if (opened < 0) return state.SkipWithError("no encoder");
        const media::ffmpeg::Packet packet(av_packet_alloc());
        const auto send = [&](const AVFrame* frame) {
            avcodec_send_frame(encoder.get(), frame);
            while (avcodec_receive_packet(encoder.get(), packet.get()) == 0)
                av_packet_unref(packet.get());
        };
        for (const auto& frame : ready)
            send(frame.get());
        send(nullptr);
    }
}

// ---- the demo

constexpr V2i small(1280, 720);
constexpr std::int64_t demoFrames = 24;

const scene::Scene& demo() {
    static const scene::Scene made = [] {
        auto loaded = scene::load(std::filesystem::path(STAGE_SOURCE_DIR) / "demo/lantern-quay.ostage");
        if (!loaded) std::exit(1);
        return *loaded;
    }();
    return made;
}

void writeDemo(benchmark::State& state) {
    output::Job job = output::wholeScene(demo(), folder() / "demo.mp4", output::Format::H264);
    job.size = small;
    job.last = demoFrames - 1;
    for (auto _ : state)
        if (!output::write(demo(), job, cache())) return state.SkipWithError("not written");
}

void yardstickDemoRender(benchmark::State& state) {
    const output::Job job = output::wholeScene(demo(), "demo.mp4", output::Format::H264);
    for (auto _ : state)
        for (std::int64_t i = 0; i < demoFrames; ++i) {
            const auto picture =
                render::render(motion::evaluate(demo(), timeOfFrame(i, demo().output.rate), small, true),
                               job.quality, cache());
            if (!picture) return state.SkipWithError("not rendered");
            benchmark::DoNotOptimize(picture->rgba.data());
        }
}

void timed(benchmark::internal::Benchmark* made) {
    made->Unit(benchmark::kMillisecond)->UseRealTime()->MeasureProcessCPUTime()->Iterations(1)->Repetitions(5);
}
BENCHMARK(write)->Apply(timed);
BENCHMARK(yardstickRender)->Apply(timed);
BENCHMARK(yardstickEncode)->Apply(timed);
BENCHMARK(writeDemo)->Apply(timed);
BENCHMARK(yardstickDemoRender)->Apply(timed);

}

int main(int argc, char** argv) {
    av_log_set_level(AV_LOG_QUIET);
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
}
