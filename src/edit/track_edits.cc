// Edits of tracks, of the layers or the camera, and of the times of layers.
#include "edit/track_edits.h"

#include "motion/camera_move.h"
#include "motion/values.h"
#include "scene/property.h"
#include "scene/scene_json.h"
#include "scene/track_json.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>

namespace stage::edit {
namespace {

using scene::Fields;
using scene::Json;
using scene::Layer;
using scene::Limits;
using scene::Misread;
using scene::Scene;
using scene::Track;

/// What each of several layers gets on top of the one before it, so that they do not move in lockstep.
struct Each {
    std::int64_t seed = 1; ///< of noise
    Rational delay{0};     ///< of keys and links
    double offset = 0;     ///< of keys and links
};
Each eachOf(Fields& fields) {
    Each each;
    if (fields.yes("sameSeed", false)) each.seed = 0;
    each.delay = fields.rational("delayEach", Rational(0) - latest, latest, Rational(0));
    each.offset = fields.number("offsetEach", -Limits::metres, Limits::metres, 0);
    return each;
}

/// Runs change(tracks, whose) for each of the layers named, or for the camera where none is.
void eachTracks(Scene& scene, Fields& fields,
                const std::function<void(std::vector<Track>&, scene::Of, std::int64_t)>& change) {
    if (!fields.has("layers")) return change(scene.camera.tracks, scene::Of::Camera, 0);
    const auto* property =
        fields.has("property") ? scene::layerProperty(fields.text("property", 100)) : nullptr;
    for (const std::int64_t id : layersOf(scene, fields))
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            if (property && property->has && !property->has(layer))
                throw Misread{"'" + layer.name + "' has no property '" + std::string(property->name) + "'"};
            change(layer.tracks, scene::Of::Layer, id);
        });
}

std::string propertyOf(Fields& fields, scene::Of of) {
    std::string name = fields.text("property", 100);
    const bool known =
        of == scene::Of::Camera ? scene::ofCamera(name) : scene::layerProperty(name) != nullptr;
    if (!known) throw Misread{"'" + fields.at("property") + "': there is no property '" + name + "'"};
    return name;
}

Track* trackOf(std::vector<Track>& tracks, std::string_view property) {
    const auto at =
        std::find_if(tracks.begin(), tracks.end(), [&](const Track& t) { return t.property == property; });
    return at == tracks.end() ? nullptr : &*at;
}

Track& needTrack(std::vector<Track>& tracks, const std::string& property) {
    if (Track* track = trackOf(tracks, property)) return *track;
    tracks.emplace_back().property = property;
    return tracks.back();
}

void dropEmpty(std::vector<Track>& tracks) {
    std::erase_if(tracks, [](const Track& t) { return t.keys.empty() && !t.link && t.noises.empty(); });
}

void checkLinks(const Scene& scene) {
    if (const std::string why = motion::whyNotLinked(scene); !why.empty()) throw Misread{why};
}

void sortKeys(std::vector<scene::Key<double>>& keys) {
    std::stable_sort(keys.begin(), keys.end(), [](const auto& a, const auto& b) { return a.time < b.time; });
}

/// Those of the keys that an edit of several is about: 'times', or 'from' to 'to', or all.
std::function<bool(Rational)> chosen(Fields& fields) {
    if (fields.has("times")) {
        std::vector<Rational> times;
        const Json& list = fields.array("times", Limits::keys);
        for (std::size_t i = 0; i < list.size(); ++i) {
            const Json one = {{"time", list[i]}};
            Fields each(one, fields.at("times", i));
            times.push_back(each.rational("time", Rational(0) - latest, latest));
        }
        return [times](Rational t) { return std::find(times.begin(), times.end(), t) != times.end(); };
    }
    const Rational from = fields.rational("from", Rational(0) - latest, latest, Rational(0) - latest),
                   to = fields.rational("to", Rational(0) - latest, latest, latest);
    return [from, to](Rational t) { return from <= t && t <= to; };
}

}

void checkKeys(const std::vector<scene::Key<double>>& keys) {
    if (keys.size() > Limits::keys) throw Misread{"there are too many keys"};
    for (std::size_t i = 1; i < keys.size(); ++i)
        if (keys[i].time <= keys[i - 1].time) throw Misread{"two keys would stand at one time"};
}

void setTrack(Scene& scene, Fields& fields) {
    const Each each = eachOf(fields);
    std::int64_t number = -1;
    eachTracks(scene, fields, [&](std::vector<Track>& tracks, scene::Of of, std::int64_t) {
        ++number;
        const Rational later = each.delay * Rational(number);
        const double more = each.offset * static_cast<double>(number);
        const std::string property = propertyOf(fields, of);
        Track& track = needTrack(tracks, property);
        if (fields.has("keys")) {
            const Json& keys = fields.value("keys");
            track.keys.clear();
            if (!keys.is_null() && !(keys.is_array() && keys.empty()))
                track.keys = scene::readNumberKeys(keys, fields.at("keys"));
            for (auto& key : track.keys)
                key.time = key.time + later, key.value += more;
        }
        if (fields.has("extrapolation"))
            track.extrapolation =
                static_cast<scene::Extrapolation>(fields.choice("extrapolation", scene::extrapolationNames));
        if (fields.has("link")) {
            track.link.reset();
            if (!fields.value("link").is_null())
                track.link = scene::readLink(withId(scene, fields.value("link"), fields.at("link")),
                                             fields.at("link"));
            if (track.link) track.link->delay = track.link->delay + later, track.link->offset += more;
        }
        if (fields.has("noise")) {
            track.noises.clear();
            const Json& list = fields.array("noise", Limits::noises);
            for (std::size_t i = 0; i < list.size(); ++i)
                track.noises.push_back(scene::readNoise(list[i], fields.at("noise", i)));
            for (scene::Noise& noise : track.noises)
                noise.seed += each.seed * number;
        }
        dropEmpty(tracks);
    });
    checkLinks(scene);
}

