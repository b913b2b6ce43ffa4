#include "output/yuv.h"

#include "output/encoder.h"
#include "output/sample_rows.h"

extern "C" {
#include <libavutil/pixdesc.h>
}

#include <cstdint>
#include <zimg.h>

namespace stage::output {
namespace {

constexpr std::size_t alignment = 64; ///< bytes, of what zimg works in

template <class Sample> Sample* rowOf(const AVFrame& frame, int plane, int y) {
    return reinterpret_cast<Sample*>(frame.data[plane] +
                                     static_cast<std::ptrdiff_t>(y) * frame.linesize[plane]);
}

template <class In, class Out> void copyAlpha(const In* rgba, V2i size, int depth, AVFrame& frame) {
    constexpr std::uint32_t from = sizeof(In) == 1 ? 255 : 65535;
    const std::uint32_t to = (1u << depth) - 1;
    for (int y = 0; y < size.y; ++y) {
        Out* out = rowOf<Out>(frame, 3, y);
        for (int x = 0; x < size.x; ++x, rgba += 4)
            out[x] = static_cast<Out>((static_cast<std::uint64_t>(rgba[3]) * to + from / 2) / from);
    }
}

}

void YuvConverter::GraphFree::operator()(zimg_filter_graph* graph) const {
    zimg_filter_graph_free(graph);
}

Result<std::unique_ptr<YuvConverter>> YuvConverter::make(V2i size, int bits, AVPixelFormat to) {
    const auto noMemory = [] { return fail("There is not enough memory for the movie."); };
    std::unique_ptr<YuvConverter> made(new YuvConverter);
    made->m_planes = frameOf(bits == 8 ? AV_PIX_FMT_GBRP : AV_PIX_FMT_GBRP16, size);
    if (!made->m_planes) return noMemory();
    const AVPixFmtDescriptor* format = av_pix_fmt_desc_get(to);
    made->m_depth = format->comp[0].depth;
    zimg_image_format in, out;
    zimg_image_format_default(&in, ZIMG_API_VERSION);
    in.width = static_cast<unsigned>(size.x), in.height = static_cast<unsigned>(size.y);
    in.pixel_type = bits == 8 ? ZIMG_PIXEL_BYTE : ZIMG_PIXEL_WORD;
    in.depth = static_cast<unsigned>(bits);
    in.color_family = ZIMG_COLOR_RGB;
    in.matrix_coefficients = ZIMG_MATRIX_RGB;
    in.transfer_characteristics = ZIMG_TRANSFER_BT709;
    in.color_primaries = ZIMG_PRIMARIES_BT709;
    in.pixel_range = ZIMG_RANGE_FULL;
    out = in;
    out.pixel_type = made->m_depth == 8 ? ZIMG_PIXEL_BYTE : ZIMG_PIXEL_WORD;
    out.depth = static_cast<unsigned>(made->m_depth);
    out.color_family = ZIMG_COLOR_YUV;
    out.matrix_coefficients = ZIMG_MATRIX_BT709;
    out.pixel_range = ZIMG_RANGE_LIMITED;
    out.subsample_w = format->log2_chroma_w, out.subsample_h = format->log2_chroma_h;
    out.chroma_location = ZIMG_CHROMA_LEFT;
    made->m_graph.reset(zimg_filter_graph_build(&in, &out, nullptr));
    std::size_t bytes = 0;
    if (!made->m_graph || zimg_filter_graph_get_tmp_size(made->m_graph.get(), &bytes) != ZIMG_ERROR_SUCCESS)
        return noMemory();
    made->m_memory.resize(bytes + alignment);
    return made;
}

Result<void> YuvConverter::convert(const Pixels& pixels, AVFrame& frame) {
    const V2i size = pixels.size;
    const auto apart = [&]<class Sample>(const render::Samples<Sample>& rgba) {
        for (int y = 0; y < size.y; ++y)
            splitColours(rgba.data() + static_cast<std::size_t>(y) * size.x * 4, size.x,
                         rowOf<Sample>(*m_planes, 2, y), rowOf<Sample>(*m_planes, 0, y),
                         rowOf<Sample>(*m_planes, 1, y)); // GBR
        if (!frame.data[3]) return;
        if (m_depth == 8)
            copyAlpha<Sample, std::uint8_t>(rgba.data(), size, m_depth, frame);
        else
            copyAlpha<Sample, std::uint16_t>(rgba.data(), size, m_depth, frame);
    };
    if (const auto* bytes = std::get_if<0>(&pixels.rgba)) apart(*bytes);
    if (const auto* shorts = std::get_if<1>(&pixels.rgba)) apart(*shorts);
    zimg_image_buffer_const from = {ZIMG_API_VERSION, {}};
    zimg_image_buffer to = {ZIMG_API_VERSION, {}};
    constexpr int planeOf[3] = {2, 0, 1}; // red, green, blue
    for (int c = 0; c < 3; ++c) {
        from.plane[c] = {m_planes->data[planeOf[c]], m_planes->linesize[planeOf[c]], ZIMG_BUFFER_MAX};
        to.plane[c] = {frame.data[c], frame.linesize[c], ZIMG_BUFFER_MAX};
    }
    const auto place =
        (reinterpret_cast<std::uintptr_t>(m_memory.data()) + alignment - 1) / alignment * alignment;
    if (zimg_filter_graph_process(m_graph.get(), &from, &to, reinterpret_cast<void*>(place), nullptr, nullptr,
                                  nullptr, nullptr) != ZIMG_ERROR_SUCCESS)
        return fail("A frame could not be converted to what movies hold.");
    return {};
}

}
