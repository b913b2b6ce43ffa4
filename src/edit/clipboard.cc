#include "edit/clipboard.h"

#include "edit/named.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <set>

namespace stage::edit {
namespace {

using scene::Json;

void idsIn(const Json& layers, std::set<Json>& ids) {
    for (const Json& layer : layers) {
        ids.insert(layer.value("id", Json()));
        if (layer.contains("layers")) idsIn(layer["layers"], ids);
    }
}

/// Erases the elements of a member that is a list.
template <class Test> void eraseFrom(Json& json, const char* list, const Test& test) {
    if (!json.is_object() || !json.contains(list) || !json[list].is_array()) return;
    Json kept = Json::array();
    for (Json& each : json[list])
        if (!test(each)) kept.push_back(std::move(each));
    json[list] = std::move(kept);
}

/// What layers say of others than those with these ids goes.
void cutLoose(Json& layers, const std::set<Json>& ids) {
    const auto foreign = [&](const Json& json, const char* member) {
        return json.is_object() && json.contains(member) && !ids.contains(json[member]);
    };
    for (Json& layer : layers) {
        if (!layer.is_object()) continue;
        if (layer.contains("cutout")) {
            Json& cutout = layer["cutout"];
            const auto matte = [&](const Json& each) { return foreign(each, "layer"); };
            eraseFrom(cutout, "mattes", matte);
            eraseFrom(cutout, "fills", [&](Json& fill) {
                eraseFrom(fill, "from", matte);
                eraseFrom(fill, "hole", matte);
                return fill.contains("hole") && fill["hole"].empty();
            });
            if (cutout.contains("match") && foreign(cutout["match"], "like")) cutout["match"].erase("like");
        }
        if (layer.contains("standing") && layer["standing"].is_object() &&
            layer["standing"].value("on", Json(0)) != 0 && foreign(layer["standing"], "on"))
            layer.erase("standing");
        eraseFrom(layer, "tracks", [&](Json& track) {
            if (!track.is_object() || !track.contains("link") || !foreign(track["link"], "layer"))
                return false;
            track.erase("link");
            return !track.contains("keys") && !track.contains("noise");
        });
        if (layer.contains("layers")) cutLoose(layer["layers"], ids);
    }
}

}

Result<std::string> copied(const scene::Scene& scene, const std::vector<std::int64_t>& layers) {
    return guarded([&]() -> Result<std::string> {
        std::vector<std::int64_t> roots, held, followers;
        std::set<std::int64_t> all;
        for (const scene::LayerPath& found : outermost(scene, layers)) {
            roots.push_back(found.layer->id);
            if (!found.holders.empty()) held.push_back(found.layer->id);
        }
        const std::set<std::int64_t> taken(roots.begin(), roots.end());
        const auto among = [&](const scene::LayerPtr& layer) { return taken.contains(layer->id); };
        for (const scene::LayerPath& found : scene::all(scene)) {
            if (!among(found.layer) && std::none_of(found.holders.begin(), found.holders.end(), among))
                continue;
            all.insert(found.layer->id);
            if (found.layer->follows > 0) followers.push_back(found.layer->id);
        }
        Result<scene::Scene> apart = scene;
        if (!held.empty()) apart = edit::apply(*apart, onLayers("move-into", held, {{"group", nullptr}}));
        std::erase_if(followers,
                      [&](std::int64_t id) { return all.contains(scene::find(scene, id).layer->follows); });
        if (apart && !followers.empty())
            apart = edit::apply(*apart, onLayers("follow", followers, {{"leader", nullptr}}));
        if (!apart) return tl::unexpected(apart.error());
        Json list = Json::array();
        for (const std::int64_t id : roots)
            list.push_back(scene::toJson(*scene::find(*apart, id).layer));
        return Json{{"format", "open-stage-layers"}, {"layers", std::move(list)}}.dump();
    });
}

Result<Edit> pasted(const scene::Scene& scene, std::string_view text, bool same) {
    return guarded([&]() -> Result<Edit> {
        auto json = scene::parseJson(text);
        if (!json) return tl::unexpected(json.error());
        if (!json->is_object() || json->value("format", Json()) != "open-stage-layers" ||
            !json->contains("layers") || !(*json)["layers"].is_array() || (*json)["layers"].empty())
            return fail("What was copied is not layers of a scene.");
        Json layers = std::move((*json)["layers"]);
        if (!same) {
            std::set<Json> ids;
            idsIn(layers, ids);
            cutLoose(layers, ids);
        }
        std::set<std::string> taken = namesIn(scene);
        for (Json& layer : layers) {
            if (!layer.is_object() || !layer.value("name", Json()).is_string())
                return fail("What was copied is not layers of a scene.");
            layer["name"] = freeName(taken, layer["name"].get<std::string>());
            taken.insert(layer["name"].get<std::string>());
        }
        return Edit{{"edit", "add"}, {"layers", std::move(layers)}};
    });
}

}
