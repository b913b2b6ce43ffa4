// Layers in the world: their cards, their depths, and moving them in depth. Metres; world axes as in
// scene/geometry.h. Pure functions, thread-safe.
#pragma once

#include "optics/view.h"
#include "scene/error.h"
#include "scene/scene.h"

#include <optional>

namespace stage::optics {

/// x -> origin + linear * x.
struct Affine {
    V3d x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1}; ///< images of the unit axes
    V3d origin{0};
    /// Without the shift.
    V3d direction(const V3d& v) const { return x * v.x + y * v.y + z * v.z; }
    V3d operator()(const V3d& v) const { return origin + direction(v); }
    Affine operator*(const Affine& inner) const;
    /// The point that this maps onto p. The linear part must not be singular.
    V3d inverse(const V3d& p) const;
};

/// From a layer's own metres (at scale 1, around its picture's centre) to those of its carrier. In depth a
/// group is scaled as it is across. Facing is of no account here: motion::resolved has turned the layer.
Affine frameOf(const scene::Placement& placement);
/// Of the layer alone, without what carries it.
Affine frameOf(const scene::Layer& layer);
/// From the innermost carrier's metres to the world's.
Affine worldOf(const std::vector<scene::LayerPtr>& carriers);
/// The placement whose frame is that affine, about a pivot. Nothing when it is no turn and scale.
std::optional<scene::Placement> placementOf(const Affine& frame, const V2d& pivot);

/// A layer's picture in the world: a rectangle, which may be bent about an axis along `down` and go on beyond
/// its edges. Places on it are shares: s across, t down, within 0..1 on the picture itself.
struct Surface {
    V3d corner{0};      ///< where the flat picture's top left is
    V3d across{0};      ///< from there to the top right
    V3d down{0};        ///< from there to the bottom left
    V3d front{0, 0, 1}; ///< unit vector out of its front
    double bend = 0;    ///< radians of arc over the picture's width; above 0 hollow towards the front
    double left = 0, right = 0, top = 0, bottom = 0; ///< what it goes on by, in shares
    /// Of the flat card.
    V3d centre() const { return corner + (across + down) * 0.5; }
    /// Of length 1; away from its front.
    V3d normal() const { return across.cross(down).normalized(); }
    /// Across and down, 0..1 on the picture; metres in the world. Bent ones as well.
    V3d at(double s, double t) const;
    /// Around it with what it goes on by, clockwise from its top left as its front is seen: four corners,
    /// more where it is bent.
    std::vector<V3d> outline() const;
};
/// world: of what carries the layer.
Surface surfaceOf(const scene::Layer& layer, const Affine& world);

/// Where a ray through a place in the frame meets a card, nearest first where it meets a bent one twice.
struct Meeting {
    double s, t;
    double depth; ///< along the view's axis
};
/// Nothing where the ray misses it, or meets it behind the lens.
std::optional<Meeting> meet(const View& view, const V2d& place, const Surface& card);

/// The view of the first mark, from which depths are measured.
View firstView(const scene::Scene& scene);

/// Where a layer's pivot is in the world.
V3d pivotOf(const scene::LayerPath& found);
/// Depth of a layer's pivot.
double depthOf(const scene::Scene& scene, const scene::LayerPath& found);

/// How a layer gets to a new depth.
/// - framing held: the homothety about the eye of the reference mark, p' = c + k (p - c) and scale' = k
/// scale, which changes nothing of what that mark sees, for groups and for tilted, bent or off-centre layers
/// too;
/// - size held: the layer moves along the first mark's axis.
/// Errors: the depth is not ahead of the reference mark, or (framing held) the layer is not.
Result<scene::Placement> pushed(const scene::Scene& scene, const scene::LayerPath& found, double depth,
                                bool holdFraming, const scene::Mark& reference);
/// The same from one depth to another, held for an eye.
Result<scene::Placement> held(const scene::LayerPath& found, const V3d& eye, const View& first, double from,
                              double to);
/// The homothety by k > 0 about a point of the world.
scene::Placement grown(const scene::LayerPath& found, const V3d& about, double k);
/// Moved through the world.
scene::Placement slid(const scene::LayerPath& found, const V3d& by);

}
