// A layer as the camera sees it at a moment of an exposure. Pure, thread-safe.
#pragma once

#include "motion/frame.h"
#include "optics/region.h"

#include <limits>
#include <optional>
#include <vector>

namespace stage::checks {

inline constexpr double infinite = std::numeric_limits<double>::infinity();

/// Whether a place, px, is within a frame or on its edge.
inline bool isInside(const V2d& place, V2i frame) {
    return place.x >= 0 && place.y >= 0 && place.x <= frame.x && place.y <= frame.y;
}

/// Made once, so that meeting the card at many places of the frame (px) is fast.
class Sight {
public:
    optics::Surface card;
    optics::View view;

    Sight(const optics::Surface& surface, const optics::View& seen, const scene::Iris& iris);

    /// As optics::regionSeen; of a flat card.
    optics::Region region(const optics::FramePart& part) const { return m_region.of(part); }

    /// Where the ray of a place meets the card with what it goes on by, in shares of its picture; as
    /// optics::meet.
    std::optional<V2d> meet(const V2d& place) const;
    /// Radius, px, of the disc of the card at a place, were it endless; of a bent one that is not met there,
    /// that of its middle. Below 0: the ray through a point of the lens meets it on the other side of the
    /// middle's.
    double discAt(const V2d& place) const;

    /// Of the card at a place, were it endless, metres along the view's axis; at most 0: behind the lens. Of
    /// a bent one that is not met there, that of its middle.
    double depthAt(const V2d& place) const;

private:
    static double at(const V3d& linear, const V2d& place) {
        return linear.x + linear.y * place.x + linear.z * place.y;
    }
    optics::FlatRegion m_region;
    V3d m_along{0}, m_s{0}, m_t{0}; ///< of a ray by its place, times the normal and what leads to shares
    double m_to = 0, m_fromS = 0, m_fromT = 0;
};

/// The moments of a frame at which a layer may reach farthest to any side: without an exposure one, else its
/// begin, middle and end, and where a corner of a card turns round between them. What moves does so as the
/// renderer takes it: evenly accelerated over an exposure.
class Moments {
public:
    /// frame: must outlive this.
    explicit Moments(const motion::Frame& frame);
    std::size_t count() const { return m_times.size(); }
    /// An item of the frame at each of them, in order of time but for those between, which come last.
    std::vector<Sight> of(const motion::Item& item) const;

private:
    void addTurns(const std::vector<motion::Item>& items);

    const motion::Frame& m_frame;
    std::vector<double> m_times{0};    ///< -1..1 over the exposure
    std::vector<optics::View> m_views; ///< at each
};

}
