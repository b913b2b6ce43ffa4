// The frames of a scene that checks look at. Pure, thread-safe.
#pragma once

#include "motion/camera_move.h"
#include "motion/frame.h"
#include "scene/error.h"

#include <stop_token>

namespace stage::checks {

/// A frame without particles, clouds, lamps and shadows, which hide nothing, and with pixels as they were
/// cut: so that pictures need not be made anew for each frame.
motion::Frame stilled(motion::Frame frame);

/// From one frame that is looked at to the next: 1, or of a longer scene so many that at most `most` are.
inline std::int64_t stepOf(const scene::Scene& scene, std::int64_t most = 20'000) {
    return std::max<std::int64_t>(1, scene.output.frames / most);
}

/// Every frame that stepOf leaves.
class Frames {
public:
    /// The scene must outlive this.
    explicit Frames(const scene::Scene& scene) : m_scene(scene), m_move(scene), m_step(stepOf(scene)) {}

    const scene::Scene& scene() const { return m_scene; }
    const motion::CameraMove& move() const { return m_move; }
    std::int64_t step() const { return m_step; }
    Rational time(std::int64_t frame) const { return timeOfFrame(frame, m_scene.output.rate); }
    /// At the size of the scene, with its exposure, stilled.
    motion::Frame at(std::int64_t frame) const {
        return stilled(motion::evaluate(m_scene, time(frame), m_scene.output.frame, m_move, true));
    }
    /// look(frame, what is seen) gives a Result<void>. Error: what that gives; stopped.
    template <class Look> Result<void> forEach(const std::stop_token& stop, const Look& look) const {
        for (std::int64_t f = 0; f < m_scene.output.frames; f += m_step) {
            if (stop.stop_requested()) return cancelled();
            if (Result<void> looked = look(f, at(f)); !looked) return looked;
        }
        return {};
    }

private:
    const scene::Scene& m_scene;
    motion::CameraMove m_move;
    std::int64_t m_step;
};

}
