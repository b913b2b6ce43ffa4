#include "cutout/shadowed.h"

#include "cutout/nodes.h"
#include "cutout/source.h"
#include "media/number_key.h"
#include "media/pixel_cache.h"
#include "motion/shadows.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace stage::cutout {
namespace {

using media::add;
using media::Box;
using media::PixelCache;
using media::PixelSourcePtr;
using media::Raster;
using motion::ShadowOnCard;

constexpr int cellSide = 16; ///< texels between places at which the projection is looked at beforehand

/// Texels of a level to a px of the natural size.
V2d scaleOf(V2i size, V2i natural, int level) {
    return V2d(size) / V2d(natural) / std::exp2(level);
}

/// One channel of a box of a level; 0 outside.
struct AlphaLevel {
    Box box{0, 0, 0, 0};
    std::vector<float> values;
    float at(int x, int y) const {
        if (x < box.x0 || y < box.y0 || x >= box.x1 || y >= box.y1) return 0;
        return values[static_cast<std::size_t>(y - box.y0) * box.size().x + (x - box.x0)];
    }
    /// Between texels, whose middles are at halves.
    float between(double x, double y) const {
        const double left = std::floor(x - 0.5), top = std::floor(y - 0.5);
        const auto fx = static_cast<float>(x - 0.5 - left), fy = static_cast<float>(y - 0.5 - top);
        const int i = static_cast<int>(left), j = static_cast<int>(top);
        if (i >= box.x0 && j >= box.y0 && i + 1 < box.x1 && j + 1 < box.y1) {
            const int wide = box.size().x;
            const float* p = values.data() + static_cast<std::size_t>(j - box.y0) * wide + (i - box.x0);
            const float upper = p[0] + (p[1] - p[0]) * fx, lower = p[wide] + (p[wide + 1] - p[wide]) * fx;
            return upper + (lower - upper) * fy;
        }
        const float upper = at(i, j) + (at(i + 1, j) - at(i, j)) * fx,
                    lower = at(i, j + 1) + (at(i + 1, j + 1) - at(i, j + 1)) * fx;
        return upper + (lower - upper) * fy;
    }
};

/// The alpha of a caster's picture, averaged over discs.
class CasterAlpha {
public:
    CasterAlpha(PixelSourcePtr source, V2i natural) : m_source(std::move(source)), m_natural(natural) {}

