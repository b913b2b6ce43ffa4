// Where pixels come from: a still, a frame of a clip, a text, a drawing, a card of colour, a matte, or
// something done to any of these look alike.
#pragma once

#include "media/pyramid.h"
#include "scene/error.h"
#include "scene/progress.h"

#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace stage::media {

class PixelCache;

/// Immutable; thread-safe. Two sources with the same key give the same pixels.
class PixelSource {
public:
    virtual ~PixelSource() = default;

    /// What the cache keeps its pixels under.
    const std::string& key() const { return m_key; }
    /// Of level 0, px.
    V2i size() const { return m_size; }

    enum class Granularity {
        Whole,     ///< level 0 is made at once and kept together (decoding a file, a fill)
        InStrips,  ///< all levels are laid out on disk, being too large to be held: see strips()
        ByBox,     ///< any box of level 0; smaller levels are means of it
        TwoLevels, ///< any box of levels 0 and 1; smaller levels are means of level 1
        EveryLevel ///< any box of any level (drawings, which are sharp at each)
    };
    /// What is made in one go.
    Granularity granularity() const { return m_granularity; }
    /// Sources of one series take each other's place, from frame to frame or as values change: when pixels of
    /// the next are begun, those of the ones before are kept only briefly. Empty: it stays what it is.
    const std::string& series() const { return m_series; }
    /// Of what is made of this one in some way.
    std::string seriesOf(std::string_view way) const {
        return (m_series.empty() ? m_key : m_series) + '\n' + std::string(way);
    }

    /// Pixels of a box inside the level. May ask the cache for those of other sources.
    virtual Result<Raster> compute(int level, const Box& box, PixelCache& cache,
                                   const Progress& progress) const = 0;
    /// Asks the cache for what boxes share, before they are made at the same time: so it is made by all
    /// threads, instead of by one while the others wait. compute() does not depend on it.
    virtual Result<void> prepare(int /*level*/, const std::vector<Box>& /*boxes*/, PixelCache&,
                                 const Progress&) const {
        return {};
    }
    /// Of a source that is made in strips: level 0 from the top. Others never see this asked.
    virtual Result<void> strips(const TakeStrip&, const Progress&) const { return {}; }
    /// What errors call it.
    virtual std::string name() const { return "a picture"; }

protected:
    /// key: without the size, which is added: scenes may say different sizes of one file.
    PixelSource(std::string key, V2i size, Granularity granularity, std::string series = {})
        : m_key(std::move(key) + '\n' + std::to_string(size.x) + 'x' + std::to_string(size.y)),
          m_series(std::move(series)), m_size(size), m_granularity(granularity) {}

private:
    std::string m_key, m_series;
    V2i m_size;
    Granularity m_granularity;
};
using PixelSourcePtr = std::shared_ptr<const PixelSource>;

}
