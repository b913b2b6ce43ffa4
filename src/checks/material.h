// Whether the files of a scene are there and fit it. Asks the file system, so not for a thread that must not
// wait. Thread-safe.
#pragma once

#include "checks/finding.h"

namespace stage::checks {

/// Media that are missing; footage whose frames do not fall on the scene's.
std::vector<Finding> materialFindings(const scene::Scene& scene);

}
