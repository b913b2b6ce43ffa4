// Grades as JSON. Readers throw Misread (fields.h); members that are not there keep the fallback.
#pragma once

#include "scene/fields.h"
#include "scene/scene.h"

namespace stage::scene {

Json toJson(const Grade& grade);
Grade readGrade(Fields& fields, const Grade& fallback);

Json toJson(const std::vector<DepthGrade>& grades);
/// The member depthGrades, a list.
std::vector<DepthGrade> readDepthGrades(Fields& fields);

Json toJson(const ViewTransform& transform);
ViewTransform readViewTransform(Fields& fields, const ViewTransform& fallback);

}
