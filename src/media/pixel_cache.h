// The one cache of pixels: tiles of sources, kept within a budget of bytes and dropped by use. Sources that
// are made as a whole and take long are also kept in the cache folder between runs (media/stored_pyramid.h).
#pragma once

#include "media/clips.h"
#include "media/pixel_source.h"
#include "media/store_queue.h"
#include "media/stored_pyramid.h"

#include <array>
#include <condition_variable>
#include <list>
#include <mutex>
#include <unordered_map>

namespace stage::media {

/// Thread-safe: threads that ask for the same tiles cause one computation. What was given out stays valid as
/// long as it is held, also when it is evicted here.
class PixelCache {
public:
    /// budget: bytes of pixels to keep, parts of them for decoded frames of clips and for what others of its
    /// series have followed; 0 means a quarter of the machine's memory.
    explicit PixelCache(std::size_t budget = 0);
    ~PixelCache();
    PixelCache(const PixelCache&) = delete;
    PixelCache& operator=(const PixelCache&) = delete;

    /// A pyramid that has (at least) the tiles needed. Blocks while they are made. Errors are those of the
    /// source; of sources made as a whole they are remembered until forgetProblems().
    Result<PyramidPtr> pyramid(const PixelSourcePtr& source, const Need& need, const Progress& progress = {});
    /// One with the tiles of a box of a level.
    Result<PyramidPtr> pyramid(const PixelSourcePtr& source, int level, const Box& box,
                               const Progress& progress = {});
    /// How much of a need would have to be made first, 0..1: of the finest level in it, which takes longest.
    /// Never blocks for long.
    double missing(const PixelSourcePtr& source, const Need& need) const;
    /// A box of a level; texels outside the level are clear.
    Result<Raster> read(const PixelSourcePtr& source, int level, const Box& box,
                        const Progress& progress = {});

    /// Of pixels, now.
    std::size_t bytesKept() const;
    /// Bytes.
    std::size_t budget() const;
    void setBudget(std::size_t bytes); ///< 0: a quarter of the machine's memory
    /// What could not be made is tried again when it is next asked for.
    void forgetProblems();

    /// A picture is begun. What others of its series have followed is kept for the next few pictures only.
    void beginPicture();

    /// The readers of clips that are open.
    Clips& clips() { return m_clips; }

private:
    /// All tiles of a source that is made as a whole: in memory, or in a file.
    struct Whole {
        PyramidPtr held;
        StoredPyramidPtr stored;
        bool there() const { return held || stored; }
    };
    /// Shelves: the rest, and what others of its series have followed and was not used since.
    static constexpr std::size_t latest = 0, earlier = 1;
    /// A tile, or a whole (under wholeUnit).
    struct Unit {
        bool loading = true;
        TilePtr tile;
        Whole whole;
        Error problem; ///< where a whole is not there
        std::size_t bytes = 0, shelf = latest;
        std::uint64_t since = 0; ///< on its shelf: the number of the picture that was begun last
        std::list<std::pair<const std::string*, std::uint64_t>>::iterator place;
    };
    /// Units by their use, latest first, within a budget of their own.
    struct Shelf {
        std::list<std::pair<const std::string*, std::uint64_t>> units;
        std::size_t budget = 0, kept = 0;
    };
    struct Source {
        std::unordered_map<std::uint64_t, Unit> units;
        std::string series;
        bool followed = false; ///< by another one of its series, since it was last used
    };

    /// What tiles are made from.
    struct Maker {
        const PixelSource& source;
        const StoredPyramid* stored; ///< null: by the source itself
        bool means(int level) const; ///< a level's tiles are means of those of the level below
    };
    Result<Whole> whole(const PixelSource& source, const Progress& progress);
    Result<Whole> makeWhole(const PixelSource& source, const Progress& progress);
    struct TilePlace {
        int level;
        std::size_t tile;
    };
    using TilePlaces = std::vector<TilePlace>;
    Result<PyramidPtr> tiles(const Maker& maker, const Need& need, const Progress& progress);
    /// places: of one level where tiles are the means of the level below.
    Result<void> fill(const Maker& maker, Pyramid& pyramid, const TilePlaces& places,
                      const Progress& progress);
    Result<void> prepare(const Maker& maker, Pyramid& pyramid, const TilePlaces& places,
                         const Progress& progress);
    Result<void> make(const Maker& maker, Pyramid& pyramid, const TilePlaces& places,
                      const Progress& progress);
    Unit* unitOf(const std::string& source, std::uint64_t unit);
    Unit& begin(const PixelSource& source, std::uint64_t unit);
    void keep(Unit& unit, std::size_t bytes);
    void drop(const std::string& source, std::uint64_t unit);
    void used(const std::string& key, Source& source);
    void touch(const std::string& source, Unit& unit);
    void toFront(Unit& unit, std::size_t to);
    void evict();
    void share(std::size_t budget);

    mutable std::mutex m_lock;
    std::condition_variable m_loaded;
    std::size_t m_budget = 0;
    std::unordered_map<std::string, Source> m_sources;
    /// Of each series those that are not followed, by their keys in m_sources.
    std::unordered_map<std::string, std::vector<const std::string*>> m_leading;
    std::array<Shelf, 2> m_shelves;
    std::uint64_t m_pictures = 0; ///< begun so far
    Clips m_clips;
    StoreQueue m_storing;
};

}
