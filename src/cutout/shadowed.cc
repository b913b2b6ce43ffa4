#include "cutout/shadowed.h"

#include "cutout/nodes.h"
#include "cutout/shadow_rows.h"
#include "cutout/source.h"
#include "media/number_key.h"
#include "media/pixel_cache.h"
#include "media/texels.h"
#include "motion/shadows.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <memory>
#include <opencv2/core.hpp>
#include <optional>

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

/// The alpha of a caster's picture, averaged over discs.
class CasterAlpha {
public:
    /// natural: px of the layer that casts.
    CasterAlpha(const PixelSourcePtr& source, V2i natural)
        : m_source(source), m_planes(static_cast<std::size_t>(media::levelCount(source->size()))),
          m_need(source->size()) {
        m_levels.natural = V2d(natural);
        m_levels.scale = scaleOf(source->size(), natural, 0);
        m_levels.count = std::min(static_cast<int>(m_planes.size()), CasterLevels::most);
    }

    /// The level at which a disc (px of the natural size) is 3 to 6 texels across.
    int levelFor(double diameter) const { return m_levels.levelFor(diameter); }
    /// A box (px of the natural size) that discs will be looked at in at a level.
    void want(int level, const V2d& low, const V2d& high) {
        constexpr int spare = DiscPlaces::texels - 4; // beside the last places there are more texels
        Box box = boxOf(level, low, high);
        if (box.empty()) return;
        box = Box{box.x0, box.y0, box.x1 + spare, box.y1 + spare}.within(levelBox(level));
        m_need.add(level, box);
        Box& all = m_planes[static_cast<std::size_t>(level)].box;
        all = all.with(box);
    }
    /// Both must stay as long as this.
    Result<void> read(PixelCache& cache, const Progress& progress) {
        m_cache = &cache, m_progress = &progress;
        auto pyramid = cache.pyramid(m_source, m_need, progress);
        if (!pyramid) return tl::unexpected(pyramid.error());
        m_pyramid = std::move(*pyramid);
        // Where a level was not asked for the next coarser one serves, else the coarsest.
        m_serves.assign(m_planes.size(), -1);
        int serves = -1;
        for (std::size_t n = 0; n < m_planes.size(); ++n)
            if (!m_planes[n].box.empty()) serves = static_cast<int>(n);
        for (std::size_t n = m_planes.size(); n-- > 0;) {
            if (!m_planes[n].box.empty()) serves = static_cast<int>(n);
            m_serves[n] = serves;
        }
        for (std::size_t n = 0; n < static_cast<std::size_t>(m_levels.count); ++n) {
            if (m_serves[n] < 0) continue;
            const Box& box = m_planes[static_cast<std::size_t>(m_serves[n])].box;
            m_levels.shrink[n] = std::exp2(static_cast<float>(-m_serves[n]));
            m_levels.x0[n] = static_cast<float>(box.x0), m_levels.x1[n] = static_cast<float>(box.x1);
            m_levels.y0[n] = static_cast<float>(box.y0), m_levels.y1[n] = static_cast<float>(box.y1);
        }
        return {};
    }
    /// Makes ready what over() looks at.
    void spread() {
        for (std::size_t n = 0; n < m_planes.size(); ++n)
            if (!m_planes[n].box.empty()) fill(m_planes[n], static_cast<int>(n));
    }
    /// Whether a box (px of the natural size) that was asked for at a level is known to be clear.
    bool isClear(int level, const V2d& low, const V2d& high) const {
        return m_pyramid->level(level).clear(boxOf(level, low, high));
    }
    /// What is left of the light of each place goes by what its disc takes of it.
    void dim(DiscRow& discs, int count, float* left) const {
        LookRow at;
        lookUp(m_levels, count, discs, at);
        for (std::size_t i = 0; i < static_cast<std::size_t>(count); ++i) {
            if (!(discs.share[i] > 0)) continue;
            const int n = m_serves[static_cast<std::size_t>(at.level[i])];
            const Plane& plane = m_planes[static_cast<std::size_t>(n)];
            const auto column = static_cast<std::ptrdiff_t>(at.column[i]),
                       row = static_cast<std::ptrdiff_t>(at.row[i]);
            const DiscPlaces x{at.x[i], at.stepX[i]}, y{at.y[i], at.stepY[i]};
            float mean = discMean(plane.alpha.data() + (row - plane.box.y0 + margin) * plane.stride + column -
                                      plane.box.x0 + margin,
                                  plane.stride, x, y);
            if (std::isnan(mean))
                mean = readNow(n, V2i(static_cast<int>(column), static_cast<int>(row)), x, y);
            left[i] *= 1 - discs.share[i] * std::min(mean * at.most[i], 1.f);
        }
    }
    /// Why something could not be read meanwhile.
    const Result<void>& problem() const { return m_problem; }

private:
    static constexpr int margin = 2 * DiscPlaces::texels; ///< around a plane, where there is nothing
    /// The alpha of a box of a level and of a margin around it; NaN where it was not asked for.
    struct Plane {
        Box box; ///< empty: not wanted
        std::ptrdiff_t stride = 0;
        std::vector<float> alpha;
    };
    void fill(Plane& plane, int n) const {
        const media::TiledLevel& level = m_pyramid->level(n);
        const Box wide = plane.box.grown(margin), inside = wide.within(levelBox(n));
        plane.stride = wide.size().x;
        plane.alpha.assign(static_cast<std::size_t>(plane.stride) * wide.size().y, 0.f);
        for (int y = inside.y0; y < inside.y1; ++y) {
            float* to = plane.alpha.data() + (y - wide.y0) * plane.stride + (inside.x0 - wide.x0);
            for (int x = inside.x0, end = 0; x < inside.x1; to += end - x, x = end) {
                end = std::min(inside.x1, (x / media::tileSide + 1) * media::tileSide);
                if (const Imath::half* texel = level.texel(x, y))
                    media::alphaOfTexels(texel, end - x, to);
                else
                    std::fill_n(to, end - x, std::numeric_limits<float>::quiet_NaN());
            }
        }
        dimLast(n, wide, plane.alpha.data(), plane.stride);
    }
    /// Of the last texels of a level a part may lie beyond the picture.
    void dimLast(int n, const Box& box, float* alpha, std::ptrdiff_t stride) const {
        const V2i size = levelBox(n).size(), at = size - V2i(1) - V2i(box.x0, box.y0);
        const V2d last = V2d(m_source->size()) / std::exp2(n) - V2d(size - V2i(1));
        if (at.x >= 0 && at.x < box.size().x)
            for (int y = 0; y < box.size().y; ++y)
                alpha[y * stride + at.x] *= static_cast<float>(last.x);
        if (at.y >= 0 && at.y < box.size().y)
            for (int x = 0; x < box.size().x; ++x)
                alpha[at.y * stride + x] *= static_cast<float>(last.y);
    }
    /// Nearly all is asked for before; the rest is read when it is looked at.
    float readNow(int n, const V2i& first, const DiscPlaces& x, const DiscPlaces& y) const {
        constexpr int side = DiscPlaces::texels;
        const Box box{first.x, first.y, first.x + side, first.y + side};
        const auto read = m_cache->read(m_source, n, box, *m_progress);
        if (!read) {
            if (m_problem) m_problem = tl::unexpected(read.error());
            return 0;
        }
        std::array<float, side * side> alpha;
        for (std::size_t i = 0; i < alpha.size(); ++i)
            alpha[i] = read->rgba[4 * i + 3];
        dimLast(n, box, alpha.data(), side);
        return discMean(alpha.data(), side, x, y);
    }
    Box levelBox(int level) const { return media::boxOf(media::levelSize(m_source->size(), level)); }
    /// Texels of a level, with one more on each side.
    Box boxOf(int level, const V2d& low, const V2d& high) const {
        const V2d scale = m_levels.scale / std::exp2(level);
        const auto whole = [](double v) { return static_cast<int>(std::clamp(std::floor(v), -1e8, 1e8)); };
        return Box{whole(low.x * scale.x) - 1, whole(low.y * scale.y) - 1, whole(high.x * scale.x) + 2,
                   whole(high.y * scale.y) + 2}
            .within(levelBox(level));
    }
    PixelSourcePtr m_source;
    CasterLevels m_levels;
    std::vector<Plane> m_planes; ///< by level
    media::Need m_need;
    media::PyramidPtr m_pyramid;
    std::vector<int> m_serves; ///< a level for each; -1: none
    PixelCache* m_cache = nullptr;
    const Progress* m_progress = nullptr;
    mutable Result<void> m_problem;
};

