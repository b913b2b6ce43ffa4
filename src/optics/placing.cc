#include "optics/placing.h"

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

Affine worldOf(const std::vector<scene::LayerPtr>& holders) {
    Affine world;
    for (const scene::LayerPtr& holder : holders)
        world = world * frameOf(holder->placement);
    return world;
}

Card cardOf(const scene::Layer& layer, const Affine& world) {
    const Affine frame = world * frameOf(layer.placement);
    const double w = layer.pixels.x * layer.metresPerPixel, h = layer.pixels.y * layer.metresPerPixel;
    return {frame({-w / 2, h / 2, 0}), frame.x * w, -frame.y * h};
}

View firstView(const scene::Scene& scene) {
    return viewOf(scene.camera.marks.front().pose, scene.camera.gate, scene.output.frame);
}

double depthOf(const scene::Scene& scene, const scene::Found& found) {
    return depthOf(firstView(scene), worldOf(found.holders)(found.layer->placement.position));
}

Result<scene::Placement> pushed(const scene::Scene& scene, const scene::Found& found, double depth,
                                bool holdFraming, const scene::Mark& reference) {
    const std::string& name = found.layer->name;
    const View first = firstView(scene);
    const Affine world = worldOf(found.holders);
    scene::Placement place = found.layer->placement;
    const V3d point = world(place.position);
    const double now = depthOf(first, point);
    if (!holdFraming) {
        place.position = world.inverse(point + first.forward * (depth - now));
        return place;
    }
    const V3d eye = reference.pose.position;
    const double origin = depthOf(first, eye);
    if (!(now - origin > 1e-6))
        return fail("'" + name + "' is not in front of the camera, so its framing cannot be held.");
    const double k = (depth - origin) / (now - origin);
    if (!(k > 1e-9))
        return fail("'" + name + "' cannot keep its framing at or behind the camera; choose a larger depth.");
    place.position = world.inverse(eye + (point - eye) * k);
    place.scale *= k;
    return place;
}

}
