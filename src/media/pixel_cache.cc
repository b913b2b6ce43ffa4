#include "media/pixel_cache.h"

#include "media/file_state.h"
#include "media/parallel.h"
#include "scene/timing.h"

#include <chrono>
#include <unistd.h>
#include <utility>

namespace stage::media {
namespace {

// Parts of the budget: one of so many.
constexpr std::size_t clipsShare = 8, earlierShare = 32;
/// What others of its series have followed is kept for so many pictures: several may be under way.
constexpr std::uint64_t earlierPictures = 8;
/// What was made faster than this is not kept on disk.
constexpr std::chrono::milliseconds worthKeeping{20};
constexpr std::uint64_t wholeUnit = ~std::uint64_t{0};

std::uint64_t unitFor(int level, std::size_t tile) {
    return static_cast<std::uint64_t>(level) << 56 | tile;
}

bool asWhole(const PixelSource& source) {
    return source.granularity() == PixelSource::Granularity::Whole ||
           source.granularity() == PixelSource::Granularity::InStrips;
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
    const auto from = m_sources.find(source);
    if (from == m_sources.end()) return nullptr;
    const auto found = from->second.units.find(unit);
    return found == from->second.units.end() ? nullptr : &found->second;
}

PixelCache::Unit& PixelCache::begin(const PixelSource& source, std::uint64_t unit) {
    const auto [from, isNew] = m_sources.try_emplace(source.key());
    if (isNew && !source.series().empty()) {
        // Those before it are not worth keeping for long, but for those that are used again.
        auto& before = m_leading[source.series()];
        for (const std::string* key : before) {
            Source& each = m_sources.at(*key);
            each.followed = true;
            for (auto& [number, old] : each.units)
                toFront(old, earlier);
        }
        before = {&from->first};
        from->second.series = source.series();
    }
    used(from->first, from->second);
    auto& list = m_shelves[latest].units;
    list.emplace_front(&from->first, unit);
    Unit& made = from->second.units[unit];
    made.place = list.begin();
    return made;
}

void PixelCache::keep(Unit& unit, std::size_t bytes) {
    unit.loading = false;
    unit.bytes = bytes;
    m_shelves[unit.shelf].kept += bytes;
}

void PixelCache::drop(const std::string& source, std::uint64_t unit) {
    const auto from = m_sources.find(source);
    const auto found = from->second.units.find(unit);
    Shelf& on = m_shelves[found->second.shelf];
    on.kept -= found->second.bytes;
    on.units.erase(found->second.place);
    from->second.units.erase(found);
    if (!from->second.units.empty()) return;
    if (const auto series = m_leading.find(from->second.series); series != m_leading.end()) {
        std::erase(series->second, &from->first);
        if (series->second.empty()) m_leading.erase(series);
    }
    m_sources.erase(from);
}

void PixelCache::toFront(Unit& unit, std::size_t to) {
    Shelf &from = m_shelves[unit.shelf], &on = m_shelves[to];
    on.units.splice(on.units.begin(), from.units, unit.place);
    from.kept -= unit.bytes, on.kept += unit.bytes;
    unit.shelf = to, unit.since = m_pictures;
}

/// key: as m_sources has it.
void PixelCache::used(const std::string& key, Source& source) {
    if (std::exchange(source.followed, false)) m_leading[source.series].push_back(&key);
}

void PixelCache::touch(const std::string& source, Unit& unit) {
    if (unit.shelf == earlier) {
        const auto from = m_sources.find(source);
        used(from->first, from->second);
    }
    toFront(unit, latest);
}

void PixelCache::evict() {
    for (Shelf& on : m_shelves)
        for (auto last = on.units.end(); last != on.units.begin();) {
            --last;
            const auto [source, number] = *last;
            const Unit& unit = *unitOf(*source, number);
            const bool old = &on == &m_shelves[earlier] && unit.since + earlierPictures < m_pictures;
            if (!old && (on.kept <= on.budget || last == on.units.begin()))
                break; // kept is also the one just made
            if (unit.loading) continue;
            ++last;
            drop(*source, number);
        }
}

void PixelCache::share(std::size_t budget) {
    m_budget = budget ? budget : quarterOfMemory();
    const std::size_t clips = m_budget / clipsShare, before = m_budget / earlierShare;
    m_clips.setBudget(clips);
    m_shelves[earlier].budget = before;
    m_shelves[latest].budget = m_budget - clips - before;
    evict();
}

// ---- making

/// From the cache folder, or made and kept there.
Result<PixelCache::Whole> PixelCache::makeWhole(const PixelSource& source, const Progress& progress) {
    const std::string key = contentKey(source.key());
    if (!key.empty())
        if (auto stored = StoredPyramid::open(key, source.size())) return Whole{nullptr, std::move(stored)};
    if (source.granularity() == PixelSource::Granularity::InStrips) {
        const Timed timed(Stage::Decode);
        auto stored = storeStrips(key.empty() ? source.key() : key, source.name(), source.size(),
                                  [&](const TakeStrip& take) { return source.strips(take, progress); });
        if (!stored) return tl::unexpected(stored.error());
        // Shown all the same, but not found again, where the file has changed while it was read.
        if (contentKey(source.key()) != key) dropStored(key);
        return Whole{nullptr, std::move(*stored)};
    }
    const auto begin = std::chrono::steady_clock::now();
    auto base = source.compute(0, boxOf(source.size()), *this, progress);
    if (!base) return tl::unexpected(base.error());
    const auto took = std::chrono::steady_clock::now() - begin;
    auto held = [&] {
        const Timed timed(Stage::Levels);
        return makePyramid(*base);
    }();
    // Not where a file has changed while it was read.
    if (took >= worthKeeping && !key.empty() && contentKey(source.key()) == key) m_storing.add(key, held);
    return Whole{std::move(held), nullptr};
}

Result<PixelCache::Whole> PixelCache::whole(const PixelSource& source, const Progress& progress) {
    {
        std::unique_lock guard(m_lock);
        while (Unit* unit = unitOf(source.key(), wholeUnit)) {
            if (!unit->loading) {
                touch(source.key(), *unit);
                if (!unit->whole.there()) return tl::unexpected(unit->problem);
                return unit->whole;
            }
            const Timed timed(Stage::Wait);
            m_loaded.wait(guard);
        }
        begin(source, wholeUnit);
    }
    Result<Whole> made = guarded([&] { return alone([&] { return makeWhole(source, progress); }); });
    std::lock_guard guard(m_lock);
    if (!made && made.error().cancelled) {
        drop(source.key(), wholeUnit); // the next one to ask begins anew
    } else {
        Unit& unit = *unitOf(source.key(), wholeUnit);
        if (made)
            unit.whole = *made;
        else
            unit.problem = made.error();
        keep(unit, !made ? 0 : made->held ? made->held->bytes() : made->stored->bytes());
        evict();
    }
    m_loaded.notify_all();
    return made;
}

bool PixelCache::Maker::means(int level) const {
    if (stored || source.granularity() == PixelSource::Granularity::EveryLevel) return false;
    return level > (source.granularity() == PixelSource::Granularity::TwoLevels ? 1 : 0);
}

/// Lets the source prepare several tiles, level by level.
Result<void> PixelCache::prepare(const Maker& maker, Pyramid& pyramid, const TilePlaces& places,
                                 const Progress& progress) {
    if (maker.stored || places.size() < 2) return {};
    std::vector<std::vector<Box>> boxes(pyramid.levels.size());
    for (const auto& [level, index] : places)
        boxes[static_cast<std::size_t>(level)].push_back(pyramid.level(level).boxOfTile(index));
    for (std::size_t n = 0; n < boxes.size(); ++n)
        if (!boxes[n].empty())
            if (auto ok = maker.source.prepare(static_cast<int>(n), boxes[n], *this, progress); !ok)
                return ok;
    return {};
}

/// Computes tiles into the pyramid, without looking whether they are kept.
Result<void> PixelCache::make(const Maker& maker, Pyramid& pyramid, const TilePlaces& places,
                              const Progress& progress) {
    const bool mean = maker.means(places.front().level);
    if (mean) {
        const int finer = places.front().level - 1;
        const TiledLevel &to = pyramid.level(finer + 1), &below = pyramid.level(finer);
        TilePlaces wanted;
        for (const TilePlace& place : places) {
            const int tx = static_cast<int>(place.tile) % to.grid.x,
                      ty = static_cast<int>(place.tile) / to.grid.x;
            for (int y = 2 * ty; y < std::min(2 * ty + 2, below.grid.y); ++y)
                for (int x = 2 * tx; x < std::min(2 * tx + 2, below.grid.x); ++x)
                    wanted.push_back({finer, below.indexOf(x, y)});
        }
        if (auto ok = fill(maker, pyramid, wanted, progress); !ok) return ok;
    } else if (auto ok = prepare(maker, pyramid, places, progress); !ok) {
        return ok;
    }
    std::mutex problems;
    Result<void> outcome;
    inParallel(std::size_t{0}, places.size(), [&](std::size_t i) {
        const auto& [level, index] = places[i];
        TiledLevel& to = pyramid.level(level);
        Result<TilePtr> tile = guarded([&]() -> Result<TilePtr> {
            const Timed timed(mean ? Stage::Levels : maker.stored ? Stage::Read : Stage::Cut);
            if (mean) return meanTile(pyramid.level(level - 1), to, index);
            if (progress.stopped()) return cancelled();
            if (maker.stored) return maker.stored->tile(level, index);
            auto pixels = maker.source.compute(level, to.boxOfTile(index), *this, progress);
            if (!pixels) return tl::unexpected(pixels.error());
            return tileOf(std::move(*pixels));
        });
        if (tile) {
            to.tiles[index] = std::move(*tile);
        } else {
            std::lock_guard guard(problems);
            outcome = tl::unexpected(tile.error());
        }
    });
    return outcome;
}

/// Puts tiles into the pyramid: those kept, those made here, and those that others are making.
Result<void> PixelCache::fill(const Maker& maker, Pyramid& pyramid, const TilePlaces& places,
                              const Progress& progress) {
    const std::string& key = maker.source.key();
    for (;;) {
        TilePlaces mine;
        bool waiting = false;
        {
            std::unique_lock guard(m_lock);
            for (const TilePlace& place : places) {
                TilePtr& tile = pyramid.level(place.level).tiles[place.tile];
                if (tile) continue;
                Unit* unit = unitOf(key, unitFor(place.level, place.tile));
                if (!unit) {
                    begin(maker.source, unitFor(place.level, place.tile));
                    mine.push_back(place);
                } else if (unit->loading) {
                    waiting = true;
                } else {
                    touch(key, *unit);
                    tile = unit->tile;
                }
            }
            if (mine.empty()) {
                if (!waiting) return {};
                const Timed timed(Stage::Wait);
                m_loaded.wait(guard);
                continue;
            }
        }
        const auto made =
            guarded([&] { return alone([&] { return make(maker, pyramid, mine, progress); }); });
        std::lock_guard guard(m_lock);
        for (const auto& [level, index] : mine) {
            const TilePtr& tile = pyramid.level(level).tiles[index];
            if (!tile) {
                drop(key, unitFor(level, index));
                continue;
            }
            Unit& unit = *unitOf(key, unitFor(level, index));
            unit.tile = tile;
            keep(unit, unit.tile->bytes());
        }
        evict();
        m_loaded.notify_all();
        if (!made) return made;
    }
}

Result<PyramidPtr> PixelCache::tiles(const Maker& maker, const Need& need, const Progress& progress) {
    auto pyramid = std::make_shared<Pyramid>(maker.source.size());
    // Levels that are means of others come one after the other, all else at once.
    TilePlaces wanted;
    for (int level = 0; level < need.levels(); ++level) {
        for (const std::size_t tile : need.tiles(level))
            wanted.push_back({level, tile});
        if (wanted.empty() || (level + 1 < need.levels() && !maker.means(level + 1))) continue;
        if (auto ok = fill(maker, *pyramid, wanted, progress); !ok) return tl::unexpected(ok.error());
        wanted.clear();
    }
    return pyramid;
}

Result<PyramidPtr> PixelCache::pyramid(const PixelSourcePtr& source, const Need& need,
                                       const Progress& progress) {
    if (!asWhole(*source)) return tiles({*source, nullptr}, need, progress);
    for (bool again = false;; again = true) {
        const auto all = whole(*source, progress);
        if (!all) return tl::unexpected(all.error());
        if (all->held) {
            // Only what is needed is given out: the rest can go as soon as it is dropped here, so that many
            // large pictures in one frame do not add up.
            auto part = std::make_shared<Pyramid>(source->size());
            for (int level = 0; level < need.levels(); ++level) {
                const auto n = static_cast<std::size_t>(level);
                for (const std::size_t tile : need.tiles(level))
                    part->levels[n].tiles[tile] = all->held->levels[n].tiles[tile];
            }
            return part;
        }
        auto part = tiles({*source, all->stored.get()}, need, progress);
        if (part || part.error().cancelled || again) return part;
        // Damaged on the disk: made anew, once.
        dropStored(contentKey(source->key()));
        std::lock_guard guard(m_lock);
        if (Unit* unit = unitOf(source->key(), wholeUnit); unit && unit->whole.stored == all->stored)
            drop(source->key(), wholeUnit);
    }
}

Result<PyramidPtr> PixelCache::pyramid(const PixelSourcePtr& source, int level, const Box& box,
                                       const Progress& progress) {
    Need need(source->size());
    need.add(level, box);
    return pyramid(source, need, progress);
}

double PixelCache::missing(const PixelSourcePtr& source, const Need& need) const {
    std::lock_guard guard(m_lock);
    const auto from = m_sources.find(source->key());
    if (from == m_sources.end()) return 1;
    const auto& units = from->second.units;
    const auto isThere = [&](std::uint64_t unit) {
        const auto found = units.find(unit);
        return found != units.end() && !found->second.loading;
    };
    if (asWhole(*source) && isThere(wholeUnit) && units.at(wholeUnit).whole.held) return 0;
    for (int level = 0; level < need.levels(); ++level) {
        std::size_t all = 0, made = 0;
        for (const std::size_t tile : need.tiles(level))
            ++all, made += isThere(unitFor(level, tile));
        if (all > 0) return 1 - static_cast<double>(made) / static_cast<double>(all);
    }
    return 0;
}

Result<Raster> PixelCache::read(const PixelSourcePtr& source, int level, const Box& box,
                                const Progress& progress) {
    auto pixels = pyramid(source, level, box, progress);
    if (!pixels) return tl::unexpected(pixels.error());
    return (*pixels)->level(level).piece(box);
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

void PixelCache::beginPicture() {
    std::lock_guard guard(m_lock);
    ++m_pictures;
}

void PixelCache::forgetProblems() {
    std::lock_guard guard(m_lock);
    std::vector<std::string> broken;
    for (const auto& [source, from] : m_sources)
        if (const auto unit = from.units.find(wholeUnit);
            unit != from.units.end() && !unit->second.loading && !unit->second.whole.there())
            broken.push_back(source);
    for (const std::string& source : broken)
        drop(source, wholeUnit);
}

}
