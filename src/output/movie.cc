#include "output/encoder.h"
#include "output/yuv.h"

#include <algorithm>
#include <cstring>
#include <unistd.h>

namespace stage::output {
namespace {

using Options = std::vector<std::pair<std::string, std::string>>;

std::string text(double number) {
    std::string out = std::to_string(number);
    out.erase(out.find_last_not_of('0') + 1);
    if (out.back() == '.') out.pop_back();
    return out;
}

Coding codingFor(const SinkSpec& spec) {
    const bool ten = bitsOf(spec.format, spec.encoding) == 10;
    const std::string suffix = spec.path.extension().string();
    const char* quickTime = suffix == ".mov" || suffix == ".MOV" ? "mov" : "mp4";
    const Options front = {{"movflags", "+faststart"}};
    const FormatInfo& info = infoOf(spec.format);
    Options options;
    Coding coding{};
    switch (spec.format) {
    case Format::H265:
        coding = {quickTime, "libx265", ten ? AV_PIX_FMT_YUV420P10 : AV_PIX_FMT_YUV420P};
        coding.tag = "hvc1"; // which more players take than the usual one
        options = {{"preset", "medium"}};
        break;
    case Format::Vp9:
        coding = {"webm", "libvpx-vp9", spec.alpha ? AV_PIX_FMT_YUVA420P : AV_PIX_FMT_YUV420P};
        options = {{"deadline", "good"}, {"cpu-used", "3"}, {"row-mt", "1"}};
        if (spec.alpha) options.emplace_back("auto-alt-ref", "0");
        break;
    case Format::Av1:
        coding = {suffix == ".webm" ? "webm" : "mp4", "libaom-av1",
                  ten ? AV_PIX_FMT_YUV420P10 : AV_PIX_FMT_YUV420P};
        options = {{"cpu-used", "6"}, {"row-mt", "1"}, {"tiles", "2x1"}};
        break;
    case Format::Ffv1:
        coding = {"matroska", "ffv1",
                  bitsOf(spec.format, spec.encoding) == 16
                      ? (spec.alpha ? AV_PIX_FMT_GBRAP16 : AV_PIX_FMT_GBRP16)
                      : (spec.alpha ? AV_PIX_FMT_RGB32 : AV_PIX_FMT_0RGB32)};
        options = {{"level", "3"}, {"slices", "4"}};
        break;
    case Format::Intermediate:
        coding = {"mov", "prores_ks", spec.alpha ? AV_PIX_FMT_YUVA444P10 : AV_PIX_FMT_YUV444P10};
        options = {{"profile", "4444"}, {"alpha_bits", spec.alpha ? "16" : "0"}};
        break;
    case Format::WebP:
        coding = {"webp", "libwebp_anim", AV_PIX_FMT_RGB32};
        options = {{"quality", text(spec.encoding.rate.value_or(info.rate.usual))}};
        coding.muxing = {{"loop", "0"}};
        break;
    default: // H.264
        coding = {quickTime, "libx264", AV_PIX_FMT_YUV420P};
        // Beside the encoder's usual one 40 % less time and no more bytes for 0.1 to 0.2 dB (measured).
        options = {{"preset", "faster"}};
    }
    if (!std::strcmp(coding.container, "mov") || !std::strcmp(coding.container, "mp4")) coding.muxing = front;
    if (spec.encoding.megabytes) {
        const double seconds = static_cast<double>(spec.frames) / spec.rate.toDouble();
        // What the container adds is small beside it.
        coding.bitRate = std::max<std::int64_t>(
            1000, static_cast<std::int64_t>(*spec.encoding.megabytes * 8e6 * 0.985 / seconds));
    } else if (info.sized) {
        options.emplace_back("crf", text(spec.encoding.rate.value_or(info.rate.usual)));
        // Else a bit rate that is there without asking would hold it down.
        if (spec.format == Format::Vp9 || spec.format == Format::Av1) options.emplace_back("b", "0");
    }
    coding.options = std::move(options);
    return coding;
}

/// A movie that can be encoded frame by frame, in two passes where a size is aimed at.
class Movie : public Sink {
public:
    explicit Movie(SinkSpec spec) : m_spec(std::move(spec)), m_coding(codingFor(m_spec)) {
        m_spec.size = sizeInFile(m_spec.format, m_spec.size);
    }
    ~Movie() override {
        for (const char* suffix : {"", ".mbtree", ".cutree", ".temp", ".mbtree.temp", ".cutree.temp"})
            if (passes() > 1) ::unlink((log() + suffix).c_str());
    }

