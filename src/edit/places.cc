#include "edit/places.h"

#include "motion/camera_move.h"
#include "scene/property.h"

#include <algorithm>
#include <map>
#include <unordered_set>

namespace stage::edit {

using scene::Layer;
using scene::LayerPath;
using scene::Placement;
using scene::Scene;

Reference referenceOf(const Scene& scene, scene::Fields& fields) {
    Reference reference;
    const auto& marks = scene.camera.marks;
    reference.marked = fields.has("mark");
    if (reference.marked)
        reference.mark =
            static_cast<std::size_t>(fields.whole("mark", 1, static_cast<std::int64_t>(marks.size()))) - 1;
    reference.timed = fields.has("time");
    reference.time = reference.timed ? fields.rational("time", Rational(0), Rational(1'000'000))
                                     : marks[reference.mark].time;
    reference.pose = reference.timed && !reference.marked
                         ? motion::CameraMove(scene).at(reference.time.toDouble())
                         : marks[reference.mark].pose;
    return reference;
}

std::vector<std::int64_t> leadersOf(const Scene& scene, std::vector<std::int64_t> ids) {
    const auto named = [&](std::int64_t id) { return std::find(ids.begin(), ids.end(), id) != ids.end(); };
    std::vector<std::int64_t> leaders = ids;
    if (ids.size() > 1)
        for (const LayerPath& found : scene::all(scene))
            if (std::any_of(found.carriers.begin(), found.carriers.end(),
                            [&](const auto& carrier) { return named(carrier->id); }))
                std::erase(leaders, found.layer->id);
    return leaders;
}

namespace {

bool ofPlace(const scene::Track& track) {
    const auto* property = scene::layerProperty(track.property);
    return !track.link && track.property != "bend" && track.property != "opacity" && property &&
           !property->has;
}

}

void changeTracks(Layer& layer, const Reference& reference,
                  const std::function<std::pair<Placement, Placement>(Rational)>& change) {
    for (scene::Track& track : layer.tracks) {
        if (!ofPlace(track)) continue;
        const auto* property = scene::layerProperty(track.property);
        const bool here =
            reference.timed && std::any_of(track.keys.begin(), track.keys.end(),
                                           [&](const auto& key) { return key.time == reference.time; });
        for (scene::Key<double>& key : track.keys) {
            if (here && key.time != reference.time) continue;
            Layer before, after;
            std::tie(before.placement, after.placement) = change(key.time);
            const double was = property->get(before), is = property->get(after);
            const bool factor = track.property == "scale across" || track.property == "scale up";
            key.value = std::clamp(factor && was != 0 ? key.value * is / was : key.value + is - was,
                                   property->low, property->high);
        }
    }
}

void changePlaces(Scene& scene, const std::vector<std::int64_t>& ids, const Reference& reference,
                  const std::function<Placement(const ResolvedScene&, const LayerPath&)>& change) {
    std::map<Rational, ResolvedScene> resolvedAt;
    // Without what chance adds to places: that comes on top again, and is not to be set.
    Scene before = scene;
    scene::forEach(scene, [&](const scene::LayerPtr& each, const auto&) {
        if (std::none_of(each->tracks.begin(), each->tracks.end(),
                         [](const scene::Track& t) { return ofPlace(t) && !t.noises.empty(); }))
            return;
        scene::changeLayer(before.layers, each->id, [](Layer& layer) {
            for (scene::Track& track : layer.tracks)
                if (ofPlace(track)) track.noises.clear();
        });
    });
    const auto at = [&](Rational time) -> const ResolvedScene& {
        return resolvedAt.try_emplace(time, before, time, reference.pose).first->second;
    };
    std::unordered_set<std::int64_t> facing;
    scene::forEach(before, [&](const scene::LayerPtr& each, const auto&) {
        if (each->hanging.facing != scene::Facing::Fixed) facing.insert(each->id);
    });
    for (const std::int64_t id : leadersOf(scene, ids)) {
        const Layer& layer = *at(reference.time).find(id).layer;
        const auto own = [&](Rational time) { // without what the camera takes along
            return motion::Values(before).placement(*scene::find(before, id).layer, time).position;
        };
        const auto changed = [&](const Placement& old, Rational time) {
            const ResolvedScene& resolved = at(time);
            Placement place = change(resolved, resolved.find(id));
            if (facing.contains(id)) place.turn = old.turn;
            // What goes with the camera is set as it is at the first mark.
            if (resolved.taken.contains(id))
                place.position -= resolved.find(id).layer->placement.position - own(time);
            for (int i = 0; i < 3; ++i)
                if (!(std::abs(place.position[i]) <= scene::Limits::metres))
                    throw scene::Misread{"'" + layer.name + "' would be moved out of the world"};
            for (const double scale : {place.scale.x, place.scale.y})
                if (!(std::abs(scale) <= 1e9) || scale == 0)
                    throw scene::Misread{"'" + layer.name + "' would become too large or too small"};
            return place;
        };
        scene::changeLayer(scene.layers, id, [&](Layer& l) {
            changeTracks(l, reference, [&](Rational time) {
                const Placement seen = at(time).find(id).layer->placement;
                return std::pair(seen, changed(seen, time));
            });
            if (l.places.empty()) {
                l.placement = changed(l.placement, reference.time);
                return;
            }
            const bool here =
                reference.timed && std::any_of(l.places.begin(), l.places.end(),
                                               [&](const auto& key) { return key.time == reference.time; });
            for (scene::Key<Placement>& key : l.places)
                if (!here || key.time == reference.time) key.value = changed(key.value, key.time);
        });
    }
}

std::string rehang(Layer& layer, const optics::Affine& from, const optics::Affine& to) {
    // In the new carrier's metres.
    const auto column = [&](const V3d& v) {
        optics::Affine linear = to;
        linear.origin = V3d(0);
        return linear.inverse(v);
    };
    const optics::Affine between{column(from.x), column(from.y), column(from.z), to.inverse(from.origin)};
    const bool shifted = (between.x - V3d(1, 0, 0)).length() < 1e-12 &&
                         (between.y - V3d(0, 1, 0)).length() < 1e-12 &&
                         (between.z - V3d(0, 0, 1)).length() < 1e-12;
    const auto moved = [&](Placement& place) {
        if (shifted) {
            place.position = between(place.position);
            return true;
        }
        optics::Affine frame = optics::frameOf(place); // about the pivot, which is where the position is
        frame = between * frame;
        // A flat layer has no depth that could be wrong.
        if (!layer.group())
            frame.z = frame.x.cross(frame.y).normalized() * frame.x.length() *
                      (place.scale.x * place.scale.y < 0 ? -1.0 : 1.0);
        const auto result = optics::placementOf(frame, V2d(0));
        if (!result) return false;
        place = *result;
        return true;
    };
    const bool tracked = std::any_of(layer.tracks.begin(), layer.tracks.end(), ofPlace);
    if (tracked && !shifted)
        return "the place of '" + layer.name + "' has tracks, and what would carry it is turned or scaled";
    if (tracked)
        changeTracks(layer, {}, [&](Rational) {
            Placement after;
            after.position = between.origin;
            return std::pair(Placement{}, after);
        });
    bool ok = moved(layer.placement);
    for (scene::Key<Placement>& key : layer.places)
        ok = ok && moved(key.value);
    return ok ? "" : "'" + layer.name + "' would be sheared, because what carries it is scaled unevenly";
}

}
