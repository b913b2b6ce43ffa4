// A scene at one time: all values, no tracks left. What the renderer, the checks and the read-outs see.
#pragma once

#include "motion/camera_move.h"
#include "motion/pixels.h"
#include "optics/placing.h"
#include "scene/scene.h"

namespace stage::motion {

/// A layer at one time: a card, or a group that is mixed on its own before it joins the rest.
/// Groups that change nothing by themselves are already resolved into their children.
struct Item {
    scene::LayerPtr layer;
    optics::Card card; ///< of a group: any rectangle of its plane, which decides its place in depth
    PixelsPtr pixels;  ///< null for a flattened group
    double opacity = 1;
    scene::Blend blend = scene::Blend::Normal;
    bool flattened = false; ///< a group that is mixed on its own; see items
    std::vector<Item> items;
};

struct Frame {
    V2i size;
    optics::View view;
    scene::Colour background;
    scene::Blending blending = scene::Blending::Light;
    std::vector<Item> items; ///< visible ones only, lowest first
};

/// The scene at a time in seconds, seen by the camera on its move, in a picture of `size` pixels. The picture
/// fits the gate by its width; with another aspect than the scene's frame it shows more or less above and
/// below.
Frame evaluate(const scene::Scene& scene, Rational time, V2i size);
/// The same seen from a pose.
Frame evaluate(const scene::Scene& scene, Rational time, V2i size, const scene::Pose& pose);

}
