#include "render/blocks.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace stage::render {
namespace {

/// Rows of cells of a level, a bit for each.
struct Survey {
    static constexpr int most = 64;
    int column0 = 0, row0 = 0, columns = 0, rows = 0;
    media::TiledLevel::Cells cells[most];
    bool allClear = true, allOpaque = true;

    /// False: too many.
    bool read(const media::TiledLevel& level, int c0, int r0, int c1, int r1) {
        column0 = c0, row0 = r0, columns = c1 - c0 + 1, rows = r1 - r0 + 1;
        if (columns > most || rows > most) return false;
        const std::uint64_t all = ~std::uint64_t{0} >> (most - columns);
        for (int r = 0; r < rows; ++r) {
            cells[r] = level.cells(r0 + r, c0, columns);
            allClear = allClear && cells[r].clear == all;
            allOpaque = allOpaque && cells[r].opaque == all;
        }
        return true;
    }
};

}

Blocks blocksOf(int width, int height) {
    Blocks all = 0;
    for (int j = 0; blockSide * j < height; ++j)
        for (int i = 0; blockSide * i < width; ++i)
            all = static_cast<Blocks>(all | 1 << (blocksAcross * j + i));
    return all;
}

BlockGrid::BlockGrid(const Plane& plane, int x0, int y0, int width, int height)
    : m_all(blocksOf(width, height)) {
    const Projective& m = plane.pinhole;
    for (int j = 0; j <= blocksAcross; ++j)
        for (int i = 0; i <= blocksAcross; ++i) {
            const double x = x0 + std::min(blockSide * i, width), y = y0 + std::min(blockSide * j, height);
            const double each = 1 / m.w.at(x, y);
            m_u[j][i] = m.u.at(x, y) * each, m_v[j][i] = m.v.at(x, y) * each;
        }
}

Reach BlockGrid::reachOf(int block) const {
    const int i = block % blocksAcross, j = block / blocksAcross;
    Reach reach;
    std::tie(reach.u0, reach.u1) = std::minmax({m_u[j][i], m_u[j][i + 1], m_u[j + 1][i], m_u[j + 1][i + 1]});
    std::tie(reach.v0, reach.v1) = std::minmax({m_v[j][i], m_v[j][i + 1], m_v[j + 1][i], m_v[j + 1][i + 1]});
    return reach;
}

Reach BlockGrid::reachWithout(Blocks some, const Reach& whole) const {
    if (!(some & m_all)) return whole;
    Reach reach;
    reach.marginU = whole.marginU, reach.marginV = whole.marginV;
    for (int block = 0; block < blocksAcross * blocksAcross; ++block) {
        if (!((m_all & ~some) >> block & 1)) continue;
        const Reach each = reachOf(block);
        reach.u0 = std::min(reach.u0, each.u0), reach.u1 = std::max(reach.u1, each.u1);
        reach.v0 = std::min(reach.v0, each.v0), reach.v1 = std::max(reach.v1, each.v1);
    }
    return reach;
}

Known knownOf(const Plane& plane, const media::Pyramid& pixels, const BlockGrid& grid, const Reach& whole,
              int fine, int levels, double spanU, double spanV) {
    constexpr int cell = media::Tile::cellSide, count = blocksAcross * blocksAcross;
    // Where the picture goes on beyond its edges in its own way, and where it ends.
    const auto goesOn = [&](const Reach& r) {
        return plane.extensions.any() &&
               (r.u0 < spanU || r.v0 < spanV || r.u1 + spanU > plane.size.x || r.v1 + spanV > plane.size.y);
    };
    const double moreU = spanU + whole.marginU, moreV = spanV + whole.marginV;
    const auto ends = [&](const Reach& r) {
        return r.u0 - moreU < plane.farLeft() || r.u1 + moreU > plane.farRight() ||
               r.v0 - moreV < plane.farTop() || r.v1 + moreV > plane.farBottom();
    };
    const bool plain = !goesOn(whole), within = !ends(whole);
    Known known{grid.all(), grid.all()};
    Reach blocks[count];
    bool looked = false;
    for (int n = fine; n < fine + levels && (known.clear || known.opaque); ++n) {
        const media::TiledLevel& level = pixels.level(n);
        const double k = std::ldexp(1.0, -n);
        const auto at = [&](double place, int more, int size) {
            // Rounded down, of places that may be negative: 1e8 is far beyond any picture.
            const int texel = static_cast<int>(std::clamp(place * k - 0.5, -1e8, 1e8) + 1e8) - 100000000;
            return std::clamp(texel + more, 0, size - 1) / cell;
        };
        Survey survey;
        if (!survey.read(level, at(whole.u0 - spanU, 0, level.size.x), at(whole.v0 - spanV, 0, level.size.y),
                         at(whole.u1 + spanU, 1, level.size.x), at(whole.v1 + spanV, 1, level.size.y)))
            return {};
        if (plain && survey.allClear) {
            known.opaque = 0;
            continue;
        }
        if (plain && within && survey.allOpaque) {
            known.clear = 0;
            continue;
        }
        if (!looked)
            for (int b = 0; b < count; ++b) {
                if (!(grid.all() >> b & 1)) continue;
                blocks[b] = grid.reachOf(b);
                const auto others = static_cast<Blocks>(~(1 << b));
                if (!plain && goesOn(blocks[b])) known.clear &= others, known.opaque &= others;
                if (!within && ends(blocks[b])) known.opaque &= others;
            }
        looked = true;
        for (int b = 0; b < count; ++b) {
            if (!((known.clear | known.opaque) >> b & 1)) continue;
            const Reach& r = blocks[b];
            const int c0 = std::max(0, at(r.u0 - spanU, 0, level.size.x) - survey.column0),
                      c1 = std::min(survey.columns - 1, at(r.u1 + spanU, 1, level.size.x) - survey.column0);
            const int r0 = std::max(0, at(r.v0 - spanV, 0, level.size.y) - survey.row0),
                      r1 = std::min(survey.rows - 1, at(r.v1 + spanV, 1, level.size.y) - survey.row0);
            std::uint64_t clear = (~std::uint64_t{0} >> (63 - (c1 - c0))) << c0, opaque = clear;
            const std::uint64_t all = clear;
            for (int row = r0; row <= r1; ++row)
                clear &= survey.cells[row].clear, opaque &= survey.cells[row].opaque;
            const auto others = static_cast<Blocks>(~(1 << b));
            if (clear != all) known.clear &= others;
            if (opaque != all) known.opaque &= others;
        }
    }
    return known;
}

}
