// Layers that turn to the camera by themselves, and boxes that go with it. Pure functions, thread-safe.
#pragma once

#include "scene/scene.h"

namespace stage::motion {

/// Whether a layer itself does; what carries it may do as well.
inline bool facesEye(const scene::Layer& layer) {
    return layer.hanging.facing != scene::Facing::Fixed;
}

/// Whether a layer fills a box that goes with the camera.
bool goesWithCamera(const scene::Layer& layer);
/// Moves such boxes by as much as the camera has gone (metres in the world), and leaves them there.
void takeAlong(scene::Scene& scene, const V3d& gone);

/// Turns all layers that face the camera to an eye in the world (metres), and fixes them so. What they carry
/// turns with them; layers straight below or above the eye keep their turn.
void faceEye(scene::Scene& scene, const V3d& eye);

}
