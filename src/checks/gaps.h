// Where and when a move runs out of picture, and what closes it: told before anything is rendered.
#pragma once

#include "checks/coverage.h"
#include "checks/finding.h"
#include "checks/frames.h"

#include <stop_token>

namespace stage::checks {

/// What is not filled over the whole move.
struct Gap {
    std::int64_t frames = 0; ///< how many have one; 0: everything is filled
    std::int64_t first = 0, last = 0;
    std::int64_t worst = 0; ///< where most of the frame is open
    double share = 0;       ///< of that frame, 0..1
    double pixels = 0;      ///< how far it reaches from the nearest side of that frame, px
    /// Along which of the left, top, right and bottom it runs; none: it is inside the frame.
    std::array<bool, 4> sides{};
    std::int64_t layer = 0; ///< what closes it with the least growth; 0: no layer alone does
    double growth = 1;      ///< of that layer, about its pivot
    optics::Region needed;  ///< what the gaps ask of it, in shares of its picture
    std::shared_ptr<const OpenMap> map;
    std::vector<Fix> fixes; ///< each closes all of it
};

/// Looks at one frame after the other through lens and exposure, in order of time, then tells. Nothing where
/// the background is meant to show, or in a scene without layers. Not thread-safe.
class GapCheck {
public:
    /// frames, coverage: must outlive this.
    GapCheck(const Frames& frames, Coverage& coverage, const std::stop_token& stop = {});
    ~GapCheck();
    /// Error: stopped.
    Result<void> look(std::int64_t f, const motion::Frame& frame);
    /// What is open, once. Error: stopped.
    Result<Gap> gap();
    /// The same as findings: none or one.
    Result<std::vector<Finding>> tell();

private:
    class Work;
    const Frames& m_frames;
    std::unique_ptr<Work> m_work;
};

/// Looks at nine frames, evenly, through the middle of the lens: known at once where all of them takes long.
/// Nothing where they are filled, as far as is told so. Error: stopped.
Result<std::optional<Finding>> glanceForGap(const Frames& frames, Coverage& coverage,
                                            const std::stop_token& stop = {});

/// Of all frames of a scene. Thread-safe. Error: stopped.
Result<Gap> gap(const scene::Scene& scene, media::PixelCache& cache, const std::stop_token& stop = {});

}
