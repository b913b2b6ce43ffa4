// A movie file being encoded by FFmpeg. Inside .cc files only.
#pragma once

#include "media/ffmpeg.h"
#include "output/sink.h"

#include <utility>
#include <vector>

namespace stage::output {

/// What is asked of FFmpeg.
struct Coding {
    const char* container;
    const char* encoder;
    AVPixelFormat pixels;
    std::vector<std::pair<std::string, std::string>> options = {}; ///< of the encoder
    std::vector<std::pair<std::string, std::string>> muxing = {};  ///< of the container
    std::int64_t bitRate = 0;                                      ///< 0: by quality
    const char* tag = nullptr; ///< of the codec in the container, four letters
};

/// Not thread-safe. The movie is written beside its path and gets its name at the end; destroyed before, that
/// is removed.
class Encoder {
public:
    enum class Pass { Only, First, Last };
    Encoder() = default;
    ~Encoder();
    Encoder(const Encoder&) = delete;
    Encoder& operator=(const Encoder&) = delete;

    /// statistics: of a first pass; what the first gives and the last takes.
    Result<void> open(const SinkSpec& spec, const Coding& coding, Pass pass = Pass::Only,
                      const std::string& statistics = {});
    /// Of the size and kind that were asked for; one after the other.
    Result<void> encode(AVFrame& frame);
    /// After the last frame. Of a first pass: what the last one takes.
    Result<std::string> finish();
    /// Of the movie beside its path, bytes; after finish().
    std::int64_t bytes() const;
    /// Gives it its name; after finish().
    Result<void> publish();

private:
    struct FormatFree {
        void operator()(AVFormatContext* format) const;
    };
    Result<void> send(const AVFrame* frame);

    SinkSpec m_spec;
    std::string m_part, m_statistics;
    Pass m_pass = Pass::Only;
    bool m_begun = false;
    std::int64_t m_next = 0;
    std::unique_ptr<AVFormatContext, FormatFree> m_format;
    media::ffmpeg::Codec m_codec;
    media::ffmpeg::Packet m_packet{av_packet_alloc()};
    AVStream* m_stream = nullptr;
};

/// A frame to fill. Null: no memory.
media::ffmpeg::Frame frameOf(AVPixelFormat pixels, V2i size);

}
