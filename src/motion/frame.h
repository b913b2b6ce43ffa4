// A scene at one time: all values, no tracks left. What the renderer, the checks and the read-outs see.
#pragma once

#include "motion/camera_move.h"
#include "motion/lamps.h"
#include "motion/pixels.h"
#include "optics/placing.h"
#include "scene/scene.h"

#include <optional>
#include <vector>

namespace stage::motion {

/// From the metres of a box of particles or cloud, from its middle, to the world's: in the middle of the
/// exposure, as it begins and as it ends; all the same without one.
struct BoxPlace {
    optics::Affine now, open, close;
    V3d moved{0}; ///< by how much it has gone with the camera since the first mark, metres along the box
};

/// A layer at one time: a card, what fills a box, or a group that is mixed on its own before it joins the
/// rest.
/// Groups that change nothing by themselves are already resolved into their children.
struct Item {
    scene::LayerPtr layer;
    optics::Surface card; ///< of a group: any rectangle of its plane, which decides its place in depth
    PixelsPtr pixels;     ///< null for a flattened group and for a box
    double opacity = 1;
    scene::Blend blend = scene::Blend::Normal;
    bool flattened = false; ///< a group that is mixed on its own; see items
    std::vector<Item> items;
    optics::Surface open, close;     ///< where it is as the exposure begins and ends; as `card` without one
    std::optional<BoxPlace> box;     ///< of a layer that fills one, whose card is the box's middle
    std::vector<PixelsPtr> pictures; ///< of its particles, where they show layers
    bool shadow = false;             ///< it is what the ground shows of shadows
};

struct Frame {
    Rational time;           ///< of the scene, seconds
    double halfExposure = 0; ///< seconds; 0 where it is not exposed
    V2i size;
    optics::View view;
    optics::View open, close; ///< as the exposure begins and ends
    bool exposed = false;     ///< it takes time: open and close count
    scene::Iris iris;
    scene::Haze haze;
    scene::Mist mist;
    std::vector<LampAt> lamps; ///< that light particles and air
    scene::Ambient ambient;
    scene::Glare glare;
    scene::Grade grade; ///< of the whole picture
    scene::ViewTransform viewTransform;
    scene::Colour background;
    scene::Blending blending = scene::Blending::Light;
    std::vector<Item> items; ///< visible ones only, lowest first
};

/// A card whose picture is larger by so many px of its natural size on each side, and back by less than 0.
optics::Surface withMargin(const optics::Surface& card, V2i pixels, int margin);

/// Seconds from the middle of a frame's exposure to its begin and end.
Rational halfExposure(const scene::Scene& scene);

/// The scene at a time in seconds, seen by the camera on its move, in a picture of `size` pixels. The picture
/// fits the gate by its width; with another aspect than the scene's frame it shows more or less above and
/// below. exposed: with what moves while the shutter is open, about that time; what the layers show does not
/// change meanwhile.
Frame evaluate(const scene::Scene& scene, Rational time, V2i size, bool exposed = false);
/// The same with the camera's move, made once for many frames.
Frame evaluate(const scene::Scene& scene, Rational time, V2i size, const CameraMove& move, bool exposed);
/// Layers that light, shadows or grades by depth change show what they showed in an earlier frame of the same
/// scene, and shadows on the ground are where they were: what changes with every frame is then made for fewer
/// of them. Where layers are and how they are mixed stays.
void holdLight(const Frame& earlier, Frame& frame);
/// The same seen from a pose, by a camera that stands still.
Frame evaluate(const scene::Scene& scene, Rational time, V2i size, const scene::Pose& pose,
               bool exposed = false);

}
