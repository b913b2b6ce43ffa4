#include "render/sampler.h"

#include <algorithm>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "render/sampler.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

using Rgba = hn::FixedTag<float, 4>;
using Halfs = hn::FixedTag<hwy::float16_t, 4>;

inline hn::Vec<Rgba> texel(const Imath::half* at) {
    return hn::PromoteTo(Rgba(), hn::LoadU(Halfs(), reinterpret_cast<const hwy::float16_t*>(at)));
}

inline hn::Vec<Rgba> mix(hn::Vec<Rgba> a, hn::Vec<Rgba> b, float f) {
    return hn::MulAdd(hn::Sub(b, a), hn::Set(Rgba(), f), a);
}

/// Bilinear at base texel coordinates (u, v); beyond the edge the edge texel continues. What is not there is
/// clear: needOf sees to it that all that is looked at is there.
inline hn::Vec<Rgba> bilinear(const media::TiledLevel& level, double u, double v, double shrink) {
    const double x = u * shrink - 0.5, y = v * shrink - 0.5;
    const double fx = std::floor(x), fy = std::floor(y);
    const int x0 = static_cast<int>(fx), y0 = static_cast<int>(fy);
    const int xa = std::clamp(x0, 0, level.size.x - 1), xb = std::clamp(x0 + 1, 0, level.size.x - 1);
    const int ya = std::clamp(y0, 0, level.size.y - 1), yb = std::clamp(y0 + 1, 0, level.size.y - 1);
    const float wx = static_cast<float>(x - fx), wy = static_cast<float>(y - fy);
    constexpr int side = media::tileSide;
    if (xa / side == xb / side && ya / side == yb / side) {
        const media::Raster* tile = level.tileAt(xa, ya);
        if (!tile) return hn::Zero(Rgba());
        const Imath::half* upper = tile->row(ya % side);
        const Imath::half* lower = tile->row(yb % side);
        const int a = xa % side, b = xb % side;
        return mix(mix(texel(upper + 4 * a), texel(upper + 4 * b), wx),
                   mix(texel(lower + 4 * a), texel(lower + 4 * b), wx), wy);
    }
    const auto at = [&](int tx, int ty) {
        const Imath::half* t = level.texel(tx, ty);
        return t ? texel(t) : hn::Zero(Rgba());
    };
    return mix(mix(at(xa, ya), at(xb, ya), wx), mix(at(xa, yb), at(xb, yb), wx), wy);
}

