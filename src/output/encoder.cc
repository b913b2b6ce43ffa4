#include "output/encoder.h"

#include <cerrno>
extern "C" {
#include <libavutil/pixdesc.h>
}
#include <unistd.h>

namespace stage::output {
namespace {

struct Options {
    explicit Options(const std::vector<std::pair<std::string, std::string>>& from) {
        for (const auto& [key, value] : from)
            av_dict_set(&all, key.c_str(), value.c_str(), 0);
    }
    ~Options() { av_dict_free(&all); }
    Options(const Options&) = delete;
    Options& operator=(const Options&) = delete;
    AVDictionary* all = nullptr;
};

bool isYuv(AVPixelFormat pixels) {
    return !(av_pix_fmt_desc_get(pixels)->flags & (AV_PIX_FMT_FLAG_RGB | AV_PIX_FMT_FLAG_PAL));
}

}

void Encoder::FormatFree::operator()(AVFormatContext* format) const {
    if (format->pb) avio_closep(&format->pb);
    avformat_free_context(format);
}

Encoder::~Encoder() {
    m_format.reset();
    if (m_begun) ::unlink(m_part.c_str());
}

Result<void> Encoder::open(const SinkSpec& spec, const Coding& coding, Pass pass,
                           const std::string& statistics) {
    m_spec = spec, m_pass = pass, m_statistics = statistics;
    m_part = spec.path.string() + ".part";
    av_log_set_level(AV_LOG_QUIET);
    AVFormatContext* format = nullptr;
    // The name is needed again at the end, when the index is moved to the front.
    if (avformat_alloc_output_context2(&format, nullptr, coding.container, ("file:" + m_part).c_str()) < 0)
        return fail("This FFmpeg cannot write " + std::string(coding.container) + " files.");
    m_format.reset(format);
    const AVCodec* codec = avcodec_find_encoder_by_name(coding.encoder);
    if (!codec) return fail("This FFmpeg has no encoder " + std::string(coding.encoder) + ".");
    m_codec.reset(avcodec_alloc_context3(codec));
    m_codec->width = spec.size.x, m_codec->height = spec.size.y;
    m_codec->pix_fmt = coding.pixels;
    const int num = static_cast<int>(spec.rate.num()), den = static_cast<int>(spec.rate.den());
    m_codec->time_base = {den, num};
    m_codec->framerate = {num, den};
    m_codec->sample_aspect_ratio = {1, 1};
    if (isYuv(coding.pixels)) {
        m_codec->colorspace = AVCOL_SPC_BT709;
        m_codec->color_primaries = AVCOL_PRI_BT709;
        m_codec->color_trc = AVCOL_TRC_BT709;
        m_codec->color_range = AVCOL_RANGE_MPEG;
    }
    if (coding.bitRate) m_codec->bit_rate = coding.bitRate;
    if (coding.tag) m_codec->codec_tag = MKTAG(coding.tag[0], coding.tag[1], coding.tag[2], coding.tag[3]);
    m_codec->thread_count = 0;
    if (format->oformat->flags & AVFMT_GLOBALHEADER) m_codec->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    if (pass == Pass::First) m_codec->flags |= AV_CODEC_FLAG_PASS1;
    if (pass == Pass::Last) {
        m_codec->flags |= AV_CODEC_FLAG_PASS2;
        m_codec->stats_in = av_strdup(m_statistics.c_str());
    }
    Options options(coding.options);
    if (avcodec_open2(m_codec.get(), codec, &options.all) < 0)
        return fail("A movie of " + std::to_string(spec.size.x) + " x " + std::to_string(spec.size.y) +
                    " cannot be encoded with " + coding.encoder + ".");
    if (pass == Pass::First) {
        m_statistics.clear();
        return {};
    }
    m_stream = avformat_new_stream(format, nullptr);
    m_stream->time_base = m_codec->time_base;
    m_stream->avg_frame_rate = m_codec->framerate;
    avcodec_parameters_from_context(m_stream->codecpar, m_codec.get());
    if (const int error = avio_open(&format->pb, ("file:" + m_part).c_str(), AVIO_FLAG_WRITE); error < 0)
        return tl::unexpected(cannotWrite(spec.path, -error));
    m_begun = true;
    Options muxing(coding.muxing);
    if (const int header = avformat_write_header(format, &muxing.all); header < 0)
        return tl::unexpected(cannotWrite(spec.path, -header));
    return {};
}

Result<void> Encoder::encode(AVFrame& frame) {
    frame.pts = m_next++;
    frame.colorspace = m_codec->colorspace;
    frame.color_range = m_codec->color_range;
    frame.color_primaries = m_codec->color_primaries;
    frame.color_trc = m_codec->color_trc;
    frame.pict_type = AV_PICTURE_TYPE_NONE;
    return send(&frame);
}

Result<void> Encoder::send(const AVFrame* frame) {
    if (avcodec_send_frame(m_codec.get(), frame) < 0) return fail("A frame could not be encoded.");
    for (;;) {
        const int got = avcodec_receive_packet(m_codec.get(), m_packet.get());
        if (got == AVERROR(EAGAIN) || got == AVERROR_EOF) return {};
        if (got < 0) return fail("A frame could not be encoded.");
        if (m_pass == Pass::First) {
            if (m_codec->stats_out) m_statistics += m_codec->stats_out;
            av_packet_unref(m_packet.get());
            continue;
        }
        if (m_packet->duration == 0) m_packet->duration = 1;
        av_packet_rescale_ts(m_packet.get(), m_codec->time_base, m_stream->time_base);
        m_packet->stream_index = 0;
        if (const int written = av_interleaved_write_frame(m_format.get(), m_packet.get()); written < 0)
            return tl::unexpected(cannotWrite(m_spec.path, -written));
        if (m_format->pb->error < 0) return tl::unexpected(cannotWrite(m_spec.path, -m_format->pb->error));
    }
}

Result<std::string> Encoder::finish() {
    if (auto flushed = send(nullptr); !flushed) return tl::unexpected(flushed.error());
    if (m_pass == Pass::First) {
        if (m_codec->stats_out) m_statistics += m_codec->stats_out;
        m_codec.reset(), m_format.reset();
        return m_statistics;
    }
    const auto& path = m_spec.path;
    if (const int error = av_write_trailer(m_format.get()); error < 0)
        return tl::unexpected(cannotWrite(path, -error));
    avio_flush(m_format->pb);
    if (m_format->pb->error < 0) return tl::unexpected(cannotWrite(path, -m_format->pb->error));
    if (const int error = avio_closep(&m_format->pb); error < 0)
        return tl::unexpected(cannotWrite(path, -error));
    m_codec.reset(), m_format.reset();
    return std::string();
}

std::int64_t Encoder::bytes() const {
    std::error_code code;
    const auto size = std::filesystem::file_size(m_part, code);
    return code ? 0 : static_cast<std::int64_t>(size);
}

Result<void> Encoder::publish() {
    const auto& path = m_spec.path;
    if (::access(m_part.c_str(), F_OK) != 0)
        return fail("Cannot write " + path.string() + ": " + m_part +
                    ", into which it was written, was removed meanwhile.");
    if (::rename(m_part.c_str(), path.c_str()) != 0) return tl::unexpected(cannotWrite(path, errno));
    m_begun = false;
    return {};
}

media::ffmpeg::Frame frameOf(AVPixelFormat pixels, V2i size) {
    media::ffmpeg::Frame frame(av_frame_alloc());
    if (!frame) return frame;
    frame->format = pixels;
    frame->width = size.x, frame->height = size.y;
    if (av_frame_get_buffer(frame.get(), 64) < 0) frame.reset();
    return frame;
}

}
