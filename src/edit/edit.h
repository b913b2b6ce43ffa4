// Edits: named operations with parameters, each a JSON object such as
//   {"edit": "push", "layers": ["Boatman"], "depth": 32.0, "holdFraming": true}
// Desk, command line, tests and the recovery journal all use the same ones; docs/edits.md lists them.
// Layers are named by their name, where only one has it, or by their id (a number); marks by their number
// in the move, from 1. Thread-safe.
#pragma once

#include "scene/error.h"
#include "scene/scene.h"

#include <span>

namespace stage::edit {

using Edit = scene::Json;

/// The scene after the edit, or a sentence on what is wrong with it; the scene given is never changed.
Result<scene::Scene> apply(const scene::Scene& scene, const Edit& edit);

/// What undo shows for it: "Push Boatman".
std::string describe(const scene::Scene& scene, const Edit& edit);

/// Names of all edits, in the order of the documentation.
std::vector<std::string> editNames();

// Making the edits that the desk uses most; the rest are written as they stand.
/// What the camera is moved by at a time, from what is seen there to another pose: a mark there with what
/// differs, and keys for what has a track of its own. What aims and chance make of the mark goes on.
Edit walked(const scene::Scene& scene, Rational time, const scene::Pose& seen, const scene::Pose& to);
/// An edit with the member 'layers', and more members.
Edit onLayers(std::string_view kind, std::span<const std::int64_t> layers, const Edit& more = Edit::object());
/// Edits one after the other, as one step of that name.
Edit several(std::string name, std::vector<Edit> edits);

}
