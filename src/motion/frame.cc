#include "motion/frame.h"

#include "motion/settled.h"

#include <algorithm>

namespace stage::motion {
namespace {

void gather(const Standing& now, const std::vector<scene::LayerPtr>& layers, const optics::Affine& holder,
            std::vector<Item>& items) {
    for (const scene::LayerPtr& layer : layers) {
        if (!layer->visible || layer->opacity <= 0) continue;
        const optics::Affine world =
            layer->follows == 0 ? holder : optics::worldOf(now.find(layer->id).carriers);
        const optics::Affine own = world * optics::frameOf(*layer);
        if (const scene::Group* group = layer->group()) {
            const bool flattened = layer->opacity < 1 || layer->blend != scene::Blend::Normal;
            if (!flattened) {
                gather(now, group->children, own, items);
                continue;
            }
            optics::Card plane;
            plane.corner = own.origin;
            plane.across = own.x;
            plane.down = -own.y;
            Item item{layer, plane, nullptr, layer->opacity, layer->blend, true, {}};
            gather(now, group->children, own, item.items);
            if (!item.items.empty()) items.push_back(std::move(item));
            continue;
        }
        PixelsPtr pixels = pixelsAt(now.scene, layer, now.time);
        if (!pixels) continue;
        Item item{
            layer, optics::cardOf(*layer, world), std::move(pixels), layer->opacity, layer->blend, false, {}};
        items.push_back(std::move(item));
    }
}

}

Frame evaluate(const scene::Scene& scene, Rational time, V2i size, const scene::Pose& pose) {
    Frame frame;
    frame.size = size;
    frame.view = optics::viewOf(pose, scene.camera.gate, size);
    frame.background = scene.output.background;
    frame.blending = scene.output.blending;
    const Standing now(scene, time, pose);
    gather(now, now.scene.layers, {}, frame.items);
    return frame;
}

Frame evaluate(const scene::Scene& scene, Rational time, V2i size) {
    return evaluate(scene, time, size, CameraMove(scene.camera).at(time.toDouble()));
}

}
