// A full-HD clip that fills the frame, frame after frame. Yardstick in the same run: FFmpeg decoding the same
// frames and doing nothing with them.
#include "media/ffmpeg.h"
#include "media/footage.h"
#include "motion/frame.h"
#include "render/render.h"

#include <benchmark/benchmark.h>
#include <cstdlib>
#include <filesystem>

namespace {

using namespace stage;

constexpr std::int64_t frames = 96;
constexpr V2i size(1920, 1080);

/// Made once: slow clouds with grain, about 10 Mbit/s, a key frame every two seconds.
const std::string& clip() {
    static const std::string made = [] {
        const auto folder = std::filesystem::temp_directory_path() / "open-stage-bench";
        std::filesystem::create_directories(folder);
        std::string path = (folder / "clip.mp4").string();
        const std::string command =
            "ffmpeg -v error -y -f lavfi -i \"gradients=s=1920x1080:nb_colors=4:speed=0.01:seed=3:r=24:d=4,"
            "noise=alls=6:allf=t\" -c:v libx264 -preset veryfast -b:v 10M -g 48 -bf 2 -pix_fmt yuv420p " +
            path;
        if (!std::filesystem::exists(path) && std::system(command.c_str()) != 0) std::exit(1);
        return path;
    }();
    return made;
}

/// A pinhole scene of the clip alone, a texel to a pixel.
const scene::Scene& stage_() {
    static const scene::Scene made = [] {
        scene::Scene scene = scene::emptyScene();
        scene.output.frame = size;
        scene.output.frames = frames;
        auto layer = std::make_shared<scene::Layer>();
        layer->id = 1;
        layer->name = "Clip";
        scene::Footage footage;
        footage.media.path = clip();
        footage.rate = scene.output.rate;
        footage.frames = frames;
        layer->content = footage;
        layer->pixels = size;
        const scene::Pose& pose = scene.camera.marks.front().pose;
        const optics::View view = optics::viewOf(pose, scene.camera.gate, size);
        const double depth = 5;
        layer->placement.position = view.eye + view.forward * depth;
        layer->metresPerPixel = depth * view.slope > 0 ? depth / view.slope : 1;
        scene.layers.push_back(std::move(layer));
        return scene;
    }();
    return made;
}

void yardstickDecode(benchmark::State& state) {
    clip();
    for (auto _ : state) {
        AVFormatContext* opened = nullptr;
        if (avformat_open_input(&opened, clip().c_str(), nullptr, nullptr) < 0) std::exit(1);
        const media::ffmpeg::Input format(opened);
        avformat_find_stream_info(opened, nullptr);
        const AVCodec* decoder = nullptr;
        const int track = av_find_best_stream(opened, AVMEDIA_TYPE_VIDEO, -1, -1, &decoder, 0);
        const media::ffmpeg::Codec codec(avcodec_alloc_context3(decoder));
        avcodec_parameters_to_context(codec.get(), opened->streams[track]->codecpar);
        codec->thread_count = 0;
        avcodec_open2(codec.get(), decoder, nullptr);
        const media::ffmpeg::Packet packet(av_packet_alloc());
        const media::ffmpeg::Frame frame(av_frame_alloc());
        std::int64_t got = 0;
        for (bool more = true; more;) {
            more = av_read_frame(opened, packet.get()) >= 0;
            avcodec_send_packet(codec.get(), more ? packet.get() : nullptr);
            while (avcodec_receive_frame(codec.get(), frame.get()) == 0)
                ++got;
            av_packet_unref(packet.get());
        }
        if (got != frames) std::exit(1);
    }
}
BENCHMARK(yardstickDecode)->Unit(benchmark::kMillisecond)->UseRealTime();

/// step: 1 forward, -1 backward; share of the clip's size that the frame has.
void clipLayer(benchmark::State& state, int step, int divided) {
    stage_();
    for (auto _ : state) {
        media::PixelCache cache;
        for (std::int64_t i = 0; i < frames; ++i) {
            const std::int64_t n = step > 0 ? i : frames - 1 - i;
            const auto frame = motion::evaluate(stage_(), timeOfFrame(n, stage_().output.rate),
                                                V2i(size.x / divided, size.y / divided), false);
            const auto image = render::render(frame, {render::Method::Pinhole}, cache);
            if (!image) std::exit(1);
            benchmark::DoNotOptimize(image->rgba.data());
        }
    }
}
BENCHMARK_CAPTURE(clipLayer, forward, 1, 1)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(clipLayer, backward, -1, 1)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(clipLayer, half, 1, 2)->Unit(benchmark::kMillisecond)->UseRealTime();

}

BENCHMARK_MAIN();
