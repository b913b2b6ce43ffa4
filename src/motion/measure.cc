#include "motion/measure.h"

#include "optics/view.h"

#include <algorithm>

namespace stage::motion {
namespace {

/// Adds the world corners of a layer, or of everything in a group.
void gatherCorners(const scene::Layer& layer, const optics::Affine& world, std::vector<V3d>& corners) {
    if (const scene::Group* group = layer.group()) {
        const optics::Affine own = world * optics::frameOf(layer.placement);
        for (const scene::LayerPtr& child : group->children)
            gatherCorners(*child, own, corners);
        return;
    }
    const optics::Card card = optics::cardOf(layer, world);
    for (const V3d& corner : {card.corner, card.corner + card.across, card.corner + card.across + card.down,
                              card.corner + card.down})
        corners.push_back(corner);
}

}

Measure measureAt(const scene::Scene& scene, const scene::Found& found, const optics::View& view) {
    const optics::Affine world = optics::worldOf(found.holders);
    const V3d centre = world(found.layer->placement.position);

    Measure result;
    result.depth = optics::depthOf(optics::firstView(scene), centre);
    result.distance = (centre - view.eye).length();

    std::vector<V3d> corners;
    gatherCorners(*found.layer, world, corners);
    std::vector<V2d> places;
    for (const V3d& corner : corners)
        if (const auto place = optics::project(view, corner)) places.push_back(*place);
    if (!places.empty() && places.size() == corners.size()) {
        V2d low = places[0], high = places[0];
        for (const V2d& place : places) {
            low = {std::min(low.x, place.x), std::min(low.y, place.y)};
            high = {std::max(high.x, place.x), std::max(high.y, place.y)};
        }
        result.size = high - low;
        if (found.layer->group())
            result.corners = {{low, {high.x, low.y}, high, {low.x, high.y}}};
        else
            result.corners = {{places[0], places[1], places[2], places[3]}};
    }
    return result;
}

Measure measure(const scene::Scene& scene, const scene::Found& found, const CameraMove& move, Rational time) {
    Measure result = measureAt(
        scene, found, optics::viewOf(move.at(time.toDouble()), scene.camera.gate, scene.output.frame));
    const V3d centre = optics::worldOf(found.holders)(found.layer->placement.position);
    // So long a scene that it would take noticeable time is sampled at fewer frames.
    const std::int64_t step = std::max<std::int64_t>(1, scene.output.frames / 5000);
    std::optional<V2d> last;
    for (std::int64_t frame = 0; frame < scene.output.frames; frame += step) {
        const double t = timeOfFrame(frame, scene.output.rate).toDouble();
        const auto place =
            optics::project(optics::viewOf(move.at(t), scene.camera.gate, scene.output.frame), centre);
        if (place && last) result.travel += (*place - *last).length();
        last = place;
    }
    return result;
}

}