/// A place of the picture as a shadow sees it.
struct Looked {
    V2d place;           ///< where it looks at the caster, px of its natural size
    double diameter = 0; ///< of the disc that it sees of the light there, px; below 0: there is no light
    double off = 0;      ///< m off the caster's plane, on either side
    V2d foot;            ///< where it is nearest to it, px
};

/// What of the caster a cell may look at.
struct Part {
    int coarsest;  ///< of the levels
    V2d low, high; ///< px of the natural size
};

/// A cell between places that are looked at beforehand.
struct Cell {
    std::array<Part, 2> parts; ///< through the light, and at the foot
    int count = 0;             ///< of them; 0: nothing of the shadow is in it
    V2i step{1, 1};            ///< texels between places that have to be looked at
    double footprint = 0;      ///< of a texel, px of the caster
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
    bool seen() const {
        return std::any_of(m_cells.begin(), m_cells.end(), [](const Cell& cell) { return cell.count > 0; });
    }
    Result<void> read(PixelCache& cache, const Progress& progress) {
        if (auto ok = m_alpha.read(cache, progress); !ok) return ok;
        for (Cell& cell : m_cells)
            if (std::all_of(cell.parts.begin(), cell.parts.begin() + cell.count, [&](const Part& part) {
                    return m_alpha.isClear(part.coarsest, part.low, part.high);
                }))
                cell.count = 0;
        if (seen()) m_alpha.spread();
        return {};
    }

