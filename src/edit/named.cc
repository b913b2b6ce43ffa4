#include "edit/named.h"

#include "scene/property.h"
#include "scene/utf8.h"

#include <unordered_map>
#include <unordered_set>

namespace stage::edit {

using scene::Fields;
using scene::Json;
using scene::LayerPtr;
using scene::Limits;
using scene::Misread;
using scene::Scene;

std::int64_t layerNamed(const Scene& scene, const Json& who, const std::string& where) {
    std::vector<std::int64_t> ids;
    scene::forEach(scene, [&](const LayerPtr& layer, const auto&) {
        if (who.is_string() ? layer->name == who.get<std::string>()
                            : who.is_number_integer() && layer->id == who.get<std::int64_t>())
            ids.push_back(layer->id);
    });
    const std::string name =
        who.is_string() ? "'" + scene::asUtf8(who.get<std::string>(), 80) + "'" : scene::shown(who);
    if (ids.empty()) throw Misread{"'" + where + "': there is no layer " + name};
    if (ids.size() > 1) {
        std::string all;
        for (const std::int64_t id : ids)
            all += (all.empty() ? "" : ", ") + std::to_string(id);
        throw Misread{"'" + where + "': several layers are called " + name + "; say which by its id: " + all};
    }
    return ids.front();
}

std::vector<std::int64_t> layersOf(const Scene& scene, Fields& fields) {
    std::vector<std::int64_t> ids;
    const Json& list = fields.array("layers", Limits::layers);
    // All that only one layer is called by; what is not found here is told of by layerNamed.
    std::unordered_map<std::string, std::int64_t> byName;
    std::unordered_set<std::int64_t> known, taken;
    scene::forEach(scene, [&](const LayerPtr& layer, const auto&) {
        known.insert(layer->id);
        if (const auto [at, isNew] = byName.try_emplace(layer->name, layer->id); !isNew) at->second = 0;
    });
    for (std::size_t i = 0; i < list.size(); ++i) {
        std::int64_t id = 0;
        if (list[i].is_number_integer() && known.contains(list[i].get<std::int64_t>()))
            id = list[i].get<std::int64_t>();
        else if (const auto named =
                     list[i].is_string() ? byName.find(list[i].get<std::string>()) : byName.end();
                 named != byName.end())
            id = named->second;
        if (id == 0) id = layerNamed(scene, list[i], fields.at("layers", i));
        if (taken.insert(id).second) ids.push_back(id);
    }
    if (ids.empty()) throw Misread{"'" + fields.at("layers") + "' is empty"};
    return ids;
}

std::int64_t layerOf(const Scene& scene, Fields& fields) {
    return layerNamed(scene, fields.value("layer"), fields.at("layer"));
}

Json withId(const scene::Scene& scene, Json json, const std::string& where) {
    if (json.is_object() && json.contains("layer"))
        json["layer"] = layerNamed(scene, json["layer"], where + ".layer");
    return json;
}

std::vector<scene::LayerPath> outermost(const scene::Scene& scene, const std::vector<std::int64_t>& ids) {
    const std::set<std::int64_t> named(ids.begin(), ids.end());
    std::vector<scene::LayerPath> found;
    for (scene::LayerPath& each : scene::all(scene)) {
        const bool inside = std::any_of(each.holders.begin(), each.holders.end(),
                                        [&](const auto& h) { return named.contains(h->id); });
        if (named.contains(each.layer->id) && !inside) found.push_back(std::move(each));
    }
    return found;
}

void addLayer(Scene& scene, scene::Layer layer) {
    layer.id = scene::highestId(scene) + 1;
    scene.layers.push_back(std::make_shared<const scene::Layer>(std::move(layer)));
}

void dropTracksWithout(scene::Layer& layer) {
    std::erase_if(layer.tracks, [&](const scene::Track& track) {
        const auto* property = scene::layerProperty(track.property);
        return property && property->has && !property->has(layer);
    });
}

std::set<std::string> namesIn(const scene::Scene& scene) {
    std::set<std::string> names;
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) { names.insert(layer->name); });
    return names;
}

std::string freeName(const std::set<std::string>& taken, const std::string& name) {
    if (!taken.contains(name)) return name;
    std::string stem = scene::asUtf8(name, 980); // with room for a number
    while (!stem.empty() && std::isdigit(static_cast<unsigned char>(stem.back())))
        stem.pop_back();
    if (stem.empty() || stem.back() != ' ') stem = scene::asUtf8(name, 980) + ' ';
    int n = 2;
    while (taken.contains(stem + std::to_string(n)))
        ++n;
    return stem + std::to_string(n);
}

}
