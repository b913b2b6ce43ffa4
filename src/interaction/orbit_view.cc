#include "interaction/orbit_view.h"

#include <algorithm>
#include <cmath>

namespace stage::interaction {

scene::Pose OrbitView::pose() const {
    scene::Pose pose;
    pose.position = target - optics::forwardOf(pan, tilt) * distance;
    pose.pan = pan;
    pose.tilt = tilt;
    pose.focal = focal;
    return pose;
}

optics::View OrbitView::view(V2i size) const {
    return optics::viewOf(pose(), gate, {std::max(1, size.x), std::max(1, size.y)});
}

void OrbitView::turn(double byPan, double byTilt) {
    pan += byPan;
    tilt = std::clamp(tilt + byTilt, -89.0, 89.0);
}

void OrbitView::shift(const V2d& by, V2i size) {
    const optics::View v = view(size);
    target -= (v.right * by.x - v.up * by.y) * (distance / v.slope);
}

void OrbitView::zoom(double factor, const V2d& place, V2i size) {
    const optics::View before = view(size);
    const V3d under = before.eye + optics::rayThrough(before, place) * distance;
    distance = std::clamp(distance * factor, 0.01, 1e7);
    target = under + (target - under) * factor;
}

void OrbitView::comeNear(const std::vector<V3d>& points, V2i size) {
    const auto inside = [&](double from) {
        distance = from;
        const optics::View v = view(size);
        return std::all_of(points.begin(), points.end(), [&](const V3d& point) {
            const auto place = optics::project(v, point);
            return place && place->x > 36 && place->y > 24 && place->x < size.x - 24 &&
                   place->y < size.y - 30;
        });
    };
    double least = distance * 0.01, most = distance * 8;
    for (int i = 0; i < 30; ++i) {
        const double middle = std::sqrt(least * most);
        (inside(middle) ? most : least) = middle;
    }
    distance = most;
}

void OrbitView::fit(const std::vector<V3d>& points, V2i size) {
    if (points.empty() || size.x < 2) return;
    V3d low = points[0], high = points[0];
    for (const V3d& point : points)
        for (int i = 0; i < 3; ++i)
            low[i] = std::min(low[i], point[i]), high[i] = std::max(high[i], point[i]);
    target = (low + high) * 0.5;
    distance = std::max(1.0, (high - low).length());
    comeNear(points, size);
    for (int round = 0; round < 4; ++round) { // what is seen of them into the middle, and nearer again
        const optics::View v = view(size);
        V2d least(1e300), most(-1e300);
        for (const V3d& point : points)
            if (const auto place = optics::project(v, point)) {
                least = {std::min(least.x, place->x), std::min(least.y, place->y)};
                most = {std::max(most.x, place->x), std::max(most.y, place->y)};
            }
        if (!(most.x > least.x)) return;
        shift(v.centre - (least + most) / 2.0, size);
        comeNear(points, size);
    }
}

std::optional<std::pair<V2d, V2d>> seenLine(const optics::View& view, const V3d& a, const V3d& b,
                                            double near) {
    V3d p = a, q = b;
    const double dp = optics::depthOf(view, p), dq = optics::depthOf(view, q);
    if (dp < near && dq < near) return {};
    if (dp < near) p = q + (p - q) * ((dq - near) / (dq - dp));
    if (dq < near) q = p + (q - p) * ((dp - near) / (dp - dq));
    const auto from = optics::project(view, p), to = optics::project(view, q);
    if (!from || !to) return {};
    return std::pair(*from, *to);
}

std::optional<double> alongArrow(const optics::View& view, const V3d& begin, const V3d& direction,
                                 double length, const V2d& by) {
    const auto from = optics::project(view, begin), to = optics::project(view, begin + direction * length);
    if (!from || !to) return {};
    const V2d along = *to - *from;
    if (along.dot(along) < 1) return {};
    return by.dot(along) / along.dot(along) * length;
}

}
