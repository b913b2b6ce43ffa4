#include "render/brush.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <string>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "render/brush.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <hwy/contrib/math/math-inl.h>

#include "render/fetch-inl.h"

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

using Places = FetchPlaces<Canvas::side>;

/// The levels that a group of pixels reads.
struct Levels {
    int fine = 0;
    float between = 0; ///< share of the next
};
Levels levelsAt(const Brush& brush, float x, float y) {
    if (brush.levels == 1) return {};
    const float lod = brush.lod.a + brush.lod.b * x + brush.lod.c * y;
    const float level = std::clamp(lod, 0.f, static_cast<float>(brush.levels - 1));
    Levels levels;
    levels.fine = static_cast<int>(level);
    levels.between = level - static_cast<float>(levels.fine);
    // The variance of a level is four times that of the one before: (4^b - 1) / 3, to a thousandth.
    if (const float b = levels.between; brush.soft)
        levels.between = b * (0.4621f + b * (0.2803f + b * 0.2576f));
    // A small share is left out.
    if (levels.between > 1 - leastShare) ++levels.fine, levels.between = 0;
    if (levels.between < leastShare) levels.between = 0;
    return levels;
}

/// One row, in steps that leave time between storing a place and fetching from it: where all pixels look,
/// then what they see.
class RowPainter {
public:
    RowPainter(const Brush& brush, Canvas& canvas) : m_brush(brush), m_canvas(canvas) {
        const float air[4] = {brush.air.colour[0], brush.air.colour[1], brush.air.colour[2], 1};
        std::copy_n(air, 4, m_airColour);
        m_plain = brush.taps == 1 && !brush.hazy && !brush.edges.any;
        for (int n = 0; n < brush.levels; ++n) {
            const float k = 1.f / static_cast<float>(1 << n);
            const Patch &first = brush.patches[0], &patch = brush.patches[n];
            const auto origin = [&](int from, int to) {
                return (static_cast<float>(from) + 0.5f) * k - 0.5f - static_cast<float>(to);
            };
            m_onto[n] = {k, origin(first.x0, patch.x0), origin(first.y0, patch.y0)};
        }
    }

    void paint(int y) {
        static_assert(group == blockSide);
        const int without = m_brush.without >> (y / blockSide * blocksAcross);
        m_groups = 0;
        for (int x = 0; x < m_canvas.width; x += group)
            if (!m_canvas.full[(y * Canvas::side + x) / group] && !(without >> x / blockSide & 1))
                m_live[m_groups++] = x;
        if (m_groups == 0) return;
        for (int g = 0; g < m_groups; ++g)
            look(m_live[g], y);
        for (int tap = 0; tap < m_brush.taps; ++tap) {
            for (int g = 0; g < m_groups; ++g)
                findTexels(m_live[g], tap);
            for (int g = 0; g < m_groups; ++g) {
                if (!m_plain)
                    see<true>(m_live[g], y, tap);
                else
                    see<false>(m_live[g], y, tap);
            }
        }
    }

private:
    static constexpr int group = Canvas::group;
    using D = hn::CappedTag<float, group>;

