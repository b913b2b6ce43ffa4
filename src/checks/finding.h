// What a check finds wrong, and what would mend it.
#pragma once

#include "optics/region.h"
#include "scene/scene.h"

#include <array>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace stage::checks {

/// The worse ones first.
enum class Kind {
    Missing,
    Gap,
    Edge,
    Through,
    Jump,
    Slip,
    Ends,
    Jerk,
    Focus,
    Reading,
    Speed,
    Acceleration,
    Turning,
    Behind,
    Unseen,
    PastBox,
    ShadowOnNothing,
    LampOnNothing,
    OverLit,
    TooSmall,
    Enlarged,
    Blurred,
    Rate,
    TooLarge
};
/// As files and the command line name them.
inline constexpr std::array<std::string_view, 24> kindNames = {"media missing",
                                                               "gap",
                                                               "edge in the frame",
                                                               "through a layer",
                                                               "jump",
                                                               "slip",
                                                               "ends",
                                                               "jerk",
                                                               "focus",
                                                               "reading time",
                                                               "speed",
                                                               "acceleration",
                                                               "turning",
                                                               "behind the camera",
                                                               "never seen",
                                                               "past a box",
                                                               "shadow on nothing",
                                                               "lamp on nothing",
                                                               "lit beyond white",
                                                               "too small",
                                                               "enlarged",
                                                               "blurred",
                                                               "frame rate",
                                                               "larger than seen"};
inline std::string_view nameOf(Kind kind) {
    return kindNames[static_cast<std::size_t>(kind)];
}

/// What would mend it: one edit, by its JSON.
struct Fix {
    std::string name; ///< "Take 1.4 times as long"
    scene::Json edit;
    std::string onAll = {}; ///< its name where it mends the same of many layers; empty: of one only
};

/// For how long each part of the frame is not filled over the move.
struct OpenMap {
    V2i cells{0};               ///< equal ones, in rows and columns
    std::vector<float> seconds; ///< row by row from the top left
};

struct Finding {
    Kind kind = Kind::Speed;
    std::string sentence;               ///< what is wrong, with its figures
    Rational from{0}, to{0};            ///< seconds, over which it is so
    Rational at{0};                     ///< where it is worst
    std::int64_t layer = 0;             ///< whose; 0: the camera's, or of many
    double excess = 1;                  ///< how many times its limit it is; 1 where there is none
    optics::Region needed;              ///< of a gap: what it asks of that layer, in shares of its picture
    std::shared_ptr<const OpenMap> map; ///< of a gap; else null
    std::vector<Fix> fixes;             ///< the best one first; may be empty
    /// Of many that are told as one: each by itself, the worst first.
    std::vector<Finding> members;
    std::string reason; ///< why it was set aside
};

/// The worst first: by kind, then by how far over its limit.
bool worse(const Finding& a, const Finding& b);

/// Calls visit(finding) for each that is about one layer or the camera: for the members of those that tell of
/// many.
template <class Visit> void forEachSingle(const std::vector<Finding>& findings, const Visit& visit) {
    for (const Finding& finding : findings) {
        if (finding.members.empty())
            visit(finding);
        else
            forEachSingle(finding.members, visit);
    }
}

/// With so many decimals.
std::string figure(double value, int decimals = 2);

}
