// Marks and cards for tests of what moves.
#pragma once

#include "scene/scene.h"

namespace stage::test {

inline scene::Mark mark(std::int64_t id, Rational time, V3d position, double pan = 0, double tilt = 0) {
    scene::Mark m;
    m.id = id;
    m.time = time;
    m.pose.position = position;
    m.pose.pan = pan;
    m.pose.tilt = tilt;
    return m;
}
inline scene::Scene sceneOf(std::vector<scene::Mark> marks) {
    scene::Scene scene = scene::emptyScene();
    scene.camera.marks = std::move(marks);
    return scene;
}
/// 1 m wide.
inline std::shared_ptr<scene::Layer> card(std::int64_t id, V3d position) {
    auto layer = std::make_shared<scene::Layer>();
    layer->id = id;
    layer->name = "card " + std::to_string(id);
    layer->pixels = {100, 50};
    layer->metresPerPixel = 0.01;
    layer->placement.position = position;
    layer->content = scene::Card{};
    return layer;
}
}
