// What a check finds wrong, and what would mend it.
#pragma once

#include "optics/region.h"
#include "scene/scene.h"

#include <array>
#include <string>
#include <string_view>
#include <vector>

namespace stage::checks {

enum class Kind { Speed, Acceleration, Turning, Jerk, Jump, Through, Behind, Ends, Gap };
/// As files and the command line name them.
inline constexpr std::array<std::string_view, 9> kindNames = {
    "speed",           "acceleration",      "turning", "jerk", "jump",
    "through a layer", "behind the camera", "ends",    "gap"};

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
    optics::Region needed;   ///< of a gap: what it asks of that layer, in shares of its picture
    std::vector<Fix> fixes;  ///< the best one first; may be empty
};

/// With so many decimals.
std::string figure(double value, int decimals = 2);

}
