// Frames through one filter of FFmpeg: a plugin, since its library needs many others, which take long to
// load.
#pragma once

#include "media/ffmpeg.h"

#include <memory>
#include <string>
#include <vector>

namespace stage::media {

/// For one thread.
class FrameFilter {
public:
    /// What goes in. Pixels are square.
    struct Input {
        int width = 0, height = 0;
        AVPixelFormat format = AV_PIX_FMT_NONE;
        AVRational tick{1, 1}; ///< seconds to one of a frame's time
    };
    virtual ~FrameFilter() = default;
    /// The frame stays the caller's. null: that was the last one. False: it does not take it; mostly there is
    /// no memory.
    virtual bool put(std::size_t input, AVFrame* frame) = 0;
    /// Null: it wants more first, or there are no more.
    virtual ffmpeg::Frame take() = 0;
};

/// What the plugin `frame_filter` offers.
struct FrameFilters {
    /// name, options: as FFmpeg documents its filters. Null: this FFmpeg has no such filter, or there is no
    /// memory.
    std::unique_ptr<FrameFilter> (*open)(const char* name, const char* options,
                                         const std::vector<FrameFilter::Input>& inputs);
};

}
