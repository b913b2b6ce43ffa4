// A view from outside that turns around a point: the Model. Places are px of the view, world metres, degrees.
// Values and pure functions.
#pragma once

#include "optics/view.h"
#include "scene/scene.h"

#include <optional>
#include <utility>
#include <vector>

namespace stage::interaction {

struct OrbitView {
    static constexpr double gate = 36, focal = 40; ///< mm

    V3d target{0, 1, -10};
    double distance = 40; ///< from the target
    double pan = -32, tilt = -16;

    /// Of the eye that looks at the model.
    scene::Pose pose() const;
    /// size: of the picture, px.
    optics::View view(V2i size) const;

    /// Tilts stay within 89 degrees of the level.
    void turn(double byPan, double byTilt);
    /// What is seen goes along with a pointer that moves by px.
    void shift(const V2d& by, V2i size);
    /// factor: of the distance; what is at a place, as far away as the target, stays there.
    void zoom(double factor, const V2d& place, V2i size);
    /// Turned as it is, as near as shows all of the points, in the middle, with room around them for labels.
    /// Nothing happens without points.
    void fit(const std::vector<V3d>& points, V2i size);
    /// As near to its target as all of the points are seen, with room at the edges: 36 px at the left, 24 at
    /// the top and right, 30 at the foot; within a hundredth and eight times of its distance.
    void comeNear(const std::vector<V3d>& points, V2i size);
};

/// The part of a straight line in the world that lies ahead, as it is seen; nothing where none does. near:
/// metres ahead of the eye from which on it is taken.
std::optional<std::pair<V2d, V2d>> seenLine(const optics::View& view, const V3d& a, const V3d& b,
                                            double near);

/// How far along an arrow a drag goes, metres: by as much as the pointer, moved by px, goes along what is
/// seen of it. The arrow is `length` metres long and begins at a place. Nothing where it is seen end-on.
std::optional<double> alongArrow(const optics::View& view, const V3d& begin, const V3d& direction,
                                 double length, const V2d& by);

}
