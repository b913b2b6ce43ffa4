// Pictures of frames, ready to be played: within a budget of memory, those that are shown next. Interface
// thread.
#pragma once

#include <QImage>
#include <map>
#include <optional>
#include <vector>

namespace stage::desk {

class FrameCache {
public:
    /// Bytes; at least one picture is always kept.
    void setBudget(std::size_t bytes);
    std::size_t budget() const { return m_budget; }
    /// Frames from first to last are played in a loop, from the playhead on. Pictures of others go first when
    /// room is wanted.
    void setRange(std::int64_t first, std::int64_t last);
    void setPlayhead(std::int64_t frame) { m_playhead = frame; }

    /// coarse: of fewer pixels than wanted, for as long as there is no better one.
    void keep(std::int64_t frame, const QImage& picture, bool coarse = false);
    const QImage* find(std::int64_t frame) const;       ///< null when there is none that is not coarse
    const QImage* findCoarse(std::int64_t frame) const; ///< or a coarse one
    /// First and last of the frames that are there without a gap, in order; coarse ones do not count.
    std::vector<std::pair<std::int64_t, std::int64_t>> runs() const;
    void clear();
    int count() const; ///< but for coarse ones
    std::size_t bytes() const { return m_bytes; }
    /// The frame that is wanted next, for which there is room, or would be without one that is wanted later;
    /// nothing when all of the range is there, or as much as the budget holds.
    std::optional<std::int64_t> wanted(std::size_t bytesEach) const;

private:
    /// How many frames from now it is shown, going round the range; large outside of it.
    std::int64_t until(std::int64_t frame) const;
    void makeRoom(std::size_t bytes);

    struct Kept {
        QImage picture;
        bool coarse;
    };
    std::map<std::int64_t, Kept> m_pictures;
    std::size_t m_budget = 512u << 20, m_bytes = 0;
    std::int64_t m_first = 0, m_last = 0, m_playhead = 0;
};

}
