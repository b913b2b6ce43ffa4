// Owners for FFmpeg's objects.
#pragma once

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libswscale/swscale.h>
}

#include <memory>

namespace stage::media::ffmpeg {

template <auto Free> struct FreeByAddress {
    template <class T> void operator()(T* object) const { Free(&object); }
};
struct SwsFree {
    void operator()(SwsContext* sws) const { sws_freeContext(sws); }
};

using Codec = std::unique_ptr<AVCodecContext, FreeByAddress<avcodec_free_context>>;
using Packet = std::unique_ptr<AVPacket, FreeByAddress<av_packet_free>>;
using Frame = std::unique_ptr<AVFrame, FreeByAddress<av_frame_free>>;
using Input = std::unique_ptr<AVFormatContext, FreeByAddress<avformat_close_input>>;
using Sws = std::unique_ptr<SwsContext, SwsFree>;

}
