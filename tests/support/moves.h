// Marks and cards for tests of what moves.
#pragma once

#include "scene/scene.h"

#include <cmath>

namespace stage::test {

/// Pixels by which a frame 1920 px wide shows a slope of one, at 35 mm on a gate 36 mm wide.
inline constexpr double slope35 = 1920 * 35.0 / 36;

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
/// An opaque card of colour.
inline std::shared_ptr<scene::Layer> sheet(std::int64_t id, V2d metres, V3d position, double alpha = 1) {
    auto layer = card(id, position);
    layer->name = "Sheet " + std::to_string(id);
    layer->pixels = {1000, static_cast<int>(std::lround(1000 * metres.y / metres.x))};
    layer->metresPerPixel = metres.x / 1000;
    layer->content = scene::Card{{{0, {alpha, alpha, alpha, alpha}}}, 0, false};
    return layer;
}

/// Layers before a pinhole without a shutter: 25 frames at 12 a second.
inline scene::Scene withSheets(std::vector<scene::Mark> marks, std::vector<scene::LayerPtr> layers) {
    scene::Scene scene = sceneOf(std::move(marks));
    for (scene::Mark& each : scene.camera.marks)
        each.pose.fstop = 1000; // as good as a pinhole
    scene.camera.shutter = 0;
    scene.output.frames = 25;
    scene.output.rate = Rational(12);
    scene.layers = std::move(layers);
    return scene;
}

}