    /// Of what taken() read.
    const Result<void>& problem() const { return m_alpha.problem(); }
    /// Of all texels of the box, rows from the top. Soft shadows are looked at in steps and are even between.
    std::vector<float> taken() const {
        const V2i of = m_box.size();
        std::vector<float> all(static_cast<std::size_t>(of.x) * of.y);
        std::array<RowOf<float>, cellSide + 1> nodes{};
        for (int y = 0; y < of.y; y += cellSide)
            for (int x = 0; x < of.x; x += cellSide) {
                const Cell& cell = m_cells[static_cast<std::size_t>(y / cellSide) * m_across + x / cellSide];
                if (cell.count == 0) continue;
                const V2i size(std::min(cellSide, of.x - x), std::min(cellSide, of.y - y)), step = cell.step;
                // One more than there are steps, where something lies between.
                const auto nodesOf = [](int length, int by) {
                    return (length + by - 1) / by + (by > 1 ? 1 : 0);
                };
                const V2i places(nodesOf(size.x, step.x), nodesOf(size.y, step.y));
                bool any = false;
                for (int j = 0; j < places.y; ++j) {
                    RowOf<float>& row = nodes[static_cast<std::size_t>(j)];
                    taken({m_box.x0 + x, m_box.y0 + y + j * step.y}, step.x, places.x, cell.footprint, row);
                    any = any ||
                          std::any_of(row.begin(), row.begin() + places.x, [](float v) { return v > 0; });
                }
                if (!any) continue;
                for (int j = 0; j < size.y; ++j) {
                    const auto n = static_cast<std::size_t>(j / step.y);
                    spread(nodes[n], nodes[step.y > 1 ? n + 1 : n],
                           static_cast<float>(j % step.y) / static_cast<float>(step.y), step.x, size.x,
                           all.data() + static_cast<std::size_t>(y + j) * of.x + x);
                }
            }
        return all;
    }

private:
    /// A row of texels between two rows of nodes that are `step` apart.
    static void spread(const RowOf<float>& above, const RowOf<float>& below, float part, int step, int count,
                       float* to) {
        const float by = 1 / static_cast<float>(step);
        const auto between = [&](std::size_t i) { return above[i] + (below[i] - above[i]) * part; };
        if (step == 1) {
            for (std::size_t i = 0; i < static_cast<std::size_t>(count); ++i)
                to[i] = between(i);
            return;
        }
        float left = between(0);
        for (int x = 0; x < count;) {
            const float right = between(static_cast<std::size_t>(x / step + 1));
            for (int n = 0; n < step && x < count; ++n, ++x)
                *to++ = left + (right - left) * (static_cast<float>(n) * by);
            left = right;
        }
    }
    /// Of `count` texels of the level, from the first on, `step` apart.
    void taken(const V2i& first, int step, int count, double footprint, RowOf<float>& out) const {
        PlacesOfCaster from;
        const V2d px = V2d(1) / m_scale;
        const V3d base = m_shadow.corner + m_shadow.down * ((first.y + 0.5) * px.y);
        for (int i = 0; i < wholeRow(count); ++i) {
            const double x = (first.x + std::min(i, count) * step + 0.5) * px.x;
            const auto n = static_cast<std::size_t>(i);
            from.x[n] = static_cast<float>(base.x + m_shadow.across.x * x);
            from.y[n] = static_cast<float>(base.y + m_shadow.across.y * x);
            from.off[n] = static_cast<float>(base.z + m_shadow.across.z * x);
        }
        RowOf<float> left;
        left.fill(1);
        DiscRow discs;
        if (m_shadow.darkness > 0) {
            discsToLight(m_shadow, from, count, m_perMetre, footprint, discs);
            m_alpha.dim(discs, count, left.data());
        }
        if (m_shadow.contact > 0) {
            discsAtFoot(m_shadow, from, count, m_perMetre, footprint, discs);
            m_alpha.dim(discs, count, left.data());
        }
        for (std::size_t i = 0; i < static_cast<std::size_t>(count); ++i)
            out[i] = 1 - left[i];
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
    double contactDisc(const Looked& at) const { return contactWidth * std::abs(at.off) * m_perMetre; }
    /// What the cell from a node on will ask for.
    void want(const std::vector<Looked>& nodes, std::size_t node) {
        const std::array<const Looked*, 4> corners = {&nodes[node], &nodes[node + 1], &nodes[node + m_across],
                                                      &nodes[node + m_across + 1]};
        const Looked& first = *corners[0];
        // Of a texel to the right and one down, px of the caster.
        const auto footprintOf = [&](V2d Looked::*place) {
            const auto apart = [&](std::size_t a, std::size_t b) {
                return (corners[a]->*place - corners[b]->*place).length() / cellSide;
            };
            return V2d(std::max(apart(0, 1), apart(2, 3)), std::max(apart(0, 2), apart(1, 3)));
        };
        V2d coarse = footprintOf(&Looked::place);
        const double footprint = std::max(coarse.x, coarse.y);
        const V2i natural = m_shadow.caster->layer->pixels;
        Cell& cell = m_cells[node];
        double softest = 1e300; // of the discs, px, as what they take of the light allows
        const auto wanted = [&](double takes, const auto& placeOf, const auto& discOf) {
            V2d low(1e300), high(-1e300);
            double least = 1e300, most = 0;
            for (const Looked* corner : corners) {
                const V2d place = placeOf(*corner);
                low = {std::min(low.x, place.x), std::min(low.y, place.y)};
                high = {std::max(high.x, place.x), std::max(high.y, place.y)};
                const double disc = std::max({discOf(*corner), footprint, 0.0});
                least = std::min(least, disc), most = std::max(most, disc);
                if (corner->off * first.off <= 0 && corner != &first)
                    least = footprint; // the plane itself is between
            }
            // In between it may be somewhat more or less.
            const V2d around = V2d(0.75 * most + 1) + (high - low) * 0.1;
            low -= around, high += around;
            if (high.x < 0 || high.y < 0 || low.x > natural.x || low.y > natural.y) return;
            softest = std::min(softest, least / std::sqrt(std::clamp(takes, 1e-4, 1.0)));
            const int coarsest = m_alpha.levelFor(most * 1.5);
            for (int level = m_alpha.levelFor(least / 1.5); level <= coarsest; ++level)
                m_alpha.want(level, low, high);
            cell.parts[static_cast<std::size_t>(cell.count++)] = {coarsest, low, high};
        };
        const bool lit =
            std::any_of(corners.begin(), corners.end(), [](const Looked* c) { return c->diameter >= 0; });
        if (lit && m_shadow.darkness > 0)
            wanted(
                m_shadow.darkness, [](const Looked& c) { return c.place; },
                [](const Looked& c) { return c.diameter; });
        const bool close = std::any_of(corners.begin(), corners.end(), [&](const Looked* c) {
            return std::abs(c->off) < 2 * m_shadow.contactReach;
        });
        if (close && m_shadow.contact > 0) {
            double nearest = std::abs(first.off); // m
            for (const Looked* corner : corners)
                nearest = corner->off * first.off <= 0 ? 0 : std::min(nearest, std::abs(corner->off));
            const double near = std::max(0.0, 1 - nearest / m_shadow.contactReach);
            wanted(
                m_shadow.contact * near * near,
                [&](const Looked& c) {
                    return c.foot + m_shadow.upwards * (contactDisc(c) / (2 * m_perMetre));
                },
                [&](const Looked& c) {
                    return std::min(contactDisc(c), 3 * m_shadow.contactReach * m_perMetre);
                });
            const V2d atFoot = footprintOf(&Looked::foot);
            coarse = {std::max(coarse.x, atFoot.x), std::max(coarse.y, atFoot.y)};
        }
        // What a disc sees changes evenly over an eighth of it, but for less than a percent; the less, the
        // fainter.
        const auto stepFor = [&](double texel) {
            int step = 1;
            while (2 * step <= cellSide && 16 * step * texel <= softest)
                step *= 2;
            return step;
        };
        cell.step = {stepFor(coarse.x), stepFor(coarse.y)}, cell.footprint = footprint;
    }

    const ShadowOnCard& m_shadow;
    CasterAlpha m_alpha;
    Box m_box;
    V2d m_scale;
    double m_perMetre; ///< px of the caster's natural size
    int m_across;
    std::vector<Cell> m_cells; ///< by their first node
};

class ShadowedSource : public media::PixelSource {
public:
    ShadowedSource(PixelSourcePtr below, const motion::Pixels& pixels,
                   const std::vector<PixelSourcePtr>& casters)
        : PixelSource((below ? below->key() : std::string("shadows")) + keyOf(pixels, casters),
                      below ? below->size() : pixels.layer->pixels, Granularity::EveryLevel,
                      below ? below->seriesOf("shadowed") : "shadows on " + std::to_string(pixels.layer->id)),
          m_below(std::move(below)), m_shadows(pixels.shadows), m_light(pixels.light),
          m_natural(pixels.layer->pixels), m_casters(casters) {}

