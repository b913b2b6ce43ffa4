#include "checks/coverage.h"

#include "cutout/source.h"
#include "media/content.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>

namespace stage::checks {
namespace {

/// Pictures are read at the first level that is at most so many texels long and wide.
constexpr int longest = 1024;
/// Light that gets through less is not seen.
constexpr double leastOpen = 0.02;
/// Discs and motion below that, px of the frame looked at, are those of one ray.
constexpr double leastDisc = 0.05;
constexpr double infinite = std::numeric_limits<double>::infinity();

int coarseLevel(V2i size) {
    int level = 0;
    while (std::max(media::levelSize(size, level).x, media::levelSize(size, level).y) > longest)
        ++level;
    return level;
}

}

/// A layer, or a group that is mixed on its own, as the frame sees it.
struct Coverage::Sheet {
    std::int64_t layer = 0;
    bool hides = false;        ///< what is behind it, where it is opaque
    std::vector<Sight> sights; ///< one, or three over the exposure; of a group, of its plane
    motion::PixelsPtr pixels;  ///< null: of a group
    Coverage* coverage = nullptr;
    const std::stop_token* stop = nullptr;
    scene::Extensions extensions;
    double opacity = 1;
    std::vector<Sheet> group;

    double alpha(double s, double t) const;
    bool opaqueIn(const optics::Region& region) const;
    bool clearIn(const optics::Region& region) const;
    template <class Good> bool allCells(const optics::Region& region, const Good& good) const;

