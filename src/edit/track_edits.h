// Edits of tracks and of the times of layers. They throw Misread (scene/fields.h); used by edit.cc only.
// Each changes the scene in place and reads the members that docs/edits.md gives for the edit of its name; what
// throws may have changed the scene already, which is then dropped.
#pragma once

#include "edit/named.h"

namespace stage::edit {

/// The latest time that a track or mark can have, s.
inline const Rational latest(1'000'000);

/// Throws unless there are not too many and no two stand at one time.
void checkKeys(const std::vector<scene::Key<double>>& keys);

void setTrack(scene::Scene& scene, scene::Fields& fields);
void removeTrack(scene::Scene& scene, scene::Fields& fields);
void setKey(scene::Scene& scene, scene::Fields& fields);
void removeKey(scene::Scene& scene, scene::Fields& fields);
void changeKeys(scene::Scene& scene, scene::Fields& fields);
void handHeld(scene::Scene& scene, scene::Fields& fields);

void showing(scene::Scene& scene, scene::Fields& fields);
void moveInTime(scene::Scene& scene, scene::Fields& fields);
void stagger(scene::Scene& scene, scene::Fields& fields);

}
