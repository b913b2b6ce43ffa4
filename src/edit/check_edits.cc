#include "edit/check_edits.h"

#include "scene/scene_json.h"

#include <algorithm>

namespace stage::edit {

using scene::Fields;
using scene::Layer;
using scene::Misread;
using scene::Scene;

void stand(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    const scene::Json& on = fields.value("on");
    const bool ground = on == "ground";
    const std::int64_t under = on.is_null() || ground ? 0 : layerNamed(scene, on, fields.at("on"));
    if (under != 0 && (scene::find(scene, under).layer->group() || scene::find(scene, under).layer->box()))
        throw Misread{"'" + fields.at("on") + "' has no picture to stand on"};
    const bool newFoot = fields.has("foot");
    const scene::Standing read = scene::readStanding(fields);
    for (const std::int64_t id : ids) {
        if (id == under) throw Misread{"a layer cannot stand on itself"};
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            if (layer.group() || layer.box())
                throw Misread{"'" + layer.name + "' has no picture, so no foot"};
            if (on.is_null()) {
                layer.standing.reset();
                return;
            }
            if (!layer.standing) layer.standing.emplace();
            layer.standing->on = under;
            if (newFoot) layer.standing->foot = read.foot;
        });
    }
}

void checkLimits(Scene& scene, Fields& fields) {
    scene.limits = scene::readLimits(fields, scene.limits);
}

void setAside(Scene& scene, Fields& fields) {
    const std::string kind = fields.text("kind", 40);
    if (kind.empty()) throw Misread{"'" + fields.at("kind") + "' is empty"};
    const auto ids = fields.has("layers") ? layersOf(scene, fields) : std::vector<std::int64_t>{0};
    const bool aside = fields.yes("aside", true);
    const std::string reason = fields.text("reason", 1000, "");
    for (const std::int64_t id : ids) {
        std::erase_if(scene.setAside,
                      [&](const scene::SetAside& each) { return each.kind == kind && each.layer == id; });
        if (aside) scene.setAside.push_back({kind, id, reason});
    }
}

}
