#include "motion/values.h"

#include "motion/camera_move.h"
#include "motion/track.h"
#include "optics/placing.h"
#include "scene/chance.h"
#include "scene/property.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>
#include <set>

namespace stage::motion {
namespace {

constexpr int mostLinks = 32; ///< in a row

/// Within -1..1.
double eitherWay(std::int64_t seed, std::int64_t number) {
    return 2 * scene::chance(seed, number) - 1;
}

/// Chance at whole numbers, smooth (to the second derivative) between.
double smooth(std::int64_t seed, double at) {
    const double floor = std::floor(at), f = at - floor;
    const auto i = static_cast<std::int64_t>(floor);
    const double s = f * f * f * (f * (f * 6 - 15) + 10);
    return eitherWay(seed, i) * (1 - s) + eitherWay(seed, i + 1) * s;
}

template <class Thing> double boundBy(const scene::Property<Thing>& property, double value) {
    return std::isfinite(value) ? std::clamp(value, property.low, property.high) : property.low;
}

}

scene::Placement lerp(const scene::Placement& a, const scene::Placement& b, double f) {
    return {a.position + (b.position - a.position) * f, a.turn + (b.turn - a.turn) * f,
            a.scale + (b.scale - a.scale) * f};
}

scene::Placement placeAt(const scene::Layer& layer, Rational time) {
    if (layer.places.empty()) return layer.placement;
    scene::Placement place = valueAt(layer.places, time);
    // A pace that overshoots may not turn a layer inside out.
    const auto kept = [](double v) { return std::abs(v) < 1e-9 ? 1e-9 : v; };
    place.scale = {kept(place.scale.x), kept(place.scale.y)};
    return place;
}

double noiseAt(const scene::Noise& noise, double seconds) {
    const double at = seconds * noise.rate;
    switch (noise.kind) {
    case scene::Noise::Kind::Sway:
        // A slow sway and a finer one on it; together never more than the amount.
        return noise.amount * (0.7 * smooth(noise.seed, at) + 0.3 * smooth(noise.seed + 7919, at * 2.3));
    case scene::Noise::Kind::Jitter:
        return noise.amount * eitherWay(noise.seed, static_cast<std::int64_t>(std::floor(at)));
    case scene::Noise::Kind::Flicker: {
        const double drop = std::max(0.0, smooth(noise.seed, at));
        return -noise.amount * drop * drop;
    }
    }
    return 0;
}

double keysAt(const scene::Track& track, double seconds) {
    const auto& keys = track.keys;
    const double first = keys.front().time.toDouble(), span = keys.back().time.toDouble() - first;
    double at = seconds, more = 0;
    if (span > 0 && track.extrapolation != scene::Extrapolation::Hold && (at < first || at > first + span)) {
        const double rounds = std::floor((at - first) / span), within = at - first - rounds * span;
        const bool odd = std::fmod(std::abs(rounds), 2) > 0.5;
        at = first + (track.extrapolation == scene::Extrapolation::PingPong && odd ? span - within : within);
        if (track.extrapolation == scene::Extrapolation::LoopWithOffset)
            more = rounds * (keys.back().value - keys.front().value);
    }
    const auto later =
        std::upper_bound(keys.begin(), keys.end(), at,
                         [](double t, const scene::Key<double>& key) { return t < key.time.toDouble(); });
    if (later == keys.begin()) return keys.front().value + more;
    const scene::Key<double>& from = *(later - 1);
    if (later == keys.end() || from.hold) return from.value + more;
    const double begin = from.time.toDouble(), x = (at - begin) / (later->time.toDouble() - begin);
    return lerp(from.value, later->value, paceAt(from.pace, x)) + more;
}

Values::Values(const scene::Scene& scene, std::function<scene::Pose(double)> posed)
    : m_scene(scene), m_posed(std::move(posed)) {
    if (m_posed) return;
    const auto follows = [](const std::vector<scene::Track>& tracks) {
        return std::any_of(tracks.begin(), tracks.end(),
                           [](const scene::Track& track) { return track.link && track.link->layer == 0; });
    };
    bool any = follows(scene.camera.tracks);
    scene::forEach(scene,
                   [&](const scene::LayerPtr& layer, const auto&) { any = any || follows(layer->tracks); });
    if (!any) {
        m_posed = [&scene](double) { return scene.camera.marks.front().pose; };
        return;
    }
    m_posed = [move = std::make_shared<const CameraMove>(scene)](double seconds) {
        return move->posed(seconds);
    };
}

double Values::of(const scene::Track& track, double untracked, double seconds, int depth) const {
    double value = untracked;
    if (track.link) {
        const auto followed =
            of(track.link->layer, track.link->property, seconds - track.link->delay.toDouble(), depth + 1);
        if (followed) value = *followed * track.link->factor + track.link->offset;
    } else if (!track.keys.empty()) {
        value = keysAt(track, seconds);
    }
    for (const scene::Noise& noise : track.noises)
        value += noiseAt(noise, seconds);
    return value;
}

std::optional<double> Values::of(std::int64_t layer, std::string_view name, double seconds, int depth) const {
    const auto withTrack = [&](const auto& property, const auto& thing,
                               const std::vector<scene::Track>& tracks) {
        double value = property.get(thing);
        for (const scene::Track& track : tracks)
            if (track.property == name && depth < mostLinks) value = of(track, value, seconds, depth);
        return boundBy(property, value);
    };
    if (layer == 0) {
        if (const auto* property = scene::cameraProperty(name))
            return withTrack(*property, m_posed(seconds), m_scene.camera.tracks);
        if (const auto* property = scene::pictureProperty(name))
            return withTrack(*property, m_scene, m_scene.camera.tracks);
        return {};
    }
    const auto* property = scene::layerProperty(name);
    const scene::LayerPtr found = property ? scene::find(m_scene, layer).layer : nullptr;
    if (!found) return {};
    if (found->places.empty()) return withTrack(*property, *found, found->tracks);
    scene::Layer placed = *found;
    placed.placement = placeAt(*found, Rational::nearest(seconds));
    return withTrack(*property, placed, found->tracks);
}

std::optional<double> Values::of(std::int64_t layer, std::string_view property, double seconds) const {
    return of(layer, property, seconds, 0);
}

void Values::resolve(scene::Layer& layer, Rational time) const {
    if (!layer.places.empty()) layer.placement = placeAt(layer, time);
    layer.places.clear();
    for (const scene::Track& track : layer.tracks)
        if (const auto* property = scene::layerProperty(track.property))
            property->set(layer, boundBy(*property, of(track, property->get(layer), time.toDouble(), 0)));
    layer.tracks.clear();
}

scene::Placement Values::placement(const scene::Layer& layer, Rational time) const {
    scene::Layer stand; // a copy of all of it would cost more than its place
    stand.placement = placeAt(layer, time);
    for (const scene::Track& track : layer.tracks)
        if (const auto* property = scene::layerProperty(track.property))
            property->set(stand, boundBy(*property, of(track, property->get(stand), time.toDouble(), 0)));
    return stand.placement;
}

void Values::resolvePicture(scene::Scene& scene, double seconds) const {
    for (const scene::Track& track : m_scene.camera.tracks)
        if (const auto* property = scene::pictureProperty(track.property))
            property->set(scene, boundBy(*property, of(track, property->get(m_scene), seconds, 0)));
}

double cameraValue(const scene::Scene& scene, const CameraMove& move, std::string_view property,
                   double seconds) {
    if (const auto* ofPose = scene::cameraProperty(property)) return ofPose->get(move.at(seconds));
    return Values(scene, [&](double t) { return move.posed(t); }).of(0, property, seconds).value_or(0);
}

scene::Pose Values::tracked(scene::Pose pose, double seconds) const {
    for (const scene::Track& track : m_scene.camera.tracks)
        if (const auto* property = scene::cameraProperty(track.property))
            property->set(pose, boundBy(*property, of(track, property->get(pose), seconds, 0)));
    return pose;
}

std::string whyNotLinked(const scene::Scene& scene) {
    using Name = std::pair<std::int64_t, std::string>;
    std::map<Name, Name> links;
    std::map<std::int64_t, std::string> names{{0, "the camera"}};
    const auto gather = [&](std::int64_t id, const std::vector<scene::Track>& tracks) {
        for (const scene::Track& track : tracks)
            if (track.link) links[{id, track.property}] = {track.link->layer, track.link->property};
    };
    gather(0, scene.camera.tracks);
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) {
        names[layer->id] = "'" + layer->name + "'";
        gather(layer->id, layer->tracks);
    });
    for (const auto& [from, to] : links) {
        const std::string what = "The " + from.second + " of " + names[from.first];
        if (!names.contains(to.first)) return what + " follows a layer that is not there";
        std::set<Name> seen{from};
        int count = 0;
        for (Name at = to; links.contains(at); at = links.at(at)) {
            if (!seen.insert(at).second) return what + " follows itself in a circle";
            if (++count >= mostLinks) return what + " follows too many in a row";
        }
        if (seen.contains(to) && to == from) return what + " follows itself";
    }
    return {};
}

double shownAt(const scene::Showing& showing, Rational time) {
    if (showing.in && time < *showing.in) return 0;
    if (showing.out && time >= *showing.out) return 0;
    double shown = 1;
    const double now = time.toDouble();
    if (showing.in && showing.fadeIn > Rational(0))
        shown *= std::clamp((now - showing.in->toDouble()) / showing.fadeIn.toDouble(), 0.0, 1.0);
    if (showing.out && showing.fadeOut > Rational(0))
        shown *= std::clamp((showing.out->toDouble() - now) / showing.fadeOut.toDouble(), 0.0, 1.0);
    return shown;
}

double shownFrom(const scene::Showing& showing, double metres) {
    const auto rising = [](double from, double to, double at) {
        if (!(to > from)) return 1.0;
        return std::clamp((at - from) / (to - from), 0.0, 1.0);
    };
    return rising(showing.nearGone, showing.nearFull, metres) *
           (showing.farGone > showing.farFull ? 1 - rising(showing.farFull, showing.farGone, metres) : 1);
}

}
