#include "media/ffmpeg.h"
#include "output/frame_sink.h"

#include <algorithm>
#include <unistd.h>

namespace stage::output {
namespace {

struct FormatFree {
    void operator()(AVFormatContext* format) const {
        if (format->pb) avio_closep(&format->pb);
        avformat_free_context(format);
    }
};

class Movie : public FrameSink {
public:
    Movie(SinkSpec spec) : m_spec(std::move(spec)), m_part(m_spec.path.string() + ".part") {}

    ~Movie() override {
        m_format.reset();
        if (m_begun) ::unlink(m_part.c_str());
    }

    Result<void> begin(const char* container, const char* encoder, AVPixelFormat pixels,
                       AVDictionary** options) {
        av_log_set_level(AV_LOG_QUIET);
        AVFormatContext* format = nullptr;
        // The name is needed again at the end, when the index is moved to the front.
        if (avformat_alloc_output_context2(&format, nullptr, container, ("file:" + m_part).c_str()) < 0)
            return fail("This FFmpeg cannot write " + std::string(container) + " files.");
        m_format.reset(format);
        const AVCodec* codec = avcodec_find_encoder_by_name(encoder);
        if (!codec) return fail("This FFmpeg has no encoder " + std::string(encoder) + ".");
        m_codec.reset(avcodec_alloc_context3(codec));
        m_codec->width = m_spec.size.x;
        m_codec->height = m_spec.size.y;
        m_codec->pix_fmt = pixels;
        const int num = static_cast<int>(m_spec.rate.num()), den = static_cast<int>(m_spec.rate.den());
        m_codec->time_base = {den, num};
        m_codec->framerate = {num, den};
        m_codec->sample_aspect_ratio = {1, 1};
        m_yuv = pixels == AV_PIX_FMT_YUV420P || pixels == AV_PIX_FMT_YUV444P;
        if (m_yuv) {
            m_codec->colorspace = AVCOL_SPC_BT709;
            m_codec->color_primaries = AVCOL_PRI_BT709;
            m_codec->color_trc = AVCOL_TRC_BT709;
            m_codec->color_range = AVCOL_RANGE_MPEG;
        }
        m_codec->thread_count = 0;
        if (format->oformat->flags & AVFMT_GLOBALHEADER) m_codec->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
        if (avcodec_open2(m_codec.get(), codec, options) < 0)
            return fail("A movie of " + std::to_string(m_spec.size.x) + " x " +
                        std::to_string(m_spec.size.y) + " cannot be encoded with " + encoder + ".");
        m_stream = avformat_new_stream(format, nullptr);
        m_stream->time_base = m_codec->time_base;
        m_stream->avg_frame_rate = m_codec->framerate;
        avcodec_parameters_from_context(m_stream->codecpar, m_codec.get());
        if (const int error = avio_open(&format->pb, ("file:" + m_part).c_str(), AVIO_FLAG_WRITE); error < 0)
            return tl::unexpected(cannotWrite(m_spec.path, -error));
        m_begun = true;
        AVDictionary* flags = nullptr;
        if (std::string(container) != "matroska") av_dict_set(&flags, "movflags", "+faststart", 0);
        const int header = avformat_write_header(format, &flags);
        av_dict_free(&flags);
        if (header < 0) return tl::unexpected(cannotWrite(m_spec.path, -header));
        m_frame.reset(av_frame_alloc());
        m_frame->format = pixels;
        m_frame->width = m_spec.size.x;
        m_frame->height = m_spec.size.y;
        m_frame->colorspace = m_codec->colorspace;
        m_frame->color_range = m_codec->color_range;
        if (av_frame_get_buffer(m_frame.get(), 0) < 0)
            return fail("There is not enough memory for the movie.");
        if (m_yuv) {
            m_sws.reset(sws_getContext(
                m_spec.size.x, m_spec.size.y, AV_PIX_FMT_RGBA, m_spec.size.x, m_spec.size.y, pixels,
                SWS_BICUBIC | SWS_ACCURATE_RND | SWS_FULL_CHR_H_INP, nullptr, nullptr, nullptr));
            sws_setColorspaceDetails(m_sws.get(), sws_getCoefficients(SWS_CS_ITU709), 1,
                                     sws_getCoefficients(SWS_CS_ITU709), 0, 0, 1 << 16, 1 << 16);
        }
        return {};
    }

