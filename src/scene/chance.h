// Numbers by chance that are the same everywhere and in any order.
#pragma once

#include <cstdint>

namespace stage::scene {

/// Within 0..1 from a seed, a number and a purpose (splitmix64: Steele, Lea, Flood 2014).
inline double chance(std::int64_t seed, std::int64_t number, int purpose = 0) {
    std::uint64_t z = static_cast<std::uint64_t>(seed) * 0x9E3779B97F4A7C15u +
                      static_cast<std::uint64_t>(number) * 0xD1B54A32D192ED03u +
                      static_cast<std::uint64_t>(purpose) * 0x8CB92BA72F3D8DD7u + 0x632BE59BD9B4E019u;
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9u;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBu;
    z ^= z >> 31;
    return static_cast<double>(z >> 11) / 9007199254740992.0;
}

}
