// Edits of the set as a whole: groups, followers, copies, tags, locks, guides, and the media that layers
// show. They throw Misread (scene/fields.h); used by edit.cc only.
// Each changes the scene in place and reads the members that docs/edits.md gives for the edit of its name; what
// throws may have changed the scene already, which is then dropped.
#pragma once

#include "edit/named.h"

namespace stage::edit {

void add(scene::Scene& scene, scene::Fields& fields);
void removeLayers(scene::Scene& scene, scene::Fields& fields);
void lock(scene::Scene& scene, scene::Fields& fields);
void tag(scene::Scene& scene, scene::Fields& fields);
void group(scene::Scene& scene, scene::Fields& fields);
void ungroup(scene::Scene& scene, scene::Fields& fields);
void moveInto(scene::Scene& scene, scene::Fields& fields);
void follow(scene::Scene& scene, scene::Fields& fields);
void duplicate(scene::Scene& scene, scene::Fields& fields);
void scatter(scene::Scene& scene, scene::Fields& fields);
void guides(scene::Scene& scene, scene::Fields& fields);
void variants(scene::Scene& scene, scene::Fields& fields);
void replaceMedia(scene::Scene& scene, scene::Fields& fields);
void relinkMedia(scene::Scene& scene, scene::Fields& fields);

}
