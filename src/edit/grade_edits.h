// Edits of colours. Each changes the scene by the members of an edit, and throws Misread (scene/fields.h).
#pragma once

#include "edit/named.h"

namespace stage::edit {

/// Of layers and groups, or of the whole picture where none are named.
void changeGrade(scene::Scene& scene, scene::Fields& fields);
void changeDepthGrades(scene::Scene& scene, scene::Fields& fields);
void changeViewTransform(scene::Scene& scene, scene::Fields& fields);

}
