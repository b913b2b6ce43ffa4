#include "interaction/handles.h"

#include <algorithm>
#include <cmath>

namespace stage::interaction {

std::optional<HandlePlane> handlePlane(const scene::LayerPath& found, const optics::View& view,
                                       const V2d& low, const V2d& high) {
    HandlePlane plane;
    const scene::Layer& layer = *found.layer;
    const V3d pivot = optics::pivotOf(found);
    if (layer.group()) {
        const double depth = optics::depthOf(view, pivot);
        if (!(depth > 1e-9) || !(high.x > low.x) || !(high.y > low.y)) return std::nullopt;
        const auto at = [&](double x, double y) {
            return view.eye + optics::rayThrough(view, {x, y}) * depth;
        };
        plane.card.corner = at(low.x, low.y);
        plane.card.across = at(high.x, low.y) - plane.card.corner;
        plane.card.down = at(low.x, high.y) - plane.card.corner;
        plane.card.front = -view.forward;
        plane.group = true;
    } else {
        plane.card = optics::surfaceOf(layer, optics::worldOf(found.carriers));
        plane.card.bend = 0;
        plane.card.left = plane.card.right = plane.card.top = plane.card.bottom = 0;
    }
    const V3d normal = plane.card.normal();
    const V3d to = plane.card.centre() - view.eye;
    if (!(std::abs(normal.dot(to)) > 1e-3 * to.length())) return std::nullopt;
    const V3d from = pivot - plane.card.corner;
    const V3d n = plane.card.across.cross(plane.card.down);
    plane.pivot = {from.dot(plane.card.down.cross(n)) / n.dot(n),
                   from.dot(n.cross(plane.card.across)) / n.dot(n)};
    return plane;
}

std::vector<Handle> handlesOf(const HandlePlane& plane, const optics::View& view, double armPixels) {
    std::vector<Handle> handles;
    const auto add = [&](Handle::Kind kind, double s, double t) {
        if (const auto place = optics::project(view, plane.card.at(s, t)))
            handles.push_back({kind, {s, t}, *place});
    };
    for (const double s : {0.0, 1.0})
        for (const double t : {0.0, 1.0})
            add(Handle::Kind::Corner, s, t);
    if (!plane.group) {
        add(Handle::Kind::Edge, 0.5, 0);
        add(Handle::Kind::Edge, 0.5, 1);
        add(Handle::Kind::Edge, 0, 0.5);
        add(Handle::Kind::Edge, 1, 0.5);
        const auto top = optics::project(view, plane.card.at(0.5, 0)),
                   bottom = optics::project(view, plane.card.at(0.5, 1));
        const double height = top && bottom ? (*bottom - *top).length() : 0;
        if (height > 1) add(Handle::Kind::Turn, 0.5, -armPixels / height);
    }
    add(Handle::Kind::Pivot, plane.pivot.x, plane.pivot.y);
    return handles;
}

std::optional<V2d> shareAt(const HandlePlane& plane, const optics::View& view, const V2d& place) {
    optics::Surface card = plane.card;
    card.left = card.right = card.top = card.bottom = 1e6;
    const auto met = optics::meet(view, place, card);
    if (!met) return std::nullopt;
    return V2d(met->s, met->t);
}

V2d growth(const HandlePlane& plane, const Handle& handle, const V2d& from, const V2d& to, bool locked) {
    const V2d arm = from - plane.pivot, now = to - plane.pivot;
    const auto ratio = [](double a, double b) { return std::abs(b) > 1e-6 ? std::max(0.001, a / b) : 1.0; };
    if (handle.kind == Handle::Kind::Edge)
        return handle.share.x == 0.5 ? V2d(1, ratio(now.y, arm.y)) : V2d(ratio(now.x, arm.x), 1);
    if (!locked && !plane.group) return {ratio(now.x, arm.x), ratio(now.y, arm.y)};
    // In metres, along the arm.
    const double w = plane.card.across.length(), h = plane.card.down.length();
    const double length = arm.x * arm.x * w * w + arm.y * arm.y * h * h;
    if (!(length > 0)) return V2d(1);
    return V2d(std::max(0.001, (arm.x * now.x * w * w + arm.y * now.y * h * h) / length));
}

double turnBetween(const HandlePlane& plane, const V2d& from, const V2d& to) {
    const double w = plane.card.across.length(), h = plane.card.down.length();
    const auto angle = [&](const V2d& share) {
        return std::atan2(-(share.y - plane.pivot.y) * h, (share.x - plane.pivot.x) * w);
    };
    return degrees(std::remainder(angle(to) - angle(from), 2 * std::numbers::pi));
}

}
