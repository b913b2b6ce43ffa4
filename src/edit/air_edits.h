// Edits of particles, clouds, mist, veils, footage over black and displaced pixels. Each changes the scene by
// the members of an edit, and throws Misread (scene/fields.h).
#pragma once

#include "edit/named.h"

namespace stage::edit {

void addParticles(scene::Scene& scene, scene::Fields& fields);
void changeParticles(scene::Scene& scene, scene::Fields& fields);
void addCloud(scene::Scene& scene, scene::Fields& fields);
void changeCloud(scene::Scene& scene, scene::Fields& fields);
void mist(scene::Scene& scene, scene::Fields& fields);
void addVeil(scene::Scene& scene, scene::Fields& fields);
void coverFrame(scene::Scene& scene, scene::Fields& fields);
void overBlack(scene::Scene& scene, scene::Fields& fields);
void displace(scene::Scene& scene, scene::Fields& fields);

}
