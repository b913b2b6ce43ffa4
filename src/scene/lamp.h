// Light in a scene: lamps, what is light everywhere, and how layers take it.
#pragma once

#include "scene/colour.h"
#include "scene/geometry.h"

#include <cstdint>
#include <memory>

namespace stage::scene {

/// A lamp at a place. At a distance of r metres, beyond its radius R, its light is 2^strength (R / r)^2 times
/// its colour; over the last quarter of its reach that goes smoothly down to nothing.
struct Lamp {
    static constexpr double fades = 0.75; ///< share of its reach from which it does
    Colour colour{1, 0.72, 0.42, 1};      ///< its alpha does not count
    double strength = 8;                  ///< stops: of its light at its radius, over white
    V3d body{0.2, 0.2, 0.2};              ///< twice its radius each way, m
    double reach = 8;                     ///< m; above 0
    /// How bright it shows itself, of its light a metre away; 0: not at all.
    double glow = 0.5;
    double glowSize = 0.6; ///< m across
    double halo = 1;       ///< times the light that haze shows of it

    double radius() const { return body.x / 2; }
    bool operator==(const Lamp&) const = default;
};

/// Light that is everywhere and comes from everywhere, on layers that take light.
struct Ambient {
    Colour colour{1, 1, 1, 1}; ///< its alpha does not count
    double level = 1;          ///< times its colour
    bool operator==(const Ambient&) const = default;
};

/// The bright rim that a lamp behind a cutout gives it: within a width of the edge of its picture's alpha it
/// is shaded as if it were rounded there.
struct EdgeLight {
    double strength = 0;  ///< times the light; 0: none
    double width = 12;    ///< px of the layer's natural size; above 0
    double roundness = 1; ///< how far it turns away at the edge, 0..1; at 1 by 90 degrees
    bool operator==(const EdgeLight&) const = default;
};

/// How a layer takes light: its colours are what it shows in light of 1. Particles and clouds take light from
/// all sides as a front does.
struct Shading {
    double front = 1;        ///< of light that falls on the side that is seen
    double translucency = 0; ///< of light that falls on the other side
    /// A layer whose picture, laid over this one's, tells how each place is turned: its values as they are
    /// shown, 0..1, are right, up and out of the picture, each from -1 to 1. 0: none.
    std::int64_t normals = 0;
    EdgeLight edge;
    bool operator==(const Shading&) const = default;
};
using ShadingPtr = std::shared_ptr<const Shading>;

/// The colour of a black body, brought to a largest component of 1. kelvin: 1000 to 15 000.
Colour colourOf(double kelvin);

}
