// Edits of what the checks go by: what stands on what, limits, findings that are set aside. They throw
// Misread (scene/fields.h); used by edit.cc only. Each changes the scene in place and reads the members that
// docs/edits.md gives for the edit of its name.
#pragma once

#include "edit/named.h"

namespace stage::edit {

void stand(scene::Scene& scene, scene::Fields& fields);
void checkLimits(scene::Scene& scene, scene::Fields& fields);
void setAside(scene::Scene& scene, scene::Fields& fields);

}