void SampleRow(const Plane& plane, int y, int x0, int x1, float* out) {
    const auto& levels = plane.pixels->levels;
    const int top = static_cast<int>(levels.size()) - 1;
    const double width = plane.size.x, height = plane.size.y, row = y + 0.5;
    double lod = 0, reachU = 0, reachV = 0;
    int fine = 0;
    float between = 0;
    double shrink = 1;
    const auto footprint = [&](double u, double v, double nearness) {
        const double ux = (plane.u.b - u * plane.nearness.b) / nearness,
                     uy = (plane.u.c - u * plane.nearness.c) / nearness;
        const double vx = (plane.v.b - v * plane.nearness.b) / nearness,
                     vy = (plane.v.c - v * plane.nearness.c) / nearness;
        reachU = std::sqrt(ux * ux + uy * uy);
        reachV = std::sqrt(vx * vx + vy * vy);
        const double across = ux * ux + vx * vx, down = uy * uy + vy * vy;
        lod = std::clamp(0.5 * std::log2(std::max(across, down)), 0.0, static_cast<double>(top));
        // A layer at its natural size must come out as it is, whatever the last bits say.
        if (lod < 1e-6) lod = 0;
        fine = std::min(static_cast<int>(lod), top);
        between = fine < top ? static_cast<float>(lod - fine) : 0.f;
        shrink = std::ldexp(1.0, -fine);
    };
    bool known = false;
    for (int x = x0; x < x1; ++x, out += 4) {
        const double px = x + 0.5;
        const double nearness = plane.nearness.at(px, row);
        float coverage = 0;
        double u = 0, v = 0;
        if (nearness > 1e-7) {
            u = plane.u.at(px, row) / nearness;
            v = plane.v.at(px, row) / nearness;
            if (!known || !plane.level) {
                footprint(u, v, nearness);
                known = true;
            }
            const auto inside = [](double place, double length, double reach) {
                const double each = 1 / std::max(reach, 1e-12);
                return std::clamp(place * each + 0.5, 0.0, 1.0) *
                       std::clamp((length - place) * each + 0.5, 0.0, 1.0);
            };
            coverage = static_cast<float>(inside(u, width, reachU) * inside(v, height, reachV));
            // The steps of rounding at an edge that lies exactly between two pixels.
            if (coverage < 1e-6f) coverage = 0;
            if (coverage > 1 - 1e-6f) coverage = 1;
        }
        if (coverage == 0) {
            hn::StoreU(hn::Zero(Rgba()), Rgba(), out);
            continue;
        }
        auto colour = bilinear(levels[static_cast<std::size_t>(fine)], u, v, shrink);
        if (between > 0)
            colour =
                mix(colour, bilinear(levels[static_cast<std::size_t>(fine) + 1], u, v, shrink / 2), between);
        hn::StoreU(hn::Mul(colour, hn::Set(Rgba(), coverage)), Rgba(), out);
    }
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::render {

HWY_EXPORT(SampleRow);

void sampleRow(const Plane& plane, int y, int x0, int x1, float* out) {
    HWY_DYNAMIC_DISPATCH(SampleRow)(plane, y, x0, x1, out);
}

Plane planeOf(const optics::Card& card, const optics::View& view, V2i size) {
    // With the ray d = forward + right sx - up sy (depth component 1) and c = corner - eye:
    // depth * d = c + s across + t down. Crossing with the plane's normal n gives 1/depth = d.n / c.n,
    // and with the vectors a, b dual to across and down, s/depth = d.a - c.a / depth.
    const V3d c = card.corner - view.eye;
    const V3d n = card.across.cross(card.down);
    const double cn = c.dot(n);
    const V3d dual = n / n.dot(n);
    const V3d a = card.down.cross(dual), b = dual.cross(card.across);
    const V3d perX = view.right / view.slope, perY = view.up * (-1 / view.slope);
    const V3d start = view.forward - perX * view.centre.x - perY * view.centre.y;

    Plane plane;
    if (!(std::abs(cn) > 1e-300)) return plane; // seen edge-on: nowhere ahead
    plane.nearness = {start.dot(n) / cn, perX.dot(n) / cn, perY.dot(n) / cn};
    plane.level =
        std::abs(plane.nearness.b) + std::abs(plane.nearness.c) < 1e-12 * std::abs(plane.nearness.a);
    if (plane.level) plane.nearness.b = plane.nearness.c = 0;
    if (size.x < 1 || size.y < 1) return plane;
    plane.size = size;
    const auto coordinate = [&](const V3d& axis, double length) {
        const double offset = c.dot(axis);
        return Linear{(start.dot(axis) - offset * plane.nearness.a) * length,
                      (perX.dot(axis) - offset * plane.nearness.b) * length,
                      (perY.dot(axis) - offset * plane.nearness.c) * length};
    };
    plane.u = coordinate(a, plane.size.x);
    plane.v = coordinate(b, plane.size.y);
    return plane;
}

namespace {

/// The box of the picture that a box of the frame shows.
struct Reach {
    int behind = 0; ///< corners of the frame's box that do not look at the card's plane
    double u0 = 1e300, v0 = 1e300, u1 = -1e300, v1 = -1e300; ///< base texels
    double marginU = 0, marginV = 0;                         ///< what a pixel of the frame covers
    bool off = false;                                        ///< it shows nothing of the card
};

Reach reachOf(const Plane& plane, int x0, int y0, int x1, int y1) {
    Reach r;
    for (const int x : {x0, x1}) {
        for (const int y : {y0, y1}) {
            const double nearness = plane.nearness.at(x, y);
            if (nearness <= 1e-7) {
                ++r.behind;
                continue;
            }
            const double u = plane.u.at(x, y) / nearness, v = plane.v.at(x, y) / nearness;
            r.u0 = std::min(r.u0, u), r.u1 = std::max(r.u1, u);
            r.v0 = std::min(r.v0, v), r.v1 = std::max(r.v1, v);
        }
    }
    if (r.behind > 0) {
        r.off = r.behind == 4;
        return r;
    }
    r.marginU = (r.u1 - r.u0) / (x1 - x0), r.marginV = (r.v1 - r.v0) / (y1 - y0);
    r.off = r.u1 + r.marginU < 0 || r.v1 + r.marginV < 0 || r.u0 - r.marginU > plane.size.x ||
            r.v0 - r.marginV > plane.size.y;
    return r;
}

/// A level on which what a box of the frame shows is a few texels. Texels of that level, one more on every
/// side, hold all that sampling can reach, because sampling uses a level whose texels are about a pixel.
struct Glance {
    int level;
    media::Box box;
};
Glance glanceAt(const Plane& plane, const Reach& r) {
    const int count = media::levelCount(plane.size);
    const double extent = std::max({r.u1 - r.u0, r.v1 - r.v0, 1.0});
    const int level = std::clamp(static_cast<int>(std::ceil(std::log2(extent / 12))), 0, count - 1);
    const V2i size = media::levelSize(plane.size, level);
    const double shrink = std::ldexp(1.0, -level), around = 1 / shrink;
    const auto at = [&](double place, int length) {
        return static_cast<int>(std::clamp(std::floor(place * shrink), 0.0, length - 1.0));
    };
    return {level,
            {at(r.u0 - 2 * r.marginU - around, size.x), at(r.v0 - 2 * r.marginV - around, size.y),
             at(r.u1 + 2 * r.marginU + around, size.x) + 1, at(r.v1 + 2 * r.marginV + around, size.y) + 1}};
}

/// The finest and the coarsest level that sampling a box of the frame will ask for.
std::pair<int, int> levelsIn(const Plane& plane, int x0, int y0, int x1, int y1) {
    const int top = media::levelCount(plane.size) - 1;
    double low = 1e300, high = 0;
    for (const int x : {x0, x1})
        for (const int y : {y0, y1}) {
            const double nearness = plane.nearness.at(x, y);
            if (nearness <= 1e-7) continue;
            const double u = plane.u.at(x, y) / nearness, v = plane.v.at(x, y) / nearness;
            const double ux = (plane.u.b - u * plane.nearness.b) / nearness,
                         uy = (plane.u.c - u * plane.nearness.c) / nearness;
            const double vx = (plane.v.b - v * plane.nearness.b) / nearness,
                         vy = (plane.v.c - v * plane.nearness.c) / nearness;
            const double lod = std::clamp(0.5 * std::log2(std::max(ux * ux + vx * vx, uy * uy + vy * vy)),
                                          0.0, static_cast<double>(top));
            low = std::min(low, lod), high = std::max(high, lod);
        }
    if (low > high) return {0, 0};
    // Inside the box it may be a little finer than at its corners.
    const double spare = plane.level ? 1e-5 : 0.3;
    return {std::max(0, static_cast<int>(std::floor(low - spare))),
            std::min(top, static_cast<int>(std::floor(high + spare)) + 1)};
}

void gatherNeed(const Plane& plane, int x0, int y0, int x1, int y1, media::Need& need) {
    const Reach r = reachOf(plane, x0, y0, x1, y1);
    if (r.off) return;
    const auto [fine, coarse] = levelsIn(plane, x0, y0, x1, y1);
    const bool steep = r.behind > 0 || coarse - fine > 2 || r.u1 - r.u0 > 4.0 * plane.size.x ||
                       r.v1 - r.v0 > 4.0 * plane.size.y;
    if (steep && (x1 - x0 > 1 || y1 - y0 > 1)) {
        const int xm = (x0 + x1) / 2, ym = (y0 + y1) / 2;
        for (const auto& [a, b] : {std::pair(x0, xm), std::pair(xm, x1)})
            for (const auto& [c, d] : {std::pair(y0, ym), std::pair(ym, y1)})
                if (b > a && d > c) gatherNeed(plane, a, c, b, d, need);
        return;
    }
    if (r.behind > 0 && r.u0 > r.u1) return;
    const double spareU = 2 * r.marginU, spareV = 2 * r.marginV;
    for (int level = fine; level <= coarse; ++level) {
        const double shrink = std::ldexp(1.0, -level);
        const V2i size = media::levelSize(plane.size, level);
        // Beyond the edge the edge texel continues, so it is looked at from outside too.
        const auto at = [&](double place, int length) {
            return static_cast<int>(std::clamp(std::floor(place * shrink - 0.5), 0.0, length - 1.0));
        };
        need.add(level, {at(r.u0 - spareU, size.x) - 1, at(r.v0 - spareV, size.y) - 1,
                         at(r.u1 + spareU, size.x) + 3, at(r.v1 + spareV, size.y) + 3});
    }
}

}

media::Need needOf(const Plane& plane, V2i frame) {
    media::Need need(plane.size);
    for (int y = 0; y < frame.y; y += glanceSide) {
        for (int x = 0; x < frame.x; x += glanceSide) {
            const int x1 = std::min(x + glanceSide, frame.x), y1 = std::min(y + glanceSide, frame.y);
            gatherNeed(plane, x, y, x1, y1, need);
            const Reach r = reachOf(plane, x, y, x1, y1);
            if (r.off || r.behind > 0) continue;
            const Glance glance = glanceAt(plane, r);
            need.add(glance.level, glance.box);
        }
    }
    return need;
}

Presence presenceIn(const Plane& plane, int x0, int y0, int x1, int y1) {
    const Reach r = reachOf(plane, x0, y0, x1, y1);
    if (r.off) return Presence::Nothing;
    if (r.behind > 0) return Presence::Something;
    const V2i size = plane.size;
    const bool covers = r.u0 >= 0 && r.v0 >= 0 && r.u1 <= size.x && r.v1 <= size.y;
    const Glance glance = glanceAt(plane, r);
    const media::TiledLevel& level = plane.pixels->levels[static_cast<std::size_t>(glance.level)];
    bool nothing = true, opaque = covers;
    for (int y = glance.box.y0; y < glance.box.y1; ++y) {
        for (int x = glance.box.x0; x < glance.box.x1; ++x) {
            const Imath::half* texel = level.texel(x, y);
            if (!texel) return Presence::Something;
            const float alpha = texel[3];
            // Light without alpha (an added glow) counts as something.
            nothing =
                nothing && alpha == 0 && texel[0].bits() == 0 && texel[1].bits() == 0 && texel[2].bits() == 0;
            opaque = opaque && alpha >= 0.9995f;
        }
    }
    return nothing ? Presence::Nothing : opaque ? Presence::Opaque : Presence::Something;
}

}
#endif
