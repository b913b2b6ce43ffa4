// Keyed values at a time. Pure functions, thread-safe.
#pragma once

#include "motion/pace.h"
#include "scene/cutout.h"
#include "scene/hanging.h"

#include <algorithm>

namespace stage::motion {

/// f: 0 gives a, 1 gives b; beyond them it goes on.
inline double lerp(double a, double b, double f) {
    return a + (b - a) * f;
}
/// Centre, size and turn each along a straight line.
scene::Area lerp(const scene::Area& a, const scene::Area& b, double f);
/// Position, turn and scale each along a straight line.
scene::Placement lerp(const scene::Placement& a, const scene::Placement& b, double f);
/// Point by point; outlines of different length change at once when the later key is reached.
std::vector<scene::PathPoint> lerp(const std::vector<scene::PathPoint>& a,
                                   const std::vector<scene::PathPoint>& b, double f);

/// time: the track's own, seconds. keys: not empty.
template <class T> T valueAt(const std::vector<scene::Key<T>>& keys, Rational time) {
    const auto later = std::upper_bound(keys.begin(), keys.end(), time,
                                        [](Rational t, const scene::Key<T>& key) { return t < key.time; });
    if (later == keys.begin()) return keys.front().value;
    const scene::Key<T>& from = *(later - 1);
    if (later == keys.end() || from.hold) return from.value;
    const double x = ((time - from.time) / (later->time - from.time)).toDouble();
    return lerp(from.value, later->value, paceAt(from.pace, x));
}
/// The same of a value that has keys, or is constant.
template <class T> T valueAt(const scene::Keyed<T>& keyed, Rational time) {
    return keyed.moves() ? valueAt(keyed.keys, time) : keyed.value;
}

}