    Result<void> add(const render::Image& picture) override {
        const auto rgba =
            render::encoded<std::uint8_t>(picture, {.overBlack = !m_spec.alpha || m_yuv, .dithered = true});
        if (av_frame_make_writable(m_frame.get()) < 0)
            return fail("There is not enough memory for the movie.");
        const int stride = m_spec.size.x * 4;
        if (m_yuv) {
            const std::uint8_t* planes[1] = {rgba.data()};
            const int strides[1] = {stride};
            sws_scale(m_sws.get(), planes, strides, 0, m_spec.size.y, m_frame->data, m_frame->linesize);
        } else {
            for (int y = 0; y < m_spec.size.y; ++y) {
                const std::uint8_t* in = rgba.data() + static_cast<std::ptrdiff_t>(y) * stride;
                std::uint8_t* out = m_frame->data[0] + static_cast<std::ptrdiff_t>(y) * m_frame->linesize[0];
                for (int x = 0; x < m_spec.size.x; ++x, in += 4, out += 4) {
                    out[0] = in[2], out[1] = in[1], out[2] = in[0], out[3] = in[3];
                }
            }
        }
        m_frame->pts = m_next++;
        return encode(m_frame.get());
    }

    Result<void> finish() override {
        if (auto flushed = encode(nullptr); !flushed) return flushed;
        if (const int error = av_write_trailer(m_format.get()); error < 0)
            return tl::unexpected(cannotWrite(m_spec.path, -error));
        avio_flush(m_format->pb);
        if (m_format->pb->error < 0) return tl::unexpected(cannotWrite(m_spec.path, -m_format->pb->error));
        if (const int error = avio_closep(&m_format->pb); error < 0)
            return tl::unexpected(cannotWrite(m_spec.path, -error));
        m_format.reset();
        if (::access(m_part.c_str(), F_OK) != 0)
            return fail("Cannot write " + m_spec.path.string() + ": " + m_part +
                        ", into which it was written, was removed meanwhile.");
        if (::rename(m_part.c_str(), m_spec.path.c_str()) != 0)
            return tl::unexpected(cannotWrite(m_spec.path, errno));
        m_begun = false;
        return {};
    }

private:
    Result<void> encode(const AVFrame* frame) {
        if (avcodec_send_frame(m_codec.get(), frame) < 0) return fail("A frame could not be encoded.");
        for (;;) {
            const int got = avcodec_receive_packet(m_codec.get(), m_packet.get());
            if (got == AVERROR(EAGAIN) || got == AVERROR_EOF) return {};
            if (got < 0) return fail("A frame could not be encoded.");
            if (m_packet->duration == 0) m_packet->duration = 1;
            av_packet_rescale_ts(m_packet.get(), m_codec->time_base, m_stream->time_base);
            m_packet->stream_index = 0;
            const int written = av_interleaved_write_frame(m_format.get(), m_packet.get());
            if (written < 0) return tl::unexpected(cannotWrite(m_spec.path, -written));
            if (m_format->pb->error < 0)
                return tl::unexpected(cannotWrite(m_spec.path, -m_format->pb->error));
        }
    }

    SinkSpec m_spec;
    std::string m_part;
    bool m_begun = false, m_yuv = false;
    std::int64_t m_next = 0;
    std::unique_ptr<AVFormatContext, FormatFree> m_format;
    media::ffmpeg::Codec m_codec;
    media::ffmpeg::Packet m_packet{av_packet_alloc()};
    media::ffmpeg::Frame m_frame;
    media::ffmpeg::Sws m_sws;
    AVStream* m_stream = nullptr;
};

Result<std::unique_ptr<FrameSink>> begun(std::unique_ptr<Movie> movie, Result<void> ok) {
    if (!ok) return tl::unexpected(ok.error());
    return std::unique_ptr<FrameSink>(std::move(movie));
}

}

Result<std::unique_ptr<FrameSink>> openH264(const SinkSpec& spec) {
    auto movie = std::make_unique<Movie>(spec);
    AVDictionary* options = nullptr;
    av_dict_set(&options, "crf", "16", 0);
    av_dict_set(&options, "preset", "medium", 0);
    const bool odd = spec.size.x % 2 || spec.size.y % 2;
    auto ok = movie->begin(spec.path.extension() == ".mov" ? "mov" : "mp4", "libx264",
                           odd ? AV_PIX_FMT_YUV444P : AV_PIX_FMT_YUV420P, &options);
    av_dict_free(&options);
    return begun(std::move(movie), std::move(ok));
}

Result<std::unique_ptr<FrameSink>> openFfv1(const SinkSpec& spec) {
    auto movie = std::make_unique<Movie>(spec);
    AVDictionary* options = nullptr;
    av_dict_set(&options, "level", "3", 0);
    av_dict_set(&options, "slices", "4", 0);
    auto ok = movie->begin("matroska", "ffv1", spec.alpha ? AV_PIX_FMT_RGB32 : AV_PIX_FMT_0RGB32, &options);
    av_dict_free(&options);
    return begun(std::move(movie), std::move(ok));
}

}
