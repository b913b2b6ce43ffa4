#include "motion/resolved_scene.h"

#include "motion/track.h"
#include "motion/values.h"
#include "optics/placing.h"

#include <algorithm>
#include <cmath>

namespace stage::motion {

scene::Placement lerp(const scene::Placement& a, const scene::Placement& b, double f) {
    return {a.position + (b.position - a.position) * f, a.turn + (b.turn - a.turn) * f,
            a.scale + (b.scale - a.scale) * f};
}

scene::Placement placeAt(const scene::Layer& layer, Rational time) {
    if (layer.places.empty()) return layer.placement;
    scene::Placement place = valueAt(layer.places, time);
    // A pace that overshoots may not turn a layer inside out.
    const auto kept = [](double v) { return std::abs(v) < 1e-9 ? 1e-9 : v; };
    place.scale = {kept(place.scale.x), kept(place.scale.y)};
    return place;
}

namespace {

template <class Test> bool any(const std::vector<scene::LayerPtr>& layers, const Test& test) {
    return std::any_of(layers.begin(), layers.end(), [&](const scene::LayerPtr& layer) {
        return test(*layer) || (layer->group() && any(layer->group()->children, test));
    });
}
bool keyed(const scene::Layer& layer) {
    return !layer.places.empty() || !layer.tracks.empty();
}
bool faces(const scene::Layer& layer) {
    return layer.hanging.facing != scene::Facing::Fixed;
}

void place(std::vector<scene::LayerPtr>& layers, const Values& values, Rational time) {
    for (scene::LayerPtr& slot : layers) {
        const bool inside = slot->group() && any(slot->group()->children, keyed);
        if (!inside && !keyed(*slot)) continue;
        auto copy = std::make_shared<scene::Layer>(*slot);
        values.resolve(*copy, time);
        if (inside) place(std::get<scene::Group>(copy->content).children, values, time);
        slot = std::move(copy);
    }
}

/// The turn, inside a carrier that turns by `carrier`, with which a layer at `pivot` looks at the eye.
V3d facingTurn(const scene::Layer& layer, const optics::Affine& carrier, const V3d& pivot, const V3d& eye) {
    V3d to = eye - pivot;
    if (layer.hanging.facing == scene::Facing::Upright) to.y = 0;
    if (!(to.length() > 1e-9)) return layer.placement.turn;
    to.normalize();
    V3d across = V3d(0, 1, 0).cross(to);
    if (!(across.length() > 1e-9)) return layer.placement.turn; // straight above: no way is up
    across.normalize();
    const V3d up = to.cross(across);
    // Into the carrier's axes, which are taken as turned and not sheared.
    const auto into = [&](const V3d& v) {
        return V3d(v.dot(carrier.x.normalized()), v.dot(carrier.y.normalized()),
                   v.dot(carrier.z.normalized()));
    };
    const optics::Affine frame{into(across), into(up), into(to), V3d(0)};
    const auto turned = optics::placementOf(frame, V2d(0));
    if (!turned) return layer.placement.turn;
    V3d turn = turned->turn;
    turn.z += layer.placement.turn.z;
    return turn;
}

void face(scene::Scene& scene, const V3d& eye) {
    // Carriers first: what they carry stands elsewhere once they have turned.
    std::vector<std::pair<std::size_t, std::int64_t>> order;
    for (const scene::LayerPath& found : scene::all(scene))
        if (faces(*found.layer)) order.emplace_back(found.carriers.size(), found.layer->id);
    std::stable_sort(order.begin(), order.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    for (std::size_t from = 0; from < order.size();) {
        // Those with as many carriers do not carry each other.
        std::unordered_map<std::int64_t, scene::LayerPath> found;
        for (scene::LayerPath& each : scene::all(scene))
            if (faces(*each.layer)) found.emplace(each.layer->id, std::move(each));
        const std::size_t depth = order[from].first;
        for (; from < order.size() && order[from].first == depth; ++from) {
            const scene::LayerPath& each = found.at(order[from].second);
            const optics::Affine carrier = optics::worldOf(each.carriers);
            const V3d turn = facingTurn(*each.layer, carrier, carrier(each.layer->placement.position), eye);
            scene::changeLayer(scene.layers, order[from].second, [&](scene::Layer& layer) {
                layer.placement.turn = turn;
                layer.hanging.facing = scene::Facing::Fixed;
            });
        }
    }
}

}

bool moves(const scene::Scene& scene) {
    return any(scene.layers, [](const scene::Layer& layer) { return keyed(layer) || faces(layer); });
}

scene::Scene resolved(const scene::Scene& scene, Rational time, const V3d& eye) {
    scene::Scene now = scene;
    if (any(scene.layers, keyed)) place(now.layers, Values(scene), time);
    if (any(now.layers, faces)) face(now, eye);
    return now;
}

ResolvedScene::ResolvedScene(const scene::Scene& before, Rational when, const scene::Pose& camera)
    : time(when), pose(camera), scene(resolved(before, when, camera.position)),
      view(optics::viewOf(camera, before.camera.gate, before.output.frame)), first(optics::firstView(before)),
      all(scene::all(scene)) {
    for (std::size_t i = 0; i < all.size(); ++i)
        m_places[all[i].layer->id] = i;
}

const scene::LayerPath& ResolvedScene::find(std::int64_t id) const {
    static const scene::LayerPath none;
    const auto place = m_places.find(id);
    return place == m_places.end() ? none : all[place->second];
}

}
