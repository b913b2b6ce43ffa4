#include "media/footage.h"

#include "media/ffmpeg.h"
#include "scene/scene.h"
#include "scene/timing.h"

extern "C" {
#include <libavutil/display.h>
#include <libavutil/pixdesc.h>
}

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <map>
#include <mutex>
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
    std::shared_ptr<const FrameConverter> converter;
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
    std::int64_t soundFrom =
        0; ///< presentation time from which what is decoded is whole, since the last seek
    /// Decoding time of the key frame that was sought: containers may begin one earlier, whose frames are not
    /// wanted.
    std::int64_t sought = AV_NOPTS_VALUE;

    struct Kept {
        DecodedPtr decoded;
        ClipFramePtr frame; ///< null: not asked for yet
        std::size_t bytes = 0;
    };
    mutable std::mutex keptLock;
    std::map<std::int64_t, Kept> kept; ///< by presentation time
    std::size_t keep = 0, bytesKept = 0, lastBytes = 0;

    Result<std::vector<std::int64_t>> number(std::vector<Untimed> packets,
                                             const std::vector<std::size_t>& keys, const Progress& progress);
    bool seek(std::int64_t target);
    bool seekBegin();
    void restart();

    Result<bool> decodeNext();
    Kept keptAt(std::int64_t time) const;
    void keepMore(std::int64_t time, Kept more, std::int64_t wanted);
    Result<DecodedPtr> decoded(std::int64_t n);

    Result<void> openFile(const std::filesystem::path& path);
    Result<void> openDecoder();
    Result<void> index(std::uintmax_t bytes, const Progress& progress);
    void readShape();
    void lineUp(std::vector<std::int64_t> times);
    tl::unexpected<Error> broken(const std::string& reason) const {
        return fail("Cannot read " + name + ": " + reason + ".");
    }
};

FootageReader::FootageReader(std::unique_ptr<State> state) : m_state(std::move(state)) {}
FootageReader::~FootageReader() = default;
const FootageInfo& FootageReader::info() const {
    return m_state->info;
}

Result<std::unique_ptr<FootageReader>> FootageReader::open(const std::filesystem::path& path,
                                                           const Progress& progress, std::size_t keep) {
    av_log_set_level(AV_LOG_QUIET);
    auto state = std::make_unique<State>();
    state->name = path.string();
    state->keep = keep;
    std::error_code code;
    if (!std::filesystem::is_regular_file(path, code)) return state->broken("there is no such file");
    const auto bytes = std::filesystem::file_size(path, code);
    if (bytes == 0) return state->broken("it is empty");
    if (auto opened = state->openFile(path); !opened) return tl::unexpected(opened.error());
    if (auto opened = state->openDecoder(); !opened) return tl::unexpected(opened.error());
    state->readShape();
    state->converter =
        std::make_shared<FrameConverter>(state->name, state->coded, state->info.size, state->quarterTurns);
    if (auto indexed = state->index(bytes, progress); !indexed) return tl::unexpected(indexed.error());
    state->last = AV_NOPTS_VALUE; // reading starts with a seek
    return std::unique_ptr<FootageReader>(new FootageReader(std::move(state)));
}

