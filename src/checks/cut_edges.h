// Whether a picture ends within the frame though it is opaque there: its cut edge is seen.
#pragma once

#include "checks/coverage.h"
#include "checks/finding.h"
#include "checks/frames.h"

#include <map>

namespace stage::checks {

/// Looks at one frame after the other, in order of time, of all it is given at up to 60 evenly; then tells.
/// Not thread-safe.
class CutEdgeCheck {
public:
    /// frames, coverage: must outlive this.
    CutEdgeCheck(const Frames& frames, Coverage& coverage, const std::stop_token& stop = {});
    /// Error: stopped.
    Result<void> look(std::int64_t f, const motion::Frame& frame);
    /// One for each layer, with what extends it just so far that the edge leaves the frame.
    std::vector<Finding> tell() const;

private:
    struct Worst {
        std::int64_t first = 0, last = 0, frame = 0;
        double length = 0, inside = 0;
        std::array<bool, 4> sides{};
        optics::Region needed; ///< of its flat card by all frames where an edge is seen
    };
    const Frames& m_frames;
    Coverage& m_coverage;
    std::stop_token m_stop;
    std::int64_t m_every;
    std::map<std::int64_t, Worst> m_worst; ///< by layer
};

}
