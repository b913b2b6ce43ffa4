#include "render/motion_field.h"

#include <Imath/ImathMatrix.h>
#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>

namespace stage::render {
namespace {

constexpr double mostShift = 256;   ///< px, either way: a whip pan's streak is cut off there
constexpr double leastStreak = 0.5; ///< px, from end to end

/// Rows for column vectors.
Imath::M33d matrix(const V3d& x, const V3d& y, const V3d& one) {
    return {x.x, y.x, one.x, x.y, y.y, one.y, x.z, y.z, one.z};
}
V3d times(const Imath::M33d& m, const V3d& v) {
    return {m[0][0] * v.x + m[0][1] * v.y + m[0][2] * v.z, m[1][0] * v.x + m[1][1] * v.y + m[1][2] * v.z,
            m[2][0] * v.x + m[2][1] * v.y + m[2][2] * v.z};
}

/// Where what a place shows at a time is at the middle of the exposure; nothing where that cannot be told.
using Finder = std::function<std::optional<V2d>(const V2d& place, double time)>;

std::optional<V2d> divided(const V3d& v) {
    if (!(v.z > 1e-9) || !std::isfinite(v.x) || !std::isfinite(v.y)) return {};
    return V2d(v.x / v.z, v.y / v.z);
}

/// By the texel that is seen.
Finder flat(const Plane& plane) {
    const Projective& now = plane.pinhole;
    const Imath::M33d inverse =
        matrix({now.u.b, now.v.b, now.w.b}, {now.u.c, now.v.c, now.w.c}, {now.u.a, now.v.a, now.w.a})
            .inverse();
    return [&plane, inverse](const V2d& place, double time) {
        const Projective then = plane.pinhole + plane.drift * time + plane.curve * (time * time);
        const V3d texel(then.u.at(place.x, place.y), then.v.at(place.x, place.y),
                        then.w.at(place.x, place.y));
        return texel.z > 1e-7 ? divided(times(inverse, texel)) : std::nullopt;
    };
}

/// By the place in space that is seen, to the first order.
Finder bent(const Plane& plane) {
    return [&plane](const V2d& place, double time) -> std::optional<V2d> {
        const RayBasis& now = plane.rays;
        const auto met = plane.mesh->meet(plane.view, place);
        const double depth = met ? met->depth
                             : plane.pinhole.w.at(place.x, place.y) > 0
                                 ? 1 / plane.pinhole.w.at(place.x, place.y)
                                 : 0;
        if (!(depth > 0)) return {};
        const V3d seen = now.eye + (now.start + now.perX * place.x + now.perY * place.y) * depth;
        const RayBasis then = now + plane.raysDrift * time + plane.raysCurve * (time * time);
        const auto at = divided(times(matrix(then.perX, then.perY, then.start).inverse(), seen - then.eye));
        if (!at) return {};
        return place * 2.0 - *at;
    };
}

}

MotionField::MotionField(const Plane& plane, const media::Box& box) : m_box(box) {
    if (plane.still) return;
    const Finder find = plane.bent() ? bent(plane) : flat(plane);
    const auto cut = [](const V2d& v) {
        return V2d(std::clamp(v.x, -mostShift, mostShift), std::clamp(v.y, -mostShift, mostShift));
    };
    for (std::size_t i = 0; i < 4; ++i) {
        const V2d place(i % 2 ? box.x1 : box.x0, i / 2 ? box.y1 : box.y0);
        const auto before = find(place, -1), after = find(place, 1);
        if (!before || !after) continue;
        const V2d open = cut(*before - place), close = cut(*after - place);
        m_corners[i] = {(close - open) / 2.0, (close + open) / 2.0};
        // A bound for every time, also where the shift turns back between its ends.
        const Shift& at = m_corners[i];
        m_reach.x = std::max(m_reach.x, std::abs(at.first.x) + std::abs(at.second.x));
        m_reach.y = std::max(m_reach.y, std::abs(at.first.y) + std::abs(at.second.y));
    }
}

bool MotionField::still() const {
    return 2 * m_reach.length() < leastStreak;
}

MotionField::Shift MotionField::at(double x, double y) const {
    const double u = (x - m_box.x0) / std::max(1, m_box.x1 - m_box.x0),
                 v = (y - m_box.y0) / std::max(1, m_box.y1 - m_box.y0);
    const auto mixed = [&](auto member) {
        const auto& c = m_corners;
        return (c[0].*member * (1 - u) + c[1].*member * u) * (1 - v) +
               (c[2].*member * (1 - u) + c[3].*member * u) * v;
    };
    return {mixed(&Shift::first), mixed(&Shift::second)};
}

}