    /// The finest level that is read; null: it is opaque all over. Only when first asked for: most are
    /// hidden.
    const media::TiledLevel* texels() const {
        if (m_asked) return m_texels;
        m_asked = true;
        m_read = coverage->pixelsOf(*pixels, *stop);
        if (m_read)
            m_texels = &m_read->levels[static_cast<std::size_t>(coarseLevel(m_read->levels.front().size))];
        return m_texels;
    }

private:
    mutable media::PyramidPtr m_read;
    mutable const media::TiledLevel* m_texels = nullptr;
    mutable bool m_asked = false;
};

/// Of a place of its picture, in shares, which its edges do not cut off.
double Coverage::Sheet::alpha(double s, double t) const {
    const auto on = [](double share, const scene::Extension& before, const scene::Extension& after) {
        return share < 0   ? scene::folded(share, before.beyond)
               : share > 1 ? scene::folded(share, after.beyond)
                           : share;
    };
    const media::TiledLevel* const read = texels();
    if (!read) return opacity;
    const auto place = [](double share, int count) {
        return std::clamp(share * count - 0.5, 0.0, count - 1.0);
    };
    const double u = place(on(s, extensions.left, extensions.right), read->size.x),
                 v = place(on(t, extensions.top, extensions.bottom), read->size.y);
    const int x = static_cast<int>(u), y = static_cast<int>(v);
    const auto at = [&](int i, int j) {
        const Imath::half* texel = read->texel(std::min(i, read->size.x - 1), std::min(j, read->size.y - 1));
        return texel ? static_cast<double>(texel[3]) : 1.0;
    };
    const double fx = u - x, fy = v - y, upper = at(x, y) + (at(x + 1, y) - at(x, y)) * fx,
                 lower = at(x, y + 1) + (at(x + 1, y + 1) - at(x, y + 1)) * fx;
    return opacity * (upper + (lower - upper) * fy);
}

/// Whether cells of texels, of which the first says what is clear, the second what is opaque, are good all
/// over a region of the picture and what it goes on by.
template <class Good> bool Coverage::Sheet::allCells(const optics::Region& region, const Good& good) const {
    const media::TiledLevel& read = *texels();
    // Texels of an interval of shares; what is beyond an edge shows others.
    const auto interval = [](double low, double high, int count, const scene::Extension& before,
                             const scene::Extension& after) {
        const bool beyond = (low < 0 && before.beyond != scene::Beyond::Stretch && before.reach() > 0) ||
                            (high > 1 && after.beyond != scene::Beyond::Stretch && after.reach() > 0);
        if (beyond) return std::pair(0, count - 1); // any of them may show there
        const auto at = [&](double share) {
            return static_cast<int>(std::clamp(std::floor(share * count - 0.5), 0.0, count - 1.0));
        };
        return std::pair(at(low), std::min(at(high) + 1, count - 1));
    };
    const auto [x0, x1] = interval(region.s0, region.s1, read.size.x, extensions.left, extensions.right);
    const auto [y0, y1] = interval(region.t0, region.t1, read.size.y, extensions.top, extensions.bottom);
    constexpr int side = media::Tile::cellSide, most = 64;
    for (int row = y0 / side; row <= y1 / side; ++row)
        for (int c = x0 / side; c <= x1 / side; c += most) {
            const int count = std::min(most, x1 / side + 1 - c);
            const std::uint64_t all = ~std::uint64_t{0} >> (most - count);
            if (!good(read.cells(row, c, count), all)) return false;
        }
    return true;
}

bool Coverage::Sheet::opaqueIn(const optics::Region& region) const {
    return !texels() || allCells(region, [](const media::TiledLevel::Cells& cells, std::uint64_t all) {
        return cells.opaque == all;
    });
}

bool Coverage::Sheet::clearIn(const optics::Region& region) const {
    return texels() && allCells(region, [](const media::TiledLevel::Cells& cells, std::uint64_t all) {
               return cells.clear == all;
           });
}

Coverage::~Coverage() = default;

/// A clip whose frames cannot be transparent, with nothing cut out of it.
bool Coverage::opaqueClip(const motion::Pixels& pixels) {
    const auto* footage = std::get_if<scene::Footage>(&pixels.layer->content);
    if (!footage || footage->media.path.find('#') != std::string::npos) return false;
    if (const scene::CutoutPtr& cutout = pixels.cutout;
        cutout && (cutout->key || !cutout->mattes.empty() || !(cutout->edges == scene::Edges{})))
        return false;
    const std::string& path = footage->media.path;
    if (const auto at = m_opaqueClips.find(path); at != m_opaqueClips.end()) return at->second;
    const auto frame = m_cache.clips().frame(path, footage->in);
    return m_opaqueClips[path] = !frame || !(*frame)->alpha();
}

media::PyramidPtr Coverage::pixelsOf(const motion::Pixels& pixels, const std::stop_token& stop) {
    if (opaqueClip(pixels)) return nullptr;
    if (const auto* footage = std::get_if<scene::Footage>(&pixels.layer->content);
        footage && (pixels.footage.frame != footage->in || pixels.footage.share > 0)) {
        motion::Pixels first = pixels; // of all its frames one is read
        first.footage = {footage->in, footage->in, 0};
        return pixelsOf(first, stop);
    }
    // What is filled, cloned and matched stays opaque where the picture is: making it takes long.
    if (const scene::CutoutPtr& cutout = pixels.cutout;
        cutout && (!cutout->fills.empty() || !cutout->clones.empty() || cutout->match)) {
        const media::PyramidPtr plain = read(media::contentOf(*pixels.layer, pixels.footage.frame), stop);
        if (!plain || static_cast<double>(plain->levels.back().texel(0, 0)[3]) > 0.9995) {
            auto cut = std::make_shared<scene::Cutout>(*cutout);
            cut->fills.clear(), cut->clones.clear(), cut->match.reset();
            motion::Pixels without = pixels;
            without.cutout = cut;
            return pixelsOf(without, stop);
        }
    }
    return read(cutout::sourceOf(pixels), stop);
}

media::PyramidPtr Coverage::read(const media::PixelSourcePtr& source, const std::stop_token& stop) {
    if (!source) return nullptr;
    if (const auto at = m_read.find(source->key()); at != m_read.end()) return at->second;
    media::Need need(source->size());
    for (int level = coarseLevel(source->size()); level < need.levels(); ++level)
        need.add(level, media::boxOf(media::levelSize(source->size(), level)));
    auto pixels = m_cache.pyramid(source, need, {{}, stop});
    if (!pixels && pixels.error().cancelled) return nullptr; // another time
    return m_read[source->key()] = pixels ? *pixels : nullptr;
}

namespace {

/// Whether all of a flat card is behind the lens, where no ray meets it.
bool behind(const Sight& sight) {
    if (sight.card.bend != 0) return false;
    const auto around = sight.card.outline();
    return std::all_of(around.begin(), around.end(),
                       [&](const V3d& corner) { return optics::depthOf(sight.view, corner) <= 0; });
}

}

std::vector<Coverage::Sheet> Coverage::sheetsOf(const std::vector<motion::Item>& items,
                                                const motion::Frame& frame, const std::stop_token& stop) {
    std::vector<Sheet> sheets;
    for (const motion::Item& item : items) {
        if (item.blend == scene::Blend::Add || item.opacity < leastOpen) continue;
        Sheet sheet;
        sheet.layer = item.layer->id;
        sheet.opacity = item.opacity;
        sheet.hides = item.blend == scene::Blend::Normal;
        sheet.sights = sightsOf(item, frame);
        if (item.flattened) {
            sheet.group = sheetsOf(item.items, frame, stop);
        } else {
            sheet.pixels = item.pixels, sheet.coverage = this, sheet.stop = &stop;
            sheet.extensions = item.layer->hanging.extensions;
            if (std::all_of(sheet.sights.begin(), sheet.sights.end(), behind)) continue;
        }
        sheets.push_back(std::move(sheet));
    }
    return sheets;
}

/// At one frame.
struct Coverage::Looking {
    const motion::Frame& frame;
    int finest;
    const std::stop_token& stop;
    std::vector<Hole> holes;
    std::vector<V2d> lens; ///< points of the opening, in radii: the middle first

