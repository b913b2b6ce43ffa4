#include "media/frame_converter.h"

#include "media/frame_filter.h"
#include "media/light.h"
#include "media/plugin.h"
#include "media/pyramid.h"
#include "media/texels.h"
#include "scene/timing.h"

extern "C" {
#include <libavutil/imgutils.h>
#include <libavutil/pixdesc.h>
}

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <zimg.h>

namespace stage::media {
namespace {

constexpr std::size_t alignment = 64; ///< bytes, of what zimg reads and writes
constexpr std::size_t mostGraphs = 256;

const AVPixFmtDescriptor* formatOf(const AVFrame& picture) {
    return av_pix_fmt_desc_get(static_cast<AVPixelFormat>(picture.format));
}

bool hasAlpha(const AVFrame& picture) {
    const AVPixFmtDescriptor* format = formatOf(picture);
    return format && (format->flags & AV_PIX_FMT_FLAG_ALPHA);
}

bool isFullRange(const AVFrame& picture) {
    return picture.color_range == AVCOL_RANGE_JPEG ||
           std::string_view(formatOf(picture)->name).substr(0, 4) == "yuvj";
}

/// Of those that zimg knows with no transfer curve; nothing: another.
std::optional<zimg_matrix_coefficients_e> matrixOf(const AVFrame& picture) {
    switch (picture.colorspace) {
    case AVCOL_SPC_UNSPECIFIED:
    case AVCOL_SPC_RESERVED:
        return picture.height >= 720 ? ZIMG_MATRIX_BT709 : ZIMG_MATRIX_ST170_M;
    case AVCOL_SPC_BT709:
        return ZIMG_MATRIX_BT709;
    case AVCOL_SPC_FCC:
        return ZIMG_MATRIX_FCC;
    case AVCOL_SPC_BT470BG:
    case AVCOL_SPC_SMPTE170M:
        return ZIMG_MATRIX_ST170_M;
    case AVCOL_SPC_SMPTE240M:
        return ZIMG_MATRIX_ST240_M;
    case AVCOL_SPC_BT2020_NCL:
        return ZIMG_MATRIX_BT2020_NCL;
    default:
        return {};
    }
}

/// Planar YUV, with or without alpha, whose chroma covers whole pixels, of which zimg reads any box.
bool isPlain(const AVFrame& picture) {
    const AVPixFmtDescriptor* format = formatOf(picture);
    if (!format || format->nb_components < 3 || !(format->flags & AV_PIX_FMT_FLAG_PLANAR) ||
        (format->flags & (AV_PIX_FMT_FLAG_RGB | AV_PIX_FMT_FLAG_BE | AV_PIX_FMT_FLAG_BITSTREAM |
                          AV_PIX_FMT_FLAG_HWACCEL | AV_PIX_FMT_FLAG_FLOAT)))
        return false;
    for (int c = 0; c < format->nb_components; ++c) {
        const AVComponentDescriptor& component = format->comp[c];
        if (component.plane != c || component.shift != 0 || component.depth < 8 || component.depth > 16 ||
            component.depth != format->comp[0].depth || component.step != (component.depth > 8 ? 2 : 1))
            return false;
    }
    return format->log2_chroma_w <= 2 && format->log2_chroma_h <= 2 &&
           picture.width % (1 << format->log2_chroma_w) == 0 &&
           picture.height % (1 << format->log2_chroma_h) == 0 && matrixOf(picture);
}

/// Shares of red and blue in brightness (ITU-T H.273).
std::array<float, 2> sharesOf(zimg_matrix_coefficients_e matrix) {
    switch (matrix) {
    case ZIMG_MATRIX_FCC:
        return {0.30f, 0.11f};
    case ZIMG_MATRIX_ST170_M:
        return {0.299f, 0.114f};
    case ZIMG_MATRIX_ST240_M:
        return {0.212f, 0.087f};
    case ZIMG_MATRIX_BT2020_NCL:
        return {0.2627f, 0.0593f};
    default:
        return {0.2126f, 0.0722f};
    }
}

bool isAligned(const AVFrame& picture) {
    for (int plane = 0; plane < formatOf(picture)->nb_components; ++plane)
        if (reinterpret_cast<std::uintptr_t>(picture.data[plane]) % alignment != 0 ||
            picture.linesize[plane] % static_cast<int>(alignment) != 0)
            return false;
    return true;
}

zimg_chroma_location_e chromaOf(const AVFrame& picture) {
    switch (picture.chroma_location) {
    case AVCHROMA_LOC_CENTER:
        return ZIMG_CHROMA_CENTER;
    case AVCHROMA_LOC_TOPLEFT:
        return ZIMG_CHROMA_TOP_LEFT;
    case AVCHROMA_LOC_TOP:
        return ZIMG_CHROMA_TOP;
    case AVCHROMA_LOC_BOTTOMLEFT:
        return ZIMG_CHROMA_BOTTOM_LEFT;
    case AVCHROMA_LOC_BOTTOM:
        return ZIMG_CHROMA_BOTTOM;
    case AVCHROMA_LOC_LEFT:
        return ZIMG_CHROMA_LEFT;
    default: // that of JPEG, else that of MPEG-2 and what came after
        return isFullRange(picture) ? ZIMG_CHROMA_CENTER : ZIMG_CHROMA_LEFT;
    }
}

/// Of a sample of colour from the middle of its 2 x 2 pixels, px.
std::array<float, 2> chromaPlace(zimg_chroma_location_e at) {
    const bool middle = at == ZIMG_CHROMA_CENTER || at == ZIMG_CHROMA_TOP || at == ZIMG_CHROMA_BOTTOM;
    const bool top = at == ZIMG_CHROMA_TOP || at == ZIMG_CHROMA_TOP_LEFT,
               bottom = at == ZIMG_CHROMA_BOTTOM || at == ZIMG_CHROMA_BOTTOM_LEFT;
    return {middle ? 0.f : -0.5f, top ? -0.5f : bottom ? 0.5f : 0.f};
}

/// Whole numbers of red, green, blue, one of each to a pixel.
bool isRgb(const AVFrame& picture) {
    const AVPixFmtDescriptor* format = formatOf(picture);
    return format && (format->flags & (AV_PIX_FMT_FLAG_RGB | AV_PIX_FMT_FLAG_PAL)) &&
           !(format->flags & (AV_PIX_FMT_FLAG_FLOAT | AV_PIX_FMT_FLAG_HWACCEL | AV_PIX_FMT_FLAG_BAYER)) &&
           format->comp[0].depth <= 16;
}

/// Linear values of 16-bit encoded ones.
struct Curve {
    std::vector<float> linear;
    std::vector<Imath::half> half;
    bool srgb; ///< linearTexels() knows it
    template <class F>
    explicit Curve(F&& of, bool isSrgb = false) : linear(65536), half(65536), srgb(isSrgb) {
        for (std::size_t i = 0; i < linear.size(); ++i)
            half[i] = linear[i] = of(static_cast<float>(i) / 65535.f);
    }
};
const Curve& curveOf(const AVFrame& picture) {
    static const Curve pq([](float v) { return nitsFromPq(v) / hdrWhite; });
    static const Curve hlg(sceneFromHlg);
    static const Curve linear([](float v) { return v; });
    static const Curve srgb(linearFromSrgb, true);
    switch (picture.color_trc) {
    case AVCOL_TRC_SMPTE2084:
        return pq;
    case AVCOL_TRC_ARIB_STD_B67:
        return hlg;
    case AVCOL_TRC_LINEAR:
        return linear;
    default:
        return srgb;
    }
}

/// Memory at the alignment that zimg wants, kept from call to call.
class Scratch {
public:
    void* of(std::size_t bytes) {
        if (bytes > m_bytes) {
            m_memory.reset(std::aligned_alloc(alignment, (bytes + alignment - 1) / alignment * alignment));
            if (!m_memory) throw std::bad_alloc();
            m_bytes = bytes;
        }
        return m_memory.get();
    }

private:
    struct Free {
        void operator()(void* memory) const { std::free(memory); }
    };
    std::unique_ptr<void, Free> m_memory;
    std::size_t m_bytes = 0;
};

ffmpeg::Frame likeness(const AVFrame& picture, AVPixelFormat format, V2i size) {
    ffmpeg::Frame copy(av_frame_alloc());
    if (!copy || av_frame_copy_props(copy.get(), &picture) < 0) throw std::bad_alloc();
    copy->format = format;
    copy->width = size.x;
    copy->height = size.y;
    if (av_frame_get_buffer(copy.get(), static_cast<int>(alignment)) < 0) throw std::bad_alloc();
    return copy;
}

}

DecodedPtr shared(ffmpeg::Frame picture) {
    return DecodedPtr(picture.release(), [](const AVFrame* frame) {
        auto* owned = const_cast<AVFrame*>(frame);
        av_frame_free(&owned);
    });
}

namespace {

/// The same values in 16 bits each.
DecodedPtr asRgba(const AVFrame& from) {
    const AVPixFmtDescriptor* format = formatOf(from);
    const bool palette = format->flags & AV_PIX_FMT_FLAG_PAL;
    ffmpeg::Frame rgba = likeness(from, AV_PIX_FMT_RGBA64LE, {from.width, from.height});
    std::vector<std::uint16_t> values(static_cast<std::size_t>(from.width));
    const bool alpha = hasAlpha(from);
    const std::uint8_t* data[4] = {from.data[0], from.data[1], from.data[2], from.data[3]};
    for (int y = 0; y < from.height; ++y) {
        auto* row = reinterpret_cast<std::uint16_t*>(rgba->data[0] + std::ptrdiff_t{y} * rgba->linesize[0]);
        for (int c = 0; c < 4; ++c) {
            if (c == 3 && !alpha) {
                for (int x = 0; x < from.width; ++x)
                    row[4 * x + 3] = 65535;
                break;
            }
            if (palette) { // 8-bit indices, and a table of ARGB
                for (int x = 0; x < from.width; ++x) {
                    const std::size_t index = from.data[0][std::ptrdiff_t{y} * from.linesize[0] + x];
                    const auto entry = reinterpret_cast<const std::uint32_t*>(from.data[1])[index];
                    row[4 * x + c] =
                        static_cast<std::uint16_t>((entry >> (c == 3 ? 24 : 16 - 8 * c) & 255) * 257);
                }
                continue;
            }
            av_read_image_line2(values.data(), data, from.linesize, format, 0, y, c, from.width, 0,
                                sizeof(std::uint16_t));
            const std::uint32_t top = (1u << format->comp[c].depth) - 1;
            for (int x = 0; x < from.width; ++x)
                row[4 * x + c] = static_cast<std::uint16_t>(
                    (values[static_cast<std::size_t>(x)] * 65535u + top / 2) / top);
        }
    }
    return shared(std::move(rgba));
}

}

std::size_t bytesOf(const AVFrame& picture) {
    const int bytes = av_image_get_buffer_size(static_cast<AVPixelFormat>(picture.format), picture.width,
                                               picture.height, 1);
    return bytes > 0 ? static_cast<std::size_t>(bytes) : 0;
}

bool ClipFrame::alpha() const {
    return hasAlpha(*m_picture);
}

std::size_t ClipFrame::bytes() const {
    return bytesOf(*m_picture);
}

struct FrameConverter::Graph {
    int format;
    AVColorSpace space;
    AVColorRange range;
    AVChromaLocation chroma;
    Box flat;
    std::shared_ptr<const zimg_filter_graph> made;
    bool is(const AVFrame& picture, const Box& box) const {
        return format == picture.format && space == picture.colorspace && range == picture.color_range &&
               chroma == picture.chroma_location && flat == box;
    }
};

/// 16-bit encoded values of a box, straight alpha, a colour's values `step` apart.
struct FrameConverter::Planes {
    const std::uint16_t* plane[4]; ///< the last one null: opaque
    std::ptrdiff_t stride;         ///< from row to row, values
    int step;
};

FrameConverter::FrameConverter(std::string name, V2i coded, V2i size, int quarterTurns)
    : m_name(std::move(name)), m_coded(coded), m_size(size),
      m_flat(quarterTurns % 2 == 1 ? V2i(size.y, size.x) : size), m_quarterTurns(quarterTurns) {}
FrameConverter::~FrameConverter() = default;

Result<DecodedPtr> FrameConverter::prepare(DecodedPtr picture) const {
    const AVFrame& from = *picture;
    if (V2i(from.width, from.height) != m_coded)
        return fail("Cannot read " + m_name + ": its picture size changes inside the clip.");
    if (isPlain(from)) {
        if (isAligned(from)) return picture;
        ffmpeg::Frame copy = likeness(from, static_cast<AVPixelFormat>(from.format), m_coded);
        if (av_frame_copy(copy.get(), &from) < 0)
            return fail("Cannot read " + m_name + ": a frame is damaged.");
        return shared(std::move(copy));
    }
    if (isRgb(from) && m_flat == m_coded) return asRgba(from);
    ffmpeg::Sws sws(sws_getContext(from.width, from.height, static_cast<AVPixelFormat>(from.format), m_flat.x,
                                   m_flat.y, AV_PIX_FMT_RGBA64LE,
                                   SWS_BICUBIC | SWS_ACCURATE_RND | SWS_FULL_CHR_H_INT | SWS_FULL_CHR_H_INP,
                                   nullptr, nullptr, nullptr));
    if (!sws) return fail("Cannot read " + m_name + ": its pixel format is not supported.");
    const auto matrix = matrixOf(from).value_or(ZIMG_MATRIX_ST170_M);
    const int coefficients = matrix == ZIMG_MATRIX_BT709        ? SWS_CS_ITU709
                             : matrix == ZIMG_MATRIX_BT2020_NCL ? SWS_CS_BT2020
                                                                : SWS_CS_ITU601;
    sws_setColorspaceDetails(sws.get(), sws_getCoefficients(coefficients), isFullRange(from) ? 1 : 0,
                             sws_getCoefficients(SWS_CS_DEFAULT), 1, 0, 1 << 16, 1 << 16);
    ffmpeg::Frame straight = likeness(from, AV_PIX_FMT_RGBA64LE, m_flat);
    sws_scale(sws.get(), from.data, from.linesize, 0, from.height, straight->data, straight->linesize);
    if (hasAlpha(from)) {
        // The converter widens alpha by a shift, which would leave opaque a little short of it.
        const int bits = std::clamp(formatOf(from)->comp[3].depth, 1, 16);
        const std::uint32_t top = (1u << bits) - 1;
        for (int y = 0; y < m_flat.y; ++y) {
            auto* row = reinterpret_cast<std::uint16_t*>(straight->data[0] +
                                                         std::ptrdiff_t{y} * straight->linesize[0]);
            for (int x = 0; x < m_flat.x; ++x)
                row[4 * x + 3] =
                    static_cast<std::uint16_t>(((row[4 * x + 3] >> (16 - bits)) * 65535u + top / 2) / top);
        }
    }
    return shared(std::move(straight));
}

Box FrameConverter::beforeTurn(const Box& shown) const {
    switch (m_quarterTurns) {
    case 1:
        return {shown.y0, m_flat.y - shown.x1, shown.y1, m_flat.y - shown.x0};
    case 2:
        return {m_flat.x - shown.x1, m_flat.y - shown.y1, m_flat.x - shown.x0, m_flat.y - shown.y0};
    case 3:
        return {m_flat.x - shown.y1, shown.x0, m_flat.x - shown.y0, shown.x1};
    default:
        return shown;
    }
}

std::shared_ptr<const zimg_filter_graph> FrameConverter::graphFor(const AVFrame& picture,
                                                                  const Box& flat) const {
    {
        const std::lock_guard guard(m_lock);
        for (auto graph = m_graphs.rbegin(); graph != m_graphs.rend(); ++graph)
            if (graph->is(picture, flat)) return graph->made;
    }
    const AVPixFmtDescriptor* format = formatOf(picture);
    zimg_image_format from, to;
    zimg_image_format_default(&from, ZIMG_API_VERSION);
    from.width = static_cast<unsigned>(picture.width);
    from.height = static_cast<unsigned>(picture.height);
    from.depth = static_cast<unsigned>(format->comp[0].depth);
    from.pixel_type = from.depth > 8 ? ZIMG_PIXEL_WORD : ZIMG_PIXEL_BYTE;
    from.subsample_w = format->log2_chroma_w;
    from.subsample_h = format->log2_chroma_h;
    from.color_family = ZIMG_COLOR_YUV;
    from.matrix_coefficients = *matrixOf(picture);
    from.pixel_range = isFullRange(picture) ? ZIMG_RANGE_FULL : ZIMG_RANGE_LIMITED;
    from.chroma_location = chromaOf(picture);
    from.alpha = hasAlpha(picture) ? ZIMG_ALPHA_STRAIGHT : ZIMG_ALPHA_NONE;
    const double across = static_cast<double>(m_coded.x) / m_flat.x,
                 down = static_cast<double>(m_coded.y) / m_flat.y;
    from.active_region.left = flat.x0 * across;
    from.active_region.top = flat.y0 * down;
    from.active_region.width = flat.size().x * across;
    from.active_region.height = flat.size().y * down;
    zimg_image_format_default(&to, ZIMG_API_VERSION);
    to.width = static_cast<unsigned>(flat.size().x);
    to.height = static_cast<unsigned>(flat.size().y);
    to.pixel_type = ZIMG_PIXEL_WORD;
    to.depth = 16;
    to.color_family = ZIMG_COLOR_RGB;
    to.matrix_coefficients = ZIMG_MATRIX_RGB;
    to.pixel_range = ZIMG_RANGE_FULL;
    to.alpha = from.alpha;
    zimg_graph_builder_params params;
    zimg_graph_builder_params_default(&params, ZIMG_API_VERSION);
    params.cpu_type = ZIMG_CPU_AUTO_64B; // what it reads and writes is aligned so
    params.resample_filter = params.resample_filter_uv = ZIMG_RESIZE_BICUBIC;
    params.filter_param_a = params.filter_param_a_uv = 0;
    params.filter_param_b = params.filter_param_b_uv = 0.5;
    std::shared_ptr<const zimg_filter_graph> made(
        zimg_filter_graph_build(&from, &to, &params), [](const zimg_filter_graph* graph) {
            zimg_filter_graph_free(const_cast<zimg_filter_graph*>(graph));
        });
    if (!made) return nullptr;
    const std::lock_guard guard(m_lock);
    if (m_graphs.size() >= mostGraphs) m_graphs.erase(m_graphs.begin(), m_graphs.begin() + mostGraphs / 2);
    m_graphs.push_back(
        {picture.format, picture.colorspace, picture.color_range, picture.chroma_location, flat, made});
    return made;
}

std::optional<YuvPicture> FrameConverter::asYuv(const AVFrame& picture) const {
    if (picture.format == AV_PIX_FMT_RGBA64LE || hasAlpha(picture) || m_quarterTurns != 0 ||
        m_flat != m_coded)
        return {};
    const AVPixFmtDescriptor* format = formatOf(picture);
    if (format->log2_chroma_w != 1 || format->log2_chroma_h != 1 || !curveOf(picture).srgb ||
        picture.color_primaries == AVCOL_PRI_BT2020)
        return {};
    const int bits = format->comp[0].depth;
    const auto one = static_cast<float>(1 << (bits - 8)), top = static_cast<float>((1 << bits) - 1);
    const bool full = isFullRange(picture);
    YuvPicture yuv;
    for (std::size_t c = 0; c < 3; ++c)
        yuv.plane[c] = picture.data[c], yuv.stride[c] = picture.linesize[c];
    yuv.size = m_coded;
    yuv.words = bits > 8;
    yuv.black = full ? 0 : 16 * one;
    yuv.scale = 1 / (full ? top : 219 * one);
    yuv.grey = 128 * one;
    yuv.differenceScale = 1 / (full ? top : 224 * one);
    const auto shares = sharesOf(*matrixOf(picture));
    yuv.red = shares[0], yuv.blue = shares[1];
    yuv.chroma = chromaPlace(chromaOf(picture));
    return yuv;
}

Result<Raster> FrameConverter::pixels(const AVFrame& picture, int level, const Box& box) const {
    const Timed timed(Stage::Convert);
    if (const auto yuv = asYuv(picture)) return texelsOf(*yuv, level, box);
    if (level == 0) return converted(picture, box);
    const auto fine =
        converted(picture, Box{2 * box.x0, 2 * box.y0, 2 * box.x1, 2 * box.y1}.within(boxOf(m_size)));
    if (!fine) return fine;
    return halved(*fine);
}

Result<Raster> FrameConverter::converted(const AVFrame& picture, const Box& box) const {
    const Box flat = beforeTurn(box);
    const V2i size = flat.size();
    thread_local Scratch scratch, planesScratch;
    Planes in{};
    if (picture.format == AV_PIX_FMT_RGBA64LE) {
        in.step = 4;
        in.stride = picture.linesize[0] / 2;
        const auto* first = reinterpret_cast<const std::uint16_t*>(picture.data[0]) + flat.y0 * in.stride +
                            std::ptrdiff_t{flat.x0} * in.step;
        for (int c = 0; c < 4; ++c)
            in.plane[c] = first + c;
    } else {
        const auto graph = graphFor(picture, flat);
        std::size_t bytes = 0;
        if (!graph || zimg_filter_graph_get_tmp_size(graph.get(), &bytes) != ZIMG_ERROR_SUCCESS)
            return fail("Cannot read " + m_name + ": its pixel format is not supported.");
        in.step = 1;
        in.stride = (size.x + 31) / 32 * 32;
        const std::size_t plane = static_cast<std::size_t>(in.stride) * static_cast<std::size_t>(size.y);
        const std::size_t planes = hasAlpha(picture) ? 4 : 3;
        auto* values = static_cast<std::uint16_t*>(planesScratch.of(planes * plane * sizeof(std::uint16_t)));
        zimg_image_buffer_const from{};
        zimg_image_buffer to{};
        from.version = to.version = ZIMG_API_VERSION;
        for (std::size_t c = 0; c < planes; ++c) {
            from.plane[c] = {picture.data[c], picture.linesize[c], ZIMG_BUFFER_MAX};
            to.plane[c] = {values + c * plane, in.stride * 2, ZIMG_BUFFER_MAX};
            in.plane[c] = values + c * plane;
        }
        if (zimg_filter_graph_process(graph.get(), &from, &to, scratch.of(bytes), nullptr, nullptr, nullptr,
                                      nullptr) != ZIMG_ERROR_SUCCESS)
            return fail("Cannot read " + m_name + ": a frame is damaged.");
    }

    const Curve& curve = curveOf(picture);
    const bool hlg = picture.color_trc == AVCOL_TRC_ARIB_STD_B67;
    const bool wide = picture.color_primaries == AVCOL_PRI_BT2020;
    Raster raster = Raster::unfilled(box.size());
    // Where the first pixel of a row goes, and the next of the row from there.
    const V2i shown = box.size();
    const std::ptrdiff_t right[4] = {4, 4 * shown.x, -4, -4 * shown.x};
    const auto rowStart = [&](int y) {
        switch (m_quarterTurns) {
        case 1:
            return raster.row(0) + 4 * (shown.x - 1 - y);
        case 2:
            return raster.row(shown.y - 1 - y) + 4 * (shown.x - 1);
        case 3:
            return raster.row(shown.y - 1) + 4 * y;
        default:
            return raster.row(y);
        }
    };
    for (int y = 0; y < size.y; ++y) {
        const std::ptrdiff_t offset = y * in.stride;
        const std::uint16_t *r = in.plane[0] + offset, *g = in.plane[1] + offset, *b = in.plane[2] + offset,
                            *a = in.plane[3] ? in.plane[3] + offset : nullptr;
        Imath::half* out = rowStart(y);
        const std::ptrdiff_t next = right[m_quarterTurns];
        if (!a && !hlg && !wide) {
            if (curve.srgb && next == 4) {
                linearTexels(r, g, b, size.x, reinterpret_cast<std::uint16_t*>(out));
                continue;
            }
            const Imath::half* half = curve.half.data();
            const Imath::half one(1.f);
            for (int x = 0; x < size.x; ++x, out += next)
                out[0] = half[r[x]], out[1] = half[g[x]], out[2] = half[b[x]], out[3] = one;
            continue;
        }
        for (int x = 0; x < size.x; ++x, out += next) {
            const std::ptrdiff_t i = std::ptrdiff_t{x} * in.step;
            const float alpha = a ? static_cast<float>(a[i]) / 65535.f : 1.f;
            std::array<float, 3> colour = {curve.linear[r[i]], curve.linear[g[i]], curve.linear[b[i]]};
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
    }
    return raster;
}

Result<DecodedPtr> deinterlaced(const DecodedPtr& before, const DecodedPtr& picture,
                                const DecodedPtr& after) {
    const auto filters = pluginOf<FrameFilters>("frame_filter");
    if (!filters) return tl::unexpected(filters.error());
    const auto broken = [] { return fail("The fields of interlaced footage cannot be taken apart."); };
    const auto filter =
        (*filters)->open("bwdif", "mode=send_frame:parity=auto:deint=all",
                         {{picture->width, picture->height, static_cast<AVPixelFormat>(picture->format)}});
    if (!filter) return broken();
    int time = 0;
    for (const DecodedPtr& each : {before, picture, after}) {
        ffmpeg::Frame fed(av_frame_clone(each ? each.get() : picture.get()));
        if (!fed) throw std::bad_alloc();
        fed->pts = time++;
        if (!filter->put(0, fed.get())) return broken();
    }
    if (!filter->put(0, nullptr)) return broken();
    filter->take();
    ffmpeg::Frame made = filter->take();
    if (!made) return broken();
    made->interlaced_frame = 0;
    return shared(std::move(made));
}

}
