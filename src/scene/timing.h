// Where the time of making pictures goes. Off at first; while it is on, a clock is read at the beginning and
// the end of each piece of work. Thread-safe.
#pragma once

#include <array>
#include <atomic>
#include <chrono>
#include <cstdint>

namespace stage {

enum class Stage {
    Decode,  ///< pictures and frames of clips from their files
    Read,    ///< levels of pictures back from the cache folder
    Levels,  ///< means of pictures
    Convert, ///< frames of clips to linear light
    Draw,    ///< drawings and texts
    Cut,     ///< keys, mattes, edges, fills, colours matched
    Lay,     ///< what a frame needs of its layers
    Sample,  ///< layers that are sharp, in the frame's pixels
    Lens,    ///< layers out of focus or in motion
    Mix,     ///< layers laid over each other
    Round,   ///< to eight or sixteen bits
    Encode,  ///< into the file
    Wait     ///< for another thread: its picture, or the one before to be written
};
inline constexpr std::array stageNames = {"decode", "read back", "levels", "convert", "draw",
                                          "cut",    "lay out",   "sample", "lens",    "mix",
                                          "round",  "encode",    "waits"};

using StageTimes = std::array<std::chrono::nanoseconds, stageNames.size()>;

/// From now on, or no longer.
void measureTimes(bool on);
/// Of all threads together since the program began, without what was done while it was off.
StageTimes timesMeasured();

/// Adds the time from here to its end to a stage, without that of other stages which begin on this thread
/// meanwhile. On the stack only.
class Timed {
public:
    explicit Timed(Stage stage);
    ~Timed();
    Timed(const Timed&) = delete;
    Timed& operator=(const Timed&) = delete;

private:
    using Clock = std::chrono::steady_clock;
    Stage m_stage;
    bool m_on;
    Timed* m_outer = nullptr;
    Clock::time_point m_begin;
    Clock::duration m_inner{};
};

}
