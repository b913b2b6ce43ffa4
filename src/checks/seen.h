// What the lens sees of every layer over the whole move: whether it is ever in the frame or always hidden,
// how blurred and how enlarged it is, whether a text can be read, whether the focus ends on something.
// Thread-safe.
#pragma once

#include "checks/coverage.h"
#include "checks/finding.h"
#include "checks/frames.h"

#include <map>
#include <memory>
#include <stop_token>

namespace stage::checks {

/// Of one layer, where it is in the frame: at places all over the frame and at its corners and middle.
struct Seen {
    std::int64_t frames = 0;   ///< in which it is in the frame
    std::int64_t first = 0;    ///< of them
    bool reaches = false;      ///< something of it reaches the picture in one of them
    double sharpest = 0;       ///< the least diameter of a blur disc, px of the frame
    double enlargement = 0;    ///< the most px of the frame per pixel of its picture, along one side
    std::int64_t enlarged = 0; ///< the frame where it is so
    double readable = 0;       ///< seconds in a row in which all of it is in the frame, at least half opaque
    std::int64_t read = 0;     ///< the frame where they begin
};

/// Looks at one frame after the other, in order of time, then tells. Not thread-safe.
class SeenCheck {
public:
    /// frames, coverage: must outlive this.
    SeenCheck(const Frames& frames, Coverage& coverage, const std::stop_token& stop = {});
    ~SeenCheck();
    /// Error: stopped.
    Result<void> look(std::int64_t f, const motion::Frame& frame);
    /// By id, of every layer that is no group and not switched off.
    const std::map<std::int64_t, Seen>& seen() const;
    /// By the limits of the scene.
    std::vector<Finding> tell() const;

private:
    class Work;
    const Frames& m_frames;
    std::unique_ptr<Work> m_work;
};

}
