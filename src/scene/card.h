// Cards of colour.
#pragma once

#include "scene/colour.h"

#include <vector>

namespace stage::scene {

/// A colour of a gradient.
struct ColourStop {
    double at = 0; ///< 0..1
    Colour colour;
    bool operator==(const ColourStop&) const = default;
};

/// A card of colour: one, or a gradient through several.
struct Card {
    using Stop = ColourStop;
    std::vector<Stop> stops{{0, {0.18, 0.18, 0.18, 1}}}; ///< at least one, in order
    double turn = 0;     ///< of a straight gradient: 0 runs from the left to the right, 90 from the top down
    bool radial = false; ///< from the centre to the corners
};

}