    Looking(const motion::Frame& seen, int finest_, const std::stop_token& stop_)
        : frame(seen), finest(finest_), stop(stop_), lens{V2d(0)} {
        const int points = frame.iris.blades >= 3 ? frame.iris.blades : 32;
        for (int i = 0; i < points; ++i) {
            const double a = radians(frame.iris.turn) + 2 * std::numbers::pi * i / points;
            lens.emplace_back(std::cos(a), std::sin(a));
        }
    }

    static bool apart(const optics::Surface& card, const optics::Region& region) {
        return region.bounded() && (region.s1 < -card.left || region.s0 > 1 + card.right ||
                                    region.t1 < -card.top || region.t0 > 1 + card.bottom);
    }

    /// Of a bent card by some places, with a margin for what is between them; unbounded where it is not all
    /// over the part.
    static optics::Region bentRegion(const Sight& sight, const optics::FramePart& part) {
        optics::Region region;
        const V2d disc(std::abs(sight.discAt((part.low + part.high) / 2))), low = part.low - disc,
                                                                            size = part.high + disc - low;
        constexpr int steps = 2;
        for (int j = 0; j <= steps; ++j)
            for (int i = 0; i <= steps; ++i) {
                const auto met =
                    optics::meet(sight.view, low + V2d(size.x * i, size.y * j) / steps, sight.card);
                if (!met) return {-infinite, -infinite, infinite, infinite};
                region.add({met->s, met->t, met->s, met->t});
            }
        const double margin = 0.25 * std::max(region.s1 - region.s0, region.t1 - region.t0);
        // What it does not go on by is not met there either, as the places tell.
        return {std::max(-sight.card.left, region.s0 - margin), std::max(-sight.card.top, region.t0 - margin),
                std::min(1 + sight.card.right, region.s1 + margin),
                std::min(1 + sight.card.bottom, region.t1 + margin)};
    }

