// Which parts of a frame nothing opaque fills: by the alpha of all layers together, through lens and
// exposure.
#pragma once

#include "media/pixel_cache.h"
#include "motion/frame.h"
#include "optics/region.h"

#include <memory>
#include <mutex>
#include <unordered_map>
#include <vector>

namespace stage::checks {

/// A part of the frame that is not filled.
struct Hole {
    optics::FramePart part; ///< px of the frame that was looked at
    double open = 0;        ///< the mean share of light that comes through, 0..1
};

/// Reads pictures coarsely, of footage the first frame used for all of them, and keeps what it has read.
/// Thread-safe.
class Coverage {
public:
    explicit Coverage(media::PixelCache& cache) : m_cache(cache) {}
    ~Coverage();
    Coverage(const Coverage&) = delete;
    Coverage& operator=(const Coverage&) = delete;

    /// Where light from behind all layers reaches the picture, in boxes of at least `finest` px that do not
    /// overlap; a box of the frame that one opaque layer fills is told without looking closer. A frame of
    /// some hundred pixels across is enough: what is left of its edges counts, however little it is. without:
    /// a layer that is left out, 0 for none. What is mixed by Add fills nothing. A picture that cannot be
    /// read counts as opaque: that it is missing is told elsewhere. Error: stopped.
    Result<std::vector<Hole>> holes(const motion::Frame& frame, std::int64_t without = 0, int finest = 1,
                                    const std::stop_token& stop = {});

    /// Whether a layer's picture is opaque all along the left, top, right and bottom edge, so that the layer
    /// may close a frame there.
    std::array<bool, 4> opaqueEdges(const motion::Item& item, const std::stop_token& stop = {});

private:
    struct Sheet;
    struct Looking;
    /// Null: opaque all over, or not to be read.
    media::PyramidPtr pixelsOf(const motion::Pixels& pixels, const std::stop_token& stop);
    bool opaqueClip(const motion::Pixels& pixels);
    std::vector<Sheet> sheetsOf(const std::vector<motion::Item>& items, const motion::Frame& frame,
                                std::int64_t without, const std::stop_token& stop);

    media::PixelCache& m_cache;
    std::mutex m_lock;
    std::unordered_map<std::string, media::PyramidPtr> m_read; ///< by the key of the source
    std::unordered_map<std::string, bool> m_opaqueClips;       ///< by path
};

}
