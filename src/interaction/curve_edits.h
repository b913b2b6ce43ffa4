// Curves of properties over time, and what a drag of their keys changes. Seconds, and values in the
// property's own unit. Pure functions.
#pragma once

#include "interaction/key_edits.h"
#include "motion/camera_move.h"

namespace stage::interaction {

/// A property over a span of time, at even steps of it.
struct SampledCurve {
    std::vector<double> values;
    std::vector<double> keyed; ///< by its keys alone, where noise comes on top of them; else empty
    double low = 0,
           high = 1; ///< of the values and the keys, with room around: at least 1 degree, 2 mm or 0.1
};
/// layer: 0 for the camera. count: steps, at least 1. move: of that scene.
SampledCurve sampledCurve(const scene::Scene& scene, const motion::CameraMove& move, std::int64_t layer,
                          const std::string& property, double begin, double end, int count);

/// A pace as it is dragged: an even one has its handles at thirds, where they can be taken; its course is the
/// same.
scene::Pace withHandles(const scene::Pace& pace);

/// Where the handle is with which a value leaves a key, or arrives at it: x seconds, y value. Nothing where
/// the track is linked, where it holds or is drawn there, and beyond its ends.
std::optional<V2d> paceHandle(const scene::Scene& scene, const KeyRef& key, bool leaving);
/// An edit that puts that handle at a place. Times are kept between the two keys, values within three of
/// their differences beyond them. least: a difference of values below this is none; then the handle keeps its
/// share of the time. Nothing as above.
struct PaceChange {
    edit::Edit edit;
    scene::Pace pace;
};
std::optional<PaceChange> paceHandleDragged(const scene::Scene& before, const KeyRef& key, bool leaving,
                                            const V2d& place, double least);

/// An edit of keys, and where they are by it.
struct MovedKeys {
    edit::Edit edit;
    KeyRefs then;
    Rational time;    ///< of the key that was taken
    double value = 0; ///< of that
};
/// Keys dragged by the one that was taken, whose value was `from`: it comes to a whole frame, unless seconds
/// is 0, and stays within what its property can be. Those of its property change their values with it, all
/// others only their times.
MovedKeys keysDragged(const KeyRefs& keys, const KeyRef& taken, double from, double seconds, double value,
                      Rational rate);

/// Keys stretched in time by a factor about the first of them, or the last. Nothing where the edit is
/// refused.
std::optional<MovedKeys> keysStretched(const scene::Scene& before, const KeyRefs& keys, double factor,
                                       bool lastStays);
/// Values multiplied by a factor about one that stays.
edit::Edit valuesStretched(const KeyRefs& keys, double factor, double stays);

}
