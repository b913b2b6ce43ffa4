// What commands print: as JSON, but for times.
#pragma once

#include "scene/scene.h"
#include "scene/timing.h"

#include <ostream>

namespace stage::cli {

/// What the scene holds: output, camera, layers; depths in metres, times in seconds.
scene::Json info(const scene::Scene& scene);
/// frame: counted from 0, at the scene's rate.
scene::Json measurements(const scene::Scene& scene, std::int64_t frame);
/// What the checks find, with its fixes as edits.
scene::Json findings(const scene::Scene& scene);
/// A table of what rendering so many frames spent its time on. passed: by the clock, from begin to end.
void tellTimes(const StageTimes& times, std::chrono::nanoseconds passed, std::int64_t frames,
               std::ostream& out);

}
