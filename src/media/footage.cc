#include "media/footage.h"

#include "media/ffmpeg.h"
#include "media/light.h"
#include "media/parallel.h"
#include "scene/scene.h"

extern "C" {
#include <libavutil/display.h>
#include <libavutil/pixdesc.h>
}

#include <algorithm>
#include <cmath>
#include <functional>
#include <string_view>

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
    V2i coded{0, 0};                 ///< size of the pictures in the stream
    int quarterTurns = 0;            ///< clockwise, to be shown upright
    std::vector<std::int64_t> shown; ///< presentation time of each frame of info.frames, in order
    struct KeyFrame {
        std::int64_t shown = 0, dts = 0; ///< presentation and decoding time
        std::size_t packet = 0;          ///< of a clip without times
        bool operator<(const KeyFrame& o) const { return shown < o.shown; }
    };
    std::vector<KeyFrame> keyFrames; ///< sorted
    /// Of a clip whose packets do not say when their frames are shown: each packet in the order of decoding,
    /// by what tells it from others, with the place of its frame in the order shown. That is its time then.
    struct Untimed {
        std::int64_t dts = 0, place = 0;
        std::size_t contents = 0; ///< a hash of them
        bool operator==(const Untimed& o) const { return dts == o.dts && contents == o.contents; }
    };
    static Untimed untimedOf(const AVPacket& of) {
        const std::string_view bytes(reinterpret_cast<const char*>(of.data),
                                     static_cast<std::size_t>(of.size));
        return {of.dts, 0, std::hash<std::string_view>()(bytes)};
    }
    std::vector<Untimed> untimed; ///< empty: packets say it themselves
    std::size_t next = unknown;   ///< which of them is read next
    std::size_t begun = unknown;  ///< the first that was read since the last seek
    static constexpr std::size_t unknown = ~std::size_t{0};
    std::int64_t last = AV_NOPTS_VALUE; ///< presentation time of the last frame decoded
    bool draining = false;

    Result<std::vector<std::int64_t>> number(std::vector<Untimed> packets,
                                             const std::vector<std::size_t>& keys, const Progress& progress);
    bool seek(std::int64_t target);
    bool seekBegin();
    void restart();

    Result<bool> decodeNext();
    Result<Raster> convert();
    void readShape();
    void lineUp(std::vector<std::int64_t> times);
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
    const bool sideAlpha =
        alphaMode && std::string(alphaMode->value) == "1" &&
        (parameters->codec_id == AV_CODEC_ID_VP8 || parameters->codec_id == AV_CODEC_ID_VP9);
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
    state->coded = {context->width, context->height};
    if (context->width < 1 || context->height < 1 || context->width > scene::Limits::frameSide ||
        context->height > scene::Limits::frameSide)
        return broken("its picture size is not usable");
    state->info.alpha = sideAlpha || hasAlpha(context->pix_fmt);
    state->info.hdr =
        context->color_trc == AVCOL_TRC_SMPTE2084 || context->color_trc == AVCOL_TRC_ARIB_STD_B67;
    state->info.interlaced =
        context->field_order != AV_FIELD_UNKNOWN && context->field_order != AV_FIELD_PROGRESSIVE;
    state->readShape();

    std::vector<std::int64_t> times;
    std::vector<State::Untimed> packets;
    std::vector<std::size_t> keys;
    bool timed = true;

    AVPacket* packet = state->packet.get();
    int count = 0;
    while (av_read_frame(format, packet) >= 0) {
        if (packet->stream_index == index && !(packet->flags & AV_PKT_FLAG_DISCARD)) {
            timed = timed && packet->pts != AV_NOPTS_VALUE;
            if (packet->flags & AV_PKT_FLAG_KEY) keys.push_back(packets.size());
            packets.push_back(State::untimedOf(*packet));
            const std::int64_t time = packet->pts != AV_NOPTS_VALUE ? packet->pts : packet->dts;
            if (time != AV_NOPTS_VALUE) {
                times.push_back(time);
                if (packet->flags & AV_PKT_FLAG_KEY)
                    state->keyFrames.push_back({time, packet->dts != AV_NOPTS_VALUE ? packet->dts : time, 0});
            }
        }
        const auto place = packet->pos;
        av_packet_unref(packet);
        if (++count % 256 == 0) {
            if (progress.stopped()) return cancelled();
            if (bytes > 0 && place > 0)
                progress.done(static_cast<double>(place) / static_cast<double>(bytes));
        }
        if (packets.size() > static_cast<std::size_t>(scene::Limits::frames))
            return broken("it has too many frames");
    }
    const AVCodecDescriptor* description = avcodec_descriptor_get(parameters->codec_id);
    if (!timed && description && (description->props & AV_CODEC_PROP_REORDER)) {
        auto numbered = state->number(std::move(packets), keys, progress);
        if (!numbered) return tl::unexpected(numbered.error());
        times = std::move(*numbered);
    }
    std::sort(times.begin(), times.end());
    times.erase(std::unique(times.begin(), times.end()), times.end());
    std::sort(state->keyFrames.begin(), state->keyFrames.end());
    if (times.empty()) return broken("it holds no frames");
    state->lineUp(std::move(times));
    state->last = AV_NOPTS_VALUE;
    state->draining = true; // reading starts with a seek
    return std::unique_ptr<FootageReader>(new FootageReader(std::move(state)));
}

