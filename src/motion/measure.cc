#include "motion/measure.h"

#include "motion/values.h"
#include "optics/lens.h"
#include "optics/view.h"

#include <algorithm>

namespace stage::motion {

std::vector<V3d> outlineOf(const Standing& standing, const scene::Found& found) {
    if (!found.layer->group()) return optics::cardOf(*found.layer, optics::worldOf(found.carriers)).outline();
    std::vector<V3d> points;
    for (const scene::Found& each : standing.all) {
        const bool inside = std::any_of(each.holders.begin(), each.holders.end(),
                                        [&](const auto& h) { return h->id == found.layer->id; });
        if (!inside || each.layer->group()) continue;
        const auto more = optics::cardOf(*each.layer, optics::worldOf(each.carriers)).outline();
        points.insert(points.end(), more.begin(), more.end());
    }
    return points;
}

Measure measureAt(const Standing& standing, const scene::Found& found) {
    const scene::Layer& layer = *found.layer;
    const V3d pivot = optics::pivotOf(found);
    Measure result;
    result.depth = optics::depthOf(standing.first, pivot);
    result.distance = (pivot - standing.view.eye).length();
    if (const double ahead = optics::depthOf(standing.view, pivot); ahead > 1e-9)
        result.blur = optics::blurDisc(standing.pose.focal, standing.pose.fstop, standing.pose.focus, ahead,
                                       standing.view.slope);

    const std::vector<V3d> around = outlineOf(standing, found);
    if (around.empty()) return result;
    V3d least = around[0], most = around[0];
    std::vector<V2d> places;
    for (const V3d& point : around) {
        for (int i = 0; i < 3; ++i)
            least[i] = std::min(least[i], point[i]), most[i] = std::max(most[i], point[i]);
        if (const auto place = optics::project(standing.view, point)) places.push_back(*place);
    }
    const bool ahead = places.size() == around.size();
    if (ahead) {
        result.low = result.high = places[0];
        for (const V2d& place : places) {
            result.low = {std::min(result.low.x, place.x), std::min(result.low.y, place.y)};
            result.high = {std::max(result.high.x, place.x), std::max(result.high.y, place.y)};
        }
    }
    if (layer.group()) {
        result.metres = {most.x - least.x, most.y - least.y};
        if (ahead)
            result.corners = {
                {result.low, {result.high.x, result.low.y}, result.high, {result.low.x, result.high.y}}};
        return result;
    }
    const optics::Card card = optics::cardOf(layer, optics::worldOf(found.carriers));
    result.metres = {card.across.length(), card.down.length()};
    std::array<V2d, 4> corners;
    const V3d at[] = {card.at(0, 0), card.at(1, 0), card.at(1, 1), card.at(0, 1)};
    for (int i = 0; i < 4; ++i) {
        const auto place = optics::project(standing.view, at[i]);
        if (!place) return result;
        corners[static_cast<std::size_t>(i)] = *place;
    }
    result.corners = corners;
    // A pixel's edge seen from the depth of each corner: its length there is at most this.
    for (const V3d& corner : at) {
        const double depth = optics::depthOf(standing.view, corner);
        const auto edge = [&](const V3d& v, int count) {
            // what the lens sees of it: without what runs along the ray
            const V3d ray = (corner - standing.view.eye) / depth;
            const V3d across = v - ray * v.dot(standing.view.forward);
            return across.length() / count * standing.view.slope / depth;
        };
        result.enlargement = std::max(
            {result.enlargement, edge(card.across, layer.pixels.x), edge(card.down, layer.pixels.y)});
    }
    return result;
}

Measure measure(const scene::Scene& scene, std::int64_t layer, const CameraMove& move, Rational time) {
    const Standing now(scene, time, move.at(time.toDouble()));
    Measure result = measureAt(now, now.find(layer));
    const scene::Found found = scene::find(scene, layer);
    const bool changes = moves(scene);
    const Values values(scene, [&move](double t) { return move.posed(t); });
    V3d pivot = optics::pivotOf(now.find(layer));
    // So long a scene that it would take noticeable time is sampled at fewer frames.
    const std::int64_t step = std::max<std::int64_t>(1, scene.output.frames / (changes ? 500 : 5000));
    std::optional<V2d> last;
    for (std::int64_t frame = 0; frame < scene.output.frames; frame += step) {
        const Rational t = timeOfFrame(frame, scene.output.rate);
        const scene::Pose at = move.at(t.toDouble());
        if (changes) pivot = values.pivot(found, t, at.position);
        const auto place = optics::project(optics::viewOf(at, scene.camera.gate, scene.output.frame), pivot);
        // Beside the lens a place runs away without bound; of that nothing is seen.
        const V2d size(scene.output.frame);
        const bool near = place && std::abs(place->x - size.x / 2) < 1.5 * size.x &&
                          std::abs(place->y - size.y / 2) < 1.5 * size.y;
        if (near && last) result.travel += (*place - *last).length();
        last = near ? place : std::nullopt;
    }
    return result;
}

}
