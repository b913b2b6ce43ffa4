// What a frame shows of a card, through the whole lens. Pure functions, thread-safe.
#pragma once

#include "optics/placing.h"

#include <array>
#include <limits>
#include <vector>

namespace stage::optics {

/// Places of a frame, px, from the upper left corner of its first pixel.
struct FramePart {
    V2d low{0}, high{0};
};
/// All of a frame.
inline FramePart wholeOf(V2i frame) {
    return {V2d(0), V2d(frame)};
}

/// A box on a card's surface, were it endless: shares of its picture, s across and t down, 0..1 on the
/// picture itself. Nothing: no share is within it.
struct Region {
    double s0 = std::numeric_limits<double>::infinity(), t0 = s0, s1 = -s0, t1 = -s0;

    bool nothing() const { return !(s1 >= s0 && t1 >= t0); }
    /// False where some ray of the frame does not meet the surface: no card is large enough.
    bool bounded() const {
        constexpr double most = std::numeric_limits<double>::max();
        return s0 >= -most && t0 >= -most && s1 <= most && t1 <= most;
    }
    /// Both together.
    void add(const Region& other);
};

/// What parts of a frame show of one flat card: as regionSeen, worked out once for many parts. A value.
class FlatRegion {
public:
    FlatRegion(const View& view, const Surface& card, const scene::Iris& iris);
    Region of(const FramePart& part) const;

private:
    bool m_met = false, m_pinhole = true;
    double m_eye = 0, m_reach = 0; ///< from the eye to the plane; what the lens adds at most
    V2d m_lens{0};
    V3d m_beyond{0};           ///< from the plane to the point of focus: at (0, 0), per px across and down
    std::array<V3d, 2> m_at{}; ///< the same in shares across and down the card
    std::array<double, 2> m_from{};
    std::array<V2d, 2> m_off{};
    std::vector<V2d> m_opening; ///< corners in radii; none: round
};

/// The least box of a card that holds what all rays of a part of the frame (px) meet of it. For a flat card
/// it is exact: what a ray meets is a ratio of linear functions of the lens point, whose extremes over a
/// round opening are the roots of a square, and over a polygon are at its corners; over a box of the frame
/// they are at its corners. On a bent one they are searched for along the box's edges, closer and closer
/// around the best of many places.
Region regionSeen(const View& view, const FramePart& part, const Surface& card, const scene::Iris& iris = {});

/// Whether a card, with what it goes on by, holds a region.
bool holds(const Surface& card, const Region& region);

/// The least factor, at least `from`, by which a card must grow about a point of the world so that all rays
/// of a part of the frame (px) meet it, with what it goes on by. Infinite where no factor does, or from is.
double leastGrowth(const View& view, const FramePart& part, const Surface& card, const V3d& about,
                   const scene::Iris& iris = {}, double from = 1);

}