/// Turn and shape of the pixels, from what the container says.
void FootageReader::State::readShape() {
    V2i size = coded;
    const AVRational pixel = av_guess_sample_aspect_ratio(format.get(), stream, nullptr);
    if (pixel.num > 0 && pixel.den > 0 && pixel.num != pixel.den && pixel.num < 20 * pixel.den &&
        pixel.den < 20 * pixel.num)
        size.x = std::max(1, static_cast<int>(std::lround(av_q2d(pixel) * size.x)));
    if (const std::uint8_t* matrix = av_stream_get_side_data(stream, AV_PKT_DATA_DISPLAYMATRIX, nullptr)) {
        // The angle is counter-clockwise.
        const double turn = -av_display_rotation_get(reinterpret_cast<const std::int32_t*>(matrix));
        if (std::isfinite(turn)) quarterTurns = (static_cast<int>(std::lround(turn / 90)) % 4 + 4) % 4;
    }
    if (quarterTurns % 2 == 1) std::swap(size.x, size.y);
    info.size = size;
}

/// Gives each frame its place at an even rate. Where frames come unevenly, a frame stays until the next one's
/// time.
void FootageReader::State::lineUp(std::vector<std::int64_t> times) {
    const AVRational mean = stream->avg_frame_rate.num > 0 ? stream->avg_frame_rate : stream->r_frame_rate;
    if (mean.num > 0 && mean.den > 0) info.rate = Rational(mean.num, mean.den);
    info.frames = static_cast<std::int64_t>(times.size());
    shown = std::move(times);
    const double tick = av_q2d(stream->time_base);
    if (shown.size() < 3 || !(tick > 0)) return;
    std::int64_t least = shown[1] - shown[0], most = least;
    for (std::size_t i = 2; i < shown.size(); ++i) {
        least = std::min(least, shown[i] - shown[i - 1]);
        most = std::max(most, shown[i] - shown[i - 1]);
    }
    // Times are rounded to the container's ticks, so two of them may lie apart in an even clip.
    if (most - least <= 2 || static_cast<double>(most) < 1.4 * static_cast<double>(least)) return;
    info.varies = true;
    // The rates that cameras and screens use; the lowest one at which no two frames fall on one place.
    const Rational rates[] = {{12}, {24000, 1001}, {24}, {25}, {30000, 1001}, {30}, {48},
                              {50}, {60000, 1001}, {60}, {90}, {100},         {120}};
    const std::vector<std::int64_t> uneven = std::move(shown);
    const auto placeAt = [&](std::int64_t time, Rational rate) {
        return std::llround(static_cast<double>(time - uneven.front()) * tick * rate.toDouble());
    };
    info.rate = rates[std::size(rates) - 1];
    for (const Rational rate : rates) {
        bool apart = true;
        for (std::size_t i = 1; i < uneven.size() && apart; ++i)
            apart = placeAt(uneven[i], rate) > placeAt(uneven[i - 1], rate);
        if (!apart) continue;
        info.rate = rate;
        break;
    }
    const std::int64_t length =
        std::min<std::int64_t>(placeAt(uneven.back(), info.rate) + 1, scene::Limits::frames);
    shown.assign(static_cast<std::size_t>(length), uneven.front());
    std::size_t at = 0;
    for (std::int64_t n = 0; n < length; ++n) {
        while (at + 1 < uneven.size() && placeAt(uneven[at + 1], info.rate) <= n)
            ++at;
        shown[static_cast<std::size_t>(n)] = uneven[at];
    }
    info.frames = length;
}