    /// What a sheet does to all rays of a part: none meets it, or all meet what is as opaque.
    struct Cover {
        enum class Of { None, Some, All } of = Of::Some;
        double opacity = 1; ///< of All
    };
    Cover coverOf(const Sheet& sheet, const optics::FramePart& part) const {
        using Of = Cover::Of;
        if (!sheet.group.empty()) {
            bool none = true, all = true;
            double through = 1;
            for (const Sheet& each : sheet.group) {
                const Cover of = coverOf(each, part);
                none = none && of.of == Of::None;
                all = all && of.of != Of::Some;
                if (of.of == Of::All) through *= 1 - of.opacity;
            }
            if (none) return {Of::None};
            if (all || through < leastOpen) return {Of::All, sheet.opacity * (1 - through)};
            return {};
        }
        bool all = true, none = true;
        for (const Sight& sight : sheet.sights) {
            const optics::Region region = sight.card.bend == 0
                                              ? optics::regionSeen(sight.view, part, sight.card, frame.iris)
                                              : bentRegion(sight, part);
            const bool clear = apart(sight.card, region) || (region.bounded() && sheet.clearIn(region));
            none = none && clear;
            all = all && !clear && optics::holds(sight.card, region) && sheet.opaqueIn(region);
            if (!none && !all) return {};
        }
        return none ? Cover{Of::None} : Cover{Of::All, sheet.opacity};
    }

    /// What of the light from behind gets past all sheets at a place, through one point of the lens, at one
    /// moment of the exposure.
    double past(const std::vector<const Sheet*>& sheets, const V2d& place, const V2d& point,
                std::size_t moment, double open = 1) const {
        for (const Sheet* sheet : sheets) {
            if (!sheet->group.empty()) {
                std::vector<const Sheet*> inside;
                for (const Sheet& each : sheet->group)
                    inside.push_back(&each);
                open *= 1 - sheet->opacity * (1 - past(inside, place, point, moment));
            } else if (!sheet->sights.empty()) {
                const Sight& sight = sheet->sights[std::min(moment, sheet->sights.size() - 1)];
                // A lens point shears space: the ray meets the card where the middle's does at a place as far
                // off as the point is in the disc.
                const V2d off = point != V2d(0) ? V2d(point.x, -point.y) * sight.discAt(place) : V2d(0);
                const auto met = sight.meet(place + off);
                if (met) open *= 1 - sheet->alpha(met->x, met->y);
            }
            if (open < 1e-4) return 0;
        }
        return open;
    }

    /// Corners, a hair inside so that they belong to this box alone, and middle. What the middle of the lens
    /// sees past all sheets tells how much is open; where that is nothing, the lens's rim tells whether any
    /// is.
    void leaf(const std::vector<const Sheet*>& sheets, const optics::FramePart& part, double before) {
        bool soft = false;
        std::size_t moments = 1;
        for (const Sheet* sheet : sheets)
            for (const Sight& sight : sheet->sights) {
                soft = soft || std::abs(sight.discAt(part.low)) > leastDisc;
                moments = std::max(moments, sheet->sights.size());
            }
        constexpr double hair = 1e-6;
        const V2d size = part.high - part.low;
        const std::array<V2d, 5> places{V2d(hair, hair), V2d(1 - hair, hair), V2d(hair, 1 - hair),
                                        V2d(1 - hair, 1 - hair), V2d(0.5, 0.5)};
        const auto opened = [&](const V2d& at, const V2d& point, double& sum) {
            double most = 0;
            for (std::size_t moment = 0; moment < moments; ++moment) {
                const double open =
                    past(sheets, part.low + V2d(at.x * size.x, at.y * size.y), point, moment, before);
                sum += open, most = std::max(most, open);
            }
            return most > leastOpen;
        };
        double sum = 0;
        bool any = false;
        for (const V2d& at : places)
            any = opened(at, V2d(0), sum) || any;
        const double each = 1 / static_cast<double>(moments);
        if (any) {
            holes.push_back({part, sum * each / static_cast<double>(places.size())});
            return;
        }
        // Of the rim each point where it looks farthest out of the box, on either side of what is sharp.
        for (std::size_t i = 1; soft && i < lens.size(); ++i)
            for (const bool near : {true, false}) {
                const V2d at((lens[i].x > 0) == near ? 1 - hair : hair,
                             (lens[i].y > 0) == near ? hair : 1 - hair);
                sum = 0;
                if (!opened(at, lens[i], sum)) continue;
                holes.push_back({part, sum * each / static_cast<double>(lens.size())});
                return;
            }
    }

