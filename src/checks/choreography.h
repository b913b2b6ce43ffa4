// Whether a camera could go this way, told before anything is rendered: its speed, its starts and stops, its
// turns against what carries it, jerks at marks, layers that it goes through or never sees, and whether the
// end meets the beginning. Metres, seconds, degrees. Thread-safe.
#pragma once

#include "checks/finding.h"
#include "scene/error.h"

#include <optional>
#include <stop_token>
#include <vector>

namespace stage::checks {

/// What a rig can believably do. The figures for speed and turning are those of the trade that the program
/// takes for granted; the acceleration is what reaches the speed in one second.
struct Believable {
    double speed;        ///< m/s
    double acceleration; ///< m/s2
    double turning;      ///< degrees/s
};
Believable believable(scene::Rig rig);

struct Report {
    std::vector<Finding> findings;                   ///< in order of time; of check(), the worst first
    std::vector<Finding> setAside;                   ///< of check()
    double speed = 0, acceleration = 0, turning = 0; ///< greatest over the scene
    /// The first of the rigs that can do all of it; nothing where none can.
    std::optional<scene::Rig> rig;
};

/// Looks at every frame of the scene, of one longer than 20 000 at as many evenly. Error: stopped.
Result<Report> choreography(const scene::Scene& scene, const std::stop_token& stop = {});

}
