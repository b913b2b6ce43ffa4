// The same scene in frames of other shapes. Pure functions, thread-safe.
#pragma once

#include "scene/scene.h"

#include <string_view>

namespace stage::scene {

/// The gate (mm) with which a frame sees of the view what another one saw with its own. Frames in px. Focal
/// lengths stay: as if a camera's gate were cropped or widened.
double gateFor(double gate, V2i before, V2i after, Keep keep);

/// The variant with a name; null: there is none.
const Variant* findVariant(const Scene& scene, std::string_view name);

/// The camera as a variant of a scene with that frame (px) has it: with another gate and shift.
Camera inVariant(Camera camera, V2i frame, const Variant& variant);

/// A scene whose frame, gate and shift are those of a variant. It has no variants itself.
Scene inVariant(Scene scene, const Variant& variant);

}
