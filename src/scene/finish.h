// What is done with a layer's picture when its colours are there, and with the whole picture before it is
// graded: what spreads light or dark around.
#pragma once

#include "scene/colour.h"
#include "scene/geometry.h"

#include <memory>

namespace stage::scene {

/// A picture that is not sharp, or a sharp one with a soft one over it.
struct SoftFocus {
    double radius = 0; ///< px of the layer's natural size; 0: sharp
    double share = 1;  ///< of the soft picture, 0..1
    bool operator==(const SoftFocus&) const = default;
};

/// What lies behind a layer's picture in its own plane.
struct DropShadow {
    double strength = 0;       ///< 0..1; 0: none
    double distance = 16;      ///< px of the layer's natural size
    double direction = 315;    ///< to which it falls; 0: to the right, 90: up
    double softness = 12;      ///< px of the layer's natural size, how far its border reaches out
    Colour colour{0, 0, 0, 1}; ///< its alpha does not count
    bool operator==(const DropShadow&) const = default;
};

/// Light that spreads from what is bright in a layer's picture, and from there beyond its edge.
struct Glow {
    double strength = 0;     ///< of the light above the threshold, how much of it is spread; 0: none
    double threshold = 0.5;  ///< brightest of the three colours from which on light spreads
    double reach = 60;       ///< px of the layer's natural size: no light gets farther
    Colour tint{1, 1, 1, 1}; ///< times the light; its alpha does not count
    bool operator==(const Glow&) const = default;
};

/// In this order, all in the layer's own pixels, so that the lens sees them as part of its picture.
struct Finish {
    SoftFocus soft;
    DropShadow shadow;
    Glow glow;
    bool operator==(const Finish&) const = default;
};
using FinishPtr = std::shared_ptr<const Finish>;

/// Whether it changes nothing.
bool neutral(const Finish& finish);

/// px of the natural size by which a picture grows on each side through it.
double reachOf(const Finish& finish);

/// Light that a lens spreads over the whole picture from what is brighter than white.
struct Glare {
    double strength = 0;  ///< of the light above the threshold, how much of it is spread; 0: none
    double threshold = 1; ///< brightest of the three colours from which on light spreads
    double radius = 0.03; ///< shares of the frame's width: no light gets farther, but along streaks
    /// Share of it that goes along streaks across the blades of the iris; a round one has none.
    double streaks = 0;
    double length = 0.08;    ///< of streaks, shares of the frame's width
    Colour tint{1, 1, 1, 1}; ///< times the light; its alpha does not count
    bool operator==(const Glare&) const = default;
};

}
