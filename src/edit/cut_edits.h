// Edits of cut-outs, footage time and colour cards. They throw Misread (scene/fields.h); used by edit.cc
// only.
#pragma once

#include "scene/fields.h"
#include "scene/scene.h"

namespace stage::edit {

void addCard(scene::Scene& scene, scene::Fields& fields);
void changeCard(scene::Scene& scene, scene::Fields& fields);
void footageTime(scene::Scene& scene, scene::Fields& fields);
void cutOut(scene::Scene& scene, scene::Fields& fields);
void addMatte(scene::Scene& scene, scene::Fields& fields);
void changeMatte(scene::Scene& scene, scene::Fields& fields);
void moveMatte(scene::Scene& scene, scene::Fields& fields);
void removeMatte(scene::Scene& scene, scene::Fields& fields);
void addFill(scene::Scene& scene, scene::Fields& fields);
void changeFill(scene::Scene& scene, scene::Fields& fields);
void removeFill(scene::Scene& scene, scene::Fields& fields);
void addClone(scene::Scene& scene, scene::Fields& fields);
void removeClone(scene::Scene& scene, scene::Fields& fields);
void split(scene::Scene& scene, scene::Fields& fields);

}
