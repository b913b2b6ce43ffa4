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

/// Bilinear at base texel coordinates (u, v); beyond the edge the edge texel continues, or where the picture
/// is repeated, the one at its other side. What is not there is clear: needOf sees to it that all that is
/// looked at is there.
inline hn::Vec<Rgba> bilinear(const media::TiledLevel& level, double u, double v, double shrink, bool roundX,
                              bool roundY) {
    const double x = u * shrink - 0.5, y = v * shrink - 0.5;
    const double fx = std::floor(x), fy = std::floor(y);
    const int x0 = static_cast<int>(fx), y0 = static_cast<int>(fy);
    const auto index = [](int i, int count, bool round) {
        if (i < 0) return round ? count - 1 : 0;
        if (i >= count) return round ? 0 : count - 1;
        return i;
    };
    const int xa = index(x0, level.size.x, roundX), xb = index(x0 + 1, level.size.x, roundX);
    const int ya = index(y0, level.size.y, roundY), yb = index(y0 + 1, level.size.y, roundY);
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

/// A place along one side of the picture, brought inside it.
struct Folded {
    double at;
    bool round; ///< what lies beyond the edge is the other side
};
inline Folded folded(double u, double length, const scene::Extension& low, const scene::Extension& high) {
    if (u >= 0.5 && u <= length - 0.5) return {u, false};
    const scene::Extension& side = u < length / 2 ? low : high;
    return {scene::folded(u / length, side.beyond) * length, side.beyond == scene::Beyond::Repeat};
}

/// Where pixels look on the picture: base texels, and their change for a pixel to the right and down.
struct Look {
    double u = 0, v = 0, ux = 0, uy = 0, vx = 0, vy = 0;
};

/// Samples a row: look(x, look, known) is false where the card is not; known: the footprint of the pixel
/// before still holds and need not be told.
template <class LookAt>
inline void sample(const Plane& plane, int x0, int x1, float* out, bool sameEverywhere,
                   const LookAt& lookAt) {
    const auto& levels = plane.pixels->levels;
    const int top = static_cast<int>(levels.size()) - 1;
    const double width = plane.size.x, height = plane.size.y;
    const double left = plane.left(), right = plane.right(), upper = plane.top(), lower = plane.bottom();
    const bool extended = plane.extensions.any();
    double reachU = 0, reachV = 0;
    int fine = 0;
    float between = 0;
    double shrink = 1;
    Look look;
    bool known = false;
    for (int x = x0; x < x1; ++x, out += 4) {
        float coverage = 0;
        if (lookAt(x, look, known)) {
            if (!known) {
                reachU = std::sqrt(look.ux * look.ux + look.uy * look.uy);
                reachV = std::sqrt(look.vx * look.vx + look.vy * look.vy);
                const double across = look.ux * look.ux + look.vx * look.vx,
                             down = look.uy * look.uy + look.vy * look.vy;
                double lod =
                    std::clamp(0.5 * std::log2(std::max(across, down)), 0.0, static_cast<double>(top));
                // A layer at its natural size must come out as it is, whatever the last bits say.
                if (!(lod > 1e-6)) lod = 0;
                fine = std::min(static_cast<int>(lod), top);
                between = fine < top ? static_cast<float>(lod - fine) : 0.f;
                shrink = std::ldexp(1.0, -fine);
                known = sameEverywhere;
            }
            const auto inside = [](double place, double low, double high, double reach) {
                const double each = 1 / std::max(reach, 1e-12);
                return std::clamp((place - low) * each + 0.5, 0.0, 1.0) *
                       std::clamp((high - place) * each + 0.5, 0.0, 1.0);
            };
            coverage = static_cast<float>(inside(look.u, left, right, reachU) *
                                          inside(look.v, upper, lower, reachV));
            // The steps of rounding at an edge that lies exactly between two pixels.
            if (coverage < 1e-6f) coverage = 0;
            if (coverage > 1 - 1e-6f) coverage = 1;
        }
        if (coverage == 0) {
            hn::StoreU(hn::Zero(Rgba()), Rgba(), out);
            continue;
        }
        Folded u{look.u, false}, v{look.v, false};
        if (extended) {
            u = folded(look.u, width, plane.extensions.left, plane.extensions.right);
            v = folded(look.v, height, plane.extensions.top, plane.extensions.bottom);
        }
        auto colour = bilinear(levels[static_cast<std::size_t>(fine)], u.at, v.at, shrink, u.round, v.round);
        if (between > 0)
            colour = mix(colour,
                         bilinear(levels[static_cast<std::size_t>(fine) + 1], u.at, v.at, shrink / 2, u.round,
                                  v.round),
                         between);
        hn::StoreU(hn::Mul(colour, hn::Set(Rgba(), coverage)), Rgba(), out);
    }
}

void SampleRow(const Plane& plane, int y, int x0, int x1, float* out) {
    const double row = y + 0.5;
    if (!plane.bent()) {
        sample(plane, x0, x1, out, plane.level, [&](int x, Look& look, bool known) {
            const double px = x + 0.5, nearness = plane.nearness.at(px, row);
            if (!(nearness > 1e-7)) return false;
            const double u = look.u = plane.u.at(px, row) / nearness,
                         v = look.v = plane.v.at(px, row) / nearness;
            if (known) return true;
            look.ux = (plane.u.b - u * plane.nearness.b) / nearness;
            look.uy = (plane.u.c - u * plane.nearness.c) / nearness;
            look.vx = (plane.v.b - v * plane.nearness.b) / nearness;
            look.vy = (plane.v.c - v * plane.nearness.c) / nearness;
            return true;
        });
        return;
    }
    // The card a little larger, so that pixels half on its edge are met; differences over half a pixel.
    optics::Card card = plane.card;
    const double spare = 0.02;
    card.left += spare, card.right += spare, card.top += spare, card.bottom += spare;
    const auto at = [&](double px, double py) { return optics::meet(plane.view, {px, py}, card); };
    sample(plane, x0, x1, out, false, [&](int x, Look& look, bool) {
        const auto here = at(x + 0.5, row);
        if (!here) return false;
        const V2d size(plane.size);
        look.u = here->s * size.x;
        look.v = here->t * size.y;
        const auto change = [&](double dx, double dy, double& du, double& dv) {
            constexpr double h = 0.25;
            auto there = at(x + 0.5 + dx * h, row + dy * h);
            double way = h;
            if (!there || std::abs(there->s - here->s) > 0.25) {
                there = at(x + 0.5 - dx * h, row - dy * h);
                way = -h;
            }
            if (!there || std::abs(there->s - here->s) > 0.25) return; // as before
            du = (there->s - here->s) * size.x / way;
            dv = (there->t - here->t) * size.y / way;
        };
        change(1, 0, look.ux, look.vx);
        change(0, 1, look.uy, look.vy);
        return true;
    });
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::render {

HWY_EXPORT(SampleRow);

void sampleRow(const Plane& plane, int y, int x0, int x1, float* out) {
    HWY_DYNAMIC_DISPATCH(SampleRow)(plane, y, x0, x1, out);
}

Plane planeOf(const optics::Card& card, const optics::View& view, V2i size,
              const scene::Extensions& extensions) {
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
    plane.card = card;
    plane.view = view;
    plane.extensions = extensions;
    if (plane.bent()) plane.size = size;
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
    int met = 0; ///< of a bent card: at how many of the places looked at it is there
};

/// Places of a box that a bent card is looked at.
constexpr int bentSteps = 8;

Reach bentReach(const Plane& plane, int x0, int y0, int x1, int y1) {
    Reach r;
    optics::Card card = plane.card;
    // What slips between the places looked at.
    const double spare = 0.1;
    card.left += spare, card.right += spare, card.top += spare, card.bottom += spare;
    for (int j = 0; j <= bentSteps; ++j) {
        for (int i = 0; i <= bentSteps; ++i) {
            const double x = x0 + (x1 - x0) * static_cast<double>(i) / bentSteps,
                         y = y0 + (y1 - y0) * static_cast<double>(j) / bentSteps;
            const auto met = optics::meet(plane.view, {x, y}, card);
            if (!met) continue;
            ++r.met;
            const double u = met->s * plane.size.x, v = met->t * plane.size.y;
            r.u0 = std::min(r.u0, u), r.u1 = std::max(r.u1, u);
            r.v0 = std::min(r.v0, v), r.v1 = std::max(r.v1, v);
        }
    }
    r.off = r.met == 0;
    if (r.off) return r;
    r.marginU = (r.u1 - r.u0) / bentSteps, r.marginV = (r.v1 - r.v0) / bentSteps;
    r.u0 -= r.marginU, r.u1 += r.marginU, r.v0 -= r.marginV, r.v1 += r.marginV;
    return r;
}

Reach reachOf(const Plane& plane, int x0, int y0, int x1, int y1) {
    if (plane.bent()) return bentReach(plane, x0, y0, x1, y1);
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
    r.off = r.u1 + r.marginU < plane.left() || r.v1 + r.marginV < plane.top() ||
            r.u0 - r.marginU > plane.right() || r.v0 - r.marginV > plane.bottom();
    return r;
}

/// Whether a box shows nothing but the picture itself, or the card's plain surroundings.
bool looksInside(const Plane& plane, const Reach& r) {
    return !plane.bent() && (!plane.extensions.any() ||
                             (r.u0 - r.marginU >= 0 && r.v0 - r.marginV >= 0 &&
                              r.u1 + r.marginU <= plane.size.x && r.v1 + r.marginV <= plane.size.y));
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

/// What an interval of base texels shows of the picture itself, where it goes on beyond its edges.
std::pair<double, double> insideOf(double low, double high, double length, const scene::Extension& before,
                                   const scene::Extension& after) {
    double a = std::clamp(low, 0.0, length), b = std::clamp(high, 0.0, length);
    const auto beyond = [&](const scene::Extension& side, double by, bool isBefore) {
        if (side.reach() <= 0 || by <= 0) return;
        by = std::min(by, side.reach() * length);
        if (side.beyond == scene::Beyond::Stretch) return;
        if (side.beyond == scene::Beyond::Repeat || by >= length) {
            a = 0, b = length;
        } else if (isBefore) {
            a = 0, b = std::max(b, by);
        } else {
            a = std::min(a, length - by), b = length;
        }
    };
    beyond(before, -low, true);
    beyond(after, high - length, false);
    return {a, b};
}

/// The texels of a level that a reach looks at.
void addFolded(const Plane& plane, const Reach& r, int level, media::Need& need) {
    const double shrink = std::ldexp(1.0, -level);
    const V2i size = media::levelSize(plane.size, level);
    const auto [u0, u1] = insideOf(r.u0, r.u1, plane.size.x, plane.extensions.left, plane.extensions.right);
    const auto [v0, v1] = insideOf(r.v0, r.v1, plane.size.y, plane.extensions.top, plane.extensions.bottom);
    // Beyond the edge the edge texel continues, so it is looked at from outside too.
    const auto at = [&](double place, int length) {
        return static_cast<int>(std::clamp(std::floor(place * shrink - 0.5), 0.0, length - 1.0));
    };
    need.add(level, {at(u0, size.x) - 1, at(v0, size.y) - 1, at(u1, size.x) + 3, at(v1, size.y) + 3});
}

void gatherNeed(const Plane& plane, int x0, int y0, int x1, int y1, media::Need& need) {
    Reach r = reachOf(plane, x0, y0, x1, y1);
    if (r.off) return;
    if (plane.bent()) { // near its rim the scale may be anything: all levels, by what they cost
        for (int level = 0; level < media::levelCount(plane.size); ++level)
            if (const double texels = (r.u1 - r.u0) * std::ldexp(1.0, -level);
                level == media::levelCount(plane.size) - 1 || texels < 4 * (x1 - x0))
                addFolded(plane, r, level, need);
        return;
    }
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
    r.u0 -= 2 * r.marginU, r.u1 += 2 * r.marginU, r.v0 -= 2 * r.marginV, r.v1 += 2 * r.marginV;
    for (int level = fine; level <= coarse; ++level)
        addFolded(plane, r, level, need);
}

}

double nearnessAt(const Plane& plane, double x, double y) {
    if (!plane.bent()) return plane.nearness.at(x, y);
    const auto met = optics::meet(plane.view, {x, y}, plane.card);
    return met ? 1 / met->depth : 0;
}

std::pair<double, double> nearnessIn(const Plane& plane, int x0, int y0, int x1, int y1) {
    double low = 1e300, high = -1e300;
    if (!plane.bent()) {
        for (const int x : {x0, x1})
            for (const int y : {y0, y1}) {
                const double nearness = plane.nearness.at(x, y);
                low = std::min(low, nearness), high = std::max(high, nearness);
            }
        return {low, high};
    }
    for (int j = 0; j <= bentSteps; ++j)
        for (int i = 0; i <= bentSteps; ++i) {
            const double nearness = nearnessAt(plane, x0 + (x1 - x0) * static_cast<double>(i) / bentSteps,
                                               y0 + (y1 - y0) * static_cast<double>(j) / bentSteps);
            if (nearness > 0) low = std::min(low, nearness), high = std::max(high, nearness);
        }
    if (low > high) return {0, 1e300}; // it slips between the places looked at
    const double spare = high - low + 0.02 * high;
    return {low - spare, high + spare};
}

media::Need needOf(const Plane& plane, V2i frame) {
    media::Need need(plane.size);
    for (int y = 0; y < frame.y; y += glanceSide) {
        for (int x = 0; x < frame.x; x += glanceSide) {
            const int x1 = std::min(x + glanceSide, frame.x), y1 = std::min(y + glanceSide, frame.y);
            gatherNeed(plane, x, y, x1, y1, need);
            const Reach r = reachOf(plane, x, y, x1, y1);
            if (r.off || r.behind > 0 || !looksInside(plane, r)) continue;
            const Glance glance = glanceAt(plane, r);
            need.add(glance.level, glance.box);
        }
    }
    return need;
}

Presence presenceIn(const Plane& plane, int x0, int y0, int x1, int y1) {
    const Reach r = reachOf(plane, x0, y0, x1, y1);
    if (r.off) return Presence::Nothing;
    if (r.behind > 0 || !looksInside(plane, r)) return Presence::Something;
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
