// Edits of where layers hang. They throw Misread (scene/fields.h); used by edit.cc only.
// Each changes the scene in place and reads the members that docs/edits.md gives for the edit of its name; what
// throws may have changed the scene already, which is then dropped.
//
// All of them look at the scene as it stands at their member 'time' (default: the first mark's). A layer
// whose place is keyed and has a key at just that time is changed there alone; otherwise all its keys are
// changed in the same way. Layers carried by others that are named too go with those and are not moved twice.
#pragma once

#include "edit/named.h"

namespace stage::edit {

void pushLayers(scene::Scene& scene, scene::Fields& fields);
void recede(scene::Scene& scene, scene::Fields& fields);
void slideLayers(scene::Scene& scene, scene::Fields& fields);
void place(scene::Scene& scene, scene::Fields& fields);
void scaleLayers(scene::Scene& scene, scene::Fields& fields);
void flip(scene::Scene& scene, scene::Fields& fields);
void setPivot(scene::Scene& scene, scene::Fields& fields);
void fit(scene::Scene& scene, scene::Fields& fields);
void align(scene::Scene& scene, scene::Fields& fields);
void distribute(scene::Scene& scene, scene::Fields& fields);
void hang(scene::Scene& scene, scene::Fields& fields);
/// For a lens whose focal length becomes 1 / k of what it was: all layers, about the first mark's axis and at
/// their depths, by k. Layers that face the camera are seen as before.
void refitLayers(scene::Scene& scene, double k);
/// The same by where the camera stands: along its axis, so that what is in focus, or the layer (0: none), is
/// seen as large as before by `longer` times the focal length.
void stepBack(const scene::Scene& scene, scene::Mark& mark, std::int64_t layer, double longer);
void keyPlace(scene::Scene& scene, scene::Fields& fields);
void removePlaceKey(scene::Scene& scene, scene::Fields& fields);

}