void removeTrack(Scene& scene, Fields& fields) {
    eachTracks(scene, fields, [&](std::vector<Track>& tracks, scene::Of of, std::int64_t) {
        const std::string property = propertyOf(fields, of);
        std::erase_if(tracks, [&](const Track& t) { return t.property == property; });
    });
}

void setKey(Scene& scene, Fields& fields) {
    const Scene before = scene;
    eachTracks(scene, fields, [&](std::vector<Track>& tracks, scene::Of of, std::int64_t id) {
        const std::string property = propertyOf(fields, of);
        const Rational time = fields.rational("time", Rational(0) - latest, latest);
        Track& track = needTrack(tracks, property);
        if (track.link)
            throw Misread{"'" + property + "' follows another; take the link off before it is keyed"};
        const auto at = std::lower_bound(track.keys.begin(), track.keys.end(), time,
                                         [](const auto& key, Rational t) { return key.time < t; });
        const bool there = at != track.keys.end() && at->time == time;
        scene::Key<double> key;
        if (there) key = *at;
        key.time = time;
        if (fields.has("value")) {
            key.value = fields.number("value", -Limits::metres, Limits::metres);
        } else if (!there) { // what it is now, without what chance adds
            Scene calm = before;
            const auto quiet = [&](std::vector<Track>& all) {
                if (Track* mine = trackOf(all, property)) mine->noises.clear();
            };
            if (id == 0)
                quiet(calm.camera.tracks);
            else
                scene::changeLayer(calm.layers, id, [&](Layer& layer) { quiet(layer.tracks); });
            key.value = id == 0
                            ? motion::cameraValue(calm, motion::CameraMove(calm), property, time.toDouble())
                            : motion::Values(calm).of(id, property, time.toDouble()).value_or(0);
        }
        if (!there && at != track.keys.begin()) key.pace = (at - 1)->pace;
        key.pace = scene::readPace(fields, "pace", key.pace);
        key.hold = fields.yes("hold", key.hold);
        if (there)
            *(track.keys.begin() + (at - track.keys.begin())) = key;
        else
            track.keys.insert(at, key);
        checkKeys(track.keys);
    });
}

void removeKey(Scene& scene, Fields& fields) {
    bool any = false;
    eachTracks(scene, fields, [&](std::vector<Track>& tracks, scene::Of of, std::int64_t) {
        Track* track = trackOf(tracks, propertyOf(fields, of));
        const Rational time = fields.rational("time", Rational(0) - latest, latest);
        if (track)
            any = std::erase_if(track->keys, [&](const auto& key) { return key.time == time; }) > 0 || any;
        dropEmpty(tracks);
    });
    if (!any) throw Misread{"there is no key at that time"};
}

