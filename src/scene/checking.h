// What the checks of a scene let pass, and what stands on what.
#pragma once

#include "scene/geometry.h"

#include <cstdint>
#include <optional>
#include <string>

namespace stage::scene {

/// Above these a check tells it.
struct CheckLimits {
    double enlargement = 1; ///< pixels of the frame per pixel of a picture, along one side
    double blur =
        0.05;        ///< diameter of the blur disc of a layer that is never sharper, in widths of the frame
    double slip = 4; ///< px of the frame, over the move
    double reading = 15; ///< letters of a text per second that it is seen
    bool operator==(const CheckLimits&) const = default;
};

/// A finding that is known and meant to stay.
struct SetAside {
    std::string kind;       ///< as checks/finding.h names it
    std::int64_t layer = 0; ///< whose; 0: the camera's, or of all layers together
    std::string reason;     ///< may be empty
    bool operator==(const SetAside&) const = default;
};

/// What a layer's foot stands on.
struct Standing {
    std::int64_t on = 0;     ///< the layer whose picture is the ground; 0: the ground plane of the scene
    std::optional<V2d> foot; ///< share of its picture, right and down; none: the lowest of what is opaque
    bool operator==(const Standing&) const = default;
};

}
