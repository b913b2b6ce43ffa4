// Particles that drift in a box of space: snow, rain, dust, embers.
#pragma once

#include "scene/card.h"
#include "scene/geometry.h"
#include "scene/rational.h"

#include <array>
#include <cstdint>
#include <span>
#include <string_view>
#include <vector>

namespace stage::scene {

/// Displacement that neighbours share: of no divergence, so that nothing gathers anywhere.
struct Turbulence {
    double amount = 0;   ///< metres, root mean square; 0: none
    double size = 1;     ///< metres over which neighbours move alike; above 0
    double change = 0.3; ///< how often it is another one, per second; at least 0
    bool operator==(const Turbulence&) const = default;
};

/// What each particle shows, white: a disc, one without an edge, a crystal of six arms, a leaf, a ring.
enum class ParticleShape { Disc, Soft, Crystal, Leaf, Ring };
inline constexpr std::array<std::string_view, 5> particleShapeNames = {"disc", "soft", "crystal", "leaf",
                                                                       "ring"};

/// How a particle stands: to the camera; to the camera, its upper side along its way; or turning about an
/// axis of its own, so that it is seen from all sides.
enum class ParticleFacing { Camera, Way, Tumbling };
inline constexpr std::array<std::string_view, 3> particleFacingNames = {"camera", "way", "tumbling"};

/// Vectors lie along the box: across, up and towards the camera (+Z), in metres. Spreads are shares of the
/// value, 0..1: by chance that much less or more.
struct Particles {
    static constexpr int most = 20'000;
    static constexpr std::size_t mostPictures = 32, mostPoints = 100;
    std::int64_t seed = 1;
    int count = 500; ///< in the box at any time; 1..most
    V3d box{4, 3, 4};
    /// The box goes with the camera from where it is at the first mark, without turning; what it leaves
    /// behind comes in again in front.
    bool aroundCamera = false;
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
    ParticleShape shape = ParticleShape::Disc;
    /// Where not empty, each shows one of these layers instead, by chance; as high as its size.
    std::vector<std::int64_t> pictures;
    ParticleFacing facing = ParticleFacing::Camera;
    Colour colour{1, 1, 1, 1}; ///< of the shape; of pictures a factor, as its alpha is
    double light = 1;          ///< how many times as bright
    /// Over the life of each: share of it, 0..1 and in order, and a factor; straight lines between. Empty: 1.
    struct Point {
        double at = 0, value = 1;
        bool operator==(const Point&) const = default;
    };
    std::vector<Point> sizes, opacities;
    std::vector<ColourStop> colours; ///< a factor over its life; empty: white
    bool operator==(const Particles&) const = default;
};

/// Values to begin with.
struct ReadyParticles {
    std::string_view name;
    bool light; ///< they add light instead of covering what is behind
    Particles particles;
};
std::span<const ReadyParticles> readyParticles();

}
