#include "output/encoder.h"

#include "media/frame_filter.h"
#include "media/plugin.h"

namespace stage::output {
namespace {

/// First the palette of all frames is found, then each is written in it.
class Gif : public Sink {
public:
    explicit Gif(SinkSpec spec) : m_spec(std::move(spec)) {}

    Result<void> begin() {
        av_log_set_level(AV_LOG_QUIET);
        const std::string options =
            std::string("stats_mode=full:reserve_transparent=") + (m_spec.alpha ? "1" : "0");
        const auto filters = media::pluginOf<media::FrameFilters>("frame_filter");
        if (!filters) return tl::unexpected(filters.error());
        m_filters = *filters;
        m_palette = m_filters->open("palettegen", options.c_str(), {of(m_spec.size)});
        if (!m_palette) return fail("This FFmpeg cannot find the palette of a GIF.");
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
        if (!(m_last ? m_using : m_palette)->put(0, m_frame.get())) return noMemory();
        return m_last ? encodeReady() : Result<void>();
    }
    Result<bool> endPass() override {
        if (!m_last) {
            if (auto ok = usePalette(); !ok) return tl::unexpected(ok.error());
            return true;
        }
        m_using->put(0, nullptr);
        if (auto rest = encodeReady(); !rest) return tl::unexpected(rest.error());
        if (const auto done = m_encoder.finish(); !done) return tl::unexpected(done.error());
        if (auto ok = m_encoder.publish(); !ok) return tl::unexpected(ok.error());
        return false;
    }

private:
    media::FrameFilter::Input of(V2i size) const {
        return {size.x,
                size.y,
                AV_PIX_FMT_RGB32,
                {static_cast<int>(m_spec.rate.den()), static_cast<int>(m_spec.rate.num())}};
    }
    Result<void> usePalette() {
        m_palette->put(0, nullptr);
        const auto palette = m_palette->take();
        if (!palette) return noMemory();
        m_using = m_filters->open("paletteuse", "dither=bayer:bayer_scale=3:diff_mode=rectangle",
                                  {of(m_spec.size), of({palette->width, palette->height})});
        if (!m_using) return fail("This FFmpeg cannot use the palette of a GIF.");
        palette->pts = 0;
        if (!m_using->put(1, palette.get()) || !m_using->put(1, nullptr)) return noMemory();
        m_last = true, m_next = 0;
        return m_encoder.open(m_spec, {"gif", "gif", AV_PIX_FMT_PAL8});
    }
    static Result<void> noMemory() { return fail("There is not enough memory for the movie."); }
    Result<void> encodeReady() {
        while (const auto ready = m_using->take())
            if (auto ok = m_encoder.encode(*ready); !ok) return ok;
        return {};
    }

    SinkSpec m_spec;
    const media::FrameFilters* m_filters = nullptr;
    std::unique_ptr<media::FrameFilter> m_palette, m_using;
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
