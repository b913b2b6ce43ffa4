#include "edit/named.h"

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
    const std::string name = who.is_string() ? "'" + who.get<std::string>() + "'" : who.dump();
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
    for (std::size_t i = 0; i < list.size(); ++i)
        ids.push_back(layerNamed(scene, list[i], fields.at("layers", i)));
    if (ids.empty()) throw Misread{"'" + fields.at("layers") + "' is empty"};
    return ids;
}

std::int64_t layerOf(const Scene& scene, Fields& fields) {
    return layerNamed(scene, fields.value("layer"), fields.at("layer"));
}

}
