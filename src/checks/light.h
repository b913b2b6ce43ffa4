// What becomes of lamps and shadows over the move: lamps that light nothing, layers that are lit far beyond
// white, shadows that fall on nothing. Thread-safe.
#pragma once

#include "checks/finding.h"
#include "checks/frames.h"

#include <stop_token>

namespace stage::checks {

/// At most some dozen frames are looked at, evenly. Error: stopped.
Result<std::vector<Finding>> lightFindings(const Frames& frames, const std::stop_token& stop = {});

}
