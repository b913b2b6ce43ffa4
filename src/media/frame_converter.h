// From a decoded frame of a clip to pixels as the renderer reads them.
#pragma once

#include "media/ffmpeg.h"
#include "media/raster.h"
#include "media/yuv_texels.h"
#include "scene/error.h"

#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

struct zimg_filter_graph;

namespace stage::media {

/// A decoded picture. Immutable, shared with the decoder.
using DecodedPtr = std::shared_ptr<const AVFrame>;

/// For the frames of one clip. Thread-safe.
class FrameConverter {
public:
    /// name: of the clip, for sentences. coded: size of its pictures. size: as shown, turned upright by
    /// quarterTurns (clockwise) and with square pixels.
    FrameConverter(std::string name, V2i coded, V2i size, int quarterTurns);
    ~FrameConverter();
    FrameConverter(const FrameConverter&) = delete;
    FrameConverter& operator=(const FrameConverter&) = delete;

    /// As shown, px.
    V2i size() const { return m_size; }
    /// The picture in a form of which any box can be read fast: itself, or one with all its pixels converted.
    /// Errors: another size than the clip has; an unsupported pixel format.
    Result<DecodedPtr> prepare(DecodedPtr picture) const;
    /// A box inside level 0 or 1 of the frame as shown, of a prepared picture; a texel of level 1 is the mean
    /// of 2 x 2 pixels. Encoded values become linear by the curve that the picture names: PQ and HLG with 203
    /// cd/m2 as 1 (ITU-R BT.2408), all else by the sRGB curve.
    Result<Raster> pixels(const AVFrame& picture, int level, const Box& box) const;

private:
    struct Planes;
    struct Graph;
    /// The box in the picture as it is coded but with square pixels: before it is turned.
    Box beforeTurn(const Box& shown) const;
    /// Nothing: it, or how it is shown, is of another kind.
    std::optional<YuvPicture> asYuv(const AVFrame& picture) const;
    Result<Raster> converted(const AVFrame& picture, const Box& box) const;
    std::shared_ptr<const zimg_filter_graph> graphFor(const AVFrame& picture, const Box& flat) const;

    std::string m_name;
    V2i m_coded, m_size, m_flat; ///< flat: as shown, before it is turned
    int m_quarterTurns;
    mutable std::mutex m_lock;
    mutable std::vector<Graph> m_graphs; ///< made, latest last
};

/// A frame of a clip. Immutable; thread-safe.
class ClipFrame {
public:
    ClipFrame(DecodedPtr picture, std::shared_ptr<const FrameConverter> converter)
        : m_picture(std::move(picture)), m_converter(std::move(converter)) {}
    /// As shown, px.
    V2i size() const { return m_converter->size(); }
    /// Of memory.
    std::size_t bytes() const;
    /// Whether it can be transparent anywhere.
    bool alpha() const;
    /// It shows that very picture, and has no memory of its own.
    bool is(const DecodedPtr& picture) const { return m_picture == picture; }
    /// Scene-linear pixels of a box inside level 0 or 1 of the frame.
    Result<Raster> pixels(int level, const Box& box) const {
        return m_converter->pixels(*m_picture, level, box);
    }

private:
    DecodedPtr m_picture;
    std::shared_ptr<const FrameConverter> m_converter;
};
using ClipFramePtr = std::shared_ptr<const ClipFrame>;

/// Bytes that a picture takes.
std::size_t bytesOf(const AVFrame& picture);
/// Owned from now on.
DecodedPtr shared(ffmpeg::Frame picture);

/// One progressive picture of an interlaced one, by motion-adaptive interpolation between its fields, with
/// the pictures before and after it (null where there is none: itself). Errors: what the filter library says.
Result<DecodedPtr> deinterlaced(const DecodedPtr& before, const DecodedPtr& picture, const DecodedPtr& after);

}
