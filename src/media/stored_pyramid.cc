#include "media/stored_pyramid.h"

#include "media/cache_folder.h"
#include "media/kept_files.h"
#include "media/packed.h"
#include "media/parallel.h"

#include <algorithm>
#include <cstring>
#include <sys/stat.h>
#include <unistd.h>

namespace stage::media {
namespace {

using Bytes = PackedBytes;

std::string fileKey(const std::string& key) {
    return "pyramid 1\n" + key;
}

/// Each thread has one: memory that is new each time costs as much as expanding into it.
struct Reader {
    Bytes bytes;

    /// Of what stands in a file at a place. False: it cannot be read, is damaged, or not of that size.
    bool expanded(int file, std::uint64_t at, std::size_t packed, void* to, std::size_t size);
};

bool readAt(int file, void* to, std::size_t bytes, std::uint64_t at) {
    char* data = static_cast<char*>(to);
    while (bytes > 0) {
        const ssize_t got = ::pread(file, data, bytes, static_cast<off_t>(at));
        if (got <= 0) return false;
        data += got, bytes -= static_cast<std::size_t>(got), at += static_cast<std::uint64_t>(got);
    }
    return true;
}

bool Reader::expanded(int file, std::uint64_t at, std::size_t packed, void* to, std::size_t size) {
    if (bytes.size() < packed) bytes.resize(packed);
    return readAt(file, bytes.data(), packed, at) && unpack(bytes.data(), packed, to, size);
}

Reader& reader() {
    static thread_local Reader own;
    return own;
}

/// At the end of the file; before it stands the index, compressed: places level by level, tile by tile.
struct Footer {
    std::uint64_t offset = 0, bytes = 0; ///< of the index
    std::int32_t width = 0, height = 0;
    char kind[8] = {'o', 's', 'p', 'y', 'r', 'a', 'm', '1'};
};

}

StoredPyramid::StoredPyramid(int file, V2i size) : m_file(file) {
    for (int level = 0; level < levelCount(size); ++level) {
        TiledLevel& made = m_levels.emplace_back(levelSize(size, level));
        m_places.emplace_back(made.tiles.size());
        made.tiles = {};
    }
}

StoredPyramid::~StoredPyramid() {
    if (m_file >= 0) ::close(m_file);
}

std::size_t StoredPyramid::bytes() const {
    std::size_t sum = sizeof *this;
    for (const auto& level : m_places)
        sum += level.size() * sizeof(Place);
    return sum;
}

StoredPyramidPtr StoredPyramid::open(const std::string& key, V2i size) {
    const int file = openKept(fileKey(key));
    if (file < 0) return nullptr;
    const std::shared_ptr<StoredPyramid> stored(new StoredPyramid(file, size));
    return stored->readIndex() ? stored : nullptr;
}

bool StoredPyramid::readIndex() {
    struct stat info = {};
    Footer footer;
    if (::fstat(m_file, &info) != 0 || info.st_size < static_cast<off_t>(sizeof footer)) return false;
    const auto end = static_cast<std::uint64_t>(info.st_size) - sizeof footer;
    if (!readAt(m_file, &footer, sizeof footer, end)) return false;
    if (std::memcmp(footer.kind, Footer{}.kind, sizeof footer.kind) != 0 ||
        V2i(footer.width, footer.height) != m_levels.front().size || footer.offset > end ||
        footer.bytes != end - footer.offset)
        return false;
    std::size_t count = 0;
    for (const auto& level : m_places)
        count += level.size();
    std::vector<Place> all(count);
    if (!reader().expanded(m_file, footer.offset, footer.bytes, all.data(), all.size() * sizeof(Place)))
        return false;
    auto from = all.begin();
    for (auto& level : m_places)
        for (Place& place : level) {
            place = *from++;
            if (place.offset > footer.offset || place.bytes > footer.offset - place.offset) return false;
        }
    return true;
}

Result<TilePtr> StoredPyramid::tile(int level, std::size_t index) const {
    const auto n = static_cast<std::size_t>(level);
    const Place place = m_places[n][index];
    const V2i size = m_levels[n].boxOfTile(index).size();
    if (place.bytes == 0) return clearTile(size);
    Raster pixels = Raster::unfilled(size);
    if (!reader().expanded(m_file, place.offset, place.bytes, pixels.rgba.data(),
                           pixels.rgba.size() * sizeof(Imath::half)))
        return fail("A picture could not be read back from the cache folder, " + cacheFolder().string() +
                    ".");
    return tileOf(std::move(pixels));
}

/// Takes the tiles of all levels, in any order, each once.
class PyramidWriter {
public:
    PyramidWriter(const std::string& key, V2i size)
        : m_file(fileKey(key)), m_made(new StoredPyramid(-1, size)) {}

    /// Some of a level's tiles. False: the disk does not take them.
    bool put(int level, const std::vector<std::size_t>& indices,
             const std::function<Raster(std::size_t at)>& pixels) {
        std::vector<Bytes> all(indices.size());
        inParallel(std::size_t{0}, indices.size(), [&](std::size_t i) {
            const Halfs rgba = std::move(pixels(i).rgba);
            const bool clear =
                std::all_of(rgba.begin(), rgba.end(), [](Imath::half v) { return v.bits() == 0; });
            if (!clear) all[i] = packed(rgba.data(), rgba.size() * sizeof(Imath::half));
        });
        auto& places = m_made->m_places[static_cast<std::size_t>(level)];
        bool ok = true;
        for (std::size_t i = 0; i < all.size(); ++i) {
            places[indices[i]] = {static_cast<std::uint64_t>(m_file.size()),
                                  static_cast<std::uint32_t>(all[i].size())};
            ok = ok && m_file.write(all[i].data(), all[i].size());
        }
        return ok;
    }