Result<void> FootageReader::State::openFile(const std::filesystem::path& path) {
    // "file:" keeps names with a colon from being taken as protocols; the list keeps playlists from reaching
    // others.
    AVFormatContext* opened = nullptr;
    AVDictionary* options = nullptr;
    av_dict_set(&options, "protocol_whitelist", "file", 0);
    const int code = avformat_open_input(&opened, ("file:" + path.string()).c_str(), nullptr, &options);
    av_dict_free(&options);
    if (code < 0) return broken("it is not footage of a known kind, or it is damaged");
    format.reset(opened);
    if (avformat_find_stream_info(opened, nullptr) < 0) return broken("it is damaged");
    const int track = av_find_best_stream(opened, AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
    if (track < 0) return broken("it has no picture track");
    stream = opened->streams[track];
    return {};
}

Result<void> FootageReader::State::openDecoder() {
    const AVCodecParameters* parameters = stream->codecpar;
    const AVCodec* decoder = avcodec_find_decoder(parameters->codec_id);
    // FFmpeg's own VP8/VP9 decoders drop the alpha that WebM keeps in side data.
    const AVDictionaryEntry* alphaMode = av_dict_get(stream->metadata, "alpha_mode", nullptr, 0);
    const bool sideAlpha =
        alphaMode && std::string(alphaMode->value) == "1" &&
        (parameters->codec_id == AV_CODEC_ID_VP8 || parameters->codec_id == AV_CODEC_ID_VP9);
    if (sideAlpha) {
        const char* other = parameters->codec_id == AV_CODEC_ID_VP9 ? "libvpx-vp9" : "libvpx";
        if (const AVCodec* better = avcodec_find_decoder_by_name(other)) decoder = better;
    }
    if (!decoder) return broken("its codec is not supported");
    codec.reset(avcodec_alloc_context3(decoder));
    AVCodecContext* context = codec.get();
    if (avcodec_parameters_to_context(context, parameters) < 0) return broken("it is damaged");
    context->thread_count = 0;
    context->pkt_timebase = stream->time_base;
    if (avcodec_open2(context, decoder, nullptr) < 0) return broken("its codec cannot be opened");
    coded = {context->width, context->height};
    if (context->width < 1 || context->height < 1 || context->width > scene::Limits::frameSide ||
        context->height > scene::Limits::frameSide)
        return broken("its picture size is not usable");
    info.alpha = sideAlpha || hasAlpha(context->pix_fmt);
    info.hdr = context->color_trc == AVCOL_TRC_SMPTE2084 || context->color_trc == AVCOL_TRC_ARIB_STD_B67;
    info.interlaced =
        context->field_order != AV_FIELD_UNKNOWN && context->field_order != AV_FIELD_PROGRESSIVE;
    return {};
}

/// Reads all packets to learn when each frame is shown and which ones are key frames.
Result<void> FootageReader::State::index(std::uintmax_t bytes, const Progress& progress) {
    std::vector<std::int64_t> times;
    std::vector<Untimed> packets;
    std::vector<std::size_t> keys;
    bool timed = true;
    int count = 0;
    while (av_read_frame(format.get(), packet.get()) >= 0) {
        if (packet->stream_index == stream->index && !(packet->flags & AV_PKT_FLAG_DISCARD)) {
            timed = timed && packet->pts != AV_NOPTS_VALUE;
            if (packet->flags & AV_PKT_FLAG_KEY) keys.push_back(packets.size());
            packets.push_back(untimedOf(*packet));
            const std::int64_t time = packet->pts != AV_NOPTS_VALUE ? packet->pts : packet->dts;
            if (time != AV_NOPTS_VALUE) {
                times.push_back(time);
                if (packet->flags & AV_PKT_FLAG_KEY)
                    keyFrames.push_back({time, packet->dts != AV_NOPTS_VALUE ? packet->dts : time, 0});
            }
        }
        const auto place = packet->pos;
        av_packet_unref(packet.get());
        if (++count % 256 == 0) {
            if (progress.stopped()) return cancelled();
            if (place > 0) progress.done(static_cast<double>(place) / static_cast<double>(bytes));
        }
        if (packets.size() > static_cast<std::size_t>(scene::Limits::frames))
            return broken("it has too many frames");
    }
    const AVCodecDescriptor* description = avcodec_descriptor_get(stream->codecpar->codec_id);
    if (!timed && description && (description->props & AV_CODEC_PROP_REORDER)) {
        auto numbered = number(std::move(packets), keys, progress);
        if (!numbered) return tl::unexpected(numbered.error());
        times = std::move(*numbered);
    }
    std::sort(times.begin(), times.end());
    times.erase(std::unique(times.begin(), times.end()), times.end());
    std::sort(keyFrames.begin(), keyFrames.end());
    if (times.empty()) return broken("it holds no frames");
    lineUp(std::move(times));
    return {};
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
    last = sought = AV_NOPTS_VALUE;
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
    if (!seekBegin()) return broken("it cannot be read from its begin");
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
    const Timed timed(Stage::Decode);
    for (;;) {
        const int got = avcodec_receive_frame(codec.get(), picture.get());
        if (got == 0) {
            last = untimed.empty() ? picture->best_effort_timestamp : picture->pts;
            return true;
        }
        if (got == AVERROR_EOF) return false;
        if (got != AVERROR(EAGAIN)) return broken("a frame is damaged");
        int sent = 0;
        do {
            av_packet_unref(packet.get());
            const int read = av_read_frame(format.get(), packet.get());
            if (read < 0) {
                draining = true;
                sent = avcodec_send_packet(codec.get(), nullptr);
                break;
            }
        } while (packet->stream_index != stream->index ||
                 (sought != AV_NOPTS_VALUE && packet->dts != AV_NOPTS_VALUE && packet->dts < sought));
        sought = AV_NOPTS_VALUE;
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
            return broken("a frame is damaged");
    }
}

FootageReader::State::Kept FootageReader::State::keptAt(std::int64_t time) const {
    const std::lock_guard guard(keptLock);
    const auto at = kept.find(time);
    return at == kept.end() ? Kept{} : at->second;
}

/// Keeps more of a frame, and drops those farthest from the one that is wanted where it gets too much.
void FootageReader::State::keepMore(std::int64_t time, Kept more, std::int64_t wanted) {
    const std::lock_guard guard(keptLock);
    Kept& here = kept[time];
    if (more.decoded) here.decoded = std::move(more.decoded);
    if (more.frame) here.frame = std::move(more.frame);
    bytesKept -= here.bytes;
    here.bytes = bytesOf(*here.decoded);
    if (here.frame && !here.frame->is(here.decoded)) here.bytes += here.frame->bytes();
    bytesKept += lastBytes = here.bytes;
    while (bytesKept > keep && kept.size() > 1) {
        const auto first = kept.begin(), end = std::prev(kept.end());
        const auto farthest = wanted - first->first > end->first - wanted ? first : end;
        bytesKept -= farthest->second.bytes;
        kept.erase(farthest);
    }
}

Result<DecodedPtr> FootageReader::State::decoded(std::int64_t n) {
    const std::int64_t wanted = shown[static_cast<std::size_t>(n)];
    if (auto here = keptAt(wanted).decoded) return here;
    const auto key = std::upper_bound(keyFrames.begin(), keyFrames.end(), wanted,
                                      [](std::int64_t t, const auto& k) { return t < k.shown; });
    const std::int64_t keyShown = key == keyFrames.begin() ? AV_NOPTS_VALUE : (key - 1)->shown;
    // Going on is faster than seeking, unless a key frame lies far ahead.
    constexpr std::int64_t near = 12; // frames
    const auto reached = std::lower_bound(shown.begin(), shown.end(), last) - shown.begin();
    const bool goesOn = last != AV_NOPTS_VALUE && last < wanted &&
                        (keyShown == AV_NOPTS_VALUE || keyShown <= last || n - reached <= near);
    // Some streams need an earlier key frame than the nearest (open groups); go back until the frame appears.
    auto from = key;
    constexpr int attempts = 5;
    for (int attempt = 0; attempt < attempts; ++attempt) {
        if (attempt > 0 || !goesOn) {
            if (from != keyFrames.begin()) --from;
            const std::int64_t target = keyFrames.empty() ? shown.front() : from->dts;
            const bool fromBegin = attempt + 1 == attempts && !untimed.empty();
            if (!(fromBegin ? seekBegin() : seek(target)))
                return broken("frame " + std::to_string(n) + " cannot be reached");
            // At last all is decoded, in case times go back within the file.
            if (untimed.empty() && !keyFrames.empty() && attempt + 1 < attempts) sought = target;
            // What is shown before the key frame may build on what was not decoded.
            soundFrom =
                keyFrames.empty() || fromBegin ? std::numeric_limits<std::int64_t>::min() : from->shown;
        }
        for (;;) {
            const auto more = decodeNext();
            if (!more) return tl::unexpected(more.error());
            if (!*more) break;
            // A seek by time may end behind the key frame; what comes then lacks what it builds on.
            const bool whole =
                untimed.empty() || keyFrames.empty() || (attempt == 0 && goesOn) || begun <= from->packet;
            if (whole && last != AV_NOPTS_VALUE && last >= soundFrom) {
                ffmpeg::Frame copy(av_frame_clone(picture.get()));
                if (!copy) throw std::bad_alloc();
                const DecodedPtr here = shared(std::move(copy));
                keepMore(last, {here, nullptr}, wanted);
                if (last == wanted) return here;
            }
            if (last != AV_NOPTS_VALUE && last > wanted) break;
        }
    }
    return broken("frame " + std::to_string(n) + " is damaged");
}

ClipFramePtr FootageReader::kept(std::int64_t n) const {
    const auto last = static_cast<std::int64_t>(m_state->shown.size()) - 1;
    return m_state->keptAt(m_state->shown[static_cast<std::size_t>(std::clamp<std::int64_t>(n, 0, last))])
        .frame;
}

void FootageReader::setKeep(std::size_t bytes) {
    const std::lock_guard guard(m_state->keptLock);
    m_state->keep = bytes; // what is too much goes with the next frame
}

std::int64_t FootageReader::mostKept() const {
    const std::lock_guard guard(m_state->keptLock);
    return static_cast<std::int64_t>(m_state->keep / std::max<std::size_t>(m_state->lastBytes, 1));
}

Result<ClipFramePtr> FootageReader::frame(std::int64_t n) {
    State& s = *m_state;
    n = std::clamp<std::int64_t>(n, 0, s.info.frames - 1);
    if (auto here = kept(n)) return here;
    // In the order in which they are shown, so that none is decoded twice.
    DecodedPtr before, after;
    const auto beside = [&](std::int64_t step, DecodedPtr& at) -> Result<void> {
        for (std::int64_t m = n + step; m >= 0 && m < s.info.frames; m += step) {
            if (s.shown[static_cast<std::size_t>(m)] == s.shown[static_cast<std::size_t>(n)]) continue;
            auto decoded = s.decoded(m);
            if (!decoded) return tl::unexpected(decoded.error());
            at = std::move(*decoded);
            break;
        }
        return {};
    };
    if (s.info.interlaced)
        if (auto ok = beside(-1, before); !ok) return tl::unexpected(ok.error());
    const auto found = s.decoded(n);
    if (!found) return tl::unexpected(found.error());
    auto decoded = found;
    if ((*found)->interlaced_frame) {
        if (!before)
            if (auto ok = beside(-1, before); !ok) return tl::unexpected(ok.error());
        if (auto ok = beside(1, after); !ok) return tl::unexpected(ok.error());
        decoded = deinterlaced(before, *found, after);
        if (!decoded) return tl::unexpected(decoded.error());
    }
    auto prepared = s.converter->prepare(std::move(*decoded));
    if (!prepared) return tl::unexpected(prepared.error());
    auto frame = std::make_shared<const ClipFrame>(std::move(*prepared), s.converter);
    const std::int64_t time = s.shown[static_cast<std::size_t>(n)];
    s.keepMore(time, {*found, frame}, time);
    return frame;
}

}
