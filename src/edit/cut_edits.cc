#include "edit/cut_edits.h"

#include "edit/bring_in.h"
#include "edit/named.h"
#include "media/content.h"
#include "optics/placing.h"
#include "scene/cutout_json.h"
#include "scene/scene_json.h"

#include <algorithm>

namespace stage::edit {

using scene::Fields;
using scene::Json;
using scene::Layer;
using scene::LayerPtr;
using scene::Limits;
using scene::Misread;
using scene::Scene;

namespace {

Json cutoutJson(const Layer& layer) {
    return layer.cutout ? scene::toJson(*layer.cutout) : Json::object();
}

/// Members that are null go, others replace.
void patch(Json& json, const Json& change, const std::string& where) {
    if (!change.is_object()) throw Misread{"'" + where + "' should be an object"};
    for (const auto& [key, member] : change.items()) {
        if (member.is_null())
            json.erase(key);
        else
            json[key] = member;
    }
}

/// Layers that a matte or match looks at may be named; inside a scene they go by their id.
void resolve(const Scene& scene, Json& json, const char* key, const std::string& where) {
    if (json.is_object() && json.contains(key) && json[key].is_string())
        json[key] = layerNamed(scene, json[key], where + "." + key);
}
void resolveMattes(const Scene& scene, Json& json, const char* key, const std::string& where) {
    if (!json.is_object() || !json.contains(key) || !json[key].is_array()) return;
    for (Json& matte : json[key])
        resolve(scene, matte, "layer", where + "." + key);
}

/// A colour that is said by where it is in the layer's picture, {"at": [x, y], "frame": of footage}.
void pick(const Layer& layer, Json& json, const char* key, const std::string& where) {
    if (!json.is_object() || !json.contains(key) || !json[key].is_object() || !json[key].contains("at"))
        return;
    Fields fields(json[key], where + "." + key);
    const auto at = fields.numbers("at", 2, 0, 1e6);
    const std::int64_t frame = fields.whole("frame", 0, Limits::frames, 0);
    fields.nothingElse();
    media::PixelCache cache(256u << 20);
    json[key] = scene::toJson(value(media::pickedColour(layer, frame, {at[0], at[1]}, cache)));
}

/// Puts the cut-out of the layer named through change(json).
template <class Change>
void changeCutout(Scene& scene, std::int64_t id, const std::string& where, Change&& change) {
    const scene::LayerPath found = scene::find(scene, id);
    if (found.layer->group()) throw Misread{"'" + found.layer->name + "' is a group; cut out its layers"};
    if (found.layer->box()) throw Misread{"'" + found.layer->name + "' has no picture that could be cut out"};
    Json json = cutoutJson(*found.layer);
    change(json);
    if (json.contains("key")) pick(*found.layer, json["key"], "screen", where + ".key");
    if (json.contains("match")) pick(*found.layer, json["match"], "grey", where + ".match");
    if (json.contains("mattes") && json["mattes"].is_array())
        for (Json& matte : json["mattes"])
            pick(*found.layer, matte, "colour", where + ".matte");
    const scene::CutoutPtr cutout = scene::readCutout(json, where);
    scene::changeLayer(scene.layers, id, [&](Layer& layer) { layer.cutout = cutout; });
}

/// The element that `key` numbers, from 1, in the cut-out's list.
std::size_t numberIn(const Json& json, const char* list, Fields& fields, const char* key) {
    const std::size_t count = json.contains(list) ? json[list].size() : 0;
    if (count == 0) throw Misread{"'" + fields.at(key) + "': there are none"};
    return static_cast<std::size_t>(fields.whole(key, 1, static_cast<std::int64_t>(count))) - 1;
}

void removeFrom(Scene& scene, Fields& fields, const char* list, const char* key) {
    const std::int64_t id = layerOf(scene, fields);
    changeCutout(scene, id, fields.where(), [&](Json& json) {
        json[list].erase(json[list].begin() + static_cast<std::ptrdiff_t>(numberIn(json, list, fields, key)));
    });
}

}

// ---- cards

void addCard(Scene& scene, Fields& fields) {
    const Home home = homeOf(scene);
    auto layer = std::make_shared<Layer>();
    layer->id = scene::highestId(scene) + 1;
    layer->name = fields.text("name", 1000, "Card");
    layer->placement = home.placement;
    layer->pixels = scene.output.frame;
    layer->metresPerPixel = home.width / scene.output.frame.x;
    layer->content = scene::readCard(fields, scene::Card{});
    scene.layers.push_back(std::move(layer));
}

void changeCard(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    scene::changeLayer(scene.layers, id, [&](Layer& layer) {
        const auto* now = std::get_if<scene::Card>(&layer.content);
        if (!now) throw Misread{"'" + layer.name + "' is not a card"};
        layer.content = scene::readCard(fields, *now);
    });
}

// ---- footage

void footageTime(Scene& scene, Fields& fields) {
    for (const std::int64_t id : layersOf(scene, fields)) {
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            const auto* now = std::get_if<scene::Footage>(&layer.content);
            if (!now) throw Misread{"'" + layer.name + "' is not footage"};
            scene::Footage footage = *now;
            scene::readTime(fields, footage);
            layer.content = footage;
        });
    }
}

