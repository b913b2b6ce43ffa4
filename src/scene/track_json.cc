#include "scene/track_json.h"

#include "scene/keys_json.h"
#include "scene/property.h"

#include <algorithm>

namespace stage::scene {
namespace {

const Rational bound(1'000'000);
constexpr double large = 1e7;

// What files written before 28 November 2026 call `extrapolation`, its names, and some properties.
constexpr const char* formerExtrapolation = "beside";
constexpr std::array<std::string_view, 4> formerExtrapolationNames = {"hold", "loop", "ping-pong", "go on"};
std::string presentName(const std::string& property) {
    return property == "height" ? "up"
           : property == "wide" ? "scale across"
           : property == "tall" ? "scale up"
                                : property;
}

std::string indexed(const std::string& where, std::size_t i) {
    return where + "[" + std::to_string(i) + "]";
}

}

Json toJson(const Noise& noise) {
    return {{"kind", noiseNames[static_cast<std::size_t>(noise.kind)]},
            {"amount", noise.amount},
            {"rate", noise.rate},
            {"seed", noise.seed}};
}

Noise readNoise(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Noise noise;
    noise.kind = static_cast<Noise::Kind>(fields.choice("kind", noiseNames));
    noise.amount = fields.number("amount", 0, large);
    noise.rate = fields.number("rate", 1e-3, 1000, noise.rate);
    noise.seed = fields.whole("seed", 0, std::int64_t{1} << 50, noise.seed);
    fields.nothingElse();
    return noise;
}

Json toJson(const Link& link) {
    Json json = Json::object();
    if (link.layer != 0) json["layer"] = link.layer;
    json["property"] = link.property;
    json["factor"] = link.factor;
    json["offset"] = link.offset;
    json["delay"] = link.delay.text();
    return json;
}

Link readLink(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Link link;
    link.layer = fields.whole("layer", 0, std::int64_t{1} << 50, 0);
    link.property = presentName(fields.text("property", 100));
    if (link.layer == 0 ? !ofCamera(link.property) : !layerProperty(link.property))
        throw Misread{"'" + fields.at("property") + "': there is no property '" + link.property + "'"};
    link.factor = fields.number("factor", -large, large, link.factor);
    link.offset = fields.number("offset", -large, large, link.offset);
    link.delay = fields.rational("delay", Rational(0) - bound, bound, link.delay);
    fields.nothingElse();
    return link;
}

Json toJson(const Track& track) {
    Json json = {{"property", track.property}};
    if (!track.keys.empty()) json["keys"] = keysJson(track.keys, [](double v) { return Json(v); });
    if (track.extrapolation != Extrapolation::Hold)
        json["extrapolation"] = extrapolationNames[static_cast<std::size_t>(track.extrapolation)];
    if (track.link) json["link"] = toJson(*track.link);
    for (const Noise& noise : track.noises)
        json["noise"].push_back(toJson(noise));
    return json;
}

Json toJson(const std::vector<Track>& tracks) {
    Json list = Json::array();
    for (const Track& track : tracks)
        list.push_back(toJson(track));
    return list;
}

std::vector<Key<double>> readNumberKeys(const Json& list, const std::string& where) {
    return readKeys<double>(list, where, [](const Json& json, const std::string& at) {
        return numberOf(json, at, -large, large);
    });
}

std::vector<Track> readTracks(Fields& fields, Of of) {
    std::vector<Track> tracks;
    if (!fields.has("tracks")) return tracks;
    const Json& list = fields.array("tracks", 1000);
    for (std::size_t i = 0; i < list.size(); ++i) {
        Fields one(list[i], fields.at("tracks", i));
        Track track;
        track.property = presentName(one.text("property", 100));
        const bool known =
            of == Of::Camera ? ofCamera(track.property) : layerProperty(track.property) != nullptr;
        if (!known)
            throw Misread{"'" + one.at("property") + "': there is no property '" + track.property + "'"};
        if (std::any_of(tracks.begin(), tracks.end(),
                        [&](const Track& other) { return other.property == track.property; }))
            throw Misread{"'" + one.at("property") + "': '" + track.property + "' has two tracks"};
        if (one.has("keys")) track.keys = readNumberKeys(one.value("keys"), one.at("keys"));
        if (one.has("extrapolation"))
            track.extrapolation = static_cast<Extrapolation>(one.choice("extrapolation", extrapolationNames));
        else if (one.has(formerExtrapolation))
            track.extrapolation =
                static_cast<Extrapolation>(one.choice(formerExtrapolation, formerExtrapolationNames));
        if (one.has("link")) track.link = readLink(one.value("link"), one.at("link"));
        if (one.has("noise")) {
            const Json& noises = one.array("noise", Limits::noises);
            for (std::size_t n = 0; n < noises.size(); ++n)
                track.noises.push_back(readNoise(noises[n], indexed(one.at("noise"), n)));
        }
        one.nothingElse();
        tracks.push_back(std::move(track));
    }
    return tracks;
}

Json toJson(const Aim& aim) {
    switch (aim.at) {
    case Aim::At::Point:
        return {{"point", toJson(aim.point)}};
    case Aim::At::Layer:
        return {{"layer", aim.layer}};
    case Aim::At::Path:
        return "path";
    case Aim::At::Pose:
        break;
    }
    return "pose";
}

Aim readAim(const Json& json, const std::string& where) {
    Aim aim;
    if (json.is_string()) {
        if (json != "pose" && json != "path")
            throw Misread{"'" + where + "' should be \"pose\", \"path\", a point or a layer"};
        aim.at = json == "path" ? Aim::At::Path : Aim::At::Pose;
        return aim;
    }
    Fields fields(json, where);
    if (fields.has("point") == fields.has("layer"))
        throw Misread{"'" + where + "' should be \"pose\", \"path\", a point or a layer"};
    if (fields.has("point")) {
        aim.at = Aim::At::Point;
        aim.point = fields.vector("point", Limits::metres);
    } else {
        aim.at = Aim::At::Layer;
        aim.layer = fields.whole("layer", 1, std::int64_t{1} << 50);
    }
    fields.nothingElse();
    return aim;
}

Json toJson(const Showing& showing) {
    Json json = Json::object();
    if (showing.in) json["in"] = showing.in->text();
    if (showing.out) json["out"] = showing.out->text();
    if (showing.fadeIn > Rational(0)) json["fadeIn"] = showing.fadeIn.text();
    if (showing.fadeOut > Rational(0)) json["fadeOut"] = showing.fadeOut.text();
    if (showing.nearFull > showing.nearGone) json["near"] = {showing.nearGone, showing.nearFull};
    if (showing.farGone > showing.farFull) json["far"] = {showing.farFull, showing.farGone};
    return json;
}

Showing readShowing(const Json& json, const std::string& where, const Showing& fallback) {
    Fields fields(json, where);
    Showing showing = fallback;
    const auto end = [&](const char* key, std::optional<Rational>& time) {
        if (!fields.has(key)) return;
        if (fields.value(key).is_null())
            time.reset();
        else
            time = fields.rational(key, Rational(0) - bound, bound);
    };
    end("in", showing.in);
    end("out", showing.out);
    showing.fadeIn = fields.rational("fadeIn", Rational(0), bound, showing.fadeIn);
    showing.fadeOut = fields.rational("fadeOut", Rational(0), bound, showing.fadeOut);
    if (showing.in && showing.out && *showing.out <= *showing.in)
        throw Misread{"'" + fields.at("out") + "' is not after 'in'"};
    const auto range = [&](const char* key, double& low, double& high) {
        if (!fields.has(key)) return;
        const auto v = fields.numbers(key, 2, 0, Limits::metres);
        if (v[1] < v[0]) throw Misread{"'" + fields.at(key) + "': the second number is below the first"};
        low = v[0], high = v[1];
    };
    range("near", showing.nearGone, showing.nearFull);
    range("far", showing.farFull, showing.farGone);
    fields.nothingElse();
    return showing;
}

}
