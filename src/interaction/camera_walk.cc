#include "interaction/camera_walk.h"

#include "motion/walking.h"
#include "optics/placing.h"

#include <algorithm>
#include <cmath>

namespace stage::interaction {

std::optional<scene::Pose> walked(const CameraWalk& walk, WalkMode mode, const V2d& place, bool straight,
                                  double slack) {
    const optics::View& view = walk.view;
    V2d by = place - walk.pressed;
    if (straight) (std::abs(by.x) > std::abs(by.y) ? by.y : by.x) = 0;
    const double depth = std::max(0.05, optics::depthOf(view, walk.around));
    const double metres = depth / view.slope;  // that a pixel is there
    const double ahead = -by.y / walk.frame.y; // of the frame's height
    switch (mode) {
    case WalkMode::Look:
        return motion::stepped(walk.from, {.pan = -degrees(std::atan(by.x / view.slope)),
                                           .tilt = degrees(std::atan(by.y / view.slope))});
    case WalkMode::Slide:
        return motion::stepped(walk.from, {.truck = -by.x * metres, .pedestal = by.y * metres});
    case WalkMode::Dolly:
        return motion::stepped(walk.from, {.truck = straight || std::abs(by.x) > slack ? -by.x * metres : 0.0,
                                           .dolly = ahead * depth});
    case WalkMode::Orbit: {
        const double turn = 180.0 / walk.frame.x; // half a turn over the frame's width
        return motion::orbited(walk.from, walk.around, -by.x * turn, by.y * turn);
    }
    case WalkMode::Roll: {
        const V2d middle = V2d(walk.frame) / 2.0, a = walk.pressed - middle, b = place - middle;
        return motion::stepped(
            walk.from, {.roll = -degrees(std::atan2(a.cross(b), a.dot(b)))}); // the picture turns along
    }
    case WalkMode::Zoom: {
        scene::Pose pose = walk.from;
        pose.focal = std::clamp(pose.focal * std::exp2(2 * ahead), 1.0, 2000.0);
        return pose;
    }
    case WalkMode::DollyZoom:
        return motion::dollyZoomed(walk.from, depth, ahead * depth);
    }
    return {};
}

double walkDepth(const scene::Scene& scene, const optics::View& view, const std::optional<V3d>& selected) {
    if (selected)
        if (const double depth = optics::depthOf(view, *selected); depth > 0.05) return depth;
    return std::max(0.5, scene.homeDepth - (view.eye - optics::firstView(scene).eye).dot(view.forward));
}

V3d walkCentre(const motion::ResolvedScene& now, const scene::Scene& scene, const optics::View& view,
               const V2d& place, std::int64_t layer, double depth, bool aims) {
    V3d around = view.eye + view.forward * depth;
    if (const scene::LayerPath& found = now.find(layer); found.layer)
        if (const auto met =
                optics::meet(view, place, optics::surfaceOf(*found.layer, optics::worldOf(found.carriers))))
            around = view.eye + optics::rayThrough(view, place) * met->depth;
    if (!aims) return around;
    const auto& marks = scene.camera.marks;
    for (const scene::Mark& mark : marks)
        if (mark.time <= now.time || &mark == &marks.front()) {
            if (mark.aim.at == scene::Aim::At::Point) around = mark.aim.point;
            if (mark.aim.at == scene::Aim::At::Layer)
                if (const scene::LayerPath& at = now.find(mark.aim.layer); at.layer)
                    around = optics::pivotOf(at);
        }
    return around;
}

}