    /// Texels of a level to a px of the natural size.
    V2d scale(int level) const { return scaleOf(m_source->size(), m_natural, level); }
    /// The level at which a disc (px of the natural size) is 3 to 6 texels across.
    int levelFor(double diameter) const {
        const double texels = diameter * std::max(scale(0).x, scale(0).y);
        if (!(texels > 6)) return 0;
        return std::min(static_cast<int>(std::log2(texels / 3)), media::levelCount(m_source->size()) - 1);
    }
    /// A box (px of the natural size) that discs will be looked at in at a level.
    void want(int level, const V2d& low, const V2d& high) {
        const V2d s = scale(level);
        const auto whole = [](double v) { return static_cast<int>(std::clamp(std::floor(v), -1e8, 1e8)); };
        const Box box = Box{whole(low.x * s.x) - 1, whole(low.y * s.y) - 1, whole(high.x * s.x) + 2,
                            whole(high.y * s.y) + 2}
                            .within(media::boxOf(media::levelSize(m_source->size(), level)));
        if (box.empty()) return;
        Box& all = m_levels[level].box;
        all = all.empty() ? box
                          : Box{std::min(all.x0, box.x0), std::min(all.y0, box.y0), std::max(all.x1, box.x1),
                                std::max(all.y1, box.y1)};
    }
    Result<void> read(PixelCache& cache, const Progress& progress) {
        for (auto& [level, alpha] : m_levels) {
            const V2i size = media::levelSize(m_source->size(), level);
            // Of the last ones of a level a part may lie beyond the picture.
            const V2d last = V2d(m_source->size()) / std::exp2(level) - V2d(size - V2i(1));
            const auto picture = cache.read(m_source, level, alpha.box, progress);
            if (!picture) return tl::unexpected(picture.error());
            alpha.values.resize(static_cast<std::size_t>(alpha.box.size().x) * alpha.box.size().y);
            std::size_t i = 0;
            for (int y = alpha.box.y0; y < alpha.box.y1; ++y)
                for (int x = alpha.box.x0; x < alpha.box.x1; ++x, ++i)
                    alpha.values[i] =
                        float(picture->rgba[4 * i + 3]) *
                        static_cast<float>((x == size.x - 1 ? last.x : 1) * (y == size.y - 1 ? last.y : 1));
        }
        return {};
    }
    /// Of a disc (px of the natural size).
    float over(const V2d& middle, double diameter) const {
        const double r = diameter / 2;
        if (middle.x < -r || middle.y < -r || middle.x > m_natural.x + r || middle.y > m_natural.y + r)
            return 0;
        const int level = levelFor(diameter);
        auto found = m_levels.lower_bound(level);
        if (found == m_levels.end()) {
            if (m_levels.empty()) return 0;
            --found;
        }
        const V2d s = scale(found->first), at = middle * s;
        // Of the variance of a disc's chords, a sixteenth of the square of its width, that between texels and
        // of a texel itself are there already.
        const auto stepOf = [](double across) {
            constexpr double own = 1.0 / 6 + 1.0 / 12, ofPlaces = 11.0 / 12;
            return std::sqrt(std::max(0.0, across * across / 16 - own) / ofPlaces);
        };
        const V2d step(stepOf(diameter * s.x), stepOf(diameter * s.y));
        float sum = 0;
        for (const auto& [x, y] : places)
            sum += found->second.between(at.x + x * step.x, at.y + y * step.y);
        return sum / static_cast<float>(places.size());
    }

private:
    /// Places of a square of 4 x 4 without its corners, in steps.
    static constexpr std::array<std::array<double, 2>, 12> places = {{{-0.5, -1.5},
                                                                      {0.5, -1.5},
                                                                      {-1.5, -0.5},
                                                                      {-0.5, -0.5},
                                                                      {0.5, -0.5},
                                                                      {1.5, -0.5},
                                                                      {-1.5, 0.5},
                                                                      {-0.5, 0.5},
                                                                      {0.5, 0.5},
                                                                      {1.5, 0.5},
                                                                      {-0.5, 1.5},
                                                                      {0.5, 1.5}}};
    PixelSourcePtr m_source;
    V2i m_natural;
    std::map<int, AlphaLevel> m_levels;
};

/// A place of the picture as a shadow sees it.
struct Looked {
    V2d place;           ///< where it looks at the caster, px of its natural size
    double diameter = 0; ///< of the disc that it sees of the light there, px; below 0: there is no light
    double off = 0;      ///< m off the caster's plane, on either side
    V2d foot;            ///< where it is nearest to it, px
};

/// A cell between places that are looked at beforehand.
struct Cell {
    bool seen = false;    ///< something of the shadow may be in it
    int step = 1;         ///< texels between places that have to be looked at
    double footprint = 0; ///< of a texel, px of the caster
};

/// How much of the light a shadow takes at places of a box of a level.
class OneShadow {
public:
    OneShadow(const ShadowOnCard& shadow, const PixelSourcePtr& caster, const Box& box, const V2d& scale)
        : m_shadow(shadow), m_alpha(caster, shadow.caster->layer->pixels), m_box(box), m_scale(scale),
          m_perMetre(2 / (shadow.metres.x + shadow.metres.y)),
          m_across((box.size().x + cellSide - 1) / cellSide + 1) {
        const int down = (box.size().y + cellSide - 1) / cellSide + 1;
        std::vector<Looked> nodes;
        for (int j = 0; j < down; ++j)
            for (int i = 0; i < m_across; ++i)
                nodes.push_back(look(box.x0 + i * cellSide, box.y0 + j * cellSide));
        m_cells.resize(nodes.size());
        for (int j = 0; j + 1 < down; ++j)
            for (int i = 0; i + 1 < m_across; ++i)
                want(nodes, static_cast<std::size_t>(j) * m_across + i);
    }
    bool seen() const { return m_seen; }
    Result<void> read(PixelCache& cache, const Progress& progress) { return m_alpha.read(cache, progress); }

