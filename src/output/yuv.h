// Pixels to the planes that movies hold. Inside .cc files only.
#pragma once

#include "media/ffmpeg.h"
#include "output/pixels.h"
#include "scene/error.h"

#include <memory>

struct zimg_filter_graph;

namespace stage::output {

/// Rec. 709, Y'CbCr of 16..235 or finer, colours of half the places sited as in MPEG-2; alpha of full range.
/// One frame after the other; not thread-safe.
class YuvConverter {
public:
    /// bits: of the pixels, 8 or 16. to: planar YUV or YUVA.
    static Result<std::unique_ptr<YuvConverter>> make(V2i size, int bits, AVPixelFormat to);
    /// frame: of the size and format.
    Result<void> convert(const Pixels& pixels, AVFrame& frame);

private:
    struct GraphFree {
        void operator()(zimg_filter_graph* graph) const;
    };
    YuvConverter() = default;
    media::ffmpeg::Frame m_planes; ///< green, blue, red
    std::unique_ptr<zimg_filter_graph, GraphFree> m_graph;
    std::vector<std::uint8_t> m_memory;
    int m_depth = 8; ///< of what is written
};

}
