// Shadows that layers throw.
#pragma once

#include "scene/colour.h"
#include "scene/geometry.h"

#include <cstdint>

namespace stage::scene {

/// The shadow of a layer on a plane: what its picture's alpha keeps from a light.
struct Shadow {
    static constexpr std::size_t most = 8; ///< of one layer
    /// The lamp that throws it; one that is not there throws none. 0: light that comes from a direction.
    std::int64_t from = 0;
    double bearing =
        0; ///< of such light: where it comes from; 0: from behind the set (-Z), 90: from the right
    double height = 45;  ///< of such light above the horizon, degrees
    double across = 0.5; ///< how large such a light is as seen from the set, degrees; sun and moon: 0.5
    /// The layer whose picture it falls on; one that is not there takes none. 0: the ground.
    std::int64_t on = 0;
    double darkness = 0.7;     ///< how much light it takes, 0..1: on a layer that is lit, of that light
    Colour colour{0, 0, 0, 1}; ///< of the shadow; its alpha does not count
    double softness = 1;       ///< times what the size of the light gives
    /// How dark it is where the layer comes close to the plane, whatever light there is, 0..1.
    double contact = 0;
    double contactReach = 0.3; ///< m between layer and plane up to which it is; above 0
    bool operator==(const Shadow&) const = default;
};

}
