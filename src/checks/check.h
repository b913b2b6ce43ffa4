// All checks of a scene at once.
#pragma once

#include "checks/choreography.h"
#include "media/pixel_cache.h"

namespace stage::checks {

/// What choreography() and gapFindings() tell. Thread-safe. Error: stopped.
Result<Report> check(const scene::Scene& scene, media::PixelCache& cache, const std::stop_token& stop = {});

}
