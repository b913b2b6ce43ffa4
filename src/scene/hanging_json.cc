#include "scene/hanging_json.h"

#include "scene/keys_json.h"
#include "scene/scene_json.h"
#include "scene/utf8.h"

#include <cmath>

namespace stage::scene {
namespace {

struct NamedSide {
    const char* name;
    Extension Extensions::*side;
};
constexpr NamedSide sides[] = {{"left", &Extensions::left},
                               {"right", &Extensions::right},
                               {"top", &Extensions::top},
                               {"bottom", &Extensions::bottom}};

}

Json toJson(const Placement& place) {
    return {{"position", toJson(place.position)},
            {"turn", toJson(place.turn)},
            {"scale", {place.scale.x, place.scale.y}}};
}

Placement readPlacement(Fields& fields, const Placement& fallback) {
    Placement place = fallback;
    if (fields.has("position")) place.position = fields.vector("position", Limits::metres);
    if (fields.has("turn")) place.turn = fields.vector("turn", 36000);
    if (fields.has("scale")) {
        const auto scale = fields.numbers("scale", 2, -1e9, 1e9);
        if (std::abs(scale[0]) < Limits::leastScale || std::abs(scale[1]) < Limits::leastScale)
            throw Misread{"'" + fields.at("scale") + "' is too close to 0"};
        place.scale = {scale[0], scale[1]};
    }
    return place;
}

Json toJson(const std::vector<Key<Placement>>& places) {
    return keysJson(places, [](const Placement& place) { return toJson(place); });
}

std::vector<Key<Placement>> readPlaces(Fields& fields) {
    const Json& list = fields.value("places");
    if (list.is_array() && list.empty()) return {};
    return readKeys<Placement>(list, fields.at("places"), [](const Json& json, const std::string& where) {
        Fields place(json, where);
        return readPlacement(place, Placement{});
    });
}

Json toJson(const Hanging& hanging) {
    Json json = Json::object();
    if (!(hanging.pivot == V2d(0))) json["pivot"] = {hanging.pivot.x, hanging.pivot.y};
    if (hanging.facing != Facing::Fixed)
        json["facing"] = facingNames[static_cast<std::size_t>(hanging.facing)];
    if (hanging.bend != 0) json["bend"] = hanging.bend;
    Json extend = Json::object();
    for (const NamedSide& each : sides) {
        const Extension& side = hanging.extensions.*each.side;
        if (side == Extension{}) continue;
        extend[each.name] = {{"beyond", beyondNames[static_cast<std::size_t>(side.beyond)]}, {"by", side.by}};
    }
    if (!extend.empty()) json["extend"] = std::move(extend);
    return json;
}

Hanging readHanging(Fields& fields, const Hanging& fallback) {
    Hanging hanging = fallback;
    if (fields.has("pivot")) {
        const auto pivot = fields.numbers("pivot", 2, -Limits::metres, Limits::metres);
        hanging.pivot = {pivot[0], pivot[1]};
    }
    if (fields.has("facing")) hanging.facing = static_cast<Facing>(fields.choice("facing", facingNames));
    hanging.bend = fields.number("bend", -360, 360, hanging.bend);
    if (fields.has("extend")) {
        Fields extend(fields.object("extend"), fields.at("extend"));
        for (const NamedSide& each : sides) {
            if (!extend.has(each.name)) continue;
            Fields side(extend.object(each.name), extend.at(each.name));
            Extension& extension = hanging.extensions.*each.side;
            if (side.has("beyond"))
                extension.beyond = static_cast<Beyond>(side.choice("beyond", beyondNames));
            extension.by = side.number("by", 0, 100, extension.by);
        }
    }
    return hanging;
}

Json toJson(const Scatter& scatter) {
    return {{"count", scatter.count},
            {"seed", scatter.seed},
            {"box", toJson(scatter.box)},
            {"turn", scatter.turn},
            {"sizes", scatter.sizes}};
}

Scatter readScatter(Fields& fields, const Scatter& fallback) {
    Scatter scatter = fallback;
    scatter.count = static_cast<int>(fields.whole("count", 1, Limits::copies, scatter.count));
    scatter.seed = fields.whole("seed", 0, std::int64_t{1} << 50, scatter.seed);
    if (fields.has("box")) {
        scatter.box = fields.vector("box", Limits::metres);
        if (scatter.box.x < 0 || scatter.box.y < 0 || scatter.box.z < 0)
            throw Misread{"'" + fields.at("box") + "' must not be below 0"};
    }
    scatter.turn = fields.number("turn", 0, 360, scatter.turn);
    scatter.sizes = fields.number("sizes", 0, 0.99, scatter.sizes);
    return scatter;
}

std::vector<std::string> readTags(Fields& fields) {
    std::vector<std::string> tags;
    const Json& list = fields.array("tags", Limits::tags);
    for (std::size_t i = 0; i < list.size(); ++i) {
        if (!list[i].is_string() || list[i].get<std::string>().empty() ||
            list[i].get<std::string>().size() > 200 || !isUtf8(list[i].get<std::string>()))
            throw Misread{"'" + fields.at("tags", i) + "' should be a short text"};
        tags.push_back(list[i].get<std::string>());
    }
    return tags;
}

}
