#include "interaction/paper_scale.h"

#include <algorithm>
#include <cmath>

namespace stage::interaction {

double PaperScale::nearest() const {
    return m_folded ? -0.6 * m_fold : -1e9;
}

V2d PaperScale::place(const PaperPoint& point) const {
    const double z = std::max(point.depth, nearest());
    const double k = m_folded ? m_fold / (z + m_fold) : 1;
    const double across = point.across * k * m_across, along = z * k * m_along;
    return m_depthUp ? m_origin + V2d(across, -along) : m_origin + V2d(along, -across);
}

PaperPoint PaperScale::metres(const V2d& place) const {
    const V2d from = place - m_origin;
    const double across = (m_depthUp ? from.x : -from.y) / m_across;
    double along = (m_depthUp ? -from.y : from.x) / m_along;
    if (!m_folded) return {across, along};
    along = std::min(along, 0.995 * m_fold); // beyond lies infinity
    const double depth = m_fold * along / (m_fold - along);
    return {across * (depth + m_fold) / m_fold, depth};
}

double PaperScale::perMetre(double depth) const {
    return m_folded ? m_across * m_fold / (std::max(depth, nearest()) + m_fold) : m_across;
}

void PaperScale::fit(const std::vector<PaperPoint>& points, const V2d& low, const V2d& high) {
    const V2d area = high - low;
    if (points.empty() || area.x < 4 || area.y < 4) return;
    m_origin = {0, 0};
    m_across = m_along = 1;
    V2d least(1e300), most(-1e300);
    for (const PaperPoint& point : points) {
        const V2d at = place(point);
        least = {std::min(least.x, at.x), std::min(least.y, at.y)};
        most = {std::max(most.x, at.x), std::max(most.y, at.y)};
    }
    V2d k(area.x / std::max(most.x - least.x, 1e-3), area.y / std::max(most.y - least.y, 1e-3));
    if (!m_folded) k = V2d(std::min(k.x, k.y));
    m_across = m_depthUp ? k.x : k.y;
    m_along = m_depthUp ? k.y : k.x;
    m_origin = (low + high) / 2.0 - (least + most) / 2.0 * k;
}

void PaperScale::zoom(double factor, const V2d& at) {
    factor = std::clamp(factor, 1e-3 / m_across, 1e7 / m_across);
    m_across *= factor;
    m_along *= factor;
    m_origin = at + (m_origin - at) * factor;
}

}
