#include "edit/light_edits.h"

#include "optics/placing.h"
#include "scene/lamp_json.h"

namespace stage::edit {

using scene::Fields;
using scene::Layer;
using scene::Misread;
using scene::Scene;

void addLamp(Scene& scene, Fields& fields) {
    Layer layer;
    layer.content = scene::readLamp(fields, scene::Lamp{});
    layer.name = freeName(namesIn(scene), fields.text("name", 1000, "Lamp"));
    layer.fitToBox();
    const optics::View first = optics::firstView(scene);
    layer.placement.position = fields.has("position") ? fields.vector("position", scene::Limits::metres)
                                                      : first.eye + first.forward * scene.homeDepth;
    layer.id = scene::highestId(scene) + 1;
    scene.layers.push_back(std::make_shared<const Layer>(std::move(layer)));
}

void changeLamp(Scene& scene, Fields& fields) {
    for (const std::int64_t id : layersOf(scene, fields)) {
        const Layer& layer = *scene::find(scene, id).layer;
        const auto* now = std::get_if<scene::Lamp>(&layer.content);
        if (!now) throw Misread{"'" + layer.name + "' is no lamp"};
        const scene::Lamp next = scene::readLamp(fields, *now);
        scene::changeLayer(scene.layers, id, [&](Layer& changed) {
            changed.content = next;
            changed.fitToBox();
        });
    }
}

void changeShading(Scene& scene, Fields& fields) {
    const bool off = fields.yes("remove", false);
    for (const std::int64_t id : layersOf(scene, fields)) {
        const scene::LayerPtr layer = scene::find(scene, id).layer;
        if (layer->group() || layer->box())
            throw Misread{"'" + layer->name + "' has no picture that takes light"};
        const auto next = off ? scene::ShadingPtr()
                              : std::make_shared<const scene::Shading>(scene::readShading(
                                    fields, layer->shading ? *layer->shading : scene::Shading()));
        scene::changeLayer(scene.layers, id, [&](Layer& l) { l.shading = next; });
    }
}

void changeAmbient(Scene& scene, Fields& fields) {
    scene.ambient = scene::readAmbient(fields, scene.ambient);
}

}