    /// Of all texels of the box, rows from the top. Soft shadows are looked at in steps and are even between.
    std::vector<float> taken() const {
        const V2i of = m_box.size();
        std::vector<float> all(static_cast<std::size_t>(of.x) * of.y, 0.f);
        std::array<float, (cellSide + 1) * (cellSide + 1)> nodes;
        for (int y = 0; y < of.y; y += cellSide)
            for (int x = 0; x < of.x; x += cellSide) {
                const Cell& cell = m_cells[static_cast<std::size_t>(y / cellSide) * m_across + x / cellSide];
                if (!cell.seen) continue;
                const int step = cell.step, across = cellSide / step + 1;
                for (int j = 0; j < across; ++j)
                    for (int i = 0; i < across; ++i)
                        nodes[static_cast<std::size_t>(j * across + i)] =
                            taken(m_box.x0 + x + i * step, m_box.y0 + y + j * step, cell.footprint);
                const float by = 1 / static_cast<float>(step);
                for (int dy = 0; dy < std::min(cellSide, of.y - y); ++dy)
                    for (int dx = 0; dx < std::min(cellSide, of.x - x); ++dx) {
                        const float* p = nodes.data() + dy / step * across + dx / step;
                        const float fx = static_cast<float>(dx % step) * by,
                                    fy = static_cast<float>(dy % step) * by;
                        const float upper = p[0] + (p[1] - p[0]) * fx,
                                    lower = p[across] + (p[across + 1] - p[across]) * fx;
                        all[static_cast<std::size_t>(y + dy) * of.x + x + dx] = upper + (lower - upper) * fy;
                    }
            }
        return all;
    }

private:
    /// Texel of the level.
    float taken(int x, int y, double footprint) const {
        const Looked at = look(x, y);
        float left = 1;
        if (at.diameter >= 0 && m_shadow.darkness > 0)
            left -= static_cast<float>(m_shadow.darkness * fade(x, y)) *
                    m_alpha.over(at.place, std::max(at.diameter, footprint));
        if (m_shadow.contact > 0 && std::abs(at.off) < m_shadow.contactReach) {
            const double near = 1 - std::abs(at.off) / m_shadow.contactReach, disc = contactDisc(at);
            left *= 1 - static_cast<float>(m_shadow.contact * near * near) *
                            m_alpha.over(at.foot + m_shadow.upwards * (disc / (2 * m_perMetre)),
                                         std::max(disc, footprint));
        }
        return 1 - left;
    }
    V2d placeOf(int x, int y) const { return V2d(x + 0.5, y + 0.5) / m_scale; }
    Looked look(int x, int y) const {
        const V3d from = motion::fromCaster(m_shadow, placeOf(x, y));
        Looked looked{{from.x, from.y}, -1, from.z, {from.x, from.y}};
        if (const auto crossing = motion::crossingOf(m_shadow, from)) {
            looked.place = crossing->place;
            looked.diameter = 2 * crossing->soft * m_perMetre;
        }
        return looked;
    }
    /// Of what is near the foot: as wide as it is far, px.
    double contactDisc(const Looked& at) const { return 1.4 * std::abs(at.off) * m_perMetre; }
    /// Of a lamp, as its light goes down to nothing.
    double fade(int x, int y) const {
        if (!(m_shadow.reach > 0)) return 1;
        const V3d by = (m_shadow.light - motion::fromCaster(m_shadow, placeOf(x, y))) * m_shadow.metres;
        return motion::falloff(by.length(), m_shadow.reach, m_shadow.reach);
    }
    /// What the cell from a node on will ask for.
    void want(const std::vector<Looked>& nodes, std::size_t node) {
        const std::array<const Looked*, 4> corners = {&nodes[node], &nodes[node + 1], &nodes[node + m_across],
                                                      &nodes[node + m_across + 1]};
        const Looked& first = *corners[0];
        const double footprint =
            std::max({(corners[1]->place - first.place).length(), (corners[2]->place - first.place).length(),
                      (corners[3]->place - corners[2]->place).length(),
                      (corners[3]->place - corners[1]->place).length()}) /
            cellSide;
        const V2i natural = m_shadow.caster->layer->pixels;
        bool any = false;
        double softest = 1e300; // of the discs, px
        const auto wanted = [&](const auto& placeOf, const auto& discOf) {
            V2d low(1e300), high(-1e300);
            double least = 1e300, most = 0;
            for (const Looked* corner : corners) {
                const V2d place = placeOf(*corner);
                low = {std::min(low.x, place.x), std::min(low.y, place.y)};
                high = {std::max(high.x, place.x), std::max(high.y, place.y)};
                const double disc = std::max({discOf(*corner), footprint, 0.0});
                least = std::min(least, disc), most = std::max(most, disc);
                if (corner->off * first.off <= 0 && corner != &first)
                    least = 0; // the plane itself is between
            }
            // In between it may be somewhat more or less.
            const V2d around = V2d(0.75 * most + 1) + (high - low) * 0.1;
            low -= around, high += around;
            if (high.x < 0 || high.y < 0 || low.x > natural.x || low.y > natural.y) return;
            any = true;
            softest = std::min(softest, least);
            for (int level = m_alpha.levelFor(least / 1.5); level <= m_alpha.levelFor(most * 1.5); ++level)
                m_alpha.want(level, low, high);
        };
        const bool lit =
            std::any_of(corners.begin(), corners.end(), [](const Looked* c) { return c->diameter >= 0; });
        if (lit && m_shadow.darkness > 0)
            wanted([](const Looked& c) { return c.place; }, [](const Looked& c) { return c.diameter; });
        const bool close = std::any_of(corners.begin(), corners.end(), [&](const Looked* c) {
            return std::abs(c->off) < 2 * m_shadow.contactReach;
        });
        if (close && m_shadow.contact > 0)
            wanted(
                [&](const Looked& c) {
                    return c.foot + m_shadow.upwards * (contactDisc(c) / (2 * m_perMetre));
                },
                [&](const Looked& c) {
                    return std::min(contactDisc(c), 3 * m_shadow.contactReach * m_perMetre);
                });
        // A disc over so many texels changes evenly over a twelfth of it.
        int step = 1;
        while (2 * step <= 8 && 24 * step * footprint <= softest)
            step *= 2;
        m_cells[node] = {any, step, footprint};
        m_seen = m_seen || any;
    }

