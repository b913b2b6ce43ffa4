#include "interaction/curve_edits.h"

#include "motion/values.h"
#include "scene/property.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <cmath>

namespace stage::interaction {
namespace {

/// The keys between which a key's handle stands: from, to.
using Span = std::pair<const scene::Key<double>*, const scene::Key<double>*>;
std::optional<Span> spanOf(const scene::Track& track, Rational time, bool leaving) {
    if (track.link) return {};
    for (std::size_t i = 0; i + 1 < track.keys.size(); ++i) {
        const auto &from = track.keys[i], &to = track.keys[i + 1];
        if ((leaving ? from.time : to.time) != time) continue;
        if (from.hold || !from.pace.drawn.empty()) return {};
        return Span(&from, &to);
    }
    return {};
}

std::pair<Rational, Rational> timesOf(const KeyRefs& keys) {
    Rational first = keys.front().time, last = first;
    for (const KeyRef& key : keys)
        first = std::min(first, key.time), last = std::max(last, key.time);
    return {first, last};
}

}

SampledCurve sampledCurve(const scene::Scene& scene, const motion::CameraMove& move, std::int64_t layer,
                          const std::string& property, double begin, double end, int count) {
    SampledCurve curve;
    const motion::Values values(scene, [&](double t) { return move.posed(t); });
    const scene::Track* track = trackOf(scene, layer, property);
    const bool noise = track && !track->noises.empty() && !track->keys.empty();
    double low = 1e300, high = -1e300;
    const auto consider = [&](double v) { low = std::min(low, v), high = std::max(high, v); };
    for (int i = 0; i <= count; ++i) {
        const double t = begin + (end - begin) * i / count;
        const double v = layer == 0 ? motion::cameraValue(scene, move, property, t)
                                    : values.of(layer, property, t).value_or(0);
        curve.values.push_back(v);
        consider(v);
        if (noise) curve.keyed.push_back(motion::keysAt(*track, t));
    }
    if (track)
        for (const auto& key : track->keys)
            consider(key.value);
    const std::string unit = propertyFormat(layer, property).unit;
    const double least = unit == "°" ? 1 : unit == "mm" ? 2 : 0.1;
    const double room = std::max({(high - low) * 0.12, (least - (high - low)) / 2, 1e-6});
    curve.low = low - room;
    curve.high = high + room;
    return curve;
}

scene::Pace withHandles(const scene::Pace& pace) {
    if (!pace.drawn.empty() || pace.x1 != pace.y1 || pace.x2 != pace.y2) return pace;
    return {1 / 3.0, 1 / 3.0, 2 / 3.0, 2 / 3.0, {}};
}

std::optional<V2d> paceHandle(const scene::Scene& scene, const KeyRef& key, bool leaving) {
    const scene::Track* track = trackOf(scene, key.layer, key.property);
    const auto span = track ? spanOf(*track, key.time, leaving) : std::nullopt;
    if (!span) return {};
    const auto [from, to] = *span;
    const scene::Pace pace = withHandles(from->pace);
    const double x = leaving ? pace.x1 : pace.x2, y = leaving ? pace.y1 : pace.y2;
    const double t0 = from->time.toDouble(), t1 = to->time.toDouble();
    return V2d(t0 + (t1 - t0) * x, from->value + (to->value - from->value) * y);
}

std::optional<PaceChange> paceHandleDragged(const scene::Scene& before, const KeyRef& key, bool leaving,
                                            const V2d& place, double least) {
    const scene::Track* track = trackOf(before, key.layer, key.property);
    const auto span = track ? spanOf(*track, key.time, leaving) : std::nullopt;
    if (!span) return {};
    const auto [from, to] = *span;
    const double t0 = from->time.toDouble(), t1 = to->time.toDouble(), rise = to->value - from->value;
    const double x = std::clamp((place.x - t0) / (t1 - t0), 0.0, 1.0),
                 y = std::abs(rise) < least ? x : std::clamp((place.y - from->value) / rise, -3.0, 4.0);
    scene::Pace pace = withHandles(from->pace);
    (leaving ? pace.x1 : pace.x2) = x;
    (leaving ? pace.y1 : pace.y2) = y;
    edit::Edit edit = {{"edit", "keys"},
                       {"property", key.property},
                       {"times", {from->time.text()}},
                       {"pace", scene::toJson(pace)}};
    if (key.layer != 0) edit["layers"] = {key.layer};
    return PaceChange{std::move(edit), pace};
}

MovedKeys keysDragged(const KeyRefs& keys, const KeyRef& taken, double from, double seconds, double value,
                      Rational rate) {
    KeyChange change;
    if (seconds != 0) {
        const double frame = (taken.time.toDouble() + seconds) * rate.toDouble();
        change.shift = timeOfFrame(std::llround(frame), rate) - taken.time;
    }
    const PropertyFormat format = propertyFormat(taken.layer, taken.property);
    const double add = std::clamp(from + value, format.low, format.high) - from;
    std::vector<edit::Edit> edits;
    KeyRefs mine, others;
    for (const KeyRef& key : keys)
        (key.property == taken.property && key.layer == taken.layer ? mine : others).push_back(key);
    if (!others.empty()) edits.push_back(changeOfKeys(others, change, "Move keys"));
    KeyRefs then = shiftedKeys(keys, change.shift);
    const Rational time = taken.time + change.shift;
    change.more["add"] = add;
    edits.push_back(changeOfKeys(mine, change, "Move keys"));
    return {combined("Move keys", edits), std::move(then), time, from + add};
}

std::optional<MovedKeys> keysStretched(const scene::Scene& before, const KeyRefs& keys, double factor,
                                       bool lastStays) {
    if (keys.empty()) return {};
    KeyChange change;
    const Rational k = Rational::nearest(factor);
    change.stretch = k.toDouble();
    if (lastStays) {
        const auto [first, last] = timesOf(keys);
        change.shift = (last - first) - (last - first) * k;
    }
    MovedKeys moved;
    moved.edit = changeOfKeys(keys, change, "Stretch keys");
    // Where they are then is asked of the scene itself, for stretched times are rounded.
    const auto next = edit::apply(before, moved.edit);
    if (!next) return {};
    for (const KeyRef& key : keys) {
        const auto *was = trackOf(before, key.layer, key.property),
                   *is = trackOf(*next, key.layer, key.property);
        if (!was || !is || was->keys.size() != is->keys.size()) continue;
        for (std::size_t i = 0; i < was->keys.size(); ++i)
            if (was->keys[i].time == key.time)
                moved.then.push_back({key.layer, key.property, is->keys[i].time});
    }
    return moved;
}

edit::Edit valuesStretched(const KeyRefs& keys, double factor, double stays) {
    KeyChange change;
    change.more["multiply"] = factor;
    change.more["add"] = stays * (1 - factor);
    return changeOfKeys(keys, change, "Stretch keys");
}

}
