#include "interaction/key_edits.h"

#include "scene/property.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <map>

namespace stage::interaction {

const std::vector<scene::Track>& tracksOf(const scene::Scene& scene, std::int64_t layer) {
    static const std::vector<scene::Track> none;
    if (layer == 0) return scene.camera.tracks;
    const scene::LayerPath found = scene::find(scene, layer);
    return found.layer ? found.layer->tracks : none; // the scene holds the layer
}

const scene::Track* trackOf(const scene::Scene& scene, std::int64_t layer, std::string_view property) {
    for (const scene::Track& track : tracksOf(scene, layer))
        if (track.property == property) return &track;
    return nullptr;
}

const scene::Key<double>* keyOf(const scene::Scene& scene, const KeyRef& ref) {
    if (const scene::Track* track = trackOf(scene, ref.layer, ref.property))
        for (const auto& key : track->keys)
            if (key.time == ref.time) return &key;
    return nullptr;
}

KeyRefs keysOf(const scene::Scene& scene, std::int64_t layer, const std::string& property) {
    KeyRefs keys;
    if (const scene::Track* track = trackOf(scene, layer, property))
        for (const auto& key : track->keys)
            keys.push_back({layer, property, key.time});
    return keys;
}

bool contains(const KeyRefs& keys, const KeyRef& key) {
    return std::find(keys.begin(), keys.end(), key) != keys.end();
}

KeyRefs existingKeys(const scene::Scene& scene, KeyRefs keys) {
    std::erase_if(keys, [&](const KeyRef& key) { return !keyOf(scene, key); });
    return keys;
}

PropertyFormat propertyFormat(std::int64_t layer, std::string_view property) {
    PropertyFormat reading;
    const auto read = [&](const auto* p) {
        if (p) reading = {std::string(p->unit), p->unit == "°" || p->unit == "mm" ? 1 : 2, p->low, p->high};
    };
    if (layer != 0)
        read(scene::layerProperty(property));
    else if (const auto* ofPose = scene::cameraProperty(property))
        read(ofPose);
    else
        read(scene::pictureProperty(property));
    return reading;
}

std::vector<std::string> propertiesOf(std::int64_t layer) {
    std::vector<std::string> names;
    const auto add = [&](const auto& properties) {
        for (const auto& p : properties)
            names.emplace_back(p.name);
    };
    if (layer == 0)
        add(scene::cameraProperties()), add(scene::pictureProperties());
    else
        add(scene::layerProperties());
    return names;
}

std::vector<std::string> propertiesOf(const scene::Scene& scene, std::int64_t layer) {
    std::vector<std::string> names = propertiesOf(layer);
    const scene::LayerPtr of = scene::find(scene, layer).layer;
    if (of)
        std::erase_if(names, [&](const std::string& name) {
            const auto* property = scene::layerProperty(name);
            return property->has && !property->has(*of);
        });
    return names;
}

edit::Edit changeOfKeys(const KeyRefs& keys, const KeyChange& how, const std::string& name) {
    std::map<std::pair<std::int64_t, std::string>, std::vector<Rational>> groups;
    for (const KeyRef& key : keys)
        groups[{key.layer, key.property}].push_back(key.time);
    std::vector<Rational> all;
    for (const KeyRef& key : keys)
        all.push_back(key.time);
    const auto [first, last] = std::minmax_element(all.begin(), all.end());
    std::vector<edit::Edit> edits;
    for (auto& [whose, times] : groups) {
        std::sort(times.begin(), times.end());
        edit::Edit edit = {{"edit", "keys"}};
        if (whose.first != 0) edit["layers"] = {whose.first};
        edit["property"] = whose.second;
        edit["times"] = edit::Edit::array();
        for (const Rational& time : times)
            edit["times"].push_back(time.text());
        // The edit stretches and reverses each track about its own keys.
        Rational shift = how.shift;
        if (how.reverse) {
            edit["reverse"] = true;
            shift = shift + (*first + *last) - (times.front() + times.back());
        }
        if (how.stretch != 1) {
            const Rational k = Rational::nearest(how.stretch), off = times.front() - *first;
            edit["stretch"] = k.text();
            shift = shift + off * k - off;
        }
        if (shift != Rational(0)) edit["shift"] = shift.text();
        edit.update(how.more);
        edits.push_back(std::move(edit));
    }
    return edits.size() == 1 ? edits.front() : edit::several(name, std::move(edits));
}

edit::Edit combined(const std::string& name, const std::vector<edit::Edit>& edits) {
    std::vector<edit::Edit> flat;
    for (const edit::Edit& each : edits)
        if (each["edit"] == "several")
            for (const auto& inner : each["edits"])
                flat.push_back(inner);
        else
            flat.push_back(each);
    return flat.size() == 1 ? flat.front() : edit::several(name, std::move(flat));
}

KeyRefs shiftedKeys(KeyRefs keys, Rational by) {
    for (KeyRef& key : keys)
        key.time = key.time + by;
    return keys;
}

CopiedKeys copyKeys(const scene::Scene& scene, const KeyRefs& keys) {
    CopiedKeys taken;
    for (const KeyRef& ref : keys)
        if (const auto* key = keyOf(scene, ref)) taken.keys.emplace_back(ref, *key);
    return taken;
}

std::optional<edit::Edit> pasteKeys(const CopiedKeys& taken, Rational at,
                                    const std::vector<std::int64_t>& targets) {
    if (taken.keys.empty()) return {};
    Rational first = taken.keys.front().first.time;
    for (const auto& [ref, key] : taken.keys)
        first = std::min(first, ref.time);
    const bool one = std::all_of(taken.keys.begin(), taken.keys.end(), [&](const auto& each) {
        return each.first.layer == taken.keys.front().first.layer;
    });
    std::vector<edit::Edit> edits;
    const auto onto = [&](std::int64_t target, const KeyRef& ref, const scene::Key<double>& key) {
        const auto names = propertiesOf(target);
        if (std::find(names.begin(), names.end(), ref.property) == names.end()) return;
        edit::Edit edit = {{"edit", "key"}};
        if (target != 0) edit["layers"] = {target};
        edit["property"] = ref.property;
        edit["time"] = (at + ref.time - first).text();
        edit["value"] = key.value;
        edit["pace"] = scene::toJson(key.pace);
        edit["hold"] = key.hold;
        edits.push_back(std::move(edit));
    };
    for (const auto& [ref, key] : taken.keys)
        if (!one)
            onto(ref.layer, ref, key);
        else if (targets.empty())
            onto(0, ref, key);
        else
            for (const std::int64_t target : targets)
                onto(target, ref, key);
    if (edits.empty()) return {};
    return edits.size() == 1 ? edits.front() : edit::several("Put keys", std::move(edits));
}

}