    /// through: what gets past the sheets that are left out, since they are as opaque all over.
    void look(const std::vector<const Sheet*>& sheets, int x0, int y0, int x1, int y1, double through = 1) {
        if (stop.stop_requested()) return;
        const optics::FramePart part{V2d(x0, y0), V2d(x1, y1)};
        std::vector<const Sheet*> some;
        for (const Sheet* sheet : sheets) {
            const Cover cover = coverOf(*sheet, part);
            if (cover.of == Cover::Of::Some) some.push_back(sheet);
            if (cover.of == Cover::Of::All) through *= 1 - cover.opacity;
            if (through < leastOpen) return;
        }
        if (some.empty()) {
            holes.push_back({part, through});
            return;
        }
        if (x1 - x0 <= finest && y1 - y0 <= finest) {
            leaf(some, part, through);
            return;
        }
        const int xm = x1 - x0 > finest ? (x0 + x1 + 1) / 2 : x1,
                  ym = y1 - y0 > finest ? (y0 + y1 + 1) / 2 : y1;
        look(some, x0, y0, xm, ym, through);
        if (xm < x1) look(some, xm, y0, x1, ym, through);
        if (ym < y1) look(some, x0, ym, xm, y1, through);
        if (xm < x1 && ym < y1) look(some, xm, ym, x1, y1, through);
    }
};

/// What may stand before a layer: a sheet, and the one whose depth its own is compared with: the layer's, or
/// that of the group that is mixed on its own and holds it.
struct Coverage::Rival {
    const Sheet* sheet;
    const Sheet* against;
    bool above; ///< in front of it at the same depth
    bool inFront(const V2d& place) const {
        const double own = against->sights.front().depthAt(place), its = sheet->sights.front().depthAt(place);
        return its > 0 && (above ? its <= own : its < own);
    }
};

namespace {

/// The corners of a part, and its middle.
std::array<V2d, 5> placesOf(const optics::FramePart& part) {
    return {part.low, part.high, V2d(part.low.x, part.high.y), V2d(part.high.x, part.low.y),
            (part.low + part.high) / 2};
}

}

/// The least box of the frame that holds all of a card, blurred as it is; all of the frame where the card
/// reaches behind the lens.
std::pair<V2i, V2i> boxAround(const std::vector<Sight>& sights, V2i frame) {
    V2d low(frame), high(0);
    for (const Sight& sight : sights)
        for (const V3d& corner : sight.card.outline()) {
            const auto place = optics::project(sight.view, corner);
            if (!place) return {V2i(0), frame};
            const double disc = std::abs(sight.discAt(*place));
            for (int i = 0; i < 2; ++i)
                low[i] = std::min(low[i], (*place)[i] - disc),
                high[i] = std::max(high[i], (*place)[i] + disc);
        }
    const auto whole = [](double v, int most) { return static_cast<int>(std::clamp(v, 0.0, double(most))); };
    return {{whole(std::floor(low.x), frame.x), whole(std::floor(low.y), frame.y)},
            {whole(std::ceil(high.x), frame.x), whole(std::ceil(high.y), frame.y)}};
}

/// Whether something of a layer reaches the picture in this box of the frame. through: what gets past the
/// rivals that are left out, since they are as opaque all over.
bool Coverage::reaches(const Looking& looking, const Sheet& sheet, const std::vector<Rival>& rivals, V2i low,
                       V2i high, double through) {
    using Of = Looking::Cover::Of;
    if (looking.stop.stop_requested()) return true;
    const optics::FramePart part{V2d(low), V2d(high)};
    const Looking::Cover own = looking.coverOf(sheet, part);
    if (own.of == Of::None) return false;
    const auto places = placesOf(part);
    std::vector<Rival> some;
    for (const Rival& rival : rivals) {
        // A bent one may come forward between these places.
        const bool flat =
            rival.sheet->sights.front().card.bend == 0 && rival.against->sights.front().card.bend == 0;
        const auto fronts = std::count_if(places.begin(), places.end(),
                                          [&](const V2d& place) { return rival.inFront(place); });
        if (flat && fronts == 0) continue;
        const Looking::Cover cover = looking.coverOf(*rival.sheet, part);
        if (cover.of == Of::None) continue;
        if (cover.of == Of::All && flat && fronts == static_cast<std::ptrdiff_t>(places.size()))
            through *= 1 - cover.opacity;
        else
            some.push_back(rival);
        if (through * sheet.opacity < leastOpen) return false;
    }
    if (some.empty() && own.of == Of::All) return own.opacity * through >= leastOpen;
    if (high.x - low.x > looking.finest || high.y - low.y > looking.finest) {
        const V2i middle = (low + high) / 2;
        for (const auto& [a, b] : {std::pair(low, middle),
                                   {V2i(middle.x, low.y), V2i(high.x, middle.y)},
                                   {V2i(low.x, middle.y), V2i(middle.x, high.y)},
                                   {middle, high}})
            if (b.x > a.x && b.y > a.y && reaches(looking, sheet, some, a, b, through)) return true;
        return false;
    }
    for (const V2d& place : places) {
        std::vector<const Sheet*> before;
        for (const Rival& rival : some)
            if (rival.inFront(place)) before.push_back(rival.sheet);
        const double share = 1 - looking.past({&sheet}, place, V2d(0), sheet.sights.size() / 2);
        if (share * looking.past(before, place, V2d(0), sheet.sights.size() / 2, through) >= leastOpen)
            return true;
    }
    return false;
}

Result<std::vector<std::int64_t>> Coverage::hidden(const motion::Frame& frame,
                                                   const std::set<std::int64_t>& layers, int finest,
                                                   const std::stop_token& stop) {
    const std::vector<Sheet> sheets = sheetsOf(frame.items, frame, stop);
    const Looking looking(frame, finest, stop);
    std::vector<std::int64_t> found;
    const std::function<void(const std::vector<Sheet>&, const std::vector<Rival>&)> look =
        [&](const std::vector<Sheet>& among, const std::vector<Rival>& outside) {
            for (const Sheet& sheet : among) {
                std::vector<Rival> rivals = outside;
                for (const Sheet& other : among)
                    if (&other != &sheet && other.hides) rivals.push_back({&other, &sheet, &other > &sheet});
                // The nearest is the largest, and most likely to hide it alone.
                const auto nearness = [](const Rival& rival) {
                    const Sight& sight = rival.sheet->sights.front();
                    return optics::depthOf(sight.view, sight.card.centre());
                };
                std::stable_sort(rivals.begin(), rivals.end(),
                                 [&](const Rival& a, const Rival& b) { return nearness(a) < nearness(b); });
                const auto [low, high] = boxAround(sheet.sights, frame.size);
                if (!sheet.group.empty())
                    look(sheet.group, rivals);
                else if (layers.contains(sheet.layer) && low.x < high.x && low.y < high.y &&
                         !reaches(looking, sheet, rivals, low, high))
                    found.push_back(sheet.layer);
            }
        };
    look(sheets, {});
    if (stop.stop_requested()) return cancelled();
    return found;
}

Result<std::vector<Hole>> Coverage::holes(const motion::Frame& frame, int finest,
                                          const std::stop_token& stop) {
    const std::vector<Sheet> sheets = sheetsOf(frame.items, frame, stop);
    if (stop.stop_requested()) return cancelled();
    std::vector<const Sheet*> all;
    for (const Sheet& sheet : sheets)
        all.push_back(&sheet);
    Looking looking(frame, finest, stop);
    looking.look(all, 0, 0, frame.size.x, frame.size.y);
    if (stop.stop_requested()) return cancelled();
    return std::move(looking.holes);
}

std::array<bool, 4> Coverage::opaqueEdges(const motion::Item& item, const std::stop_token& stop) {
    if (item.flattened || item.opacity < 1 - leastOpen || item.blend != scene::Blend::Normal) return {};
    Sheet sheet;
    sheet.pixels = item.pixels, sheet.coverage = this, sheet.stop = &stop;
    return {sheet.opaqueIn({0, 0, 0, 1}), sheet.opaqueIn({0, 0, 1, 0}), sheet.opaqueIn({1, 0, 1, 1}),
            sheet.opaqueIn({0, 1, 1, 1})};
}
}
