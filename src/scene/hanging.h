// How a layer hangs in space. Metres and degrees; axes as in scene/geometry.h.
#pragma once

#include "scene/geometry.h"
#include "scene/keyed.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <optional>
#include <string_view>

namespace stage::scene {

/// Where a layer hangs, relative to what carries it: the group that holds it, the layer it follows, or the
/// world.
struct Placement {
    V3d position{0};     ///< of its pivot
    V3d turn{0};         ///< about X, Y, Z, right-handed; applied Z first, then X, then Y
    V2d scale{1.0, 1.0}; ///< across, up
    bool operator==(const Placement&) const = default;
};

/// Whether a layer turns to the camera by itself, about its pivot. `Upright` turns about the world's Y only;
/// `Fully` also leans. Its own turn about Z stays, its others are of no account then.
enum class Facing { Fixed, Upright, Fully };
inline constexpr std::array<std::string_view, 3> facingNames = {"fixed", "upright", "fully"};

/// What is seen beyond an edge of a layer's picture: nothing, the picture mirrored or repeated, or its edge
/// stretched.
enum class Beyond { Nothing, Mirror, Repeat, Stretch };
inline constexpr std::array<std::string_view, 4> beyondNames = {"nothing", "mirror", "repeat", "stretch"};

struct Extension {
    Beyond beyond = Beyond::Nothing;
    double by = 0; ///< how far it goes on, in widths (heights) of the picture
    bool operator==(const Extension&) const = default;
    /// Share of the picture beyond its edge; 0: none.
    double reach() const { return beyond == Beyond::Nothing ? 0 : by; }
};
struct Extensions {
    Extension left, right, top, bottom;
    bool operator==(const Extensions&) const = default;
    /// Whether something is seen beyond an edge.
    bool any() const {
        return left.reach() > 0 || right.reach() > 0 || top.reach() > 0 || bottom.reach() > 0;
    }
};

struct Hanging {
    V2d pivot{
        0}; ///< from the picture's centre, right and up, metres at scale 1; it turns and scales about it
    Facing facing = Facing::Fixed;
    /// Angle of the arc into which its width is bent, hollow towards its front; its middle stays. Not for
    /// groups.
    double bend = 0;
    Extensions extensions; ///< not for groups
    bool operator==(const Hanging&) const = default;
};

/// The share 0..1 of a picture that shows at a share beyond its edge.
inline double folded(double share, Beyond beyond) {
    if (beyond == Beyond::Repeat) return share - std::floor(share);
    if (beyond != Beyond::Mirror) return std::clamp(share, 0.0, 1.0);
    const double twice = share - 2 * std::floor(share / 2);
    return twice > 1 ? 2 - twice : twice;
}

/// How a group's copies were thrown. Centred at the group; a share of 0.3 means sizes from 0.7 to 1.3.
struct Scatter {
    int count = 12;
    std::int64_t seed = 1;
    V3d box{1.0, 1.0, 1.0}; ///< across, up, in depth
    double turn = 0;        ///< each turned about its own axis by up to so much either way
    double sizes = 0;       ///< 0..0.99
    bool operator==(const Scatter&) const = default;
};

}
