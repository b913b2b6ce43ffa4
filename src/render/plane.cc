#include "render/plane.h"

#include "media/pyramid.h"

#include <algorithm>
#include <cmath>

namespace stage::render {

Plane planeOf(const optics::Surface& card, const optics::View& view, V2i size,
              const scene::Extensions& extensions) {
    // A point of the frame lies on the ray d = forward + right sx - up sy (depth component 1) from the eye;
    // through the lens point e it is d - e / focus from eye + e. With c = corner - eye - e and the card's
    // normal n, 1/depth = d.n / c.n, and with the vectors a, b dual to across and down, s/depth = d.a - c.a /
    // depth. All is multiplied by c.n over what it is for the pinhole: what is quadratic in e then cancels.
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
    if (card.bend != 0) {
        optics::Surface loose = card;
        constexpr double spare = 0.02;
        loose.left += spare, loose.right += spare, loose.top += spare, loose.bottom += spare;
        const Grid grid = gridOf(loose);
        plane.mesh = std::make_shared<const Mesh>(grid);
        plane.rays = raysOf(view);
        plane.x0 = plane.y0 = 1e300, plane.x1 = plane.y1 = -1e300;
        for (const V3d& point : grid.points) {
            const auto at = optics::project(view, point);
            const V2d low = at ? *at : V2d(-1e300), high = at ? *at : V2d(1e300);
            plane.x0 = std::min(plane.x0, low.x), plane.y0 = std::min(plane.y0, low.y);
            plane.x1 = std::max(plane.x1, high.x), plane.y1 = std::max(plane.y1, high.y);
        }
    }
    if (size.x >= 1 && size.y >= 1) plane.size = size;
    plane.top = media::levelCount(size) - 1;
    // Seen edge-on, or without an area: nowhere ahead.
    if (!(std::abs(cn) > 1e-300) || !(n.dot(n) > 1e-300)) return plane;
    const auto along = [&](const V3d& v) { return Linear{start.dot(v), perX.dot(v), perY.dot(v)}; };
    Linear& w = plane.pinhole.w;
    w = along(n) * (1 / cn);
    plane.level = std::abs(w.b) + std::abs(w.c) < 1e-12 * std::abs(w.a);
    if (plane.level) w.b = w.c = 0;
    const V3d lens[2] = {view.right * view.aperture, view.up * view.aperture};
    Projective* const shift[2] = {&plane.right, &plane.up};
    double* const change[2] = {&plane.perRight, &plane.perUp};
    for (int i = 0; i < 2; ++i) {
        // What is level stays so, whatever rounding says.
        const double en = plane.level ? 0 : lens[i].dot(n) / cn;
        shift[i]->w = Linear{-en / view.focus, 0, 0};
        *change[i] = -en;
    }
    if (size.x < 1 || size.y < 1) return plane;
    const auto coordinate = [&](const V3d& axis, double length, Linear Projective::*which) {
        const double offset = c.dot(axis);
        const Linear across = along(axis);
        plane.pinhole.*which = (across - w * offset) * length;
        for (int i = 0; i < 2; ++i) {
            const double en = -*change[i], ea = lens[i].dot(axis);
            const Linear constant{ea * -1 / view.focus + offset * en / view.focus, 0, 0};
            shift[i]->*which = (constant - across * en + w * ea) * length;
        }
    };
    coordinate(a, plane.size.x, &Projective::u);
    coordinate(b, plane.size.y, &Projective::v);
    return plane;
}

RayBasis RayBasis::operator+(const RayBasis& o) const {
    return {eye + o.eye,   lensRight + o.lensRight, lensUp + o.lensUp,       start + o.start,
            perX + o.perX, perY + o.perY,           awayRight + o.awayRight, awayUp + o.awayUp};
}

RayBasis RayBasis::operator*(double k) const {
    return {eye * k, lensRight * k, lensUp * k, start * k, perX * k, perY * k, awayRight * k, awayUp * k};
}

RayBasis raysOf(const optics::View& view) {
    RayBasis rays;
    rays.eye = view.eye;
    rays.lensRight = view.right * view.aperture, rays.lensUp = view.up * view.aperture;
    rays.perX = view.right / view.slope, rays.perY = view.up * (-1 / view.slope);
    rays.start = view.forward - rays.perX * view.centre.x - rays.perY * view.centre.y;
    rays.awayRight = rays.lensRight / view.focus, rays.awayUp = rays.lensUp / view.focus;
    return rays;
}

namespace {

/// A basis taken along as one card becomes another of the same shape.
RayBasis along(const RayBasis& rays, const optics::Surface& from, const optics::Surface& to) {
    const V3d a = from.across, b = from.down, n = from.front * a.length();
    const double volume = a.dot(b.cross(n));
    if (!(std::abs(volume) > 1e-300)) return rays;
    const V3d dualA = b.cross(n) / volume, dualB = n.cross(a) / volume, dualN = a.cross(b) / volume;
    const V3d front = to.front * to.across.length();
    const auto turned = [&](const V3d& v) {
        return to.across * v.dot(dualA) + to.down * v.dot(dualB) + front * v.dot(dualN);
    };
    return {to.corner + turned(rays.eye - from.corner),
            turned(rays.lensRight),
            turned(rays.lensUp),
            turned(rays.start),
            turned(rays.perX),
            turned(rays.perY),
            turned(rays.awayRight),
            turned(rays.awayUp)};
}

void exposeMesh(Plane& plane, const Sight& open, const Sight& close) {
    const RayBasis first = along(raysOf(open.view), open.card, plane.card),
                   last = along(raysOf(close.view), close.card, plane.card);
    plane.raysDrift = (last + first * -1) * 0.5;
    plane.raysCurve = (last + first) * 0.5 + plane.rays * -1;
    const std::vector<V3d> now = plane.card.outline();
    for (const Sight* other : {&open, &close}) {
        const std::vector<V3d> then = other->card.outline();
        for (std::size_t i = 0; i < std::min(now.size(), then.size()); ++i) {
            const auto at = optics::project(plane.view, now[i]), to = optics::project(other->view, then[i]);
            plane.sweep = std::max(plane.sweep, at && to ? (*at - *to).length() : at || to ? 1e4 : 0);
        }
    }
    plane.sweep = std::min(plane.sweep, 1e4);
    plane.still = !(plane.sweep > 1e-6);
}

}

double farthestOf(const optics::Surface& card, const optics::View& view,
                  const scene::Extensions& extensions) {
    double farthest = 1e-7;
    for (const double s : {-extensions.left.reach(), 1 + extensions.right.reach()})
        for (const double t : {-extensions.top.reach(), 1 + extensions.bottom.reach()})
            farthest =
                std::max(farthest, optics::depthOf(view, card.corner + card.across * s + card.down * t));
    return farthest;
}

void expose(Plane& plane, const Sight& open, const Sight& close) {
    if (plane.bent()) return exposeMesh(plane, open, close);
    const auto pinhole = [&](const Sight& sight) {
        return planeOf(sight.card, sight.view, plane.size).pinhole;
    };
    const Projective first = pinhole(open), last = pinhole(close);
    plane.drift = (last - first) * 0.5;
    plane.curve = (last + first) * 0.5 - plane.pinhole;
    const auto size = [](const Linear& l) { return std::abs(l.a) + std::abs(l.b) + std::abs(l.c); };
    const auto moves = [&](const Projective& p) {
        return size(p.u) + size(p.v) > 1e-9 * (size(plane.pinhole.u) + size(plane.pinhole.v)) ||
               size(p.w) > 1e-9 * size(plane.pinhole.w);
    };
    plane.still = !moves(plane.drift) && !moves(plane.curve);
    if (plane.still) return;
    const auto depths = std::minmax({farthestOf(plane.card, plane.view, plane.extensions),
                                     farthestOf(open.card, open.view, plane.extensions),
                                     farthestOf(close.card, close.view, plane.extensions)});
    plane.farthest = depths.second + (depths.second - depths.first); // in between it may be a little farther
}

double nearnessAt(const Plane& plane, double x, double y) {
    if (!plane.bent()) return plane.pinhole.w.at(x, y);
    const auto met = plane.mesh->meet(plane.view, {x, y});
    return met ? 1 / met->depth : 0;
}

std::pair<double, double> nearnessIn(const Plane& plane, int x0, int y0, int x1, int y1) {
    double low = 1e300, high = -1e300;
    if (!plane.bent()) {
        for (const int x : {x0, x1})
            for (const int y : {y0, y1})
                for (const double t : {-1.0, 0.0, 1.0}) {
                    const double w = plane.pinhole.w.at(x, y) + t * plane.drift.w.at(x, y) +
                                     t * t * plane.curve.w.at(x, y);
                    for (const double p : {-1.0, 1.0})
                        for (const double q : {-1.0, 1.0}) {
                            const double nearness = (w + p * plane.right.w.a + q * plane.up.w.a) /
                                                    (1 + p * plane.perRight + q * plane.perUp);
                            low = std::min(low, nearness), high = std::max(high, nearness);
                        }
                }
        return {low, high};
    }
    const double a0 = x0 - plane.sweep, b0 = y0 - plane.sweep;
    const double across = x1 - x0 + 2 * plane.sweep, down = y1 - y0 + 2 * plane.sweep;
    for (int j = 0; j <= bentSteps; ++j)
        for (int i = 0; i <= bentSteps; ++i) {
            const double nearness = nearnessAt(plane, a0 + across * i / bentSteps, b0 + down * j / bentSteps);
            if (nearness > 0) low = std::min(low, nearness), high = std::max(high, nearness);
        }
    if (low > high) return {0, 1e300}; // it slips between the places looked at
    const double spare = high - low + 0.02 * high;
    return {low - spare, high + spare};
}

double discAt(const Plane& plane, double x, double y) {
    const double nearness = nearnessAt(plane, x, y);
    if (!(nearness > 1e-7)) return 0;
    return 2 * plane.view.aperture * plane.view.slope * std::abs(1 / plane.view.focus - nearness);
}

Rays16 raysThrough(const Plane& plane, double x0, double y, const float* x, const float* p, const float* q,
                   const float* t) {
    Rays16 rays;
    RayBasis basis = plane.rays;
    for (int i = 0; i < 16; ++i) {
        if (!plane.still) {
            const auto time = static_cast<double>(t[i]);
            basis = plane.rays + (plane.raysDrift + plane.raysCurve * time) * time;
        }
        const auto right = static_cast<double>(p[i]), up = static_cast<double>(q[i]);
        const V3d from = basis.eye + basis.lensRight * right + basis.lensUp * up,
                  along = basis.start + basis.perX * (x0 + static_cast<double>(x[i])) + basis.perY * y -
                          basis.awayRight * right - basis.awayUp * up;
        rays.ox[i] = static_cast<float>(from.x), rays.oy[i] = static_cast<float>(from.y),
        rays.oz[i] = static_cast<float>(from.z);
        rays.dx[i] = static_cast<float>(along.x), rays.dy[i] = static_cast<float>(along.y),
        rays.dz[i] = static_cast<float>(along.z);
        rays.from[i] = 1e-6f;
        rays.valid[i] = -1;
    }
    return rays;
}

}
