// How the drafting views lay metres out on paper. Lines stay straight on every scale. Paper is measured in px
// of the view, y downwards.
#pragma once

#include "scene/geometry.h"

#include <vector>

namespace stage::interaction {

/// A place in a drafting view: metres across the first mark's axis (in the Plan to the right, in the Section
/// upwards), and metres of depth along it.
struct PaperPoint {
    double across = 0, depth = 0;
};

/// True: one scale all over. Folded: what is far is compressed by the projective mapping
/// (a, z) -> (a, z) f / (z + f), whose scale has halved at the depth f. A value.
class PaperScale {
public:
    /// depthUp: depth runs up the paper (Plan); else to the right (Section).
    explicit PaperScale(bool depthUp) : m_depthUp(depthUp) {}
    bool operator==(const PaperScale&) const = default;

    /// Whether what is far takes less room.
    bool folded() const { return m_folded; }
    /// fold: metres, above 0.
    void setFolded(bool folded, double fold) { m_folded = folded, m_fold = fold; }
    /// As it was set, metres.
    double fold() const { return m_fold; }

    /// Px of the paper, from its upper left.
    V2d place(const PaperPoint& point) const;
    /// The inverse of place().
    PaperPoint metres(const V2d& place) const;
    /// Metres.
    double depthAt(const V2d& place) const { return metres(place).depth; }
    /// Nearest depth that can be shown: folded paper ends a little behind the camera.
    double nearest() const;
    /// Pixels that a metre across takes at a depth.
    double perMetre(double depth) const;

    /// Fits points into an area, from its upper left to its lower right corner; a true scale is the same both
    /// ways. Nothing happens where there are no points, or the area is less than 4 px wide or high.
    void fit(const std::vector<PaperPoint>& points, const V2d& low, const V2d& high);
    /// Factor above 1 enlarges; the place stays where it is.
    void zoom(double factor, const V2d& at);
    /// by: px.
    void pan(const V2d& by) { m_origin += by; }

private:
    bool m_depthUp, m_folded = true;
    double m_fold = 8;
    V2d m_origin{0};
    double m_across = 30, m_along = 30; ///< px per metre where nothing is folded
};

}
