#include "render/tile_part.h"

#include <algorithm>

namespace stage::render {

TilePart::TilePart(const media::Box& box)
    : m_box(box), m_corners{{static_cast<double>(box.x0), static_cast<double>(box.y0)},
                            {static_cast<double>(box.x1), static_cast<double>(box.y0)},
                            {static_cast<double>(box.x1), static_cast<double>(box.y1)},
                            {static_cast<double>(box.x0), static_cast<double>(box.y1)}} {
    m_rows.fill({0, box.x1 - box.x0});
}

std::pair<TilePart, TilePart> TilePart::dividedBy(const Linear& function) const {
    std::pair<TilePart, TilePart> parts{*this, *this};
    auto& [positive, rest] = parts;
    for (int y = 0; y < m_box.y1 - m_box.y0; ++y) {
        const auto isIn = [&](int x) { return function.at(m_box.x0 + x + 0.5, m_box.y0 + y + 0.5) > 0; };
        const auto row = static_cast<std::size_t>(y);
        const auto [begin, end] = m_rows[row];
        int change = begin;
        const bool first = begin < end && isIn(begin);
        while (change < end && isIn(change) == first)
            ++change;
        positive.m_rows[row] = first ? Run{begin, change} : Run{change, end};
        rest.m_rows[row] = first ? Run{change, end} : Run{begin, change};
    }
    positive.m_corners.clear(), rest.m_corners.clear();
    for (std::size_t i = 0; i < m_corners.size(); ++i) {
        const V2d &here = m_corners[i], &next = m_corners[(i + 1) % m_corners.size()];
        const double a = function.at(here.x, here.y), b = function.at(next.x, next.y);
        if (a >= 0) positive.m_corners.push_back(here);
        if (a <= 0) rest.m_corners.push_back(here);
        if ((a > 0 && b < 0) || (a < 0 && b > 0)) {
            const V2d met = here + (next - here) * (a / (a - b));
            positive.m_corners.push_back(met), rest.m_corners.push_back(met);
        }
    }
    // A middle on the line may be rounded to its other side.
    for (TilePart* each : {&positive, &rest})
        if (each->m_corners.empty()) each->m_corners = m_corners;
    return parts;
}

bool TilePart::empty() const {
    return std::all_of(m_rows.begin(), m_rows.begin() + (m_box.y1 - m_box.y0),
                       [](const Run& run) { return run.begin >= run.end; });
}

V2d TilePart::middle() const {
    V2d sum(0);
    for (const V2d& corner : m_corners)
        sum += corner;
    return sum / static_cast<double>(m_corners.size());
}

Blocks TilePart::outside() const {
    Blocks inside = 0;
    for (int y = 0; y < m_box.y1 - m_box.y0; ++y)
        if (const auto [begin, end] = m_rows[static_cast<std::size_t>(y)]; begin < end)
            for (int block = begin / blockSide; block <= (end - 1) / blockSide; ++block)
                inside = static_cast<Blocks>(inside | 1 << (blocksAcross * (y / blockSide) + block));
    return static_cast<Blocks>(~inside);
}

void TilePart::markOutside(Canvas& canvas) const {
    for (int y = 0; y < canvas.height; ++y)
        for (int x = 0; x < canvas.width; x += Canvas::group) {
            const auto [begin, end] = m_rows[static_cast<std::size_t>(y)];
            if (std::max(begin, x) >= std::min(end, x + Canvas::group))
                canvas.full[(y * Canvas::side + x) / Canvas::group] = true;
        }
}

void TilePart::copy(Canvas& from, Canvas& to) const {
    for (int y = 0; y < to.height; ++y)
        if (const auto [begin, end] = m_rows[static_cast<std::size_t>(y)]; begin < end)
            std::copy(from.row(y) + 4 * begin, from.row(y) + 4 * end, to.row(y) + 4 * begin);
}

}
