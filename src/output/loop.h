// Which frames a movie shows, one after the other. Values; thread-safe.
#pragma once

#include "scene/error.h"

#include <cstdint>
#include <string_view>
#include <vector>

namespace stage::output {

struct Loop {
    enum class Kind {
        None,
        Dissolve, ///< the last frames go over into the first ones, which are shown there only
        BackAndForth
    };
    Kind kind = Kind::None;
    int dissolve = 12; ///< frames over which the end goes over into the beginning
    bool operator==(const Loop&) const = default;
};
inline constexpr std::string_view loopNames[] = {"none", "dissolve", "back-and-forth"};

/// A frame of a movie: one of the scene, or two mixed.
struct Shown {
    std::int64_t frame;
    std::int64_t over = -1; ///< what it goes over into; below 0: nothing
    double share = 0;       ///< of that, 0..1
};
/// Of frames first..last. Errors: there are too few of them.
Result<std::vector<Shown>> shownFrames(std::int64_t first, std::int64_t last, const Loop& loop);

}
