#include "media/pixel_cache.h"

#include "media/parallel.h"

#include <unistd.h>

namespace stage::media {
namespace {

// Parts of the budget: one of so many.
constexpr std::size_t clipsShare = 8, shortShare = 16;
constexpr std::uint64_t wholeUnit = ~std::uint64_t{0};

std::uint64_t unitFor(int level, std::size_t tile) {
    return static_cast<std::uint64_t>(level) << 56 | tile;
}

std::size_t quarterOfMemory() {
    return static_cast<std::size_t>(::sysconf(_SC_PHYS_PAGES)) *
           static_cast<std::size_t>(::sysconf(_SC_PAGE_SIZE)) / 4;
}

}

PixelCache::PixelCache(std::size_t budget) : m_clips(0) {
    share(budget);
}
PixelCache::~PixelCache() = default;

// ---- bookkeeping; m_lock is held

PixelCache::Unit* PixelCache::unitOf(const std::string& source, std::uint64_t unit) {
    const auto units = m_sources.find(source);
    if (units == m_sources.end()) return nullptr;
    const auto found = units->second.find(unit);
    return found == units->second.end() ? nullptr : &found->second;
}

PixelCache::Unit& PixelCache::begin(const PixelSource& source, std::uint64_t unit) {
    const auto units = m_sources.try_emplace(source.key()).first;
    auto& list = shelf(source.retention()).units;
    list.emplace_front(&units->first, unit);
    Unit& made = units->second[unit];
    made.retention = source.retention();
    made.place = list.begin();
    return made;
}

void PixelCache::keep(Unit& unit, std::size_t bytes) {
    unit.loading = false;
    unit.bytes = bytes;
    shelf(unit.retention).kept += bytes;
}

void PixelCache::drop(const std::string& source, std::uint64_t unit) {
    const auto units = m_sources.find(source);
    const auto found = units->second.find(unit);
    Shelf& on = shelf(found->second.retention);
    on.kept -= found->second.bytes;
    on.units.erase(found->second.place);
    units->second.erase(found);
    if (units->second.empty()) m_sources.erase(units);
}

void PixelCache::touch(Unit& unit) {
    auto& list = shelf(unit.retention).units;
    list.splice(list.begin(), list, unit.place);
}

void PixelCache::evict() {
    for (Shelf& on : m_shelves)
        for (auto last = on.units.end(); on.kept > on.budget && last != on.units.begin();) {
            --last;
            if (last == on.units.begin()) break; // the one just made
            const auto [source, unit] = *last;
            if (unitOf(*source, unit)->loading) continue;
            ++last;
            drop(*source, unit);
        }
}

void PixelCache::share(std::size_t budget) {
    m_budget = budget ? budget : quarterOfMemory();
    const std::size_t clips = m_budget / clipsShare, briefly = m_budget / shortShare;
    m_clips.setBudget(clips);
    shelf(PixelSource::Retention::Short).budget = briefly;
    shelf(PixelSource::Retention::Long).budget = m_budget - clips - briefly;
    evict();
}

// ---- making

Result<PyramidPtr> PixelCache::whole(const PixelSourcePtr& source, const Progress& progress) {
    {
        std::unique_lock guard(m_lock);
        while (Unit* unit = unitOf(source->key(), wholeUnit)) {
            if (!unit->loading) {
                touch(*unit);
                if (!unit->whole) return tl::unexpected(unit->problem);
                return unit->whole;
            }
            m_loaded.wait(guard);
        }
        begin(*source, wholeUnit);
    }
    Result<PyramidPtr> pixels = guarded([&] {
        return alone([&]() -> Result<PyramidPtr> {
            auto base = source->compute(0, boxOf(source->size()), *this, progress);
            if (!base) return tl::unexpected(base.error());
            return makePyramid(*base);
        });
    });
    std::lock_guard guard(m_lock);
    if (!pixels && pixels.error().cancelled) {
        drop(source->key(), wholeUnit); // the next one to ask begins anew
    } else {
        Unit& unit = *unitOf(source->key(), wholeUnit);
        if (pixels)
            unit.whole = *pixels;
        else
            unit.problem = pixels.error();
        keep(unit, pixels ? unit.whole->bytes() : 0);
        evict();
    }
    m_loaded.notify_all();
    return pixels;
}

/// Computes tiles of a level into the pyramid, without looking whether they are kept.
Result<void> PixelCache::make(const PixelSourcePtr& source, Pyramid& pyramid, int level,
                              const std::vector<std::size_t>& tiles, const Progress& progress) {
    TiledLevel& to = pyramid.levels[static_cast<std::size_t>(level)];
    const bool mean = level > 0 && source->granularity() != PixelSource::Granularity::EveryLevel;
    if (mean) {
        const TiledLevel& below = pyramid.levels[static_cast<std::size_t>(level) - 1];
        std::vector<std::size_t> wanted;
        for (const std::size_t tile : tiles) {
            const int tx = static_cast<int>(tile) % to.grid.x, ty = static_cast<int>(tile) / to.grid.x;
            for (int y = 2 * ty; y < std::min(2 * ty + 2, below.grid.y); ++y)
                for (int x = 2 * tx; x < std::min(2 * tx + 2, below.grid.x); ++x)
                    wanted.push_back(below.indexOf(x, y));
        }
        if (auto ok = fill(source, pyramid, level - 1, wanted, progress); !ok) return ok;
    }
    std::mutex problems;
    Result<void> outcome;
    inParallel(std::size_t{0}, tiles.size(), [&](std::size_t i) {
        Result<TilePtr> tile = guarded([&]() -> Result<TilePtr> {
            if (mean) return meanTile(pyramid.levels[static_cast<std::size_t>(level) - 1], to, tiles[i]);
            if (progress.stopped()) return cancelled();
            auto pixels = source->compute(level, to.boxOfTile(tiles[i]), *this, progress);
            if (!pixels) return tl::unexpected(pixels.error());
            return std::make_shared<const Tile>(std::move(*pixels));
        });
        if (tile) {
            to.tiles[tiles[i]] = std::move(*tile);
        } else {
            std::lock_guard guard(problems);
            outcome = tl::unexpected(tile.error());
        }
    });
    return outcome;
}

/// Puts tiles of a level into the pyramid: those kept, those made here, and those that others are making.
Result<void> PixelCache::fill(const PixelSourcePtr& source, Pyramid& pyramid, int level,
                              const std::vector<std::size_t>& tiles, const Progress& progress) {
    auto& places = pyramid.levels[static_cast<std::size_t>(level)].tiles;
    for (;;) {
        std::vector<std::size_t> mine;
        bool waiting = false;
        {
            std::unique_lock guard(m_lock);
            for (const std::size_t tile : tiles) {
                if (places[tile]) continue;
                Unit* unit = unitOf(source->key(), unitFor(level, tile));
                if (!unit) {
                    begin(*source, unitFor(level, tile));
                    mine.push_back(tile);
                } else if (unit->loading) {
                    waiting = true;
                } else {
                    touch(*unit);
                    places[tile] = unit->tile;
                }
            }
            if (mine.empty()) {
                if (!waiting) return {};
                m_loaded.wait(guard);
                continue;
            }
        }
        const auto made =
            guarded([&] { return alone([&] { return make(source, pyramid, level, mine, progress); }); });
        std::lock_guard guard(m_lock);
        for (const std::size_t tile : mine) {
            if (!places[tile]) {
                drop(source->key(), unitFor(level, tile));
                continue;
            }
            Unit& unit = *unitOf(source->key(), unitFor(level, tile));
            unit.tile = places[tile];
            keep(unit, unit.tile->bytes());
        }
        evict();
        m_loaded.notify_all();
        if (!made) return made;
    }
}

Result<PyramidPtr> PixelCache::pyramid(const PixelSourcePtr& source, const Need& need,
                                       const Progress& progress) {
    if (source->granularity() == PixelSource::Granularity::Whole) {
        const auto all = whole(source, progress);
        if (!all) return all;
        // Only what is needed is given out: the rest can go as soon as it is dropped here, so that many large
        // pictures in one frame do not add up.
        auto part = std::make_shared<Pyramid>(source->size());
        for (int level = 0; level < need.levels(); ++level) {
            const auto n = static_cast<std::size_t>(level);
            for (const std::size_t tile : need.tiles(level))
                part->levels[n].tiles[tile] = (*all)->levels[n].tiles[tile];
        }
        return part;
    }
    auto pyramid = std::make_shared<Pyramid>(source->size());
    for (int level = 0; level < need.levels(); ++level) {
        const auto tiles = need.tiles(level);
        if (tiles.empty()) continue;
        if (auto ok = fill(source, *pyramid, level, tiles, progress); !ok) return tl::unexpected(ok.error());
    }
    return pyramid;
}

PyramidPtr PixelCache::cached(const PixelSourcePtr& source, const Need& need) {
    std::lock_guard guard(m_lock);
    if (source->granularity() == PixelSource::Granularity::Whole) {
        Unit* unit = unitOf(source->key(), wholeUnit);
        if (!unit || unit->loading || !unit->whole) return nullptr;
        touch(*unit);
        return unit->whole;
    }
    auto pyramid = std::make_shared<Pyramid>(source->size());
    for (int level = 0; level < need.levels(); ++level) {
        for (const std::size_t tile : need.tiles(level)) {
            Unit* unit = unitOf(source->key(), unitFor(level, tile));
            if (!unit || unit->loading) return nullptr;
            touch(*unit);
            pyramid->levels[static_cast<std::size_t>(level)].tiles[tile] = unit->tile;
        }
    }
    return pyramid;
}

Result<Raster> PixelCache::read(const PixelSourcePtr& source, int level, const Box& box,
                                const Progress& progress) {
    Need need(source->size());
    need.add(level, box);
    auto pixels = pyramid(source, need, progress);
    if (!pixels) return tl::unexpected(pixels.error());
    return (*pixels)->levels[static_cast<std::size_t>(level)].piece(box);
}

// ---- asking

std::size_t PixelCache::bytesKept() const {
    std::lock_guard guard(m_lock);
    std::size_t sum = 0;
    for (const Shelf& on : m_shelves)
        sum += on.kept;
    return sum;
}

std::size_t PixelCache::budget() const {
    std::lock_guard guard(m_lock);
    return m_budget;
}

void PixelCache::setBudget(std::size_t bytes) {
    std::lock_guard guard(m_lock);
    share(bytes);
}

void PixelCache::forgetProblems() {
    std::lock_guard guard(m_lock);
    std::vector<std::string> broken;
    for (const auto& [source, units] : m_sources)
        if (const auto unit = units.find(wholeUnit);
            unit != units.end() && !unit->second.loading && !unit->second.whole)
            broken.push_back(source);
    for (const std::string& source : broken)
        drop(source, wholeUnit);
}

}
