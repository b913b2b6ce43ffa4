// What `info` and `measure` print, as JSON.
#pragma once

#include "scene/scene.h"

namespace stage::cli {

scene::Json info(const scene::Scene& scene);
/// frame: counted from 0, at the scene's rate.
scene::Json measurements(const scene::Scene& scene, std::int64_t frame);
/// What the checks find, with its fixes as edits.
scene::Json findings(const scene::Scene& scene);

}
