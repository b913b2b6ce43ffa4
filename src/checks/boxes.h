// What becomes of particles and clouds over the move: whether the camera ever meets their box, whether the
// frame sees past it, whether particles are large enough to be seen. Thread-safe.
#pragma once

#include "checks/finding.h"
#include "checks/frames.h"

#include <stop_token>

namespace stage::checks {

/// Layers that show themselves. At most some hundred frames are looked at, evenly. Error: stopped.
Result<std::vector<Finding>> boxFindings(const Frames& frames, const std::stop_token& stop = {});

}