    StoredPyramidPtr finish() {
        std::vector<StoredPyramid::Place> index;
        for (const auto& level : m_made->m_places)
            index.insert(index.end(), level.begin(), level.end());
        const Bytes bytes = packed(index.data(), index.size() * sizeof index.front());
        Footer footer;
        footer.offset = static_cast<std::uint64_t>(m_file.size()), footer.bytes = bytes.size();
        const V2i size = m_made->m_levels.front().size;
        footer.width = size.x, footer.height = size.y;
        m_file.write(bytes.data(), bytes.size());
        m_file.write(&footer, sizeof footer);
        m_made->m_file = m_file.keep();
        return m_made->m_file >= 0 ? m_made : nullptr;
    }

private:
    KeptFileWriter m_file;
    std::shared_ptr<StoredPyramid> m_made;
};

StoredPyramidPtr store(const std::string& key, const Pyramid& pyramid, std::stop_token stop) {
    PyramidWriter writer(key, pyramid.levels.front().size);
    for (std::size_t level = 0; level < pyramid.levels.size(); ++level) {
        const auto& tiles = pyramid.levels[level].tiles;
        for (std::size_t i = 0; i < tiles.size(); ++i)
            if (stop.stop_requested() ||
                !writer.put(static_cast<int>(level), {i}, [&](std::size_t) -> Raster { return *tiles[i]; }))
                return nullptr;
    }
    return writer.finish();
}

void dropStored(const std::string& key) {
    removeKept(fileKey(key));
}

namespace {

/// Two rows of a level to one of the next.
std::vector<Imath::half> meanRow(const Imath::half* upper, const Imath::half* lower, int width) {
    const int half = (width + 1) / 2;
    std::vector<Imath::half> out(static_cast<std::size_t>(half) * 4);
    for (int x = 0; x < half; ++x) {
        const int a = 8 * x, b = 4 * std::min(2 * x + 1, width - 1);
        for (int c = 0; c < 4; ++c)
            out[static_cast<std::size_t>(4 * x + c)] = 0.25f * (float(upper[a + c]) + float(upper[b + c]) +
                                                                float(lower[a + c]) + float(lower[b + c]));
    }
    return out;
}

/// Rows of a picture from the top to tiles of all levels.
class RowsToTiles {
public:
    RowsToTiles(PyramidWriter& writer, V2i size) : m_writer(writer) {
        for (int level = 0; level < levelCount(size); ++level)
            m_levels.emplace_back(levelSize(size, level));
    }

    /// The next row of a level; hands the mean of two on to the next. False: the disk does not take it.
    bool put(std::size_t level, const Imath::half* row) {
        Level& to = m_levels[level];
        const int y = to.rows++, width = to.tiled.size.x, height = to.tiled.size.y;
        if (y % tileSide == 0) to.band = Raster(V2i(width, std::min(tileSide, height - y)));
        std::copy_n(row, std::size_t{4} * static_cast<std::size_t>(width), to.band.row(y % tileSide));
        bool ok = true;
        if (level + 1 < m_levels.size()) {
            if (y % 2 == 0 && y + 1 < height) {
                to.upper.assign(row, row + std::size_t{4} * static_cast<std::size_t>(width));
            } else {
                const auto mean = meanRow(y % 2 == 0 ? row : to.upper.data(), row, width);
                ok = put(level + 1, mean.data());
            }
        }
        if ((y + 1) % tileSide == 0 || y + 1 == height) ok = flush(level, y / tileSide) && ok;
        return ok;
    }

private:
    struct Level {
        explicit Level(V2i size) : tiled(size) {}
        TiledLevel tiled;
        int rows = 0;
        Raster band;                    ///< rows of the tiles under way
        std::vector<Imath::half> upper; ///< without its lower one
    };

    bool flush(std::size_t level, int ty) {
        const Level& from = m_levels[level];
        std::vector<std::size_t> indices;
        for (int tx = 0; tx < from.tiled.grid.x; ++tx)
            indices.push_back(from.tiled.indexOf(tx, ty));
        return m_writer.put(static_cast<int>(level), indices, [&](std::size_t i) {
            const Box box = from.tiled.boxOfTile(indices[i]);
            Raster tile(box.size());
            for (int y = 0; y < tile.size.y; ++y)
                std::copy_n(from.band.row(y) + 4 * box.x0,
                            std::size_t{4} * static_cast<std::size_t>(tile.size.x), tile.row(y));
            return tile;
        });
    }

    PyramidWriter& m_writer;
    std::vector<Level> m_levels;
};

}

Result<StoredPyramidPtr> storeStrips(const std::string& key, const std::string& name, V2i size,
                                     const ReadStrips& read) {
    PyramidWriter writer(key, size);
    RowsToTiles tiles(writer, size);
    bool fits = true, room = true;
    int rows = 0;
    const auto done = read([&](int y, const Raster& strip) {
        fits = fits && strip.size.x == size.x && y == rows && y + strip.size.y <= size.y;
        if (!fits) return false;
        rows += strip.size.y;
        for (int row = 0; row < strip.size.y && room; ++row)
            room = tiles.put(0, strip.row(row));
        return room;
    });
    if (!fits || (done && room && rows != size.y))
        return fail("Cannot show " + name + ": it has another size than when it was brought in, " +
                    std::to_string(size.x) + " x " + std::to_string(size.y) + " pixels.");
    if (!done) return tl::unexpected(done.error());
    auto stored = room ? writer.finish() : nullptr;
    if (!stored)
        return fail("Cannot lay out " + name + " in " + cacheFolder().string() +
                    ": there is no room, or it cannot be written to.");
    return stored;
}

}
