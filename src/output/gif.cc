#include "output/encoder.h"

extern "C" {
#include <libavfilter/avfilter.h>
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
}

namespace stage::output {
namespace {

/// Frames through one filter of FFmpeg.
class Filter {
public:
    /// inputs: sizes of the frames that go in, of RGB32. False: this FFmpeg has no such filter.
    bool open(const char* name, const char* options, const std::vector<V2i>& inputs, Rational rate) {
        m_graph.reset(avfilter_graph_alloc());
        AVFilterContext* filter = nullptr;
        if (!m_graph || avfilter_graph_create_filter(&filter, avfilter_get_by_name(name), "filter", options,
                                                     nullptr, m_graph.get()) < 0)
            return false;
        for (std::size_t i = 0; i < inputs.size(); ++i) {
            const std::string args =
                "video_size=" + std::to_string(inputs[i].x) + "x" + std::to_string(inputs[i].y) +
                ":pix_fmt=" + std::to_string(AV_PIX_FMT_RGB32) + ":time_base=" + std::to_string(rate.den()) +
                "/" + std::to_string(rate.num()) + ":pixel_aspect=1/1";
            AVFilterContext* source = nullptr;
            if (avfilter_graph_create_filter(&source, avfilter_get_by_name("buffer"),
                                             ("in" + std::to_string(i)).c_str(), args.c_str(), nullptr,
                                             m_graph.get()) < 0 ||
                avfilter_link(source, 0, filter, static_cast<unsigned>(i)) < 0)
                return false;
            m_sources.push_back(source);
        }
        return avfilter_graph_create_filter(&m_out, avfilter_get_by_name("buffersink"), "out", nullptr,
                                            nullptr, m_graph.get()) >= 0 &&
               avfilter_link(filter, 0, m_out, 0) >= 0 && avfilter_graph_config(m_graph.get(), nullptr) >= 0;
    }
    /// null: that was the last one. False: no memory.
    bool put(std::size_t input, AVFrame* frame) {
        return av_buffersrc_add_frame_flags(m_sources[input], frame, AV_BUFFERSRC_FLAG_KEEP_REF) >= 0;
    }
    /// Null: it wants more first, or there are no more.
    media::ffmpeg::Frame take() {
        media::ffmpeg::Frame frame(av_frame_alloc());
        if (frame && av_buffersink_get_frame(m_out, frame.get()) < 0) frame.reset();
        return frame;
    }

private:
    struct GraphFree {
        void operator()(AVFilterGraph* graph) const { avfilter_graph_free(&graph); }
    };
    std::unique_ptr<AVFilterGraph, GraphFree> m_graph;
    std::vector<AVFilterContext*> m_sources;
    AVFilterContext* m_out = nullptr;
};

/// First the palette of all frames is found, then each is written in it.
class Gif : public Sink {
public:
    explicit Gif(SinkSpec spec) : m_spec(std::move(spec)) {}

    Result<void> begin() {
        av_log_set_level(AV_LOG_QUIET);
        const std::string options =
            std::string("stats_mode=full:reserve_transparent=") + (m_spec.alpha ? "1" : "0");
        if (!m_palette.open("palettegen", options.c_str(), {m_spec.size}, m_spec.rate))
            return fail("This FFmpeg cannot find the palette of a GIF.");
        m_frame = frameOf(AV_PIX_FMT_RGB32, m_spec.size);
        return m_frame ? Result<void>() : noMemory();
    }
    int passes() const override { return 2; }

    Result<void> add(std::int64_t, const Pixels& pixels) override {
        if (av_frame_make_writable(m_frame.get()) < 0) return noMemory();
        const std::uint8_t* from = std::get<0>(pixels.rgba).data();
        for (int y = 0; y < m_spec.size.y; ++y) {
            std::uint8_t* to = m_frame->data[0] + static_cast<std::ptrdiff_t>(y) * m_frame->linesize[0];
            for (int x = 0; x < m_spec.size.x; ++x, from += 4, to += 4)
                to[0] = from[2], to[1] = from[1], to[2] = from[0], to[3] = from[3];
        }
        m_frame->pts = m_next++;
        if (!(m_last ? m_using : m_palette).put(0, m_frame.get())) return noMemory();
        return m_last ? encodeReady() : Result<void>();
    }
    Result<bool> endPass() override {
        if (!m_last) {
            if (auto ok = usePalette(); !ok) return tl::unexpected(ok.error());
            return true;
        }
        m_using.put(0, nullptr);
        if (auto rest = encodeReady(); !rest) return tl::unexpected(rest.error());
        if (const auto done = m_encoder.finish(); !done) return tl::unexpected(done.error());
        if (auto ok = m_encoder.publish(); !ok) return tl::unexpected(ok.error());
        return false;
    }

private:
    Result<void> usePalette() {
        m_palette.put(0, nullptr);
        const auto palette = m_palette.take();
        if (!palette) return noMemory();
        if (!m_using.open("paletteuse", "dither=bayer:bayer_scale=3:diff_mode=rectangle",
                          {m_spec.size, {palette->width, palette->height}}, m_spec.rate))
            return fail("This FFmpeg cannot use the palette of a GIF.");
        palette->pts = 0;
        if (!m_using.put(1, palette.get()) || !m_using.put(1, nullptr)) return noMemory();
        m_last = true, m_next = 0;
        return m_encoder.open(m_spec, {"gif", "gif", AV_PIX_FMT_PAL8});
    }
    static Result<void> noMemory() { return fail("There is not enough memory for the movie."); }
    Result<void> encodeReady() {
        while (const auto ready = m_using.take())
            if (auto ok = m_encoder.encode(*ready); !ok) return ok;
        return {};
    }

    SinkSpec m_spec;
    Filter m_palette, m_using;
    Encoder m_encoder;
    media::ffmpeg::Frame m_frame;
    bool m_last = false;
    std::int64_t m_next = 0;
};

}

Result<SinkPtr> openGif(const SinkSpec& spec) {
    auto gif = std::make_unique<Gif>(spec);
    if (auto ok = gif->begin(); !ok) return tl::unexpected(ok.error());
    return SinkPtr(std::move(gif));
}

}