void FootageReader::State::restart() {
    avcodec_flush_buffers(codec.get());
    draining = false;
    last = AV_NOPTS_VALUE;
    next = begun = unknown;
}

/// To a decoding time.
bool FootageReader::State::seek(std::int64_t target) {
    const bool there = av_seek_frame(format.get(), stream->index, target, AVSEEK_FLAG_BACKWARD) >= 0 ||
                       av_seek_frame(format.get(), stream->index, 0, AVSEEK_FLAG_BYTE) >= 0;
    restart();
    return there;
}

/// To the first packet of a clip without times. Whether that is where it is then.
bool FootageReader::State::seekBegin() {
    for (const int flag : {AVSEEK_FLAG_BACKWARD, AVSEEK_FLAG_BYTE}) {
        const std::int64_t target = flag == AVSEEK_FLAG_BYTE ? 0 : untimed.front().dts;
        const auto go = [&] {
            const bool there = av_seek_frame(format.get(), stream->index, target, flag) >= 0;
            restart();
            return there;
        };
        if (!go()) continue;
        bool first = false;
        while (av_read_frame(format.get(), packet.get()) >= 0) {
            const bool ours = packet->stream_index == stream->index;
            first = ours && untimed.front() == untimedOf(*packet);
            av_packet_unref(packet.get());
            if (ours) break;
        }
        if (!first || !go()) continue;
        next = 0;
        return true;
    }
    return false;
}

/// Decodes all of it once to learn the order in which frames are shown: a decoder hands on the time that it
/// was given with a packet, which is the packet's number here. Gives the times of all frames.
Result<std::vector<std::int64_t>> FootageReader::State::number(std::vector<Untimed> packets,
                                                               const std::vector<std::size_t>& keys,
                                                               const Progress& progress) {
    for (std::size_t i = 0; i < packets.size(); ++i)
        packets[i].place = static_cast<std::int64_t>(i);
    untimed = std::move(packets);
    if (!seekBegin()) return fail("Cannot read " + name + ": it cannot be read from its begin.");
    std::vector<std::int64_t> order;
    for (;;) {
        if (progress.stopped()) return cancelled();
        const auto more = decodeNext();
        if (!more) return tl::unexpected(more.error());
        if (!*more) break;
        order.push_back(last);
        progress.done(static_cast<double>(order.size()) / static_cast<double>(untimed.size()));
    }
    std::vector<std::int64_t> places(untimed.size(), AV_NOPTS_VALUE), times;
    for (const std::int64_t which : order) {
        if (which < 0 || which >= static_cast<std::int64_t>(places.size()) ||
            places[static_cast<std::size_t>(which)] != AV_NOPTS_VALUE)
            continue;
        places[static_cast<std::size_t>(which)] = static_cast<std::int64_t>(times.size());
        times.push_back(static_cast<std::int64_t>(times.size()));
    }
    for (std::size_t i = 0; i < untimed.size(); ++i)
        untimed[i].place = places[i];
    keyFrames.clear();
    for (const std::size_t key : keys)
        if (untimed[key].place != AV_NOPTS_VALUE)
            keyFrames.push_back({untimed[key].place, untimed[key].dts, key});
    return times;
}

