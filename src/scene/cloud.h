// Air that has a shape: a cloud in a box of space, and mist above the ground.
#pragma once

#include "scene/colour.h"
#include "scene/geometry.h"
#include "scene/rational.h"

#include <cstdint>

namespace stage::scene {

/// A cloud that fills a box. Its structure stands in the world, so that the camera can fly through; vectors
/// lie along the box. Light gets through exp(-density x path) of it where it is dense all over; what it takes
/// is replaced by its own colour.
struct Cloud {
    std::int64_t seed = 1;
    V3d box{8, 4, 8};
    bool aroundCamera = false; ///< as of Particles
    double density = 0.5;      ///< per metre, in its densest parts
    /// How much of the box is cloud at all, 0..1; at 1 it is the same all over, without any structure.
    double coverage = 0.6;
    double size = 3;     ///< metres, of its coarse structure; above 0
    double detail = 0.5; ///< how much finer structure there is beside it, 0..1
    double border = 0.3; ///< share of half the box over which it thins out towards each side, 0..1
    Colour colour{0.8, 0.82, 0.85, 1};
    V3d drift{0.2, 0, 0}; ///< m/s
    double change = 0.05; ///< how often its structure is another one, per second
    Rational loop{0};     ///< seconds after which it is as it was; 0: never
    bool operator==(const Cloud&) const = default;
};

/// Mist above the ground: dense up to its soft top. As haze it replaces the light that it takes by its own
/// colour, but by how long the way to a thing leads through it.
struct Mist {
    Colour colour{0.6, 0.65, 0.72, 1};
    double density = 0; ///< per metre; 0: none
    double top = 1;     ///< height in the world above which the air is clear, m
    double soft = 1;    ///< metres below the top over which it thins out; above 0
    double start = 0;   ///< metres from the lens that are clear
    bool operator==(const Mist&) const = default;
};

}
