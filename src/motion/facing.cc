#include "motion/facing.h"

#include "optics/placing.h"

#include <algorithm>
#include <unordered_map>

namespace stage::motion {
namespace {

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

}

bool goesWithCamera(const scene::Layer& layer) {
    if (const auto* particles = std::get_if<scene::Particles>(&layer.content)) return particles->aroundCamera;
    const auto* cloud = std::get_if<scene::Cloud>(&layer.content);
    return cloud && cloud->aroundCamera;
}

void takeAlong(scene::Scene& scene, const V3d& gone) {
    for (const scene::LayerPath& found : scene::all(scene)) {
        if (!goesWithCamera(*found.layer)) continue;
        const optics::Affine carrier = optics::worldOf(found.carriers);
        scene::changeLayer(scene.layers, found.layer->id, [&](scene::Layer& layer) {
            if (!(carrier.x.cross(carrier.y).dot(carrier.z) == 0))
                layer.placement.position = carrier.inverse(carrier(layer.placement.position) + gone);
            if (auto* particles = std::get_if<scene::Particles>(&layer.content))
                particles->aroundCamera = false;
            if (auto* cloud = std::get_if<scene::Cloud>(&layer.content)) cloud->aroundCamera = false;
        });
    }
}

void faceEye(scene::Scene& scene, const V3d& eye) {
    // Carriers first: what they carry stands elsewhere once they have turned.
    std::vector<std::pair<std::size_t, std::int64_t>> order;
    for (const scene::LayerPath& found : scene::all(scene))
        if (facesEye(*found.layer)) order.emplace_back(found.carriers.size(), found.layer->id);
    std::stable_sort(order.begin(), order.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    for (std::size_t from = 0; from < order.size();) {
        // Those with as many carriers do not carry each other.
        std::unordered_map<std::int64_t, scene::LayerPath> found;
        for (scene::LayerPath& each : scene::all(scene))
            if (facesEye(*each.layer)) found.emplace(each.layer->id, std::move(each));
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
