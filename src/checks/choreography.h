// Whether a camera could go this way, told before anything is rendered: its speed, its starts and stops, its
// turns against what carries it, jerks at marks, layers that it goes through or never sees, and whether the
// end meets the beginning. Metres, seconds, degrees. Thread-safe.
#pragma once

#include "scene/error.h"
#include "scene/scene.h"

#include <array>
#include <stop_token>
#include <string>
#include <string_view>
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

enum class Kind { Speed, Acceleration, Turning, Jerk, Jump, Through, Behind, Ends };
/// As files and the command line name them.
inline constexpr std::array<std::string_view, 8> kindNames = {
    "speed", "acceleration", "turning", "jerk", "jump", "through a layer", "behind the camera", "ends"};

/// What would mend it: one edit, by its JSON.
struct Fix {
    std::string name; ///< "Take 1.4 times as long"
    scene::Json edit;
};

struct Finding {
    Kind kind = Kind::Speed;
    std::string sentence;    ///< what is wrong, with its figures
    Rational from{0}, to{0}; ///< seconds, over which it is so
    Rational at{0};          ///< where it is worst
    std::int64_t layer = 0;  ///< whose; 0: the camera's
    std::vector<Fix> fixes;  ///< the best one first; may be empty
};

struct Report {
    std::vector<Finding> findings;                   ///< in order of time
    double speed = 0, acceleration = 0, turning = 0; ///< greatest over the scene
    /// The first of the rigs that can do all of it; nothing where none can.
    std::optional<scene::Rig> rig;
};

/// Looks at every frame of the scene, of one longer than 20 000 at as many evenly. Error: stopped.
Result<Report> choreography(const scene::Scene& scene, const std::stop_token& stop = {});

}