// ---- cut-outs

void cutOut(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    constexpr const char* members[] = {"key", "edges", "match", "mattes", "fills", "clones"};
    for (const std::int64_t id : ids) {
        changeCutout(scene, id, fields.where(), [&](Json& json) {
            for (const char* member : members) {
                if (!fields.has(member)) continue;
                const Json& change = fields.value(member);
                if (change.is_null()) {
                    json.erase(member);
                    continue;
                }
                // One object is changed in what is named; another kind of it, and whole lists, are replaced.
                const bool same = change.is_object() && json.contains(member) && json[member].is_object() &&
                                  (!change.contains("kind") || !json[member].contains("kind") ||
                                   change["kind"] == json[member]["kind"]);
                if (!same) {
                    json[member] = change;
                } else {
                    patch(json[member], change, fields.at(member));
                }
            }
            if (json.contains("match")) resolve(scene, json["match"], "like", fields.at("match"));
            resolveMattes(scene, json, "mattes", fields.where());
        });
    }
}

void addMatte(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    changeCutout(scene, id, fields.where(), [&](Json& json) {
        Json matte = fields.object("matte");
        resolve(scene, matte, "layer", fields.at("matte"));
        pick(*scene::find(scene, id).layer, matte, "colour", fields.at("matte"));
        matte = scene::toJson(scene::readMatte(matte, fields.at("matte")));
        if (matte["name"] == "")
            matte["name"] =
                "Matte " + std::to_string((json.contains("mattes") ? json["mattes"].size() : 0) + 1);
        json["mattes"].push_back(std::move(matte));
    });
}

void changeMatte(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    changeCutout(scene, id, fields.where(), [&](Json& json) {
        Json& matte = json["mattes"][numberIn(json, "mattes", fields, "matte")];
        patch(matte, fields.value("change"), fields.at("change"));
        resolve(scene, matte, "layer", fields.at("change"));
    });
}

void moveMatte(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    changeCutout(scene, id, fields.where(), [&](Json& json) {
        const std::size_t from = numberIn(json, "mattes", fields, "matte"),
                          to = numberIn(json, "mattes", fields, "to");
        Json matte = json["mattes"][from];
        json["mattes"].erase(json["mattes"].begin() + static_cast<std::ptrdiff_t>(from));
        json["mattes"].insert(json["mattes"].begin() + static_cast<std::ptrdiff_t>(to), std::move(matte));
    });
}

void removeMatte(Scene& scene, Fields& fields) {
    removeFrom(scene, fields, "mattes", "matte");
}

void addFill(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    changeCutout(scene, id, fields.where(), [&](Json& json) {
        Json fill = {{"hole", fields.array("hole", 1000)}};
        for (const char* member : {"from", "grow", "seed", "draft"})
            if (fields.has(member)) fill[member] = fields.value(member);
        resolveMattes(scene, fill, "hole", fields.where());
        resolveMattes(scene, fill, "from", fields.where());
        json["fills"].push_back(std::move(fill));
    });
}

void changeFill(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    changeCutout(scene, id, fields.where(), [&](Json& json) {
        Json& fill = json["fills"][numberIn(json, "fills", fields, "fill")];
        patch(fill, fields.value("change"), fields.at("change"));
        resolveMattes(scene, fill, "hole", fields.at("change"));
        resolveMattes(scene, fill, "from", fields.at("change"));
    });
}

void removeFill(Scene& scene, Fields& fields) {
    removeFrom(scene, fields, "fills", "fill");
}

void addClone(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    changeCutout(scene, id, fields.where(), [&](Json& json) {
        json["clones"].push_back({{"stroke", fields.object("stroke")}, {"from", fields.value("from")}});
    });
}

void removeClone(Scene& scene, Fields& fields) {
    removeFrom(scene, fields, "clones", "clone");
}

}
