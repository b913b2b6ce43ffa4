#include "motion/resolved_scene.h"

#include "motion/facing.h"
#include "motion/values.h"
#include "scene/property.h"

#include <algorithm>

namespace stage::motion {
namespace {

template <class Test> bool any(const std::vector<scene::LayerPtr>& layers, const Test& test) {
    return std::any_of(layers.begin(), layers.end(), [&](const scene::LayerPtr& layer) {
        return test(*layer) || (layer->group() && any(layer->group()->children, test));
    });
}
bool keyed(const scene::Layer& layer) {
    return !layer.places.empty() || !layer.tracks.empty();
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

}

bool moves(const scene::Scene& scene) {
    return any(scene.layers, [](const scene::Layer& layer) {
        return keyed(layer) || facesEye(layer) || goesWithCamera(layer);
    });
}

scene::Scene resolved(const scene::Scene& scene, Rational time, const V3d& eye) {
    scene::Scene now = scene;
    const bool picture =
        std::any_of(scene.camera.tracks.begin(), scene.camera.tracks.end(),
                    [](const scene::Track& track) { return scene::pictureProperty(track.property); });
    if (const bool layers = any(scene.layers, keyed); layers || picture) {
        const Values values(scene);
        if (layers) place(now.layers, values, time);
        values.resolvePicture(now, time.toDouble());
    }
    if (any(now.layers, goesWithCamera)) takeAlong(now, eye - scene.camera.marks.front().pose.position);
    if (any(now.layers, facesEye)) faceEye(now, eye);
    return now;
}

V3d pivotAt(const scene::Scene& scene, const Values& values, const scene::LayerPath& found, Rational time,
            const V3d& eye) {
    std::vector<scene::LayerPtr> carriers = found.carriers;
    for (scene::LayerPtr& carrier : carriers) {
        if (facesEye(*carrier) || goesWithCamera(*carrier)) // by where all of it is
            return optics::pivotOf(scene::find(resolved(scene, time, eye), found.layer->id));
        if (!keyed(*carrier)) continue;
        auto copy = std::make_shared<scene::Layer>(*carrier);
        values.resolve(*copy, time);
        carrier = std::move(copy);
    }
    if (goesWithCamera(*found.layer))
        return optics::pivotOf(scene::find(resolved(scene, time, eye), found.layer->id));
    return optics::worldOf(carriers)(values.placement(*found.layer, time).position);
}

ResolvedScene::ResolvedScene(const scene::Scene& before, Rational when, const scene::Pose& camera)
    : time(when), pose(camera), scene(resolved(before, when, camera.position)),
      view(optics::viewOf(camera, before.camera, before.output.frame)), first(optics::firstView(before)),
      all(scene::all(scene)), gone(camera.position - before.camera.marks.front().pose.position) {
    scene::forEach(before, [&](const scene::LayerPtr& layer, const auto&) {
        if (goesWithCamera(*layer)) taken.insert(layer->id);
    });
    for (std::size_t i = 0; i < all.size(); ++i)
        m_places[all[i].layer->id] = i;
}

const scene::LayerPath& ResolvedScene::find(std::int64_t id) const {
    static const scene::LayerPath none;
    const auto place = m_places.find(id);
    return place == m_places.end() ? none : all[place->second];
}

}
