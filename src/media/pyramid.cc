#include "media/pyramid.h"

#include "media/parallel.h"
#include "media/texels.h"

namespace stage::media {

V2i levelSize(V2i base, int level) {
    const auto shrunk = [&](int length) {
        return static_cast<int>(((static_cast<std::int64_t>(length) - 1) >> level) + 1);
    };
    return {shrunk(base.x), shrunk(base.y)};
}

int levelCount(V2i base) {
    int count = 1;
    for (V2i size = base; size.x > 1 || size.y > 1; size = levelSize(base, count - 1))
        ++count;
    return count;
}

TiledLevel::TiledLevel(V2i pixels)
    : size(pixels), grid((pixels.x + tileSide - 1) / tileSide, (pixels.y + tileSide - 1) / tileSide),
      tiles(static_cast<std::size_t>(grid.x) * grid.y) {}

Box TiledLevel::boxOfTile(std::size_t index) const {
    const int x = static_cast<int>(index % static_cast<std::size_t>(grid.x)) * tileSide;
    const int y = static_cast<int>(index / static_cast<std::size_t>(grid.x)) * tileSide;
    return Box{x, y, x + tileSide, y + tileSide}.within(boxOf(size));
}

Raster TiledLevel::piece(const Box& box) const {
    Raster out = Raster::unfilled(box.size());
    for (int y = box.y0; y < box.y1; ++y) {
        Imath::half* to = out.row(y - box.y0);
        runs(y, box.x0, box.x1, [&](int, int texels, const Imath::half* from) {
            to = from ? std::copy_n(from, 4 * texels, to) : std::fill_n(to, 4 * texels, Imath::half(0.f));
        });
    }
    return out;
}

Pyramid::Pyramid(V2i base) {
    const int count = levelCount(base);
    for (int level = 0; level < count; ++level)
        levels.emplace_back(levelSize(base, level));
}

std::size_t Pyramid::bytes() const {
    std::size_t sum = 0;
    for (const TiledLevel& level : levels)
        for (const TilePtr& tile : level.tiles)
            if (tile) sum += tile->bytes();
    return sum;
}

Tile::Tile(Raster raster) : Raster(std::move(raster)) {
    const std::uint16_t almostOne = Imath::half(0.9995f).bits();
    std::uint16_t highest = 0;
    // Bits of halfs of one sign are in the order of the halfs.
    const auto rangeOf = [&](int cx, int cy) {
        const int x0 = cx * cellSide, y0 = cy * cellSide;
        const auto* first = reinterpret_cast<const std::uint16_t*>(row(y0)) + 4 * x0;
        if (x0 + cellSide <= size.x && y0 + cellSide <= size.y)
            return rangeOfCell(first, std::ptrdiff_t{4} * size.x);
        CellRange range{0, 0x7fff};
        for (int y = y0; y < std::min(y0 + cellSide, size.y); ++y) {
            const auto* texels = reinterpret_cast<const std::uint16_t*>(row(y));
            for (int i = 4 * x0; i < 4 * std::min(x0 + cellSide, size.x); ++i) {
                const auto bits = static_cast<std::uint16_t>(texels[i] & 0x7fff);
                range.most = std::max(range.most, bits);
                if (i % 4 == 3) range.leastAlpha = std::min(range.leastAlpha, bits);
            }
        }
        return range;
    };
    for (int cy = 0; cy * cellSide < size.y; ++cy)
        for (int cx = 0; cx * cellSide < size.x; ++cx) {
            const CellRange range = rangeOf(cx, cy);
            clear[static_cast<std::size_t>(cy)] |= std::uint32_t{range.most == 0} << cx;
            opaque[static_cast<std::size_t>(cy)] |= std::uint32_t{range.leastAlpha >= almostOne} << cx;
            highest = std::max(highest, range.most);
        }
    most.setBits(highest);
}

TilePtr tileOf(Raster raster) {
    auto tile = std::make_shared<const Tile>(std::move(raster));
    return tile->most == Imath::half(0.f) && tile->size == V2i(tileSide) ? clearTile(tile->size) : tile;
}

TilePtr clearTile(V2i size) {
    if (size != V2i(tileSide)) return std::make_shared<const Tile>(Raster(size));
    static const TilePtr whole = std::make_shared<const Tile>(Raster(V2i(tileSide)));
    return whole;
}

TiledLevel::Cells TiledLevel::cells(int row, int first, int count) const {
    constexpr int across = Tile::cellsAcross;
    Cells found;
    for (int c = first; c < first + count;) {
        const int end = std::min(first + count, (c / across + 1) * across);
        if (const Tile* tile = tiles[indexOf(c / across, row / across)].get()) {
            const auto part = [&](const auto& rows) {
                const std::uint64_t bits = rows[static_cast<std::size_t>(row % across)] >> (c % across);
                return (bits & ((std::uint64_t{1} << (end - c)) - 1)) << (c - first);
            };
            found.clear |= part(tile->clear), found.opaque |= part(tile->opaque);
        }
        c = end;
    }
    return found;
}

bool TiledLevel::clear(const Box& box) const {
    if (box.empty()) return true;
    constexpr int side = Tile::cellSide;
    const int first = box.x0 / side, count = (box.x1 - 1) / side - first + 1;
    for (int row = box.y0 / side; row <= (box.y1 - 1) / side; ++row)
        for (int from = 0; from < count; from += 64) {
            const int run = std::min(64, count - from);
            const std::uint64_t every = ~std::uint64_t{0} >> (64 - run);
            if ((cells(row, first + from, run).clear & every) != every) return false;
        }
    return true;
}

TilePtr meanTile(const TiledLevel& from, const TiledLevel& level, std::size_t index) {
    const Box box = level.boxOfTile(index);
    Raster tile = Raster::unfilled(box.size());
    static const Imath::half clear[8] = {}; // two texels
    const auto at = [&](int x, int y) {
        const Imath::half* texel = from.texel(x, y);
        return texel ? texel : clear;
    };
    for (int y = box.y0; y < box.y1; ++y) {
        const int y0 = 2 * y, y1 = std::min(2 * y + 1, from.size.y - 1);
        for (int x = box.x0; x < box.x1;) {
            Imath::half* out = tile.row(y - box.y0) + 4 * (x - box.x0);
            // Tiles have an even side, so the four lie in one, and so do those of the texels up to its end.
            const int pairs = std::min({box.x1 - x, (tileSide - 2 * x % tileSide) / 2, from.size.x / 2 - x});
            const Imath::half *upper = from.texel(2 * x, y0), *lower = from.texel(2 * x, y1);
            if (pairs > 0 && upper && lower) {
                const auto bits = [](const Imath::half* texels) {
                    return reinterpret_cast<const std::uint16_t*>(texels);
                };
                meanOfFour(bits(upper), bits(lower), pairs, reinterpret_cast<std::uint16_t*>(out));
                x += pairs;
                continue;
            }
            upper = at(2 * x, y0), lower = at(2 * x, y1);
            const int right = 2 * x + 1 < from.size.x ? 4 : 0;
            for (int c = 0; c < 4; ++c)
                out[c] = 0.25f * (float(upper[c]) + float(upper[right + c]) + float(lower[c]) +
                                  float(lower[right + c]));
            ++x;
        }
    }
    return tileOf(std::move(tile));
}

Raster halved(const Raster& fine) {
    Raster out = Raster::unfilled(levelSize(fine.size, 1));
    const auto bits = [](const Raster& of, int y) {
        return reinterpret_cast<const std::uint16_t*>(of.row(y));
    };
    for (int y = 0; y < out.size.y; ++y) {
        const auto *upper = bits(fine, 2 * y), *lower = bits(fine, std::min(2 * y + 1, fine.size.y - 1));
        auto* to = reinterpret_cast<std::uint16_t*>(out.row(y));
        meanOfFour(upper, lower, fine.size.x / 2, to);
        if (fine.size.x % 2 == 0) continue;
        std::uint16_t last[2][8]; // the column at the border, twice
        for (int k = 0; k < 2; ++k)
            std::copy_n((k == 0 ? upper : lower) + 4 * (fine.size.x - 1), 4,
                        std::copy_n((k == 0 ? upper : lower) + 4 * (fine.size.x - 1), 4, last[k]));
        meanOfFour(last[0], last[1], 1, to + 4 * (out.size.x - 1));
    }
    return out;
}

PyramidPtr makePyramid(const Raster& base) {
    auto pyramid = std::make_shared<Pyramid>(base.size);
    for (std::size_t n = 0; n < pyramid->levels.size(); ++n) {
        TiledLevel& level = pyramid->levels[n];
        inParallel(std::size_t{0}, level.tiles.size(), [&](std::size_t index) {
            if (n > 0) {
                level.tiles[index] = meanTile(pyramid->levels[n - 1], level, index);
                return;
            }
            const Box box = level.boxOfTile(index);
            Raster tile = Raster::unfilled(box.size());
            for (int y = box.y0; y < box.y1; ++y)
                std::copy_n(base.row(y) + 4 * box.x0, 4 * (box.x1 - box.x0), tile.row(y - box.y0));
            level.tiles[index] = tileOf(std::move(tile));
        });
    }
    return pyramid;
}

Need::Need(V2i base) {
    const int count = levelCount(base);
    for (int level = 0; level < count; ++level) {
        const V2i size = levelSize(base, level);
        m_size.push_back(size);
        m_grid.emplace_back((size.x + tileSide - 1) / tileSide, (size.y + tileSide - 1) / tileSide);
        m_wanted.emplace_back();
    }
}

void Need::add(int level, const Box& box) {
    const auto n = static_cast<std::size_t>(level);
    const Box inside = box.within(boxOf(m_size[n]));
    if (inside.empty()) return;
    const V2i grid = m_grid[n];
    m_wanted[n].resize(static_cast<std::size_t>(grid.x) * grid.y);
    for (int ty = inside.y0 / tileSide; ty <= (inside.y1 - 1) / tileSide; ++ty)
        for (int tx = inside.x0 / tileSide; tx <= (inside.x1 - 1) / tileSide; ++tx)
            m_wanted[n][static_cast<std::size_t>(ty) * grid.x + tx] = 1;
}

Need Need::all(V2i base, int level) {
    Need need(base);
    need.add(level, boxOf(levelSize(base, level)));
    return need;
}

std::vector<std::size_t> Need::tiles(int level) const {
    std::vector<std::size_t> list;
    const auto& wanted = m_wanted[static_cast<std::size_t>(level)];
    for (std::size_t i = 0; i < wanted.size(); ++i)
        if (wanted[i]) list.push_back(i);
    return list;
}

}
