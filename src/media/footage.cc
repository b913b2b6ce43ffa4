#include "media/footage.h"

#include "media/ffmpeg.h"
#include "scene/scene.h"

extern "C" {
#include <libavutil/pixdesc.h>
}

#include <algorithm>
#include <oneapi/tbb/parallel_for.h>

namespace stage::media {
namespace {

bool hasAlpha(int format) {
    const AVPixFmtDescriptor* description = av_pix_fmt_desc_get(static_cast<AVPixelFormat>(format));
    return description && (description->flags & AV_PIX_FMT_FLAG_ALPHA);
}

}

struct FootageReader::State {
    std::string name;
    ffmpeg::Input format;
    ffmpeg::Codec codec;
    ffmpeg::Packet packet{av_packet_alloc()};
    ffmpeg::Frame picture{av_frame_alloc()};
    ffmpeg::Sws sws;
    AVStream* stream = nullptr;
    FootageInfo info;
    std::vector<std::int64_t> shown;                              ///< presentation time of each frame, sorted
    std::vector<std::pair<std::int64_t, std::int64_t>> keyFrames; ///< presentation and decoding time, sorted
    std::int64_t last = AV_NOPTS_VALUE; ///< presentation time of the last frame decoded
    bool draining = false;

    Result<bool> decodeNext();
    Result<Level> convert();
};

FootageReader::FootageReader(std::unique_ptr<State> state) : m_state(std::move(state)) {}
FootageReader::~FootageReader() = default;
const FootageInfo& FootageReader::info() const {
    return m_state->info;
}

Result<std::unique_ptr<FootageReader>> FootageReader::open(const std::filesystem::path& path,
                                                           const Progress& progress) {
    av_log_set_level(AV_LOG_QUIET);
    auto state = std::make_unique<State>();
    state->name = path.string();
    const auto broken = [&](const std::string& reason) {
        return fail("Cannot read " + state->name + ": " + reason + ".");
    };
    std::error_code code;
    if (!std::filesystem::is_regular_file(path, code)) return broken("there is no such file");
    const auto bytes = std::filesystem::file_size(path, code);
    if (bytes == 0) return broken("it is empty");

    // "file:" keeps names with a colon from being taken as protocols; the list keeps playlists from reaching
    // others.
    AVFormatContext* format = nullptr;
    AVDictionary* options = nullptr;
    av_dict_set(&options, "protocol_whitelist", "file", 0);
    const int opened = avformat_open_input(&format, ("file:" + state->name).c_str(), nullptr, &options);
    av_dict_free(&options);
    if (opened < 0) return broken("it is not footage of a known kind, or it is damaged");
    state->format.reset(format);
    if (avformat_find_stream_info(format, nullptr) < 0) return broken("it is damaged");
    const int index = av_find_best_stream(format, AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
    if (index < 0) return broken("it has no picture track");
    state->stream = format->streams[index];
    const AVCodecParameters* parameters = state->stream->codecpar;
    const AVCodec* codec = avcodec_find_decoder(parameters->codec_id);
    // FFmpeg's own VP8/VP9 decoders drop the alpha that WebM keeps in side data.
    const AVDictionaryEntry* alphaMode = av_dict_get(state->stream->metadata, "alpha_mode", nullptr, 0);
    const bool sideAlpha = alphaMode && std::string(alphaMode->value) == "1";
    if (sideAlpha) {
        const char* decoder = parameters->codec_id == AV_CODEC_ID_VP9 ? "libvpx-vp9" : "libvpx";
        if (const AVCodec* better = avcodec_find_decoder_by_name(decoder)) codec = better;
    }
    if (!codec) return broken("its codec is not supported");
    state->codec.reset(avcodec_alloc_context3(codec));
    AVCodecContext* context = state->codec.get();
    if (avcodec_parameters_to_context(context, parameters) < 0) return broken("it is damaged");
    context->thread_count = 0;
    context->pkt_timebase = state->stream->time_base;
    if (avcodec_open2(context, codec, nullptr) < 0) return broken("its codec cannot be opened");
    state->info.size = {context->width, context->height};
    if (context->width < 1 || context->height < 1 || context->width > scene::Limits::frameSide ||
        context->height > scene::Limits::frameSide)
        return broken("its picture size is not usable");
    state->info.alpha = sideAlpha || hasAlpha(context->pix_fmt);

    AVPacket* packet = state->packet.get();
    int count = 0;
    while (av_read_frame(format, packet) >= 0) {
        if (packet->stream_index == index && !(packet->flags & AV_PKT_FLAG_DISCARD)) {
            const std::int64_t time = packet->pts != AV_NOPTS_VALUE ? packet->pts : packet->dts;
            if (time != AV_NOPTS_VALUE) {
                state->shown.push_back(time);
                if (packet->flags & AV_PKT_FLAG_KEY)
                    state->keyFrames.emplace_back(time, packet->dts != AV_NOPTS_VALUE ? packet->dts : time);
            }
        }
        const auto place = packet->pos;
        av_packet_unref(packet);
        if (++count % 256 == 0) {
            if (progress.stopped()) return cancelled();
            if (bytes > 0 && place > 0)
                progress.done(static_cast<double>(place) / static_cast<double>(bytes));
        }
        if (state->shown.size() > static_cast<std::size_t>(scene::Limits::frames))
            return broken("it has too many frames");
    }
    auto& shown = state->shown;
    std::sort(shown.begin(), shown.end());
    shown.erase(std::unique(shown.begin(), shown.end()), shown.end());
    std::sort(state->keyFrames.begin(), state->keyFrames.end());
    if (shown.empty()) return broken("it holds no frames");
    state->info.frames = static_cast<std::int64_t>(shown.size());

    const AVRational rate =
        state->stream->avg_frame_rate.num > 0 ? state->stream->avg_frame_rate : state->stream->r_frame_rate;
    if (rate.num > 0 && rate.den > 0) state->info.rate = Rational(rate.num, rate.den);
    state->last = AV_NOPTS_VALUE;
    state->draining = true; // reading starts with a seek
    return std::unique_ptr<FootageReader>(new FootageReader(std::move(state)));
}

/// Decodes one more frame into picture; false at the end.
Result<bool> FootageReader::State::decodeNext() {
    for (;;) {
        const int got = avcodec_receive_frame(codec.get(), picture.get());
        if (got == 0) {
            last = picture->best_effort_timestamp;
            return true;
        }
        if (got == AVERROR_EOF) return false;
        if (got != AVERROR(EAGAIN)) return fail("Cannot read " + name + ": a frame is damaged.");
        int sent = 0;
        do {
            av_packet_unref(packet.get());
            const int read = av_read_frame(format.get(), packet.get());
            if (read < 0) {
                draining = true;
                sent = avcodec_send_packet(codec.get(), nullptr);
                break;
            }
        } while (packet->stream_index != stream->index);
        if (!draining) sent = avcodec_send_packet(codec.get(), packet.get());
        av_packet_unref(packet.get());
        if (sent < 0 && sent != AVERROR_EOF && sent != AVERROR_INVALIDDATA)
            return fail("Cannot read " + name + ": a frame is damaged.");
    }
}

Result<Level> FootageReader::frame(std::int64_t n) {
    State& s = *m_state;
    n = std::clamp<std::int64_t>(n, 0, s.info.frames - 1);
    const std::int64_t wanted = s.shown[static_cast<std::size_t>(n)];
    const auto key = std::upper_bound(s.keyFrames.begin(), s.keyFrames.end(), wanted,
                                      [](std::int64_t t, const auto& k) { return t < k.first; });
    const std::int64_t keyShown = key == s.keyFrames.begin() ? AV_NOPTS_VALUE : (key - 1)->first;
    const bool goesOn = !s.draining && s.last != AV_NOPTS_VALUE && s.last < wanted &&
                        (keyShown == AV_NOPTS_VALUE || keyShown <= s.last + 1);
    const bool already = s.last == wanted && s.picture->data[0];
    // Some streams need an earlier key frame than the nearest (open groups); go back until the frame appears.
    auto from = key;
    for (int attempt = 0; !already && attempt < 4; ++attempt) {
        if (attempt > 0 || !goesOn) {
            if (from != s.keyFrames.begin()) --from;
            const std::int64_t target = s.keyFrames.empty() ? s.shown.front() : from->second;
            if (av_seek_frame(s.format.get(), s.stream->index, target, AVSEEK_FLAG_BACKWARD) < 0 &&
                av_seek_frame(s.format.get(), s.stream->index, 0, AVSEEK_FLAG_BYTE) < 0)
                return fail("Cannot read " + s.name + ": frame " + std::to_string(n) + " cannot be reached.");
            avcodec_flush_buffers(s.codec.get());
            s.draining = false;
            s.last = AV_NOPTS_VALUE;
        }
        for (;;) {
            const auto more = s.decodeNext();
            if (!more) return tl::unexpected(more.error());
            if (!*more) break;
            if (s.last == wanted) return s.convert();
            if (s.last != AV_NOPTS_VALUE && s.last > wanted) break;
        }
    }
    if (already) return s.convert();
    return fail("Cannot read " + s.name + ": frame " + std::to_string(n) + " is damaged.");
}

Result<Level> FootageReader::State::convert() {
    const AVFrame& from = *picture;
    if (from.width != info.size.x || from.height != info.size.y)
        return fail("Cannot read " + name + ": its picture size changes inside the clip.");
    const auto format16 = AV_PIX_FMT_RGBA64LE;
    sws.reset(sws_getCachedContext(sws.release(), from.width, from.height,
                                   static_cast<AVPixelFormat>(from.format), from.width, from.height, format16,
                                   SWS_BICUBIC | SWS_ACCURATE_RND | SWS_FULL_CHR_H_INT | SWS_FULL_CHR_H_INP,
                                   nullptr, nullptr, nullptr));
    if (!sws) return fail("Cannot read " + name + ": its pixel format is not supported.");
    const int matrix = from.colorspace == AVCOL_SPC_UNSPECIFIED
                           ? (from.height >= 720 ? SWS_CS_ITU709 : SWS_CS_ITU601)
                           : (from.colorspace == AVCOL_SPC_BT709        ? SWS_CS_ITU709
                              : from.colorspace == AVCOL_SPC_BT2020_NCL ? SWS_CS_BT2020
                                                                        : SWS_CS_ITU601);
    const int full = from.color_range == AVCOL_RANGE_JPEG ? 1 : 0;
    sws_setColorspaceDetails(sws.get(), sws_getCoefficients(matrix), full,
                             sws_getCoefficients(SWS_CS_DEFAULT), 1, 0, 1 << 16, 1 << 16);
    std::vector<std::uint16_t> straight(static_cast<std::size_t>(from.width) * from.height * 4);
    std::uint8_t* planes[1] = {reinterpret_cast<std::uint8_t*>(straight.data())};
    const int strides[1] = {from.width * 8};
    sws_scale(sws.get(), from.data, from.linesize, 0, from.height, planes, strides);

    const std::vector<float>& curve = linearFromSrgb16();
    Level level(info.size);
    const bool keepsAlpha = hasAlpha(from.format);
    // The converter widens alpha by a shift, which would leave opaque a little short of it.
    const int alphaBits =
        keepsAlpha
            ? std::clamp(av_pix_fmt_desc_get(static_cast<AVPixelFormat>(from.format))->comp[3].depth, 1, 16)
            : 16;
    const auto alphaTop = static_cast<float>((1 << alphaBits) - 1);
    oneapi::tbb::parallel_for(0, from.height, [&](int y) {
        const std::uint16_t* in = straight.data() + static_cast<std::size_t>(y) * from.width * 4;
        Imath::half* out = level.row(y);
        for (int x = 0; x < from.width; ++x, in += 4, out += 4) {
            const float alpha = keepsAlpha ? static_cast<float>(in[3] >> (16 - alphaBits)) / alphaTop : 1.f;
            for (int c = 0; c < 3; ++c)
                out[c] = curve[in[c]] * alpha;
            out[3] = alpha;
        }
    });
    return level;
}

}
