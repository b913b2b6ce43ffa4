// What `info` and `measure` print, as JSON.
#pragma once

#include "scene/scene.h"

namespace stage::cli {

/// What the scene holds: output, camera, layers; depths in metres, times in seconds.
scene::Json info(const scene::Scene& scene);
/// frame: counted from 0, at the scene's rate.
scene::Json measurements(const scene::Scene& scene, std::int64_t frame);
/// What the checks find, with its fixes as edits.
scene::Json findings(const scene::Scene& scene);

}
