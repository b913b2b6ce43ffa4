#include "interaction/picking.h"

#include <algorithm>
#include <cmath>

namespace stage::interaction {
namespace {

template <class Test> bool any(const scene::LayerPath& found, const Test& test) {
    return found.layer &&
           (test(*found.layer) || std::any_of(found.holders.begin(), found.holders.end(),
                                              [&](const auto& holder) { return test(*holder); }));
}

}

bool isLocked(const scene::LayerPath& found) {
    return any(found, [](const scene::Layer& layer) { return layer.locked; });
}
bool isVisible(const scene::LayerPath& found) {
    return !any(found, [](const scene::Layer& layer) { return !layer.visible; });
}

std::int64_t layerAt(const motion::ResolvedScene& now, const optics::View& view, const V2d& place,
                     const Covers& covers) {
    std::int64_t best = 0;
    double nearest = 1e300;
    for (const scene::LayerPath& found : now.all) {
        if (found.layer->group() || found.layer->box() || !isVisible(found) || isLocked(found)) continue;
        const auto met =
            optics::meet(view, place, optics::surfaceOf(*found.layer, optics::worldOf(found.carriers)));
        if (!met || met->depth > nearest || !covers(found, met->s, met->t)) continue;
        nearest = met->depth, best = found.layer->id;
    }
    return best;
}

bool showsAt(const motion::ResolvedScene& now, const scene::LayerPath& found, const optics::View& view,
             const V2d& place, const Covers& covers) {
    if (!found.layer) return false;
    if (found.layer->group())
        return std::any_of(now.all.begin(), now.all.end(), [&](const scene::LayerPath& each) {
            return !each.layer->group() &&
                   std::any_of(each.holders.begin(), each.holders.end(),
                               [&](const auto& holder) { return holder->id == found.layer->id; }) &&
                   showsAt(now, each, view, place, covers);
        });
    const auto met =
        optics::meet(view, place, optics::surfaceOf(*found.layer, optics::worldOf(found.carriers)));
    return met && covers(found, met->s, met->t);
}

double distanceToPolyline(std::span<const V2d> line, const V2d& place) {
    double nearest = line.empty() ? 1e300 : (place - line[0]).length();
    for (std::size_t i = 0; i + 1 < line.size(); ++i) {
        const V2d along = line[i + 1] - line[i];
        const double length = along.dot(along);
        const double t = length > 0 ? std::clamp((place - line[i]).dot(along) / length, 0.0, 1.0) : 0;
        nearest = std::min(nearest, (place - (line[i] + along * t)).length());
    }
    return nearest;
}

double distanceToLine(const V2d& a, const V2d& b, const V2d& place) {
    const V2d along = b - a;
    const double length = along.length();
    return length > 0 ? std::abs(along.cross(place - a)) / length : 1e9;
}

}
