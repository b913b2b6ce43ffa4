// Layers in the world: their cards, their depths, and moving them in depth. Metres; world axes as in
// scene/geometry.h. Pure functions, thread-safe.
#pragma once

#include "optics/view.h"
#include "scene/error.h"
#include "scene/scene.h"

namespace stage::optics {

/// x -> origin + linear * x.
struct Affine {
    V3d x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1}; ///< images of the unit axes
    V3d origin{0};
    V3d direction(const V3d& v) const { return x * v.x + y * v.y + z * v.z; }
    V3d operator()(const V3d& v) const { return origin + direction(v); }
    Affine operator*(const Affine& inner) const;
    /// The point that this maps onto p. The linear part must not be singular.
    V3d inverse(const V3d& p) const;
};

/// From a layer's own metres to those of its holder. In depth a group is scaled as it is across.
Affine frameOf(const scene::Placement& placement);
/// From the innermost holder's metres to the world's.
Affine worldOf(const std::vector<scene::LayerPtr>& holders);

/// A flat layer's rectangle in the world.
struct Card {
    V3d corner{0}; ///< where the picture's top left is
    V3d across{0}; ///< from there to the top right
    V3d down{0};   ///< from there to the bottom left
    V3d centre() const { return corner + (across + down) * 0.5; }
    V3d normal() const { return across.cross(down).normalized(); }
};
Card cardOf(const scene::Layer& layer, const Affine& world);

/// The view of the first mark, from which depths are measured.
View firstView(const scene::Scene& scene);

/// Depth of a layer's centre.
double depthOf(const scene::Scene& scene, const scene::Found& found);

/// How a layer gets to a new depth.
/// - framing held: the homothety about the eye of the reference mark, p' = c + k (p - c) and scale' = k
/// scale,
///   which changes nothing of what that mark sees, for groups and for tilted or off-centre layers too;
/// - size held: the layer moves along the first mark's axis.
/// Errors: the depth is not ahead of the reference mark, or (framing held) the layer is not.
Result<scene::Placement> pushed(const scene::Scene& scene, const scene::Found& found, double depth,
                                bool holdFraming, const scene::Mark& reference);

}
