// Grades as JSON. Readers throw Misread (fields.h); members that are not there keep the fallback.
#pragma once

#include "scene/fields.h"
#include "scene/scene.h"

namespace stage::scene {

Json toJson(const Grade& grade);
Grade readGrade(Fields& fields, const Grade& fallback);

}
