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

/// Bilinear at base texel coordinates (u, v); beyond the edge the edge texel continues.
inline hn::Vec<Rgba> bilinear(const media::Level& level, double u, double v, double shrink) {
    const double x = u * shrink - 0.5, y = v * shrink - 0.5;
    const double fx = std::floor(x), fy = std::floor(y);
    const int x0 = static_cast<int>(fx), y0 = static_cast<int>(fy);
    const int xa = std::clamp(x0, 0, level.size.x - 1), xb = std::clamp(x0 + 1, 0, level.size.x - 1);
    const Imath::half* upper = level.row(std::clamp(y0, 0, level.size.y - 1));
    const Imath::half* lower = level.row(std::clamp(y0 + 1, 0, level.size.y - 1));
    const float wx = static_cast<float>(x - fx), wy = static_cast<float>(y - fy);
    return mix(mix(texel(upper + 4 * xa), texel(upper + 4 * xb), wx),
               mix(texel(lower + 4 * xa), texel(lower + 4 * xb), wx), wy);
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

Plane planeOf(const optics::Card& card, const optics::View& view, const media::Pyramid* pixels) {
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
    plane.pixels = pixels;
    if (!pixels) return plane;
    plane.size = pixels->levels.front().size;
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

Presence presenceIn(const Plane& plane, int x0, int y0, int x1, int y1) {
    double u0 = 1e300, v0 = 1e300, u1 = -1e300, v1 = -1e300;
    int behind = 0;
    for (const int x : {x0, x1}) {
        for (const int y : {y0, y1}) {
            const double nearness = plane.nearness.at(x, y);
            if (nearness <= 1e-7) {
                ++behind;
                continue;
            }
            const double u = plane.u.at(x, y) / nearness, v = plane.v.at(x, y) / nearness;
            u0 = std::min(u0, u), u1 = std::max(u1, u);
            v0 = std::min(v0, v), v1 = std::max(v1, v);
        }
    }
    if (behind == 4) return Presence::Nothing;
    if (behind > 0) return Presence::Something;
    // A box of the frame that lies wholly ahead maps into the box of its corners.
    const V2i size = plane.size;
    const double marginU = (u1 - u0) / (x1 - x0), marginV = (v1 - v0) / (y1 - y0);
    if (u1 + marginU < 0 || v1 + marginV < 0 || u0 - marginU > size.x || v0 - marginV > size.y)
        return Presence::Nothing;
    const bool covers = u0 >= 0 && v0 >= 0 && u1 <= size.x && v1 <= size.y;
    // Look at it on a level where it is a few texels. Texels of that level, one more on every side, hold
    // all that sampling can reach, because sampling uses a level whose texels are about a pixel.
    const double extent = std::max({u1 - u0, v1 - v0, 1.0});
    const int index = std::clamp(static_cast<int>(std::ceil(std::log2(extent / 12))), 0,
                                 static_cast<int>(plane.pixels->levels.size()) - 1);
    const media::Level& level = plane.pixels->levels[static_cast<std::size_t>(index)];
    const double shrink = std::ldexp(1.0, -index);
    const auto clampX = [&](double u) {
        return static_cast<int>(std::clamp(std::floor(u * shrink), 0.0, level.size.x - 1.0));
    };
    const auto clampY = [&](double v) {
        return static_cast<int>(std::clamp(std::floor(v * shrink), 0.0, level.size.y - 1.0));
    };
    const double around = 1 / shrink;
    bool nothing = true, opaque = covers;
    for (int y = clampY(v0 - 2 * marginV - around); y <= clampY(v1 + 2 * marginV + around); ++y) {
        const Imath::half* row = level.row(y);
        for (int x = clampX(u0 - 2 * marginU - around); x <= clampX(u1 + 2 * marginU + around); ++x) {
            const float alpha = row[4 * x + 3];
            // Light without alpha (an added glow) counts as something.
            nothing = nothing && alpha == 0 && row[4 * x].bits() == 0 && row[4 * x + 1].bits() == 0 &&
                      row[4 * x + 2].bits() == 0;
            opaque = opaque && alpha >= 0.9995f;
        }
    }
    return nothing ? Presence::Nothing : opaque ? Presence::Opaque : Presence::Something;
}

}
#endif
