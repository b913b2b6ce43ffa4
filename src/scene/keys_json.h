// Keyed values as JSON: a value as it is, or {"keys": [{"time", "value", "pace", "hold"}]}. Readers throw
// Misread (fields.h).
#pragma once

#include "scene/fields.h"
#include "scene/scene_json.h"

namespace stage::scene {

template <class T, class ToJson> Json keysJson(const std::vector<Key<T>>& keys, ToJson&& json) {
    Json list = Json::array();
    for (const Key<T>& key : keys) {
        Json one = {{"time", key.time.text()}, {"value", json(key.value)}};
        if (!(key.pace == Pace{})) one["pace"] = toJson(key.pace);
        if (key.hold) one["hold"] = true;
        list.push_back(std::move(one));
    }
    return list;
}
template <class T, class ToJson> Json keyedJson(const Keyed<T>& keyed, ToJson&& json) {
    if (!keyed.moves()) return json(keyed.value);
    return {{"keys", keysJson(keyed.keys, json)}};
}

template <class T, class Read>
std::vector<Key<T>> readKeys(const Json& list, const std::string& where, Read&& read) {
    const Rational bound(1'000'000);
    if (!list.is_array() || list.empty() || list.size() > Limits::keys)
        throw Misread{"'" + where + "' should be a list of keys"};
    std::vector<Key<T>> keys;
    for (std::size_t i = 0; i < list.size(); ++i) {
        Fields fields(list[i], where + "[" + std::to_string(i) + "]");
        Key<T> key;
        key.time = fields.rational("time", Rational(0) - bound, bound);
        key.value = read(fields.value("value"), fields.at("value"));
        key.pace = readPace(fields, "pace", key.pace);
        key.hold = fields.yes("hold", false);
        if (!keys.empty() && key.time <= keys.back().time)
            throw Misread{"'" + fields.at("time") + "' is not after the key before it"};
        keys.push_back(std::move(key));
    }
    return keys;
}
template <class T, class Read> Keyed<T> readKeyed(const Json& json, const std::string& where, Read&& read) {
    Keyed<T> keyed;
    if (json.is_object() && json.contains("keys")) {
        keyed.keys = readKeys<T>(json["keys"], where + ".keys", read);
        keyed.value = keyed.keys.front().value;
    } else {
        keyed.value = read(json, where);
    }
    return keyed;
}

}
