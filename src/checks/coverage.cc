#include "checks/coverage.h"

#include "cutout/source.h"
#include "media/content.h"

#include <algorithm>
#include <cmath>
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
    std::vector<Sight> sights; ///< one, or three over the exposure
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

std::vector<Coverage::Sheet> Coverage::sheetsOf(const std::vector<motion::Item>& items,
                                                const motion::Frame& frame, const std::stop_token& stop) {
    std::vector<Sheet> sheets;
    for (const motion::Item& item : items) {
        if (item.blend == scene::Blend::Add || item.opacity < leastOpen) continue;
        Sheet sheet;
        sheet.opacity = item.opacity;
        if (item.flattened) {
            sheet.group = sheetsOf(item.items, frame, stop);
        } else {
            sheet.pixels = item.pixels, sheet.coverage = this, sheet.stop = &stop;
            sheet.extensions = item.layer->hanging.extensions;
            sheet.sights = sightsOf(item, frame);
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

    enum class Filled { Not, Partly, All };
    /// Of what all rays of a part meet.
    Filled filled(const Sheet& sheet, const optics::FramePart& part) const {
        if (!sheet.group.empty()) {
            bool none = true;
            for (const Sheet& each : sheet.group) {
                const Filled of = filled(each, part);
                if (of == Filled::All && sheet.opacity > 1 - leastOpen) return of;
                none = none && of == Filled::Not;
            }
            return none ? Filled::Not : Filled::Partly;
        }
        bool all = sheet.opacity > 1 - leastOpen, none = true;
        for (const Sight& sight : sheet.sights) {
            const optics::Region region = sight.card.bend == 0
                                              ? optics::regionSeen(sight.view, part, sight.card, frame.iris)
                                              : bentRegion(sight, part);
            const bool clear = apart(sight.card, region) || (region.bounded() && sheet.clearIn(region));
            none = none && clear;
            all = all && !clear && optics::holds(sight.card, region) && sheet.opaqueIn(region);
            if (!none && !all) return Filled::Partly;
        }
        return none ? Filled::Not : Filled::All;
    }

    /// What of the light from behind gets past all sheets at a place, through one point of the lens, at one
    /// moment of the exposure.
    double past(const std::vector<const Sheet*>& sheets, const V2d& place, const V2d& point,
                std::size_t moment) const {
        double open = 1;
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
    void leaf(const std::vector<const Sheet*>& sheets, const optics::FramePart& part) {
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
                const double open = past(sheets, part.low + V2d(at.x * size.x, at.y * size.y), point, moment);
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

    void look(const std::vector<const Sheet*>& sheets, int x0, int y0, int x1, int y1) {
        if (stop.stop_requested()) return;
        const optics::FramePart part{V2d(x0, y0), V2d(x1, y1)};
        std::vector<const Sheet*> some;
        for (const Sheet* sheet : sheets) {
            const Filled of = filled(*sheet, part);
            if (of == Filled::All) return;
            if (of == Filled::Partly) some.push_back(sheet);
        }
        if (some.empty()) {
            holes.push_back({part, 1});
            return;
        }
        if (x1 - x0 <= finest && y1 - y0 <= finest) {
            leaf(some, part);
            return;
        }
        const int xm = x1 - x0 > finest ? (x0 + x1 + 1) / 2 : x1,
                  ym = y1 - y0 > finest ? (y0 + y1 + 1) / 2 : y1;
        look(some, x0, y0, xm, ym);
        if (xm < x1) look(some, xm, y0, x1, ym);
        if (ym < y1) look(some, x0, ym, xm, y1);
        if (xm < x1 && ym < y1) look(some, xm, ym, x1, y1);
    }
};

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