void changeKeys(Scene& scene, Fields& fields) {
    const bool onlyOne = fields.has("property");
    const auto which = chosen(fields);
    const Rational shift = fields.rational("shift", Rational(0) - latest, latest, Rational(0));
    const Rational stretch = fields.rational("stretch", Rational(1, 1000), Rational(1000), Rational(1));
    const double add = fields.number("add", -Limits::metres, Limits::metres, 0),
                 times = fields.number("multiply", -1e6, 1e6, 1);
    const bool reverse = fields.yes("reverse", false), copy = fields.yes("copy", false),
               remove = fields.yes("remove", false), smooth = fields.yes("smooth", false),
               evenOut = fields.yes("even", false), paced = fields.has("pace"), held = fields.has("hold");
    bool any = false;
    eachTracks(scene, fields, [&](std::vector<Track>& tracks, scene::Of of, std::int64_t) {
        const std::string only = onlyOne ? propertyOf(fields, of) : std::string();
        for (Track& track : tracks) {
            if (onlyOne && track.property != only) continue;
            std::vector<scene::Key<double>> taken, rest;
            for (const auto& key : track.keys)
                (which(key.time) ? taken : rest).push_back(key);
            if (taken.empty()) continue;
            any = true;
            const std::vector<scene::Key<double>> before = taken;
            const Rational first = taken.front().time, last = taken.back().time;
            if (evenOut) // even steps of time between the first and the last
                for (std::size_t i = 1; i + 1 < taken.size(); ++i)
                    taken[i].time =
                        first + (last - first) * Rational(static_cast<std::int64_t>(i),
                                                          static_cast<std::int64_t>(taken.size()) - 1);
            if (smooth) // each halfway to the mean of its neighbours
                for (std::size_t i = 1; i + 1 < taken.size(); ++i)
                    taken[i].value = (before[i - 1].value + 2 * before[i].value + before[i + 1].value) / 4;
            if (reverse) {
                std::reverse(taken.begin(), taken.end());
                for (std::size_t i = 0; i < taken.size(); ++i) {
                    auto& key = taken[i];
                    key.time = first + last - key.time;
                    // The way to the next key was the way from it, the other way round.
                    if (i + 1 < taken.size()) {
                        const scene::Pace& was = before[taken.size() - 2 - i].pace;
                        key.pace = {1 - was.x2,
                                    1 - was.y2,
                                    1 - was.x1,
                                    1 - was.y1,
                                    {was.drawn.rbegin(), was.drawn.rend()}};
                        key.hold = before[taken.size() - 2 - i].hold;
                    }
                }
            }
            for (auto& key : taken) {
                key.time = first + (key.time - first) * stretch + shift;
                key.time = key.time.onGrid();
                key.value = key.value * times + add;
                if (paced) key.pace = scene::readPace(fields, "pace", key.pace);
                if (held) key.hold = fields.yes("hold", false);
            }
            std::vector<scene::Key<double>> all = rest;
            if (copy) all.insert(all.end(), before.begin(), before.end());
            if (!remove) {
                // What is moved onto others takes their place.
                std::erase_if(all, [&](const auto& key) {
                    return std::any_of(taken.begin(), taken.end(),
                                       [&](const auto& t) { return t.time == key.time; });
                });
                all.insert(all.end(), taken.begin(), taken.end());
            }
            sortKeys(all);
            checkKeys(all);
            track.keys = std::move(all);
        }
        dropEmpty(tracks);
    });
    if (!any) throw Misread{"there are no such keys"};
}

void handHeld(Scene& scene, Fields& fields) {
    const double amount = fields.number("amount", 0, 100, 1), rate = fields.number("rate", 0.01, 100, 0.8);
    const std::int64_t seed = fields.whole("seed", 0, std::int64_t{1} << 40, 1);
    // As a steady hand sways: more in aim than in place, least in roll.
    constexpr std::pair<std::string_view, double> parts[] = {
        {"pan", 0.45}, {"tilt", 0.35}, {"roll", 0.2}, {"across", 0.012}, {"up", 0.016}, {"along", 0.008}};
    std::int64_t own = seed * 10;
    for (const auto& [property, most] : parts) {
        Track& track = needTrack(scene.camera.tracks, std::string(property));
        std::erase_if(track.noises, [](const scene::Noise& n) { return n.kind == scene::Noise::Kind::Sway; });
        if (track.noises.size() >= Limits::noises) throw Misread{"there is too much noise already"};
        if (amount > 0) track.noises.push_back({scene::Noise::Kind::Sway, most * amount, rate, ++own});
    }
    dropEmpty(scene.camera.tracks);
}

// ---- layers in time

void showing(Scene& scene, Fields& fields) {
    Json mine = Json::object();
    for (const char* key : {"in", "out", "fadeIn", "fadeOut", "near", "far"})
        if (fields.has(key)) mine[key] = fields.value(key);
    for (const std::int64_t id : layersOf(scene, fields))
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            layer.showing = scene::readShowing(mine, fields.where(), layer.showing);
        });
}

namespace {

/// All of a layer later: when it shows, its footage and what is keyed on it.
void putOff(Layer& layer, Rational by) {
    const auto later = [by](Rational time) { return (time + by).onGrid(); };
    if (layer.showing.in) layer.showing.in = later(*layer.showing.in);
    if (layer.showing.out) layer.showing.out = later(*layer.showing.out);
    if (auto* footage = std::get_if<scene::Footage>(&layer.content)) footage->start = later(footage->start);
    for (Track& track : layer.tracks)
        for (auto& key : track.keys)
            key.time = later(key.time);
    for (auto& key : layer.places)
        key.time = later(key.time);
}

}

void moveInTime(Scene& scene, Fields& fields) {
    const Rational by = fields.rational("by", Rational(0) - latest, latest);
    for (const std::int64_t id : layersOf(scene, fields))
        scene::changeLayer(scene.layers, id, [&](Layer& layer) { putOff(layer, by); });
}

void stagger(Scene& scene, Fields& fields) {
    // Each begins so much after the one before it, in the order named.
    const Rational by = fields.rational("by", Rational(0) - latest, latest);
    const auto ids = layersOf(scene, fields);
    const Rational first = scene::find(scene, ids.front()).layer->showing.in.value_or(Rational(0));
    const Rational start = fields.rational("from", Rational(0) - latest, latest, first);
    for (std::size_t i = 0; i < ids.size(); ++i)
        scene::changeLayer(scene.layers, ids[i], [&](Layer& layer) {
            const Rational in = layer.showing.in.value_or(Rational(0));
            layer.showing.in = in;
            putOff(layer, start + by * Rational(static_cast<std::int64_t>(i)) - in);
        });
}

}