    Result<void> begin() {
        m_frame = frameOf(m_coding.pixels, m_spec.size);
        if (!m_frame) return fail("There is not enough memory for the movie.");
        if (m_coding.pixels != AV_PIX_FMT_RGB32 && m_coding.pixels != AV_PIX_FMT_0RGB32 &&
            m_coding.pixels != AV_PIX_FMT_GBRAP16 && m_coding.pixels != AV_PIX_FMT_GBRP16) {
            auto converter =
                YuvConverter::make(m_spec.size, pixelBits(m_spec.format, m_spec.encoding), m_coding.pixels);
            if (!converter) return tl::unexpected(converter.error());
            m_converter = std::move(*converter);
        }
        return open(passes() > 1 ? Encoder::Pass::First : Encoder::Pass::Only, {});
    }

    int passes() const override { return m_coding.bitRate ? 2 : 1; }

    Result<void> add(std::int64_t, const Pixels& pixels) override {
        // Where an encoder still holds it, it takes another one.
        if (!av_frame_is_writable(m_frame.get())) m_frame = frameOf(m_coding.pixels, m_spec.size);
        if (!m_frame) return fail("There is not enough memory for the movie.");
        return pixels.size == m_spec.size ? encode(pixels) : encode(extended(pixels, m_spec.size));
    }
    Result<bool> endPass() override {
        auto ended = m_encoder->finish();
        if (!ended) return tl::unexpected(ended.error());
        ++m_passes;
        if (passes() > 1 && m_passes == 1) m_statistics = std::move(*ended);
        const double most = m_spec.encoding.megabytes.value_or(0) * 1e6,
                     is = static_cast<double>(m_encoder->bytes());
        // Encoders miss their aim, most of all in short movies.
        const bool tooLarge = passes() > 1 && m_passes > 1 && m_passes < mostPasses && is > most;
        if (tooLarge)
            m_coding.bitRate =
                static_cast<std::int64_t>(static_cast<double>(m_coding.bitRate) * 0.97 * most / is);
        if (tooLarge || m_passes < passes()) {
            if (auto ok = open(Encoder::Pass::Last, m_statistics); !ok) return tl::unexpected(ok.error());
            return true;
        }
        if (auto ok = m_encoder->publish(); !ok) return tl::unexpected(ok.error());
        return false;
    }

private:
    Result<void> encode(const Pixels& whole) {
        if (m_converter) {
            if (auto ok = m_converter->convert(whole, *m_frame); !ok) return ok;
        } else if (const auto* bytes = std::get_if<0>(&whole.rgba)) {
            fill(bytes->data());
        } else {
            fill(std::get<1>(whole.rgba).data());
        }
        return m_encoder->encode(*m_frame);
    }

    static constexpr int mostPasses = 5;
    /// Into which encoders write that keep their statistics in a file.
    std::string log() const { return m_spec.path.string() + ".pass"; }
    Result<void> open(Encoder::Pass pass, const std::string& statistics) {
        Coding coding = m_coding;
        if (pass != Encoder::Pass::Only) {
            if (m_spec.format == Format::H264) coding.options.emplace_back("stats", log());
            if (m_spec.format == Format::H265)
                coding.options.emplace_back("x265-params",
                                            std::string(pass == Encoder::Pass::First ? "pass=1" : "pass=2") +
                                                ":log-level=none:stats='" + log() + "'");
        } else if (m_spec.format == Format::H265) {
            coding.options.emplace_back("x265-params", "log-level=none");
        }
        m_encoder = std::make_unique<Encoder>();
        return m_encoder->open(m_spec, coding, pass, statistics);
    }

    template <class Sample> void fill(const Sample* rgba) {
        const V2i size = m_spec.size;
        for (int y = 0; y < size.y; ++y, rgba += 4 * static_cast<std::ptrdiff_t>(size.x)) {
            const auto row = [&](int plane) {
                return reinterpret_cast<Sample*>(m_frame->data[plane] +
                                                 static_cast<std::ptrdiff_t>(y) * m_frame->linesize[plane]);
            };
            if constexpr (sizeof(Sample) == 1) {
                Sample* out = row(0);
                for (int x = 0; x < size.x; ++x, out += 4)
                    out[0] = rgba[4 * x + 2], out[1] = rgba[4 * x + 1], out[2] = rgba[4 * x],
                    out[3] = rgba[4 * x + 3];
            } else {
                constexpr int channelOf[4] = {1, 2, 0, 3}; // green, blue, red
                for (int plane = 0; plane < (m_spec.alpha ? 4 : 3); ++plane) {
                    Sample* out = row(plane);
                    for (int x = 0; x < size.x; ++x)
                        out[x] = rgba[4 * x + channelOf[plane]];
                }
            }
        }
    }

    SinkSpec m_spec;
    Coding m_coding;
    std::unique_ptr<Encoder> m_encoder;
    std::string m_statistics;
    int m_passes = 0; ///< done
    media::ffmpeg::Frame m_frame;
    std::unique_ptr<YuvConverter> m_converter; ///< null: planes or pixels of RGB
};

}

Result<SinkPtr> openMovie(const SinkSpec& spec) {
    auto movie = std::make_unique<Movie>(spec);
    if (auto ok = movie->begin(); !ok) return tl::unexpected(ok.error());
    return SinkPtr(std::move(movie));
}

}
