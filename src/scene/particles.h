// Particles that drift in a box of space: snow, rain, dust, embers.
#pragma once

#include "scene/geometry.h"
#include "scene/rational.h"

#include <cstdint>

namespace stage::scene {

/// Displacement that neighbours share: of no divergence, so that nothing gathers anywhere.
struct Turbulence {
    double amount = 0;   ///< metres, root mean square; 0: none
    double size = 1;     ///< metres over which neighbours move alike; above 0
    double change = 0.3; ///< how often it is another one, per second; at least 0
    bool operator==(const Turbulence&) const = default;
};

/// Vectors lie along the box: across, up and towards the camera (+Z), in metres. Spreads are shares of the
/// value, 0..1: by chance that much less or more.
struct Particles {
    static constexpr int most = 20'000;
    std::int64_t seed = 1;
    int count = 500; ///< in the box at any time; 1..most
    V3d box{4, 3, 4};
    double life = 5, lifeSpread = 0.3;    ///< seconds; above 0. The spread stays below 1
    double size = 0.02, sizeSpread = 0.5; ///< metres across
    V3d velocity{0, -0.5, 0};             ///< m/s, as they begin
    double speedSpread = 0.2;
    double directionSpread = 10; ///< degrees off the velocity, at most; 0..180
    V3d wind{0, 0, 0};           ///< m/s, on top of it
    double gravity = 0;          ///< m/s2, downwards
    Turbulence turbulence;
    double spin = 0, spinSpread = 0;     ///< degrees per second, either way round by chance
    double flutter = 0, flutterRate = 1; ///< degrees either way; swings per second
    Rational loop{0};                    ///< seconds after which all is as it was; 0: never
    bool operator==(const Particles&) const = default;
};

}
