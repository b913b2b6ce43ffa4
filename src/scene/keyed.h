// Values over time.
#pragma once

#include "scene/rational.h"

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace stage::scene {

/// How a value runs from one key to the next: CSS cubic-bezier(x1, y1, x2, y2), x within 0..1; or by speeds
/// drawn at even steps of the time, from its begin to its end with straight lines between. They are at least
/// 0, and only their proportions count.
struct Pace {
    double x1 = 0, y1 = 0, x2 = 1, y2 = 1;
    std::vector<double> drawn; ///< where not empty (2 to 1000), it counts instead
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

/// What a track does before its first key and after its last.
enum class Extrapolation {
    Hold,          ///< the value stays
    Loop,          ///< the keys again and again
    PingPong,      ///< there and back
    LoopWithOffset ///< each time from where it ended, so that a turn goes on turning
};
inline constexpr std::array<std::string_view, 4> extrapolationNames = {"hold", "loop", "ping-pong",
                                                                       "loop with offset"};

/// A value that follows another: factor times what that was `delay` seconds ago, and an offset.
struct Link {
    std::int64_t layer = 0; ///< 0: the camera
    std::string property;
    double factor = 1, offset = 0;
    Rational delay{0};
    bool operator==(const Link&) const = default;
};

/// What chance adds, the same at a time in whatever order frames are made.
struct Noise {
    enum class Kind {
        Sway,   ///< smooth, as a hand sways
        Jitter, ///< another value at every step
        Flicker ///< drops from the value, never above it, as a flame does
    };
    Kind kind = Kind::Sway;
    double amount = 0; ///< at most so much either way (flicker: down), in the property's unit
    double rate = 1;   ///< changes of direction, steps or drops per second, about
    std::int64_t seed = 1;
    bool operator==(const Noise&) const = default;
};
inline constexpr std::array<std::string_view, 3> noiseNames = {"sway", "jitter", "flicker"};

/// One property over time. A linked one has no use for keys; noise comes on top of either, or of the value
/// that the property has anyway.
struct Track {
    std::string property;
    std::vector<Key<double>> keys; ///< in order of time, no two at the same; may be empty
    Extrapolation extrapolation = Extrapolation::Hold;
    std::optional<Link> link;
    std::vector<Noise> noises;
    bool operator==(const Track&) const = default;
};

}
