// A scene as it stands at one time. Pure functions, thread-safe.
#pragma once

#include "motion/values.h"
#include "optics/placing.h"
#include "scene/scene.h"

#include <unordered_map>
#include <unordered_set>

namespace stage::motion {

/// Whether layers are keyed, or turn to the camera or go with it by themselves.
bool moves(const scene::Scene& scene);

/// The scene with every layer where it is at that time, with the values of its tracks, and turned to an eye
/// in the world where it faces the camera, and boxes that go with the camera where it has taken them, and
/// with the values of the whole picture: no keys of place, tracks of layers, facing and such boxes remain.
/// The same otherwise; shares the layers that stay.
scene::Scene resolved(const scene::Scene& scene, Rational time, const V3d& eye);

/// Where in the world a layer's pivot is at a time, seen from `eye` (metres), without resolving more than it
/// and what carries it: for what looks at hundreds of moments while something is dragged. values: of the
/// scene. found: of the scene as it is, not resolved.
V3d pivotAt(const scene::Scene& scene, const Values& values, const scene::LayerPath& found, Rational time,
            const V3d& eye);

/// A scene resolved for a time and a pose, with what measuring and drawing its layers needs. A value.
struct ResolvedScene {
    Rational time;
    scene::Pose pose;
    scene::Scene scene; ///< resolved
    optics::View view, first;
    std::vector<scene::LayerPath> all;      ///< its layers with what carries them, in the scene's order
    V3d gone{0};                            ///< of the camera since the first mark, in the world
    std::unordered_set<std::int64_t> taken; ///< layers whose boxes go with it

    /// pose: of the camera at that time, to which layers turn.
    ResolvedScene(const scene::Scene& scene, Rational time, const scene::Pose& pose);
    /// layer is null when there is none of that id. Valid as long as this is.
    const scene::LayerPath& find(std::int64_t id) const;
    /// Metres from the first mark along its axis, of the pivot.
    double depthOf(const scene::LayerPath& found) const {
        return optics::depthOf(first, optics::pivotOf(found));
    }

private:
    std::unordered_map<std::int64_t, std::size_t> m_places;
};

}