    /// Places on the finest patch, coverage, air.
    HWY_INLINE void look(int x0, int y) {
        const D d;
        const auto row = static_cast<float>(y);
        m_levels[x0 / group] = levelsAt(m_brush, static_cast<float>(x0) + group / 2 - 0.5f, row);
        const auto at = [&](const TileLinear& l, auto x) {
            return hn::MulAdd(hn::Set(d, l.b), x, hn::Set(d, l.a + l.c * row));
        };
        for (int i = x0; i < x0 + group; i += static_cast<int>(hn::Lanes(d))) {
            const auto x = hn::Iota(d, static_cast<float>(i));
            auto u = at(m_brush.u, x), v = at(m_brush.v, x);
            if (!m_brush.level) {
                const auto each = hn::Div(hn::Set(d, 1.f), at(m_brush.w, x));
                u = hn::Mul(u, each), v = hn::Mul(v, each);
            }
            hn::Store(u, d, m_u + i);
            hn::Store(v, d, m_v + i);
            if (m_brush.edges.any) {
                const auto one = hn::Set(d, 1.f);
                auto c = coverOf(d, m_brush.edges, u, v);
                // The steps of rounding at an edge that lies exactly between two pixels.
                c = hn::IfThenElse(hn::Gt(c, hn::Set(d, 1 - 1e-4f)), one,
                                   hn::IfThenZeroElse(hn::Lt(c, hn::Set(d, 1e-4f)), c));
                hn::Store(hn::Mul(c, hn::Set(d, m_brush.opacity)), d, m_cover + i);
            }
            if (m_brush.hazy) {
                const Air& air = m_brush.air;
                const float down = (row - air.centreY) * air.perPixel;
                const auto right = hn::Mul(hn::Sub(x, hn::Set(d, air.centreX)), hn::Set(d, air.perPixel));
                const auto stretch = hn::Sqrt(hn::MulAdd(right, right, hn::Set(d, 1 + down * down)));
                const auto distance = hn::Div(stretch, hn::Max(at(m_brush.nearness, x), hn::Set(d, 1e-7f)));
                const auto through = hn::Max(hn::Sub(distance, hn::Set(d, air.start)), hn::Zero(d));
                hn::Store(hn::Exp(d, hn::Mul(through, hn::Set(d, -air.density))), d, m_air + i);
            }
        }
    }

    HWY_INLINE void findTexels(int x0, int tap) {
        const D d;
        const Levels levels = m_levels[x0 / group];
        const float by = static_cast<float>(tap) - 0.5f * static_cast<float>(m_brush.taps - 1);
        const auto du = hn::Set(d, by * m_brush.du), dv = hn::Set(d, by * m_brush.dv);
        const auto onto = [&](int n, Places& out) {
            const auto scale = hn::Set(d, m_onto[n].scale);
            const auto u0 = hn::Set(d, m_onto[n].u), v0 = hn::Set(d, m_onto[n].v);
            for (int i = x0; i < x0 + group; i += static_cast<int>(hn::Lanes(d)))
                placeOn(d, m_brush.patches[n], hn::MulAdd(hn::Add(hn::Load(d, m_u + i), du), scale, u0),
                        hn::MulAdd(hn::Add(hn::Load(d, m_v + i), dv), scale, v0), i, out);
        };
        onto(levels.fine, m_fine);
        if (levels.between > 0) onto(levels.fine + 1, m_coarse);
    }

    template <bool all> HWY_INLINE void see(int x0, int y, int tap) {
        const Few few;
        const Levels levels = m_levels[x0 / group];
        const Patch& a = m_brush.patches[levels.fine];
        const Patch& b = m_brush.patches[levels.between > 0 ? levels.fine + 1 : levels.fine];
        const auto opacity = few.same(m_brush.opacity), between = few.same(levels.between);
        float* const out = m_canvas.rgba + 4 * y * Canvas::side;
        const bool faint = m_brush.opacity != 1;
        const auto finish = [&](int x, Few::V c) {
            if constexpr (all) {
                if (m_brush.taps > 1) {
                    float* sum = m_sums + 4 * x;
                    if (tap > 0) c = hn::Add(c, hn::Load(Few::D(), sum));
                    hn::Store(c, Few::D(), sum);
                    if (tap + 1 < m_brush.taps) return;
                    c = hn::Mul(c, few.same(1.f / static_cast<float>(m_brush.taps)));
                }
                if (m_brush.hazy) c = few.haze(c, m_air + x, few.colour(m_airColour));
                c = hn::Mul(c, m_brush.edges.any ? few.each(m_cover + x) : opacity);
            } else if (faint) {
                c = hn::Mul(c, opacity);
            }
            few.under(out + 4 * x, c);
        };
        const auto fetch = [&](const Patch& patch, const Places& places, int x) {
            return few.fetch(patch.texels, patch.stride, places.at + x, places.wx + x, places.wy + x);
        };
        if (levels.between > 0)
            for (int x = x0; x < x0 + group; x += Few::pixels) {
                const auto c = fetch(a, m_fine, x);
                finish(x, hn::MulAdd(hn::Sub(fetch(b, m_coarse, x), c), between, c));
            }
        else
            for (int x = x0; x < x0 + group; x += Few::pixels)
                finish(x, fetch(a, m_fine, x));
        if (tap + 1 < m_brush.taps) return;
        // Something faint hardly ever fills up what was not full before; that is noticed later.
        if (faint) return;
        auto least = hn::Load(Few::D(), out + 4 * x0);
        for (int x = x0 + Few::pixels; x < x0 + group; x += Few::pixels)
            least = hn::Min(least, hn::Load(Few::D(), out + 4 * x));
        m_canvas.full[(y * Canvas::side + x0) / group] =
            hn::AllTrue(Few::D(), hn::Ge(few.alpha(least), few.same(opaqueAlpha)));
    }