    Result<Raster> compute(int level, const Box& box, PixelCache& cache,
                           const Progress& progress) const override {
        const V2i of = box.size();
        const V2d scale = scaleOf(size(), m_natural, level);
        std::vector<Taken> all;
        // Of one lamp on a lit picture, what several layers take is taken from its light together.
        std::map<std::int64_t, std::vector<float>> left;
        for (std::size_t n = 0; n < m_shadows->list.size(); ++n) {
            if (progress.stopped()) return cancelled();
            const ShadowOnCard& shadow = m_shadows->list[n];
            OneShadow one(shadow, m_casters[n], box, scale);
            if (!one.seen()) continue;
            if (auto read = one.read(cache, progress); !read) return tl::unexpected(read.error());
            std::vector<float> taken = one.taken();
            if (!one.problem()) return tl::unexpected(one.problem().error());
            if (!shadow.takes) {
                all.push_back({std::move(taken), Imath::V3f(shadow.colour), {}});
                continue;
            }
            std::vector<float>& together = left[shadow.takes->id];
            together.resize(taken.size(), 1.f);
            for (std::size_t i = 0; i < taken.size(); ++i)
                together[i] *= 1 - taken[i];
        }
        for (auto& [lamp, open] : left) {
            for (float& each : open)
                each = 1 - each;
            all.push_back(lightTaken(lamp, std::move(open), scale, box));
        }
        Raster picture;
        if (m_below) {
            auto read = cache.read(m_below, level, box, progress);
            if (!read) return read;
            picture = std::move(*read);
        } else {
            picture = Raster(of);
        }
        // Rows as floats: halfs one by one would take longer than all else.
        cv::Mat own(of.y, of.x, CV_16FC4, picture.rgba.data()), row;
        std::vector<float> shares(static_cast<std::size_t>(of.x) * 3);
        for (int y = 0; y < of.y; ++y) {
            bool begun = false;
            for (const Taken& each : all) {
                const float* taken = each.share.data() + static_cast<std::size_t>(y) * of.x;
                if (std::none_of(taken, taken + of.x, [](float v) { return v > 0; })) continue;
                if (!begun) own.row(y).convertTo(row, CV_32FC4);
                begun = true;
                if (each.ofLight) each.ofLight->row(y, of.x, shares.data());
                darken(row.ptr<float>(), of.x, taken, each.ofLight ? shares.data() : nullptr, each.colour);
            }
            if (!begun) continue;
            cv::Mat halfs = own.row(y);
            row.convertTo(halfs, CV_16FC4);
        }
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
    /// What is taken of the light at each texel.
    struct Taken {
        std::vector<float> share;
        Imath::V3f colour;
        std::optional<Nodes<3>> ofLight; ///< of which part of the light, where it is that of one lamp
    };
    /// A row of texels, RGBA. shares: of the light, three for each; null: all of it.
    void darken(float* p, int count, const float* taken, const float* shares,
                const Imath::V3f& colour) const {
        for (int x = 0; x < count; ++x, p += 4) {
            if (!(taken[x] > 0)) continue;
            const float alpha = m_below ? p[3] : 1;
            for (int c = 0; c < 3; ++c) {
                const float part = shares ? taken[x] * shares[3 * x + c] : taken[x];
                p[c] = p[c] * (1 - part) + colour[c] * part * alpha;
            }
            if (!m_below) p[3] = p[3] * (1 - taken[x]) + taken[x];
        }
    }
    /// A lamp's part of the light, as far as it does not get through.
    Taken lightTaken(std::int64_t lamp, std::vector<float> gone, const V2d& scale, const Box& box) const {
        const ShadowOnCard* shadow = nullptr;
        for (const ShadowOnCard& each : m_shadows->list)
            if (each.takes && each.takes->id == lamp) shadow = &each;
        Nodes<3> shares(box, cellSide, [&](int x, int y) {
            const V2d place = V2d(x + 0.5, y + 0.5) / scale;
            const V3d all = motion::lightAt(*m_light, place, V2d(0), 0),
                      one = motion::lightAt(*m_light, *shadow->takes, place);
            std::array<float, 3> part{};
            for (int c = 0; c < 3; ++c)
                if (all[c] > 0) part[c] = static_cast<float>(std::clamp(one[c] / all[c], 0.0, 1.0));
            return part;
        });
        return {std::move(gone), Imath::V3f(shadow->colour), std::move(shares)};
    }

    PixelSourcePtr m_below; ///< null: the shadows are alone
    motion::ShadowsPtr m_shadows;
    motion::LightPtr m_light;
    V2i m_natural;
    std::vector<PixelSourcePtr> m_casters; ///< of each shadow
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
                                            casters);
}

}
