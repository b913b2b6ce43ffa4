#include "optics/view.h"

#include "optics/lens.h"
#include "scene/variant.h"

namespace stage::optics {

V3d forwardOf(double pan, double tilt) {
    const double p = radians(pan), t = radians(tilt);
    return {std::sin(p) * std::cos(t), std::sin(t), -std::cos(p) * std::cos(t)};
}

View viewOf(const scene::Pose& pose, double gate, V2i frame) {
    const double pan = radians(pose.pan), roll = radians(pose.roll);
    View view;
    view.eye = pose.position;
    view.forward = forwardOf(pose.pan, pose.tilt);
    const V3d level(std::cos(pan), 0, std::sin(pan));
    const V3d above = level.cross(view.forward);
    view.right = level * std::cos(roll) - above * std::sin(roll);
    view.up = above * std::cos(roll) + level * std::sin(roll);
    view.slope = pixelsPerSlope(pose.focal, gate, frame.x);
    view.centre = V2d(frame.x, frame.y) / 2.0;
    view.aperture = pose.focal / 1000 / pose.fstop / 2;
    view.focus = pose.focus;
    return view;
}

View viewOf(const scene::Pose& pose, const scene::Camera& camera, V2i frame) {
    View view = viewOf(pose, camera.gate, frame);
    view.centre += V2d(-camera.shift.x, camera.shift.y) * (frame.x / camera.gate);
    return view;
}

std::pair<V2d, V2d> variantInFrame(const scene::Scene& scene, const scene::Variant& variant) {
    const scene::Camera camera = scene::inVariant(scene.camera, scene.output.frame, variant);
    const View whole = viewOf({}, scene.camera, scene.output.frame), part = viewOf({}, camera, variant.frame);
    const auto placed = [&](const V2d& place) {
        return whole.centre + (place - part.centre) * (whole.slope / part.slope);
    };
    return {placed(V2d(0)), placed(V2d(variant.frame))};
}

Sharpness sharpnessOf(const scene::Pose& pose, double gate, V2i frame) {
    const double slope = pixelsPerSlope(pose.focal, gate, frame.x), disc = sharpDisc(frame.x);
    const SharpRange range = sharpRange(pose.focal, pose.fstop, pose.focus, slope, disc);
    return {range.near, range.far, optics::hyperfocal(pose.focal, pose.fstop, slope, disc), disc};
}

std::optional<V2d> project(const View& view, const V3d& point) {
    const V3d from = point - view.eye;
    const double depth = from.dot(view.forward);
    if (!(depth > 1e-9)) return std::nullopt;
    return view.centre + V2d(from.dot(view.right), -from.dot(view.up)) * (view.slope / depth);
}

V3d rayThrough(const View& view, const V2d& place) {
    const V2d slope = (place - view.centre) / view.slope;
    return view.forward + view.right * slope.x - view.up * slope.y;
}

std::optional<V3d> meet(const View& view, const V2d& place, const V3d& point, const V3d& normal) {
    const V3d ray = rayThrough(view, place);
    const double along = ray.dot(normal);
    if (std::abs(along) < 1e-12) return std::nullopt;
    const double depth = (point - view.eye).dot(normal) / along;
    if (!(depth > 1e-9)) return std::nullopt;
    return view.eye + ray * depth;
}

}