/// Decodes one more frame into picture; false at the end.
Result<bool> FootageReader::State::decodeNext() {
    for (;;) {
        const int got = avcodec_receive_frame(codec.get(), picture.get());
        if (got == 0) {
            last = untimed.empty() ? picture->best_effort_timestamp : picture->pts;
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
        if (!draining && !untimed.empty()) {
            if (next ==
                unknown) { // after a seek: told by what it is; one that looks like others tells nothing
                const Untimed here = untimedOf(*packet);
                const auto one = std::find(untimed.begin(), untimed.end(), here);
                if (one != untimed.end() && std::find(one + 1, untimed.end(), here) == untimed.end())
                    next = static_cast<std::size_t>(one - untimed.begin());
            }
            if (begun == unknown) begun = next;
            const bool known = next < untimed.size();
            packet->pts = known ? untimed[next].place : AV_NOPTS_VALUE;
            packet->dts = AV_NOPTS_VALUE;
            if (known) ++next;
        }
        if (!draining) sent = avcodec_send_packet(codec.get(), packet.get());
        av_packet_unref(packet.get());
        if (sent < 0 && sent != AVERROR_EOF && sent != AVERROR_INVALIDDATA)
            return fail("Cannot read " + name + ": a frame is damaged.");
    }
}

Result<Raster> FootageReader::frame(std::int64_t n) {
    State& s = *m_state;
    n = std::clamp<std::int64_t>(n, 0, s.info.frames - 1);
    const std::int64_t wanted = s.shown[static_cast<std::size_t>(n)];
    const auto key = std::upper_bound(s.keyFrames.begin(), s.keyFrames.end(), wanted,
                                      [](std::int64_t t, const auto& k) { return t < k.shown; });
    const std::int64_t keyShown = key == s.keyFrames.begin() ? AV_NOPTS_VALUE : (key - 1)->shown;
    const bool goesOn = !s.draining && s.last != AV_NOPTS_VALUE && s.last < wanted &&
                        (keyShown == AV_NOPTS_VALUE || keyShown <= s.last + 1);
    const bool already = s.last == wanted && s.picture->data[0];
    // Some streams need an earlier key frame than the nearest (open groups); go back until the frame appears.
    auto from = key;
    constexpr int attempts = 5;
    for (int attempt = 0; !already && attempt < attempts; ++attempt) {
        if (attempt > 0 || !goesOn) {
            if (from != s.keyFrames.begin()) --from;
            const std::int64_t target = s.keyFrames.empty() ? s.shown.front() : from->dts;
            const bool fromBegin = attempt + 1 == attempts && !s.untimed.empty();
            if (!(fromBegin ? s.seekBegin() : s.seek(target)))
                return fail("Cannot read " + s.name + ": frame " + std::to_string(n) + " cannot be reached.");
        }
        for (;;) {
            const auto more = s.decodeNext();
            if (!more) return tl::unexpected(more.error());
            if (!*more) break;
            // A seek by time may end behind the key frame; what comes then lacks what it builds on.
            const bool whole = s.untimed.empty() || s.keyFrames.empty() || (attempt == 0 && goesOn) ||
                               s.begun <= from->packet;
            if (s.last == wanted && whole) return s.convert();
            if (s.last != AV_NOPTS_VALUE && s.last > wanted) break;
        }
    }
    if (already) return s.convert();
    return fail("Cannot read " + s.name + ": frame " + std::to_string(n) + " is damaged.");
}

namespace {

/// Lines of the second field become the mean of their neighbours.
void dropSecondField(std::vector<std::uint16_t>& rgba, V2i size, bool topFirst) {
    const auto width = static_cast<std::size_t>(size.x) * 4;
    for (int y = topFirst ? 1 : 0; y < size.y; y += 2) {
        const std::uint16_t* above = rgba.data() + width * static_cast<std::size_t>(y > 0 ? y - 1 : y + 1);
        const std::uint16_t* below =
            rgba.data() + width * static_cast<std::size_t>(y + 1 < size.y ? y + 1 : y - 1);
        std::uint16_t* line = rgba.data() + width * static_cast<std::size_t>(y);
        for (std::size_t i = 0; i < width; ++i)
            line[i] = static_cast<std::uint16_t>((above[i] + below[i] + 1) / 2);
    }
}

/// 16-bit encoded values to linear light of the clip's primaries.
const std::vector<float>& curveOf(AVColorTransferCharacteristic transfer) {
    const auto table = [](auto&& linear) {
        std::vector<float> t(65536);
        for (std::size_t i = 0; i < t.size(); ++i)
            t[i] = linear(static_cast<float>(i) / 65535.f);
        return t;
    };
    static const std::vector<float> pq = table([](float v) { return nitsFromPq(v) / hdrWhite; });
    static const std::vector<float> hlg = table(sceneFromHlg);
    static const std::vector<float> linear = table([](float v) { return v; });
    switch (transfer) {
    case AVCOL_TRC_SMPTE2084:
        return pq;
    case AVCOL_TRC_ARIB_STD_B67:
        return hlg;
    case AVCOL_TRC_LINEAR:
        return linear;
    default:
        return linearFromSrgb16();
    }
}

}

Result<Raster> FootageReader::State::convert() {
    const AVFrame& from = *picture;
    if (from.width != coded.x || from.height != coded.y)
        return fail("Cannot read " + name + ": its picture size changes inside the clip.");
    const V2i flat = quarterTurns % 2 == 1 ? V2i(info.size.y, info.size.x) : info.size;
    const auto format16 = AV_PIX_FMT_RGBA64LE;
    sws.reset(sws_getCachedContext(sws.release(), from.width, from.height,
                                   static_cast<AVPixelFormat>(from.format), flat.x, flat.y, format16,
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
    std::vector<std::uint16_t> straight(static_cast<std::size_t>(flat.x) * flat.y * 4);
    std::uint8_t* planes[1] = {reinterpret_cast<std::uint8_t*>(straight.data())};
    const int strides[1] = {flat.x * 8};
    sws_scale(sws.get(), from.data, from.linesize, 0, from.height, planes, strides);
    if (from.interlaced_frame && flat.y > 1) dropSecondField(straight, flat, from.top_field_first);

    const std::vector<float>& curve = curveOf(from.color_trc);
    const bool hlg = from.color_trc == AVCOL_TRC_ARIB_STD_B67;
    const bool wide = from.color_primaries == AVCOL_PRI_BT2020;
    Raster raster(info.size);
    const bool keepsAlpha = hasAlpha(from.format);
    // The converter widens alpha by a shift, which would leave opaque a little short of it.
    const int alphaBits =
        keepsAlpha
            ? std::clamp(av_pix_fmt_desc_get(static_cast<AVPixelFormat>(from.format))->comp[3].depth, 1, 16)
            : 16;
    const auto alphaTop = static_cast<float>((1 << alphaBits) - 1);
    inParallel(0, flat.y, [&](int y) {
        const std::uint16_t* in = straight.data() + static_cast<std::size_t>(y) * flat.x * 4;
        for (int x = 0; x < flat.x; ++x, in += 4) {
            const V2i place = quarterTurns == 0   ? V2i(x, y)
                              : quarterTurns == 1 ? V2i(flat.y - 1 - y, x)
                              : quarterTurns == 2 ? V2i(flat.x - 1 - x, flat.y - 1 - y)
                                                  : V2i(y, flat.x - 1 - x);
            Imath::half* out = raster.row(place.y) + 4 * place.x;
            const float alpha = keepsAlpha ? static_cast<float>(in[3] >> (16 - alphaBits)) / alphaTop : 1.f;
            std::array<float, 3> colour = {curve[in[0]], curve[in[1]], curve[in[2]]};
            if (hlg) {
                nitsFromHlgScene(colour);
                for (float& v : colour)
                    v /= hdrWhite;
            }
            if (wide) {
                rec709FromRec2020(colour);
                for (float& v : colour)
                    v = std::max(v, 0.f);
            }
            for (std::size_t c = 0; c < 3; ++c)
                out[c] = colour[c] * alpha;
            out[3] = alpha;
        }
    });
    return raster;
}

}
