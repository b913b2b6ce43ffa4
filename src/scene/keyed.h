// Values over time.
#pragma once

#include "scene/rational.h"

#include <vector>

namespace stage::scene {

/// How a value runs from one key to the next: CSS cubic-bezier(x1, y1, x2, y2), x within 0..1.
struct Pace {
    double x1 = 0, y1 = 0, x2 = 1, y2 = 1;
    bool operator==(const Pace&) const = default;
};

template <class T> struct Key {
    Rational time; ///< of the scene, seconds
    T value{};
    Pace pace;         ///< towards the next key
    bool hold = false; ///< the value stays until the next key
    bool operator==(const Key&) const = default;
};

/// One value, or keys in order of time, no two at the same; before the first and after the last the value
/// stays.
template <class T> struct Keyed {
    T value{}; ///< where there are no keys
    std::vector<Key<T>> keys;

    Keyed() = default;
    Keyed(T constant) : value(std::move(constant)) {}
    bool moves() const { return !keys.empty(); }
    bool operator==(const Keyed&) const = default;
};

}
