#include "render/sampler.h"

#include "render/reach.h"

#include <algorithm>
#include <cmath>

namespace stage::render {
namespace {

using Rgba = std::array<float, 4>;

Rgba mix(const Rgba& a, const Rgba& b, float f) {
    Rgba out;
    for (std::size_t c = 0; c < 4; ++c)
        out[c] = a[c] + (b[c] - a[c]) * f;
    return out;
}

/// A place along one side of the picture, brought inside it.
struct Folded {
    double at;
    bool round; ///< what lies beyond the edge is the other side
};
Folded folded(double u, double length, const scene::Extension& low, const scene::Extension& high) {
    if (u >= 0.5 && u <= length - 0.5) return {u, false};
    const scene::Extension& side = u < length / 2 ? low : high;
    if (side.reach() <= 0) return {u, false};
    return {scene::folded(u / length, side.beyond) * length, side.beyond == scene::Beyond::Repeat};
}

/// What is not there is clear: needOf sees to it that all that is looked at is there.
Rgba bilinear(const media::TiledLevel& level, const Folded& u, const Folded& v, double shrink) {
    const double x = u.at * shrink - 0.5, y = v.at * shrink - 0.5;
    const double fx = std::floor(x), fy = std::floor(y);
    const auto index = [](double place, int count, bool round) {
        if (place < 0) return round ? count - 1 : 0;
        if (place >= count) return round ? 0 : count - 1;
        return static_cast<int>(place);
    };
    const auto at = [&](double tx, double ty) {
        const Imath::half* t =
            level.texel(index(tx, level.size.x, u.round), index(ty, level.size.y, v.round));
        return t ? Rgba{t[0], t[1], t[2], t[3]} : Rgba{};
    };
    const auto wx = static_cast<float>(x - fx), wy = static_cast<float>(y - fy);
    return mix(mix(at(fx, fy), at(fx + 1, fy), wx), mix(at(fx, fy + 1), at(fx + 1, fy + 1), wx), wy);
}

}

Rgba texelAt(const Plane& plane, const media::Pyramid& pixels, double u, double v, double lod) {
    const Folded fu = folded(u, plane.size.x, plane.extensions.left, plane.extensions.right),
                 fv = folded(v, plane.size.y, plane.extensions.top, plane.extensions.bottom);
    const int top = static_cast<int>(pixels.levels.size()) - 1;
    lod = std::clamp(lod, 0.0, static_cast<double>(top));
    const int fine = static_cast<int>(lod);
    const auto level = [&](int n) { return bilinear(pixels.level(n), fu, fv, std::ldexp(1.0, -n)); };
    if (lod == fine) return level(fine);
    return mix(level(fine), level(fine + 1), static_cast<float>(lod - fine));
}

void sampleRow(const Plane& plane, const media::Pyramid& pixels, int y, int x0, int x1, float* out) {
    const double row = y + 0.5;
    // Towards the horizon pixels cover so much that they would still touch the card from far beyond it.
    const double least = plane.bent() ? 0 : std::max(1e-7, leastNearness(plane, Through::Pinhole));
    for (int x = x0; x < x1; ++x, out += 4) {
        std::fill_n(out, 4, 0.f);
        double u, v, ux = 0, uy = 0, vx = 0, vy = 0;
        if (plane.bent()) {
            const auto at = [&](double dx, double dy) {
                return plane.mesh->meet(plane.view, {x + 0.5 + dx, row + dy});
            };
            const auto here = at(0, 0);
            if (!here) continue;
            u = here->s * plane.size.x, v = here->t * plane.size.y;
            const auto change = [&](double dx, double dy, double& du, double& dv) {
                constexpr double h = 0.25;
                double way = h;
                auto there = at(dx * h, dy * h);
                if (!there || std::abs(there->s - here->s) > 0.25) {
                    there = at(-dx * h, -dy * h);
                    way = -h;
                }
                if (!there || std::abs(there->s - here->s) > 0.25) return;
                du = (there->s - here->s) * plane.size.x / way;
                dv = (there->t - here->t) * plane.size.y / way;
            };
            change(1, 0, ux, vx);
            change(0, 1, uy, vy);
        } else {
            const Projective& m = plane.pinhole;
            const double px = x + 0.5, w = m.w.at(px, row);
            if (!(w > least)) continue;
            u = m.u.at(px, row) / w, v = m.v.at(px, row) / w;
            ux = (m.u.b - u * m.w.b) / w, uy = (m.u.c - u * m.w.c) / w;
            vx = (m.v.b - v * m.w.b) / w, vy = (m.v.c - v * m.w.c) / w;
        }
        const auto inside = [](double place, double low, double high, double reach) {
            const double each = 1 / std::max(reach, 1e-12);
            return std::max(0.0, std::clamp((place - low) * each + 0.5, 0.0, 1.0) +
                                     std::clamp((high - place) * each + 0.5, 0.0, 1.0) - 1);
        };
        auto coverage = static_cast<float>(inside(u, plane.farLeft(), plane.farRight(), std::hypot(ux, uy)) *
                                           inside(v, plane.farTop(), plane.farBottom(), std::hypot(vx, vy)));
        // The steps of rounding at an edge that lies exactly between two pixels.
        if (coverage < 1e-6f) continue;
        if (coverage > 1 - 1e-6f) coverage = 1;
        const Footprint print = footprintOf(plane, ux, uy, vx, vy);
        const double lod = levelRead(plane, print.lod);
        for (int tap = 0; tap < print.taps; ++tap) {
            const double by = tap - 0.5 * (print.taps - 1);
            const Rgba c = texelAt(plane, pixels, u + by * print.du, v + by * print.dv, lod);
            for (std::size_t i = 0; i < 4; ++i)
                out[i] += c[i] * coverage / static_cast<float>(print.taps);
        }
    }
}

void sampleBox(const Plane& plane, const media::Pyramid& pixels, const Air& air, const media::Box& box,
               Canvas& canvas) {
    canvas.clear(box.x1 - box.x0, box.y1 - box.y0);
    const Air here = air.from(box.x0, box.y0);
    for (int y = 0; y < canvas.height; ++y) {
        float* row = canvas.row(y);
        sampleRow(plane, pixels, box.y0 + y, box.x0, box.x1, row);
        if (air.density <= 0) continue;
        for (int x = 0; x < canvas.width; ++x)
            if (row[4 * x + 3] > 0)
                throughAir(here, static_cast<float>(x), static_cast<float>(y),
                           nearnessAt(plane, box.x0 + x + 0.5, box.y0 + y + 0.5), row + 4 * x);
    }
}

}
