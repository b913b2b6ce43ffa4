#include "desk/set/draft_scale.h"

#include <algorithm>
#include <cmath>

namespace stage::desk {

double DraftScale::nearest() const {
    return m_folded ? -0.6 * m_fold : -1e9;
}

QPointF DraftScale::place(const DraftPoint& point) const {
    const double z = std::max(point.depth, nearest());
    const double k = m_folded ? m_fold / (z + m_fold) : 1;
    const double across = point.across * k * m_across, along = z * k * m_along;
    return m_depthUp ? m_origin + QPointF(across, -along) : m_origin + QPointF(along, -across);
}

DraftPoint DraftScale::metres(const QPointF& place) const {
    const QPointF from = place - m_origin;
    const double across = (m_depthUp ? from.x() : -from.y()) / m_across;
    double along = (m_depthUp ? -from.y() : from.x()) / m_along;
    if (!m_folded) return {across, along};
    along = std::min(along, 0.995 * m_fold); // beyond lies infinity
    const double depth = m_fold * along / (m_fold - along);
    return {across * (depth + m_fold) / m_fold, depth};
}

double DraftScale::perMetre(double depth) const {
    return m_folded ? m_across * m_fold / (std::max(depth, nearest()) + m_fold) : m_across;
}

void DraftScale::fit(const std::vector<DraftPoint>& points, const QRectF& area) {
    if (points.empty() || area.width() < 4 || area.height() < 4) return;
    m_origin = {0, 0};
    m_across = m_along = 1;
    QPointF low(1e300, 1e300), high(-1e300, -1e300);
    for (const DraftPoint& point : points) {
        const QPointF at = place(point);
        low = {std::min(low.x(), at.x()), std::min(low.y(), at.y())};
        high = {std::max(high.x(), at.x()), std::max(high.y(), at.y())};
    }
    const double least = 1e-3;
    double kx = area.width() / std::max(high.x() - low.x(), least),
           ky = area.height() / std::max(high.y() - low.y(), least);
    if (!m_folded) kx = ky = std::min(kx, ky);
    m_across = m_depthUp ? kx : ky;
    m_along = m_depthUp ? ky : kx;
    const QPointF middle((low.x() + high.x()) / 2 * kx, (low.y() + high.y()) / 2 * ky);
    m_origin = area.center() - middle;
}

void DraftScale::zoom(double factor, const QPointF& at) {
    factor = std::clamp(factor, 1e-3 / m_across, 1e7 / m_across);
    m_across *= factor;
    m_along *= factor;
    m_origin = at + (m_origin - at) * factor;
}

}
