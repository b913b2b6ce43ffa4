// Pixels of a layer displaced over time: what ripples, waves, shimmers, sways and rolls.
#pragma once

#include "scene/cutout.h"
#include "scene/geometry.h"
#include "scene/rational.h"

#include <array>
#include <cstdint>
#include <string_view>
#include <vector>

namespace stage::scene {

enum class DisplacementKind {
    Ripple,  ///< rings that run away from a point
    Waves,   ///< straight ones that run along a direction
    Shimmer, ///< as air over heat: by noise that drifts along the direction
    Sway,    ///< as reeds in wind: sideways, not at all at the foot and most at the top
    Roll     ///< as water seen from above its surface: rows that swell and sink, larger towards the foot
};
inline constexpr std::array<std::string_view, 5> displacementNames = {"ripple", "waves", "shimmer", "sway",
                                                                      "roll"};

/// Lengths are pixels of the layer's natural size.
struct Displacement {
    DisplacementKind kind = DisplacementKind::Ripple;
    bool on = true;
    double amount = 4;    ///< at most so far
    double size = 60;     ///< from crest to crest, or of what moves alike; above 0
    double rate = 0.5;    ///< crests per second that pass; at least 0
    double direction = 0; ///< degrees: 0 runs to the right, 90 upwards
    V2d centre{0.5, 0.5}; ///< of rings, in shares of the picture
    double fade = 0;      ///< px from the centre over which rings fade to a third; 0: they do not
    double foot = 1;      ///< how high in the picture what sways is pinned, share from the top
    std::int64_t seed = 1;
    Rational loop{0};         ///< seconds after which it is as it was; 0: never
    std::vector<Matte> where; ///< empty: everywhere
};

}