    const Brush& m_brush;
    Canvas& m_canvas;
    bool m_plain;
    float m_airColour[4];
    int m_live[Canvas::side / group], m_groups = 0;
    Levels m_levels[Canvas::side / group];
    struct {
        float scale, u, v;
    } m_onto[Brush::mostLevels]; ///< from places on the finest level to those on each
    alignas(64) float m_u[Canvas::side], m_v[Canvas::side], m_cover[Canvas::side], m_air[Canvas::side];
    alignas(64) float m_sums[4 * Canvas::side];
    Places m_fine, m_coarse;
};

void PaintUnder(const Brush& brush, Canvas& canvas) {
    if (brush.levels == 0) return;
    RowPainter painter(brush, canvas);
    for (int y = 0; y < canvas.height; ++y)
        painter.paint(y);
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::render {

HWY_EXPORT(PaintUnder);

void paintUnder(const Brush& brush, Canvas& canvas) {
    HWY_DYNAMIC_DISPATCH(PaintUnder)(brush, canvas);
}

std::vector<std::string> instructionSets() {
    std::vector<std::string> names;
    for (const std::int64_t target : hwy::SupportedAndGeneratedTargets())
        names.emplace_back(hwy::TargetName(target));
    return names;
}

void useInstructionSet(const std::string& name) {
    hwy::SetSupportedTargetsForTest(0);
    for (const std::int64_t target : hwy::SupportedAndGeneratedTargets())
        if (name == hwy::TargetName(target)) hwy::SetSupportedTargetsForTest(target);
}

Air Air::from(double x0, double y0, double size) const {
    Air moved = *this;
    moved.centreX = static_cast<float>(static_cast<double>(centreX) / size - x0 - 0.5);
    moved.centreY = static_cast<float>(static_cast<double>(centreY) / size - y0 - 0.5);
    moved.perPixel = static_cast<float>(static_cast<double>(perPixel) * size);
    return moved;
}

void throughAir(const Air& air, float x, float y, double nearness, float* rgba) {
    const double distance = static_cast<double>(air.stretchAt(x, y)) / std::max(nearness, 1e-7);
    const auto t = static_cast<float>(std::exp(-air.density * std::max(0.0, distance - air.start)));
    for (int c = 0; c < 3; ++c)
        rgba[c] = rgba[c] * t + air.colour[c] * (1 - t) * rgba[3];
}

Look lookAt(const Plane& plane, const media::Pyramid& pixels, const Reach& reach, int x0, int y0, int width,
            int height, bool soft) {
    Look look;
    if (plane.bent() || reach.behind > 0) return look;
    const int top = static_cast<int>(pixels.levels.size()) - 1;
    const double cx = x0 + 0.5, cy = y0 + 0.5; // the first pixel's middle
    const double across = std::max(1, width - 1), down = std::max(1, height - 1);
    // How finely, at the corners.
    const auto printAt = [&](double x, double y) {
        Footprint print = footprintAt(plane, x, y);
        if (soft) print = footprintAt(plane, x, y, softened(discAt(plane, x, y) / 2, print.lod));
        print.lod = levelRead(plane, print.lod);
        return print;
    };
    look.soft = soft;
    if (soft) look.edge = softenedEdge(discAt(plane, x0 + width / 2.0, y0 + height / 2.0) / 2);
    const Footprint first = printAt(cx, cy);
    double low = first.lod, high = first.lod;
    Footprint widest = first;
    double lods[3] = {first.lod, first.lod, first.lod};
    if (!plane.level) {
        const V2d corners[3] = {{cx + across, cy}, {cx, cy + down}, {cx + across, cy + down}};
        for (int i = 0; i < 3; ++i) {
            const Footprint print = printAt(corners[i].x, corners[i].y);
            lods[i] = print.lod;
            low = std::min(low, print.lod), high = std::max(high, print.lod);
            if (print.taps > widest.taps) widest = print;
        }
    }
    const auto least = static_cast<double>(leastShare);
    look.fine = std::clamp(static_cast<int>(std::floor(low + least)), 0, top);
    const int coarse = std::min(static_cast<int>(std::ceil(high - least)), top);
    const int levels = std::max(1, coarse - look.fine + 1);
    const double shrink = std::ldexp(1.0, -look.fine);
    const double area = (reach.u1 - reach.u0) * shrink * (reach.v1 - reach.v0) * shrink;
    if (levels > Brush::mostLevels || area > 64.0 * (width + 16) * (height + 16)) return look;
    look.levels = levels;
    look.lod.a = static_cast<float>(first.lod - look.fine);
    if (!plane.level) {
        look.lod.b = static_cast<float>((lods[0] - first.lod) / across);
        look.lod.c = static_cast<float>((lods[1] - first.lod) / down);
    }
    look.taps = widest.taps;
    look.du = widest.du, look.dv = widest.dv;
    look.spanU = std::abs(look.du) * look.taps / 2, look.spanV = std::abs(look.dv) * look.taps / 2;
    return look;
}

Brush brushOf(const Look& look, const Plane& plane, const media::Pyramid& pixels, const Reach& whole, int x0,
              int y0, int width, int height, const BlockGrid& grid, Blocks without, PatchArena& arena) {
    Brush brush;
    brush.without = without;
    brush.levels = look.levels;
    if ((without & grid.all()) == grid.all()) {
        brush.levels = 0; // nothing to paint
        return brush;
    }
    const Reach reach = grid.reachWithout(without, whole);
    const double cx = x0 + 0.5, cy = y0 + 0.5, shrink = std::ldexp(1.0, -look.fine);
    for (int n = 0; n < look.levels; ++n)
        brush.patches[n] = arena.take(plane, pixels, look.fine + n,
                                      texelsAround(reach, look.spanU, look.spanV, look.fine + n));
    const Patch& patch = brush.patches[0];
    const Projective& m = plane.pinhole;
    const auto local = [&](const Linear& l, double origin) {
        const Linear at = l * shrink - m.w * (origin + 0.5);
        const double by = plane.level ? 1 / m.w.a : 1 / m.w.at(cx, cy);
        return TileLinear{static_cast<float>(at.at(cx, cy) * by), static_cast<float>(at.b * by),
                          static_cast<float>(at.c * by)};
    };
    brush.u = local(m.u, patch.x0);
    brush.v = local(m.v, patch.y0);
    const double w = m.w.at(cx, cy);
    brush.w = {1, static_cast<float>(m.w.b / w), static_cast<float>(m.w.c / w)};
    brush.level = plane.level;
    brush.lod = look.lod;
    brush.soft = look.soft;
    brush.taps = look.taps;
    brush.du = static_cast<float>(look.du * shrink), brush.dv = static_cast<float>(look.dv * shrink);
    brush.nearness = {static_cast<float>(w), static_cast<float>(m.w.b), static_cast<float>(m.w.c)};
    brush.edges = edgesOf(
        plane, reach, patch, look.fine,
        coversAt(plane, cx + std::max(1, width - 1) / 2.0, cy + std::max(1, height - 1) / 2.0) * look.edge);
    return brush;
}

std::optional<Brush> brushOf(const Plane& plane, const media::Pyramid& pixels, const Reach& reach, int x0,
                             int y0, int width, int height, PatchArena& arena, bool oneLevel) {
    Look look = lookAt(plane, pixels, reach, x0, y0, width, height);
    if (look.levels == 0) return {};
    if (oneLevel && plane.level && look.levels == 2) {
        constexpr float halfway =
            0.6f; // rather the finer one, whose texels are then skipped by at most a half
        if (look.lod.a >= halfway) ++look.fine;
        look.levels = 1;
        look.lod = {};
    }
    const BlockGrid grid(plane, x0, y0, width, height);
    const Known known = knownOf(plane, pixels, grid, reach, look.fine, look.levels, look.spanU, look.spanV);
    return brushOf(look, plane, pixels, reach, x0, y0, width, height, grid, known.clear, arena);
}

}
#endif
