// Edits of lamps, of what is light everywhere, of how layers take it, and of shadows, glow and glare. Each
// changes the scene by the members of an edit, and throws Misread (scene/fields.h).
#pragma once

#include "edit/named.h"

namespace stage::edit {

void addLamp(scene::Scene& scene, scene::Fields& fields);
void changeLamp(scene::Scene& scene, scene::Fields& fields);
void changeShading(scene::Scene& scene, scene::Fields& fields);
void changeAmbient(scene::Scene& scene, scene::Fields& fields);
void changeShadows(scene::Scene& scene, scene::Fields& fields);
void changeFinish(scene::Scene& scene, scene::Fields& fields);
void changeGlare(scene::Scene& scene, scene::Fields& fields);

}
