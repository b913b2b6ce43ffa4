#include "edit/light_edits.h"

#include "optics/placing.h"
#include "scene/finish_json.h"
#include "scene/lamp_json.h"

#include <set>

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
    addLayer(scene, std::move(layer));
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

namespace {

/// The members of an edit that readShading() takes; the layer of normals by its id.
scene::Json shadingMembers(const Scene& scene, Fields& fields) {
    scene::Json members = scene::Json::object();
    for (const char* key : {"front", "translucency", "edge", "normals"})
        if (fields.has(key)) members[key] = fields.value(key);
    if (members.contains("normals") && members["normals"] != 0)
        members["normals"] = layerNamed(scene, members["normals"], fields.at("normals"));
    return members;
}

}

void changeShading(Scene& scene, Fields& fields) {
    const bool off = fields.yes("remove", false);
    const scene::Json members = shadingMembers(scene, fields);
    for (const std::int64_t id : layersOf(scene, fields)) {
        const scene::LayerPtr layer = scene::find(scene, id).layer;
        if (layer->group() || std::holds_alternative<scene::Lamp>(layer->content))
            throw Misread{"'" + layer->name + "' has nothing that takes light"};
        Fields own(members, fields.where());
        const auto next = off ? scene::ShadingPtr()
                              : std::make_shared<const scene::Shading>(scene::readShading(
                                    own, layer->shading ? *layer->shading : scene::Shading()));
        scene::changeLayer(scene.layers, id, [&](Layer& l) {
            l.shading = next;
            if (off) dropTracksWithout(l);
        });
    }
}

void changeAmbient(Scene& scene, Fields& fields) {
    scene.ambient = scene::readAmbient(fields, scene.ambient);
}

void changeShadows(Scene& scene, Fields& fields) {
    // What a shadow already has may stay, also where that layer is gone.
    std::set<std::int64_t> kept = {0};
    for (const std::int64_t id : layersOf(scene, fields))
        for (const scene::Shadow& shadow : scene::find(scene, id).layer->shadows)
            kept.insert({shadow.from, shadow.on});
    scene::Json list = fields.array("shadows", scene::Shadow::most);
    for (std::size_t i = 0; i < list.size(); ++i)
        for (const char* key : {"from", "on"})
            if (list[i].is_object() && list[i].contains(key) &&
                !(list[i][key].is_number_integer() && kept.contains(list[i][key].get<std::int64_t>())))
                list[i][key] = layerNamed(scene, list[i][key], fields.at("shadows", i) + "." + key);
    const scene::Json named = {{"shadows", list}};
    Fields members(named, fields.where());
    const std::vector<scene::Shadow> shadows = scene::readShadows(members);
    for (const scene::Shadow& shadow : shadows)
        if (shadow.from != 0)
            if (const auto lamp = scene::find(scene, shadow.from).layer;
                lamp && !std::holds_alternative<scene::Lamp>(lamp->content))
                throw Misread{"'" + fields.at("shadows") + "': '" + lamp->name + "' is no lamp"};
    for (const std::int64_t id : layersOf(scene, fields)) {
        const scene::LayerPtr layer = scene::find(scene, id).layer;
        if (layer->group() || layer->box())
            throw Misread{"'" + layer->name + "' has no picture that throws a shadow"};
        for (const scene::Shadow& shadow : shadows)
            if (shadow.on == id) throw Misread{"'" + layer->name + "' cannot throw a shadow on itself"};
        scene::changeLayer(scene.layers, id, [&](Layer& l) {
            l.shadows = shadows;
            dropTracksWithout(l);
        });
    }
}

void changeFinish(Scene& scene, Fields& fields) {
    const bool off = fields.yes("remove", false);
    for (const std::int64_t id : layersOf(scene, fields)) {
        const scene::LayerPtr layer = scene::find(scene, id).layer;
        if (layer->group() || layer->box())
            throw Misread{"'" + layer->name + "' has no picture that could glow or be softened"};
        const auto next = off ? scene::FinishPtr()
                              : std::make_shared<const scene::Finish>(scene::readFinish(
                                    fields, layer->finish ? *layer->finish : scene::Finish()));
        scene::changeLayer(scene.layers, id, [&](Layer& l) {
            l.finish = next;
            if (off) dropTracksWithout(l);
        });
    }
}

void changeGlare(Scene& scene, Fields& fields) {
    scene.glare = scene::readGlare(fields, scene.glare);
}

}
