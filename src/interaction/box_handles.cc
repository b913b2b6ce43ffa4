#include "interaction/box_handles.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace stage::interaction {

std::array<V3d, 8> boxCorners(const scene::LayerPath& found) {
    const optics::Affine frame = optics::worldOf(found.carriers) * optics::frameOf(*found.layer);
    const V3d half = *found.layer->box() / 2;
    std::array<V3d, 8> corners;
    for (int i = 0; i < 8; ++i)
        corners[static_cast<std::size_t>(i)] =
            frame(V3d(i & 1 ? 1 : -1, i & 2 ? 1 : -1, i & 4 ? 1 : -1) * half);
    return corners;
}

std::vector<V3d> reachRing(const scene::LayerPath& found, const V3d& one, const V3d& other) {
    std::vector<V3d> ring;
    const auto* lamp = found.layer ? std::get_if<scene::Lamp>(&found.layer->content) : nullptr;
    if (!lamp) return ring;
    const optics::Affine frame = optics::worldOf(found.carriers) * optics::frameOf(*found.layer);
    const double reach = lamp->reach * frame.x.length();
    constexpr int count = 64;
    for (int i = 0; i < count; ++i) {
        const double angle = 2 * std::numbers::pi * i / count;
        ring.push_back(frame.origin + (one * std::cos(angle) + other * std::sin(angle)) * reach);
    }
    return ring;
}

std::vector<BoxSide> boxSides(const scene::LayerPath& found) {
    std::vector<BoxSide> sides;
    if (!found.layer || !found.layer->box() || std::holds_alternative<scene::Lamp>(found.layer->content))
        return sides; // a lamp is as large as its radius says
    const optics::Affine frame = optics::worldOf(found.carriers) * optics::frameOf(*found.layer);
    const V3d box = *found.layer->box();
    for (int axis = 0; axis < 3; ++axis)
        for (const int way : {-1, 1}) {
            V3d at(0), out(0);
            at[axis] = way * box[axis] / 2, out[axis] = way;
            sides.push_back({found.layer->id, axis, way, frame(at), frame.direction(out), box,
                             std::holds_alternative<scene::Cloud>(found.layer->content)});
        }
    return sides;
}

edit::Edit boxDragged(const BoxSide& side, const V3d& by) {
    const double each = side.outwards.dot(side.outwards);
    double grows = each > 0 ? by.dot(side.outwards) / each : 0; // metres of the box
    V3d box = side.box;
    grows = std::clamp(box[side.axis] + grows, 1e-3, 1e7) - box[side.axis];
    box[side.axis] += grows;
    const V3d slides = side.outwards * (grows / 2);
    return edit::several(
        side.cloud ? "Change cloud" : "Change particles",
        {{{"edit", side.cloud ? "cloud" : "particles"},
          {"layers", {side.layer}},
          {"box", {box.x, box.y, box.z}}},
         {{"edit", "slide"}, {"layers", {side.layer}}, {"by", {slides.x, slides.y, slides.z}}}});
}

}
