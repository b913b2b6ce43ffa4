// How layers hang, as JSON. Readers throw Misread (fields.h); members that are not there keep the fallback.
#pragma once

#include "scene/fields.h"
#include "scene/scene.h"

namespace stage::scene {

Json toJson(const Placement& placement);
Placement readPlacement(Fields& fields, const Placement& fallback);
Json toJson(const std::vector<Key<Placement>>& places);
std::vector<Key<Placement>> readPlaces(Fields& fields);
/// Only what differs from a plain hanging.
Json toJson(const Hanging& hanging);
Hanging readHanging(Fields& fields, const Hanging& fallback);
Json toJson(const Scatter& scatter);
Scatter readScatter(Fields& fields, const Scatter& fallback);
std::vector<std::string> readTags(Fields& fields);

}
