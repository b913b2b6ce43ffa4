#include "scene/scene.h"

#include <algorithm>

namespace stage::scene {

Scene emptyScene() {
    Scene scene;
    Mark first;
    first.id = 1;
    scene.camera.marks.push_back(first);
    return scene;
}

Found find(const Scene& scene, std::int64_t id) {
    Found found;
    forEach(scene, [&](const LayerPtr& layer, const std::vector<LayerPtr>& holders) {
        if (layer->id == id) found = {layer, holders};
    });
    return found;
}

const Media* mediaOf(const Layer& layer) {
    if (const auto* picture = std::get_if<Picture>(&layer.content)) return &picture->media;
    if (const auto* footage = std::get_if<Footage>(&layer.content)) return &footage->media;
    return nullptr;
}

std::int64_t highestId(const Scene& scene) {
    std::int64_t highest = 0;
    forEach(scene, [&](const LayerPtr& layer, const auto&) { highest = std::max(highest, layer->id); });
    return highest;
}

Rational lastTime(const Scene& scene) {
    return timeOfFrame(scene.output.frames - 1, scene.output.rate);
}

}
