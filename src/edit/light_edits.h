// Edits of lamps, of what is light everywhere, and of how layers take it. Each changes the scene by the
// members of an edit, and throws Misread (scene/fields.h).
#pragma once

#include "edit/named.h"

namespace stage::edit {

void addLamp(scene::Scene& scene, scene::Fields& fields);
void changeLamp(scene::Scene& scene, scene::Fields& fields);
void changeShading(scene::Scene& scene, scene::Fields& fields);
void changeAmbient(scene::Scene& scene, scene::Fields& fields);

}
