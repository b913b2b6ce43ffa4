// Moves that a camera crew calls by name, as ordinary marks.
#pragma once

#include "scene/error.h"
#include "scene/scene.h"

#include <array>
#include <string_view>

namespace stage::motion {

enum class Ready { PushIn, PullBack, Truck, Rise, Arc, Drift, FlyThrough, DollyZoom, OrbitLoop };
inline constexpr std::array<std::string_view, 9> readyNames = {
    "push in", "pull back", "truck", "rise", "arc", "drift", "fly through", "dolly zoom", "orbit loop"};

struct ReadyMove {
    Ready kind = Ready::PushIn;
    /// Metres: ahead (push in, fly through, dolly zoom), back (pull back), to the right (truck), up (rise),
    /// all told (drift). Degrees: anticlockwise seen from above (arc; orbit loop: 360 or -360). 0: a fitting
    /// one.
    double amount = 0;
    Rational start{0};    ///< seconds
    Rational duration{5}; ///< seconds, above 0
    scene::Pace pace;     ///< of the whole of it
    /// What it keeps in view (rise, arc, orbit loop) or as wide as it is (dolly zoom). 0: what lies on the
    /// axis at the distance of the focus.
    std::int64_t subject = 0;
};

/// The marks of a move that begins at the camera's pose at its start: at least two, in order of time, ids 0.
/// Errors: a dolly zoom or arc whose subject is not ahead, an amount that would go through it.
Result<std::vector<scene::Mark>> marksOf(const scene::Scene& scene, const ReadyMove& move);

}
