#include "render/reach.h"

#include <algorithm>
#include <cmath>

namespace stage::render {

namespace {

/// One that there is, or is read.
double levelFor(const Plane& plane, double wanted) {
    return std::clamp<double>(wanted, std::min(plane.finest, plane.top), plane.top);
}

}

Footprint footprintOf(const Plane& plane, double ux, double uy, double vx, double vy) {
    ux *= plane.coarse, uy *= plane.coarse, vx *= plane.coarse, vy *= plane.coarse;
    const double e = ux * ux + uy * uy, g = vx * vx + vy * vy, f = ux * vx + uy * vy;
    const double half = std::sqrt((e - g) * (e - g) / 4 + f * f);
    const double major = std::sqrt((e + g) / 2 + half), minor = std::sqrt(std::max(0.0, (e + g) / 2 - half));
    Footprint print;
    print.narrow = minor;
    const double ratio = major / std::max(minor, 1.0);
    if (ratio > 1.2) {
        print.taps = std::min(static_cast<int>(std::ceil(ratio - 0.2)), Footprint::mostTaps);
        double du = half + (e - g) / 2, dv = f;
        if (std::abs(du) + std::abs(dv) < 1e-12 * major) du = f, dv = half - (e - g) / 2;
        if (e < g) du = f, dv = half - (e - g) / 2;
        const double step = major / print.taps / std::max(std::hypot(du, dv), 1e-300);
        print.du = du * step, print.dv = dv * step;
    }
    print.texels = std::max(minor, major / print.taps);
    print.lod = levelFor(plane, std::log2(print.texels));
    // A layer at its natural size must come out as it is, whatever the last bits say.
    if (!(print.lod > 1e-6)) print.lod = 0;
    return print;
}

Footprint footprintAt(const Plane& plane, double x, double y, double size) {
    const Projective& p = plane.pinhole;
    const double w = p.w.at(x, y);
    if (!(w > 1e-7)) return {};
    const double u = p.u.at(x, y) / w, v = p.v.at(x, y) / w;
    const double k = size / w;
    return footprintOf(plane, (p.u.b - u * p.w.b) * k, (p.u.c - u * p.w.c) * k, (p.v.b - v * p.w.b) * k,
                       (p.v.c - v * p.w.c) * k);
}

double leastNearness(const Plane& plane, Through through) {
    const auto pixel = [](const Projective& p) { return std::abs(p.w.b) + std::abs(p.w.c); };
    const double far = 1 - 1e-9;
    if (through == Through::Pinhole || plane.still)
        return far / farthestOf(plane.card, plane.view, plane.extensions) - pixel(plane.pinhole);
    return far / plane.farthest - pixel(plane.pinhole) - pixel(plane.drift) - pixel(plane.curve);
}

V2d coversAt(const Plane& plane, double x, double y) {
    const Projective& p = plane.pinhole;
    const double w = p.w.at(x, y), u = p.u.at(x, y) / w, v = p.v.at(x, y) / w;
    return {std::hypot(p.u.b - u * p.w.b, p.u.c - u * p.w.c) / w,
            std::hypot(p.v.b - v * p.w.b, p.v.c - v * p.w.c) / w};
}

double lodOfDisc(double disc, double texelsPerPixel, int samples) {
    // Rays lie about disc / sqrt(samples) apart: texels of three quarters of that keep the disc's rim and
    // leave little to chance.
    const double apart = samples > 0 ? 0.75 * disc / std::sqrt(static_cast<double>(samples)) : 0;
    return std::log2(std::max(texelsPerPixel, 1e-9) * std::max(1.0, apart));
}

double softened(double radius, double lod) {
    const double between = lod - std::floor(lod);
    const double sharp = (1 + 3 * between) * std::exp2(-2 * between); // over that of the lod itself
    return std::sqrt(sharp + radius * radius);
}
double softenedEdge(double radius) {
    return std::sqrt(1 + 3 * radius * radius);
}

double levelRead(const Plane& plane, double level) {
    const double whole = std::floor(level), between = level - whole;
    return whole + std::clamp((between - plane.mixedFrom) / (plane.mixedTo - plane.mixedFrom), 0.0, 1.0);
}

int shrinkOf(const Plane& plane, double radius) {
    constexpr double mostRadius = 4.1; // of the disc in the small picture, px
    const auto needed = static_cast<int>(std::ceil(std::log2(std::clamp(radius, 1e-6, 1e9) / mostRadius)));
    return std::clamp(needed + plane.smaller, 0, 30);
}

namespace {

Reach bentReach(const Plane& plane, int x0, int y0, int x1, int y1, Through through) {
    Reach r;
    double disc = 0;
    if (through == Through::Lens) {
        const auto [near, far] = nearnessIn(plane, x0, y0, x1, y1);
        for (const double nearness : {near, far})
            if (nearness < 1e299)
                disc = std::max(disc, plane.view.aperture * plane.view.slope *
                                          std::abs(1 / plane.view.focus - std::max(0.0, nearness)));
        disc += plane.sweep;
    }
    const double a0 = x0 - disc, a1 = x1 + disc, b0 = y0 - disc, b1 = y1 + disc;
    r.off = a1 < plane.x0 || b1 < plane.y0 || a0 > plane.x1 || b0 > plane.y1;
    if (r.off) return r;
    for (int j = 0; j <= bentSteps; ++j) {
        for (int i = 0; i <= bentSteps; ++i) {
            const double x = a0 + (a1 - a0) * i / bentSteps, y = b0 + (b1 - b0) * j / bentSteps;
            double from = 1e-6;
            for (int hit = 0; hit < 2; ++hit) { // what it is met at first, and behind that
                const auto met = plane.mesh->meet(plane.view, {x, y}, from);
                if (!met) break;
                ++r.met;
                const double u = met->s * plane.size.x, v = met->t * plane.size.y;
                r.u0 = std::min(r.u0, u), r.u1 = std::max(r.u1, u);
                r.v0 = std::min(r.v0, v), r.v1 = std::max(r.v1, v);
                from = met->depth * 1.0001;
            }
        }
    }
    if (r.met == 0) { // it may slip through between the places looked at
        r.u0 = plane.farLeft(), r.u1 = plane.farRight(), r.v0 = plane.farTop(), r.v1 = plane.farBottom();
        return r;
    }
    r.marginU = (r.u1 - r.u0) / bentSteps, r.marginV = (r.v1 - r.v0) / bentSteps;
    r.u0 -= r.marginU, r.u1 += r.marginU, r.v0 -= r.marginV, r.v1 += r.marginV;
    return r;
}

}

Reach reachOf(const Plane& plane, int x0, int y0, int x1, int y1, Through through) {
    if (plane.bent()) return bentReach(plane, x0, y0, x1, y1, through);
    Reach r;
    int looked = 0;
    double nearest = 0; // 1 / depth, but for the slant of rays
    const auto look = [&](double u, double v, double w) {
        ++looked;
        nearest = std::max(nearest, w);
        if (!(w > 1e-7)) {
            ++r.behind;
            return;
        }
        u /= w, v /= w;
        r.u0 = std::min(r.u0, u), r.u1 = std::max(r.u1, u);
        r.v0 = std::min(r.v0, v), r.v1 = std::max(r.v1, v);
    };
    const Projective& m = plane.pinhole;
    const bool lens = through == Through::Lens;
    // A ratio of functions that are linear in each variable alone is least and greatest at the corners.
    for (const int x : {x0, x1}) {
        for (const int y : {y0, y1}) {
            const double u = m.u.at(x, y), v = m.v.at(x, y), w = m.w.at(x, y);
            if (!lens) {
                look(u, v, w);
                continue;
            }
            const double pu = plane.right.u.at(x, y), pv = plane.right.v.at(x, y), pw = plane.right.w.a;
            const double qu = plane.up.u.at(x, y), qv = plane.up.v.at(x, y), qw = plane.up.w.a;
            if (!plane.still) nearest = std::max(nearest, w + std::abs(pw) + std::abs(qw)); // in its middle
            for (const double t : {-1.0, 1.0}) {
                const double tu = plane.still ? 0 : t * plane.drift.u.at(x, y) + plane.curve.u.at(x, y);
                const double tv = plane.still ? 0 : t * plane.drift.v.at(x, y) + plane.curve.v.at(x, y);
                const double tw = plane.still ? 0 : t * plane.drift.w.at(x, y) + plane.curve.w.at(x, y);
                for (const double p : {-1.0, 1.0})
                    for (const double q : {-1.0, 1.0})
                        look(u + p * pu + q * qu + tu, v + p * pv + q * qv + tv, w + p * pw + q * qw + tw);
                if (plane.still) break;
            }
        }
    }
    if (r.behind > 0) {
        // Towards the horizon all that is seen lies beyond the card.
        const double slant = lens ? 1 - std::abs(plane.perRight) - std::abs(plane.perUp) : 1;
        r.off = r.behind == looked || (slant > 0 && nearest < slant * leastNearness(plane, through));
        return r;
    }
    r.marginU = (r.u1 - r.u0) / (x1 - x0), r.marginV = (r.v1 - r.v0) / (y1 - y0);
    r.off = r.u1 + r.marginU < plane.farLeft() || r.v1 + r.marginV < plane.farTop() ||
            r.u0 - r.marginU > plane.farRight() || r.v0 - r.marginV > plane.farBottom();
    return r;
}

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

// ---- what is read

namespace {

/// The texels of a level that a reach looks at.
media::Box texelsOf(const Plane& plane, const Reach& r, int level) {
    const double shrink = std::ldexp(1.0, -level);
    const V2i size = media::levelSize(plane.size, level);
    const auto [u0, u1] = insideOf(r.u0, r.u1, plane.size.x, plane.extensions.left, plane.extensions.right);
    const auto [v0, v1] = insideOf(r.v0, r.v1, plane.size.y, plane.extensions.top, plane.extensions.bottom);
    // Beyond the edge the edge texel continues, so it is looked at from outside too.
    const auto at = [&](double place, int length) {
        return static_cast<int>(std::clamp(std::floor(place * shrink - 0.5), 0.0, length - 1.0));
    };
    return {at(u0, size.x) - 1, at(v0, size.y) - 1, at(u1, size.x) + 3, at(v1, size.y) + 3};
}

void gatherNeed(const Plane& plane, int x0, int y0, int x1, int y1, const LensSampling& reading,
                media::Need& need) {
    Reach r = reachOf(plane, x0, y0, x1, y1, reading.lens ? Through::Lens : Through::Pinhole);
    if (r.off) return;
    if (plane.bent()) { // near its rim the scale may be anything: all levels, by what they cost
        for (int level = 0; level <= plane.top; ++level)
            if (const double texels = (r.u1 - r.u0) * std::ldexp(1.0, -level);
                level == plane.top || texels < 4 * (x1 - x0))
                need.add(level, texelsOf(plane, r, level));
        return;
    }
    const int top = plane.top, least = std::min(top, plane.finest);
    double low = 1e300, high = -1, softest = -1, sharpest = 1e300, near = -1e300, far = 1e300;
    // Small pictures are painted so far beyond the box, px. Where levels change quickly that counts.
    double beyond = 0;
    if (reading.lens && reading.rays == 0 && !plane.level && plane.mixedTo < 1) {
        for (const int x : {x0, x1})
            for (const int y : {y0, y1})
                beyond = std::max(beyond, discAt(plane, x, y) / 2);
        beyond += 4 * std::ldexp(1.0, shrinkOf(plane, beyond));
    }
    for (const double x : {x0 - beyond, x1 + beyond})
        for (const double y : {y0 - beyond, y1 + beyond}) {
            if (!(plane.pinhole.w.at(x, y) > 1e-7)) continue;
            const Footprint print = footprintAt(plane, x, y);
            const double disc = reading.lens ? discAt(plane, x, y) : 0;
            const auto wanted = [&](double texels) {
                // What is larger than its texels is so in a small picture too, by so much less.
                const double finer = std::log2(std::max(texels, 1e-12)), sharp = levelFor(plane, finer);
                if (reading.lens && reading.rays == 0)
                    return levelFor(
                        plane, finer + std::max(0, shrinkOf(plane, disc / 2) - std::ilogb(plane.coarse)));
                if (!reading.lens) return sharp;
                return std::clamp(lodOfDisc(disc, std::exp2(sharp), reading.rays), sharp,
                                  std::max<double>(sharp, top));
            };
            low = std::min(low, wanted(print.narrow)), high = std::max(high, wanted(print.texels));
            sharpest = std::min(sharpest, levelFor(plane, std::log2(std::max(print.narrow, 1e-12))));
            const double nearness = nearnessAt(plane, x, y);
            far = std::min(far, nearness), near = std::max(near, nearness);
            if (reading.lens && reading.rays == 0 && disc <= 2 * mostSoft)
                softest = std::max(softest, footprintAt(plane, x, y, softened(disc / 2, print.lod)).lod);
        }
    if (low > high) low = 0, high = 0;
    // What is focused on may lie between the corners.
    if (reading.lens && far < 1 / plane.view.focus && near > 1 / plane.view.focus)
        low = std::min(low, sharpest);
    // Inside the box it may be coarser than at its corners by an axis or a tap more; the narrower axis is
    // narrowest at a corner. What is at exactly the scale of a level is read from that one alone.
    constexpr double exact = 1e-6;
    const bool even = plane.level && (plane.still || !reading.lens);
    const double spare = plane.level ? 1e-5 : 0.3, spareFine = even ? -exact : plane.level ? 1e-5 : 0.01;
    const auto above = [&](double level) { // one more, where it is one
        return plane.mixedTo < 1 ? std::ceil(levelRead(plane, level)) : std::floor(level) + 1;
    };
    const int fine = std::max(least, static_cast<int>(std::floor(levelRead(plane, low - spareFine)))),
              coarse = std::min(top, static_cast<int>(even ? std::ceil(levelRead(plane, high - exact))
                                                           : above(high + spare)));
    const bool steep = r.behind > 0 || coarse - fine > 2 || r.u1 - r.u0 > 4.0 * plane.size.x ||
                       r.v1 - r.v0 > 4.0 * plane.size.y;
    const int smallest = r.behind > 0 ? 1 : 8; // px
    if (steep && (x1 - x0 > smallest || y1 - y0 > smallest)) {
        const int xm = (x0 + x1) / 2, ym = (y0 + y1) / 2;
        for (const auto& [a, b] : {std::pair(x0, xm), std::pair(xm, x1)})
            for (const auto& [c, d] : {std::pair(y0, ym), std::pair(ym, y1)})
                if (b > a && d > c) gatherNeed(plane, a, c, b, d, reading, need);
        return;
    }
    if (r.behind > 0 && r.u0 > r.u1) return;
    // Sampled around a pixel by as much as its footprint, and a little beyond the box.
    r.u0 -= 2 * r.marginU, r.u1 += 2 * r.marginU, r.v0 -= 2 * r.marginV, r.v1 += 2 * r.marginV;
    // The draft blurs in one small picture for discs of many sizes.
    const bool draft = reading.lens && reading.rays == 0;
    const int softer = std::min(top, static_cast<int>(above(softest + spare))),
              last = draft && !plane.level ? top : std::max(coarse, softer);
    for (int level = fine; level <= last; ++level)
        need.add(level, texelsOf(plane, r, level));
}

}

media::Need needOf(const Plane& plane, const media::Box& frame, const LensSampling& reading) {
    constexpr int side = 64;
    media::Need need(plane.size);
    for (int y = frame.y0 / side * side; y < frame.y1; y += side)
        for (int x = frame.x0 / side * side; x < frame.x1; x += side)
            gatherNeed(plane, std::max(x, frame.x0), std::max(y, frame.y0), std::min(x + side, frame.x1),
                       std::min(y + side, frame.y1), reading, need);
    return need;
}

void needFinely(const Plane& plane, const std::vector<media::Box>& boxes, media::Need& need) {
    const LensSampling plenty{true, 1 << 24};
    for (const media::Box& box : boxes)
        gatherNeed(plane, box.x0, box.y0, box.x1, box.y1, plenty, need);
}

// ---- what is there

Presence presenceOf(const Plane& plane, const media::Pyramid& pixels, const Reach& r, int level) {
    if (r.off) return Presence::Nothing;
    if (r.behind > 0 || plane.bent()) return Presence::Something;
    const bool covers = r.u0 >= plane.farLeft() && r.v0 >= plane.farTop() && r.u1 <= plane.farRight() &&
                        r.v1 <= plane.farBottom();
    bool nothing = true, opaque = covers;
    const int last = std::min(level + 1, static_cast<int>(pixels.levels.size()) - 1);
    for (int n = level; n <= last && (nothing || opaque); ++n) {
        const media::TiledLevel& texels = pixels.level(n);
        const media::Box box = texelsOf(plane, r, n).within(media::boxOf(texels.size));
        constexpr int cell = media::Tile::cellSide, most = 64;
        const int c1 = (box.x1 - 1) / cell + 1;
        for (int row = box.y0 / cell; row <= (box.y1 - 1) / cell; ++row)
            for (int c = box.x0 / cell; c < c1; c += most) {
                const int count = std::min(most, c1 - c);
                const media::TiledLevel::Cells known = texels.cells(row, c, count);
                const std::uint64_t all = ~std::uint64_t{0} >> (most - count);
                nothing = nothing && known.clear == all;
                opaque = opaque && known.opaque == all;
                if (!nothing && !opaque) return Presence::Something;
            }
    }
    return nothing ? Presence::Nothing : opaque ? Presence::Opaque : Presence::Something;
}

}