    const ShadowOnCard& m_shadow;
    CasterAlpha m_alpha;
    Box m_box;
    V2d m_scale;
    double m_perMetre; ///< px of the caster's natural size
    int m_across;
    bool m_seen = false;
    std::vector<Cell> m_cells; ///< by their first node
};

class ShadowedSource : public media::PixelSource {
public:
    ShadowedSource(PixelSourcePtr below, const motion::Pixels& pixels, std::vector<PixelSourcePtr> casters)
        : PixelSource((below ? below->key() : std::string("shadows")) + keyOf(pixels, casters),
                      below ? below->size() : pixels.layer->pixels, Granularity::EveryLevel),
          m_below(std::move(below)), m_shadows(pixels.shadows), m_light(pixels.light),
          m_natural(pixels.layer->pixels), m_casters(std::move(casters)) {}

    Result<Raster> compute(int level, const Box& box, PixelCache& cache,
                           const Progress& progress) const override {
        const V2i of = box.size();
        const V2d scale = scaleOf(size(), m_natural, level);
        Raster picture(of);
        if (m_below) {
            auto read = cache.read(m_below, level, box, progress);
            if (!read) return read;
            picture = std::move(*read);
        }
        // Of one lamp on a lit picture, what several layers take is taken from its light together.
        std::map<std::int64_t, std::vector<float>> left;
        for (std::size_t n = 0; n < m_shadows->list.size(); ++n) {
            if (progress.stopped()) return cancelled();
            const ShadowOnCard& shadow = m_shadows->list[n];
            OneShadow one(shadow, m_casters[n], box, scale);
            if (!one.seen()) continue;
            if (auto read = one.read(cache, progress); !read) return tl::unexpected(read.error());
            std::vector<float>* together = nullptr;
            if (shadow.takes) {
                together = &left[shadow.takes->id];
                together->resize(static_cast<std::size_t>(of.x) * of.y, 1.f);
            }
            const Imath::V3f colour(shadow.colour);
            const std::vector<float> all = one.taken();
            for (int y = 0; y < of.y; ++y) {
                Imath::half* p = picture.row(y);
                for (int x = 0; x < of.x; ++x, p += 4) {
                    const float taken = all[static_cast<std::size_t>(y) * of.x + x];
                    if (!(taken > 0)) continue;
                    if (together)
                        (*together)[static_cast<std::size_t>(y) * of.x + x] *= 1 - taken;
                    else
                        darken(p, Imath::V3f(taken), colour);
                }
            }
        }
        for (const auto& [lamp, open] : left)
            takeLight(lamp, open, scale, box, picture);
        return picture;
    }
    std::string name() const override { return m_below ? m_below->name() : "shadows"; }

private:
    static std::string keyOf(const motion::Pixels& pixels, const std::vector<PixelSourcePtr>& casters) {
        std::string key = "\nshadowed";
        for (std::size_t n = 0; n < casters.size(); ++n) {
            const ShadowOnCard& s = pixels.shadows->list[n];
            key += "\nby " + casters[n]->key();
            add(key, s.corner), add(key, s.across), add(key, s.down), add(key, s.light);
            add(key, s.metres), add(key, s.upwards);
            add(key, V3d(s.size, s.reach, s.darkness)), add(key, s.colour);
            add(key, V3d(s.contact, s.contactReach, s.takes ? static_cast<double>(s.takes->id) : 0));
        }
        return key;
    }
    void darken(Imath::half* p, const Imath::V3f& taken, const Imath::V3f& colour) const {
        const float alpha = m_below ? float(p[3]) : 1;
        for (int c = 0; c < 3; ++c)
            p[c] = float(p[c]) * (1 - taken[c]) + colour[c] * taken[c] * alpha;
        if (!m_below) p[3] = float(p[3]) * (1 - taken[0]) + taken[0];
    }
    /// A lamp's part of the light, as far as it does not get through.
    void takeLight(std::int64_t lamp, const std::vector<float>& open, const V2d& scale, const Box& box,
                   Raster& picture) const {
        const ShadowOnCard* shadow = nullptr;
        for (const ShadowOnCard& each : m_shadows->list)
            if (each.takes && each.takes->id == lamp) shadow = &each;
        const Nodes<3> shares(box, cellSide, [&](int x, int y) {
            const V2d place = V2d(x + 0.5, y + 0.5) / scale;
            const V3d all = motion::lightAt(*m_light, place, V2d(0), 0),
                      one = motion::lightAt(*m_light, *shadow->takes, place);
            std::array<float, 3> part{};
            for (int c = 0; c < 3; ++c)
                if (all[c] > 0) part[c] = static_cast<float>(std::clamp(one[c] / all[c], 0.0, 1.0));
            return part;
        });
        const Imath::V3f colour(shadow->colour);
        const int across = box.size().x;
        std::vector<float> share(static_cast<std::size_t>(3 * across));
        for (int y = 0; y < box.size().y; ++y) {
            const float* left = open.data() + static_cast<std::size_t>(y) * across;
            if (std::all_of(left, left + across, [](float v) { return v >= 1; })) continue;
            shares.row(y, across, share.data());
            const float* part = share.data();
            for (int x = 0; x < across; ++x, part += 3)
                if (const float gone = 1 - left[x]; gone > 0)
                    darken(picture.row(y) + 4 * x, Imath::V3f(part[0], part[1], part[2]) * gone, colour);
        }
    }

    PixelSourcePtr m_below; ///< null: the shadows are alone
    motion::ShadowsPtr m_shadows;
    motion::LightPtr m_light;
    V2i m_natural;
    std::vector<PixelSourcePtr> m_casters;
};

}

media::PixelSourcePtr shadowed(const motion::Pixels& pixels, media::PixelSourcePtr below) {
    if (!pixels.shadows || (!below && !pixels.shadows->alone)) return below;
    std::vector<PixelSourcePtr> casters;
    for (const ShadowOnCard& shadow : pixels.shadows->list) {
        casters.push_back(sourceOf(*shadow.caster));
        if (!casters.back()) return below;
    }
    return std::make_shared<ShadowedSource>(pixels.shadows->alone ? nullptr : std::move(below), pixels,
                                            std::move(casters));
}

}
