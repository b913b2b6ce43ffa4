// A picture with all its smaller levels, in square tiles, of which only those that were asked for need be
// there. Immutable once shared.
#pragma once

#include "media/raster.h"

#include <array>
#include <cstdint>
#include <memory>
#include <vector>

namespace stage::media {

inline constexpr int tileSide = 256;

/// RGBA; rows from the top, `size.x` texels each. Tiles at the right and lower edge are smaller. Each is
/// surveyed as it is made, in cells of 8 texels side, so that large areas that are clear or opaque are told
/// without reading them.
struct Tile : Raster {
    static constexpr int cellSide = 8, cellsAcross = tileSide / cellSide;
    /// Rows of cells, a bit for each: whether all in it is 0, and whether all of it lets less through than 16
    /// bits of a picture can tell.
    std::array<std::uint32_t, cellsAcross> clear{}, opaque{};
    Imath::half most{0.f}; ///< of all channels of all texels, whatever their sign

    /// At most tileSide texels across and down.
    explicit Tile(Raster raster);
    bool clearAt(int x, int y) const { ///< the cell that holds a texel of the tile
        return clear[static_cast<std::size_t>(y / cellSide)] >> (x / cellSide) & 1;
    }
    /// In memory; that of whole tiles that are clear is shared.
    std::size_t bytes() const {
        const bool isShared = most == Imath::half(0.f) && size == V2i(tileSide);
        return (isShared ? 0 : rgba.size() * sizeof(Imath::half)) + sizeof *this;
    }
};
using TilePtr = std::shared_ptr<const Tile>;
/// Of its texels. Whole tiles that are clear are all the same one.
TilePtr tileOf(Raster raster);
/// Clear.
TilePtr clearTile(V2i size);

/// Level n of a picture has half the width and height of level n - 1, rounded up, down to one pixel.
V2i levelSize(V2i base, int level);
/// At least 1; the last level has one texel.
int levelCount(V2i base);

struct TiledLevel {
    V2i size{0, 0};
    V2i grid{0, 0};             ///< tiles across and down
    std::vector<TilePtr> tiles; ///< row by row; null where not there

    TiledLevel() = default;
    /// Of that many texels, without tiles.
    explicit TiledLevel(V2i pixels);
    /// tx, ty: a tile, from the left and the top.
    std::size_t indexOf(int tx, int ty) const { return static_cast<std::size_t>(ty) * grid.x + tx; }
    /// The tile that holds a texel of the level; null where it is not there.
    const Tile* tileAt(int x, int y) const { return tiles[indexOf(x / tileSide, y / tileSide)].get(); }
    /// One texel inside the level, or null where its tile is not there.
    const Imath::half* texel(int x, int y) const {
        const Tile* tile = tileAt(x, y);
        return tile ? tile->row(y % tileSide) + 4 * (x % tileSide) : nullptr;
    }
    /// Cells of a row of them, `count` (at most 64) from `first` on, the first as the lowest bit. Of tiles
    /// that are not there nothing is known.
    struct Cells {
        std::uint64_t clear = 0, opaque = 0;
    };
    /// row, first: cells from the level's upper left.
    Cells cells(int row, int first, int count) const;
    /// Whether all texels of a box, inside the level, are known to be 0.
    bool clear(const Box& box) const;
    /// Texels of the level.
    Box boxOfTile(std::size_t index) const;
    /// A row of texels from x0 to x1 - 1, run by run: take(x, count, texels of the first on), which are null
    /// where they are not there or outside the level, and clear.
    template <class Take> void runs(int y, int x0, int x1, const Take& take) const {
        const bool inside = y >= 0 && y < size.y;
        for (int x = x0; x < x1;) {
            const bool within = inside && x >= 0 && x < size.x;
            const int end = within            ? std::min(size.x, (x / tileSide + 1) * tileSide)
                            : inside && x < 0 ? 0
                                              : x1;
            const int count = std::min(end, x1) - x;
            take(x, count, within ? texel(x, y) : nullptr);
            x += count;
        }
    }
    /// Texels of a box; what is not there, and what lies outside the level, is clear.
    Raster piece(const Box& box) const;
};

struct Pyramid {
    std::vector<TiledLevel> levels;

    Pyramid() = default;
    explicit Pyramid(V2i base); ///< without tiles
    TiledLevel& level(int n) { return levels[static_cast<std::size_t>(n)]; }
    const TiledLevel& level(int n) const { return levels[static_cast<std::size_t>(n)]; }
    /// Of all its tiles, in memory.
    std::size_t bytes() const;
};
using PyramidPtr = std::shared_ptr<const Pyramid>;

/// The tile of a level as the mean of the four texels beneath each of its own, of those that exist.
TilePtr meanTile(const TiledLevel& finer, const TiledLevel& level, std::size_t index);

/// The next level of a picture, made so.
Raster halved(const Raster& fine);

/// All tiles of all levels.
PyramidPtr makePyramid(const Raster& base);

/// Tiles wanted of a picture.
class Need {
public:
    /// Nothing yet. base: size of level 0.
    explicit Need(V2i base);
    /// The box is cut to the level.
    void add(int level, const Box& box);
    /// Every tile of one level.
    static Need all(V2i base, int level);

    int levels() const { return static_cast<int>(m_wanted.size()); }
    /// Indices of the tiles wanted, in order.
    std::vector<std::size_t> tiles(int level) const;

private:
    std::vector<V2i> m_size, m_grid;
    std::vector<std::vector<char>> m_wanted;
};

}
