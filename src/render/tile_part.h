// A part of a tile in which cards that cross in it have one order.
#pragma once

#include "render/blocks.h"
#include "render/canvas.h"

#include <array>
#include <utility>
#include <vector>

namespace stage::render {

/// The pixels of a box of the frame (at most Canvas::side across and down) that lie on one side of each of
/// some lines.
class TilePart {
public:
    /// All of it.
    explicit TilePart(const media::Box& box);

    /// Where a function of the place in the frame (px) is positive, and the rest: a pixel by its middle
    /// belongs to one of them.
    std::pair<TilePart, TilePart> dividedBy(const Linear& function) const;
    /// No pixel is in it.
    bool empty() const;
    /// Of the convex shape, px of the frame.
    const std::vector<V2d>& corners() const { return m_corners; }
    V2d middle() const;
    /// Those of which no pixel is in it.
    Blocks outside() const;
    /// What lies beside it is not painted. The canvas has the box.
    void markOutside(Canvas& canvas) const;
    /// Both have the box.
    void copy(Canvas& from, Canvas& to) const;

private:
    media::Box m_box;
    struct Run {
        int begin, end; ///< from the box's left
    };
    std::array<Run, Canvas::side> m_rows{};
    std::vector<V2d> m_corners;
};

}
