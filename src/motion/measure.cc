#include "motion/measure.h"

#include "motion/values.h"
#include "optics/lens.h"
#include "optics/view.h"

#include <algorithm>

namespace stage::motion {

std::vector<V3d> outlineOf(const ResolvedScene& resolved, const scene::LayerPath& found) {
    if (!found.layer->group())
        return optics::surfaceOf(*found.layer, optics::worldOf(found.carriers)).outline();
    std::vector<V3d> points;
    for (const scene::LayerPath& each : resolved.all) {
        const bool inside = std::any_of(each.holders.begin(), each.holders.end(),
                                        [&](const auto& h) { return h->id == found.layer->id; });
        if (!inside || each.layer->group()) continue;
        const auto more = optics::surfaceOf(*each.layer, optics::worldOf(each.carriers)).outline();
        points.insert(points.end(), more.begin(), more.end());
    }
    return points;
}

Measure measureAt(const ResolvedScene& resolved, const scene::LayerPath& found) {
    const scene::Layer& layer = *found.layer;
    const V3d pivot = optics::pivotOf(found);
    Measure result;
    result.depth = optics::depthOf(resolved.first, pivot);
    result.distance = (pivot - resolved.view.eye).length();
    result.ahead = optics::depthOf(resolved.view, pivot);
    if (result.ahead > 1e-9)
        result.blur = optics::blurDisc(resolved.pose.focal, resolved.pose.fstop, resolved.pose.focus,
                                       result.ahead, resolved.view.slope);

    const std::vector<V3d> around = outlineOf(resolved, found);
    if (around.empty()) return result;
    V3d least = around[0], most = around[0];
    std::vector<V2d> places;
    for (const V3d& point : around) {
        for (int i = 0; i < 3; ++i)
            least[i] = std::min(least[i], point[i]), most[i] = std::max(most[i], point[i]);
        if (const auto place = optics::project(resolved.view, point)) places.push_back(*place);
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
    const optics::Surface card = optics::surfaceOf(layer, optics::worldOf(found.carriers));
    result.metres = {card.across.length(), card.down.length()};
    std::array<V2d, 4> corners;
    const V3d at[] = {card.at(0, 0), card.at(1, 0), card.at(1, 1), card.at(0, 1)};
    for (int i = 0; i < 4; ++i) {
        const auto place = optics::project(resolved.view, at[i]);
        if (!place) return result;
        corners[static_cast<std::size_t>(i)] = *place;
    }
    result.corners = corners;
    if (layer.box()) return result; // what fills a box has no pixels
    // A pixel's edge seen from the depth of each corner: its length there is at most this.
    for (const V3d& corner : at) {
        const double depth = optics::depthOf(resolved.view, corner);
        const auto edge = [&](const V3d& v, int count) {
            // what the lens sees of it: without what runs along the ray
            const V3d ray = (corner - resolved.view.eye) / depth;
            const V3d across = v - ray * v.dot(resolved.view.forward);
            return across.length() / count * resolved.view.slope / depth;
        };
        result.enlargement = std::max(
            {result.enlargement, edge(card.across, layer.pixels.x), edge(card.down, layer.pixels.y)});
    }
    return result;
}

namespace {

/// What of a layer's pivot depends on time.
bool pivotMoves(const scene::LayerPath& found) {
    const auto keyed = [](const scene::LayerPtr& layer) {
        return !layer->tracks.empty() || !layer->places.empty();
    };
    return keyed(found.layer) ||
           std::any_of(found.carriers.begin(), found.carriers.end(), [&](const auto& each) {
               return keyed(each) || each->hanging.facing != scene::Facing::Fixed;
           });
}

/// The camera's view at frames all over the scene.
struct ViewAtTime {
    Rational time;
    scene::Pose pose;
    optics::View view;
};

/// Adds the travel of layers, which stand beside their measures.
void addTravel(const scene::Scene& scene, const CameraMove& move, const ResolvedScene& now,
               const std::vector<scene::LayerPath>& layers, std::vector<Measure>& measures) {
    const bool changes = std::any_of(layers.begin(), layers.end(), pivotMoves);
    // So long a scene that it would take noticeable time is sampled at fewer frames.
    const std::int64_t step = std::max<std::int64_t>(1, scene.output.frames / (changes ? 500 : 5000));
    std::vector<ViewAtTime> sights;
    for (std::int64_t frame = 0; frame < scene.output.frames; frame += step) {
        const Rational t = timeOfFrame(frame, scene.output.rate);
        const scene::Pose pose = move.at(t.toDouble());
        sights.push_back({t, pose, optics::viewOf(pose, scene.camera, scene.output.frame)});
    }
    const Values values(scene, [&move](double t) { return move.posed(t); });
    const V2d size(scene.output.frame);
    for (std::size_t i = 0; i < layers.size(); ++i) {
        const bool moves = pivotMoves(layers[i]);
        V3d pivot = optics::pivotOf(now.find(layers[i].layer->id));
        std::optional<V2d> last;
        for (const ViewAtTime& sight : sights) {
            if (moves) pivot = pivotAt(scene, values, layers[i], sight.time, sight.pose.position);
            const auto place = optics::project(sight.view, pivot);
            // Beside the lens a place runs away without bound; of that nothing is seen.
            const bool near = place && std::abs(place->x - size.x / 2) < 1.5 * size.x &&
                              std::abs(place->y - size.y / 2) < 1.5 * size.y;
            if (near && last) measures[i].travel += (*place - *last).length();
            last = near ? place : std::nullopt;
        }
    }
}

}

Measure measure(const scene::Scene& scene, std::int64_t layer, const CameraMove& move, Rational time) {
    const ResolvedScene now(scene, time, move.at(time.toDouble()));
    std::vector<Measure> result{measureAt(now, now.find(layer))};
    addTravel(scene, move, now, {scene::find(scene, layer)}, result);
    return result.front();
}

std::vector<Measure> measureAll(const scene::Scene& scene, const CameraMove& move, Rational time) {
    const ResolvedScene now(scene, time, move.at(time.toDouble()));
    std::vector<Measure> result;
    for (const scene::LayerPath& found : now.all)
        result.push_back(measureAt(now, found));
    addTravel(scene, move, now, scene::all(scene), result);
    return result;
}

}
