// What spreads light or dark around, and shadows, as JSON. Readers throw Misread (fields.h); members that
// are not given keep the fallback's values.
#pragma once

#include "scene/fields.h"
#include "scene/finish.h"
#include "scene/shadow.h"

namespace stage::scene {

Json toJson(const Finish& finish);
/// Every member read, in parts as well.
Finish readFinish(Fields& fields, const Finish& fallback);

Json toJson(const Glare& glare);
Glare readGlare(Fields& fields, const Glare& fallback);

Json toJson(const std::vector<Shadow>& shadows);
/// The member shadows, a list.
std::vector<Shadow> readShadows(Fields& fields);

}
