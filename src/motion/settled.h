// A scene as it stands at one time. Pure functions, thread-safe.
#pragma once

#include "scene/scene.h"

namespace stage::motion {

/// Whether layers are keyed, or turn to the camera by themselves.
bool moves(const scene::Scene& scene);

/// The scene with every layer where it is at that time, and turned to an eye in the world where it faces the
/// camera: no keys of place and no facing remain. The same otherwise; shares the layers that stay.
scene::Scene settled(const scene::Scene& scene, Rational time, const V3d& eye);

/// Where a layer is at a time, relative to what carries it.
scene::Placement placeAt(const scene::Layer& layer, Rational time);

}
