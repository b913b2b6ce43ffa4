// All checks of a scene at once.
#pragma once

#include "checks/choreography.h"
#include "media/pixel_cache.h"

#include <functional>

namespace stage::checks {

/// Findings of one kind on so many layers are told as one.
inline constexpr std::size_t fewest = 3;

/// What all checks of this folder tell, the worst first. Those that the scene sets aside stand apart, each
/// with its reason. Thread-safe. Error: stopped.
/// soon: called with what is known at once, where the rest takes long.
Result<Report> check(const scene::Scene& scene, media::PixelCache& cache, const std::stop_token& stop = {},
                     const std::function<void(Finding)>& soon = {});

}
