#include "scene/variant.h"

#include <algorithm>
#include <utility>

namespace stage::scene {

double gateFor(double gate, V2i before, V2i after, Keep keep) {
    const V2d a(before), b(after);
    // The gate is the frame's width: so much of it the kept side is.
    const double seen = keep == Keep::Height    ? a.y / a.x
                        : keep == Keep::Shorter ? std::min(a.x, a.y) / a.x
                                                : 1,
                 sees = keep == Keep::Height    ? b.y / b.x
                        : keep == Keep::Shorter ? std::min(b.x, b.y) / b.x
                                                : 1;
    return std::clamp(gate * seen / sees, 0.1, 1000.0);
}

const Variant* findVariant(const Scene& scene, std::string_view name) {
    for (const Variant& variant : scene.output.variants)
        if (variant.name == name) return &variant;
    return nullptr;
}

Camera inVariant(Camera camera, V2i frame, const Variant& variant) {
    camera.gate = gateFor(camera.gate, frame, variant.frame, variant.keep);
    camera.shift += variant.shift * V2d(camera.gate, camera.gate * variant.frame.y / variant.frame.x);
    return camera;
}

Scene inVariant(Scene scene, const Variant& variant) {
    const V2i frame = variant.frame; // it may be one of the scene's, which go
    scene.camera = inVariant(std::move(scene.camera), scene.output.frame, variant);
    scene.output.frame = frame;
    scene.output.variants.clear();
    return scene;
}

}
