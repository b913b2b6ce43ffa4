#include "optics/placing.h"

#include <algorithm>
#include <cmath>

namespace stage::optics {

Affine Affine::operator*(const Affine& inner) const {
    return {direction(inner.x), direction(inner.y), direction(inner.z), (*this)(inner.origin)};
}

V3d Affine::inverse(const V3d& p) const {
    const V3d d = p - origin;
    const V3d yz = y.cross(z), zx = z.cross(x), xy = x.cross(y);
    return V3d(d.dot(yz), d.dot(zx), d.dot(xy)) / x.dot(yz);
}

Affine frameOf(const scene::Placement& placement) {
    const V3d turn(radians(placement.turn.x), radians(placement.turn.y), radians(placement.turn.z));
    const auto turned = [&](V3d v) {
        const auto rotate = [](double& a, double& b, double angle) {
            const double c = std::cos(angle), s = std::sin(angle), a0 = a;
            a = a0 * c - b * s;
            b = a0 * s + b * c;
        };
        rotate(v.x, v.y, turn.z);
        rotate(v.y, v.z, turn.x);
        rotate(v.z, v.x, turn.y);
        return v;
    };
    const V2d scale = placement.scale;
    return {turned({scale.x, 0, 0}), turned({0, scale.y, 0}), turned({0, 0, std::abs(scale.x)}),
            placement.position};
}

Affine frameOf(const scene::Layer& layer) {
    Affine frame = frameOf(layer.placement);
    const V2d pivot = layer.hanging.pivot;
    frame.origin -= frame.x * pivot.x + frame.y * pivot.y;
    return frame;
}

Affine worldOf(const std::vector<scene::LayerPtr>& carriers) {
    Affine world;
    for (const scene::LayerPtr& carrier : carriers)
        world = world * frameOf(*carrier);
    return world;
}

std::optional<scene::Placement> placementOf(const Affine& frame, const V2d& pivot) {
    const double sx = frame.x.length(), sy = frame.y.length(), sz = frame.z.length();
    if (!(sx > 0 && sy > 0)) return std::nullopt;
    V3d x = frame.x / sx, y = frame.y / sy;
    const V3d z = frame.z / sz;
    constexpr double near = 1e-9;
    if (std::abs(x.dot(y)) > near || std::abs(x.dot(z)) > near || std::abs(y.dot(z)) > near)
        return std::nullopt;
    scene::Placement place;
    place.scale = {sx, sy};
    if (x.cross(y).dot(z) < 0) { // mirrored: turned over across, or up where that turns it less
        const bool across = y.y >= 0;
        (across ? x : y) *= -1;
        (across ? place.scale.x : place.scale.y) *= -1;
    }
    // R = Ry Rx Rz has z = (cos x sin y, -sin x, cos x cos y), x.y = sin z cos x, y.y = cos z cos x.
    place.turn.x = degrees(std::asin(std::clamp(-z.y, -1.0, 1.0)));
    if (std::abs(z.y) < 1 - 1e-12) {
        place.turn.y = degrees(std::atan2(z.x, z.z));
        place.turn.z = degrees(std::atan2(x.y, y.y));
    } else {
        place.turn.y = degrees(std::atan2(-x.z, x.x));
    }
    place.position = frame.origin + frame.x * pivot.x + frame.y * pivot.y;
    return place;
}

V3d Surface::at(double s, double t) const {
    const V3d upright = corner + down * t;
    if (bend == 0) return upright + across * s;
    const double angle = (s - 0.5) * bend;
    return upright + across * (0.5 + std::sin(angle) / bend) +
           front * (across.length() * (1 - std::cos(angle)) / bend);
}

std::vector<V3d> Surface::outline() const {
    const double s0 = -left, s1 = 1 + right, t0 = -top, t1 = 1 + bottom;
    if (bend == 0) return {at(s0, t0), at(s1, t0), at(s1, t1), at(s0, t1)};
    const int steps =
        std::clamp(static_cast<int>(std::ceil(std::abs(bend) * (s1 - s0) / radians(3))), 4, 240);
    std::vector<V3d> around;
    for (int i = 0; i <= steps; ++i)
        around.push_back(at(s0 + (s1 - s0) * i / steps, t0));
    for (int i = steps; i >= 0; --i)
        around.push_back(at(s0 + (s1 - s0) * i / steps, t1));
    return around;
}

Surface surfaceOf(const scene::Layer& layer, const Affine& world) {
    const Affine frame = world * frameOf(layer);
    const V2d size = layer.natural();
    const double w = size.x, h = size.y;
    const scene::Extensions& on = layer.hanging.extensions;
    Surface card;
    card.corner = frame({-w / 2, h / 2, 0});
    card.across = frame.x * w;
    card.down = -frame.y * h;
    card.front = frame.z.normalized();
    card.bend = radians(layer.hanging.bend);
    card.left = on.left.reach();
    card.right = on.right.reach();
    card.top = on.top.reach();
    card.bottom = on.bottom.reach();
    return card;
}

std::optional<Meeting> meet(const View& view, const V2d& place, const Surface& card) {
    const V3d ray = rayThrough(view, place);
    const auto on = [&](double s, double t) {
        return s >= -card.left && s < 1 + card.right && t >= -card.top && t < 1 + card.bottom;
    };
    // Dual vectors give shares even where a carrier has sheared the card.
    const V3d normal = card.across.cross(card.down);
    const double area = normal.dot(normal);
    if (!(area > 0)) return std::nullopt;
    const V3d toS = card.down.cross(normal) / area, toT = normal.cross(card.across) / area;
    if (card.bend == 0) {
        const double along = ray.dot(normal);
        if (std::abs(along) < 1e-14 * std::sqrt(area)) return std::nullopt;
        const double depth = (card.corner - view.eye).dot(normal) / along;
        if (!(depth > 1e-9)) return std::nullopt;
        const V3d from = view.eye + ray * depth - card.corner;
        const Meeting met{from.dot(toS), from.dot(toT), depth};
        return on(met.s, met.t) ? std::optional(met) : std::nullopt;
    }
    // In units of the width, around the arc's axis: x = sin(a) / bend, z = -cos(a) / bend.
    const double width = card.across.length();
    const V3d toZ = card.front / width;
    const V3d from = view.eye - card.corner;
    const double ox = from.dot(toS) - 0.5, oz = from.dot(toZ) - 1 / card.bend, dx = ray.dot(toS),
                 dz = ray.dot(toZ);
    const double a = dx * dx + dz * dz, b = ox * dx + oz * dz,
                 c = ox * ox + oz * oz - 1 / (card.bend * card.bend);
    const double root = b * b - a * c;
    if (!(root >= 0) || !(a > 0)) return std::nullopt;
    for (const double sign : {-1.0, 1.0}) {
        const double depth = (-b + sign * std::sqrt(root)) / a;
        if (!(depth > 1e-9)) continue;
        const double x = (ox + depth * dx) * card.bend, z = (oz + depth * dz) * card.bend;
        const Meeting met{std::atan2(x, -z) / card.bend + 0.5, from.dot(toT) + depth * ray.dot(toT), depth};
        if (on(met.s, met.t)) return met;
    }
    return std::nullopt;
}

View firstView(const scene::Scene& scene) {
    return viewOf(scene.camera.marks.front().pose, scene.camera, scene.output.frame);
}

V3d pivotOf(const scene::LayerPath& found) {
    return worldOf(found.carriers)(found.layer->placement.position);
}

double depthOf(const scene::Scene& scene, const scene::LayerPath& found) {
    return depthOf(firstView(scene), pivotOf(found));
}

scene::Placement grown(const scene::LayerPath& found, const V3d& about, double k) {
    const Affine world = worldOf(found.carriers);
    scene::Placement place = found.layer->placement;
    place.position = world.inverse(about + (world(place.position) - about) * k);
    place.scale *= k;
    return place;
}

scene::Placement slid(const scene::LayerPath& found, const V3d& by) {
    const Affine world = worldOf(found.carriers);
    scene::Placement place = found.layer->placement;
    place.position = world.inverse(world(place.position) + by);
    return place;
}

Result<scene::Placement> held(const scene::LayerPath& found, const V3d& eye, const View& first, double from,
                              double to) {
    const std::string& name = found.layer->name;
    const double origin = depthOf(first, eye);
    if (!(from - origin > 1e-6))
        return fail("'" + name + "' is not in front of the camera, so its framing cannot be held.");
    const double k = (to - origin) / (from - origin);
    if (!(k > 1e-9))
        return fail("'" + name + "' cannot keep its framing at or behind the camera; choose a larger depth.");
    return grown(found, eye, k);
}

Result<scene::Placement> pushed(const scene::Scene& scene, const scene::LayerPath& found, double depth,
                                bool holdFraming, const scene::Mark& reference) {
    const View first = firstView(scene);
    const double now = depthOf(first, pivotOf(found));
    if (!holdFraming) return slid(found, first.forward * (depth - now));
    return held(found, reference.pose.position, first, now, depth);
}

}
