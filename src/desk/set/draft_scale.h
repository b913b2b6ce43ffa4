// How the drafting views lay metres out on paper. Lines stay straight on every scale.
#pragma once

#include <QPointF>
#include <QRectF>
#include <vector>

namespace stage::desk {

/// A place in a drafting view: metres across the first mark's axis (in the Plan to the right, in the Section
/// upwards), and metres of depth along it.
struct DraftPoint {
    double across = 0, depth = 0;
};

/// True: one scale all over. Folded: what is far is compressed by the projective mapping
/// (a, z) -> (a, z) f / (z + f), whose scale has halved at the depth f. Interface thread.
class DraftScale {
public:
    /// depthUp: depth runs up the paper (Plan); else to the right (Section).
    explicit DraftScale(bool depthUp) : m_depthUp(depthUp) {}

    bool folded() const { return m_folded; }
    /// fold: metres, above 0.
    void setFolded(bool folded, double fold) { m_folded = folded, m_fold = fold; }
    double fold() const { return m_fold; }

    QPointF place(const DraftPoint& point) const;
    DraftPoint metres(const QPointF& place) const;
    double depthAt(const QPointF& place) const { return metres(place).depth; }
    /// Nearest depth that can be shown: folded paper ends a little behind the camera.
    double nearest() const;
    /// Pixels that a metre across takes at a depth.
    double perMetre(double depth) const;

    /// Fits points into an area; a true scale is the same both ways.
    void fit(const std::vector<DraftPoint>& points, const QRectF& area);
    /// Factor above 1 enlarges; the place stays where it is.
    void zoom(double factor, const QPointF& at);
    void pan(const QPointF& by) { m_origin += by; }

private:
    bool m_depthUp, m_folded = true;
    double m_fold = 8;
    QPointF m_origin;
    double m_across = 30, m_along = 30; ///< px per metre where nothing is folded
};

}
