// Edits of the camera's move. They throw Misread (scene/fields.h); used by edit.cc only.
// Each changes the scene in place and reads the members that docs/edits.md gives for the edit of its name; what
// throws may have changed the scene already, which is then dropped.
#pragma once

#include "edit/named.h"

namespace stage::edit {

void setMarkAt(scene::Scene& scene, scene::Fields& fields);
void changeMarks(scene::Scene& scene, scene::Fields& fields);
void moveMark(scene::Scene& scene, scene::Fields& fields);
void copyMark(scene::Scene& scene, scene::Fields& fields);
void holdMark(scene::Scene& scene, scene::Fields& fields);
void reorderMark(scene::Scene& scene, scene::Fields& fields);
void removeMark(scene::Scene& scene, scene::Fields& fields);
void retime(scene::Scene& scene, scene::Fields& fields);
void pace(scene::Scene& scene, scene::Fields& fields);
void readyMove(scene::Scene& scene, scene::Fields& fields);
void cameraPath(scene::Scene& scene, scene::Fields& fields);

/// Gives marks in the middle of a move that has one pace the times that follow from it.
void settleMarks(scene::Scene& scene);

/// The member 'mark', from 1, as an index.
std::size_t markOf(const scene::Scene& scene, scene::Fields& fields);

}
