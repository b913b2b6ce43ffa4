// Shapes of mattes between the hand and the scene. Pure functions.
#pragma once

#include "scene/cutout_json.h"

#include <cmath>

namespace stage::desk {

inline scene::Json pair(const V2d& v) {
    return {v.x, v.y};
}
inline scene::Json pairs(const std::vector<V2d>& places) {
    scene::Json list = scene::Json::array();
    for (const V2d& place : places)
        list.push_back(pair(place));
    return list;
}
inline scene::Json pointsJson(const std::vector<scene::PathPoint>& points) {
    scene::Matte matte;
    matte.shape = scene::Outline{points};
    return scene::toJson(matte)["points"];
}
inline scene::Json areaJson(const scene::Area& area) {
    return {{"centre", pair(area.centre)}, {"size", pair(area.size)}, {"turn", area.turn}};
}

/// A hand's loop without the points that say nothing.
inline std::vector<V2d> thinned(const std::vector<V2d>& places, double apart) {
    std::vector<V2d> out;
    for (const V2d& place : places)
        if (out.empty() || (place - out.back()).length() >= apart) out.push_back(place);
    return out;
}

inline V2d turned(const V2d& v, double degreesClockwise) {
    const double c = std::cos(radians(degreesClockwise)), s = std::sin(radians(degreesClockwise));
    return {v.x * c - v.y * s, v.x * s + v.y * c};
}

}
