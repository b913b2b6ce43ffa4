// A picture with all its levels in a file of the cache folder (media/kept_files.h), its tiles compressed
// (LZ4, each with a checksum); clear tiles take no room. Opening one reads its index only.
#pragma once

#include "media/pyramid.h"
#include "scene/error.h"

#include <cstdint>
#include <functional>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

namespace stage::media {

/// Immutable; thread-safe.
class StoredPyramid {
public:
    ~StoredPyramid();
    StoredPyramid(const StoredPyramid&) = delete;
    StoredPyramid& operator=(const StoredPyramid&) = delete;

    /// size: of level 0, px. Null: none is kept under this key, or it is damaged.
    static std::shared_ptr<const StoredPyramid> open(const std::string& key, V2i size);
    /// A tile of a level. Errors: the disk cannot be read, or what it holds is damaged.
    Result<TilePtr> tile(int level, std::size_t index) const;
    /// Of the index, in memory.
    std::size_t bytes() const;

private:
    friend class PyramidWriter;
    struct Place {
        std::uint64_t offset = 0;
        std::uint32_t bytes = 0; ///< 0: clear
    };
    StoredPyramid(int file, V2i size);
    bool readIndex();

    int m_file;
    std::vector<TiledLevel> m_levels; ///< without tiles
    std::vector<std::vector<Place>> m_places;
};
using StoredPyramidPtr = std::shared_ptr<const StoredPyramid>;

/// Keeps a pyramid that has all its tiles. Null: it could not be written, or the work was stopped.
StoredPyramidPtr store(const std::string& key, const Pyramid& pyramid, std::stop_token stop = {});

/// As if it had never been kept, for who asks from now on.
void dropStored(const std::string& key);

/// Reads the strips of a picture that is upright.
using ReadStrips = std::function<Result<void>(const TakeStrip& take)>;
/// Keeps a picture too large to be held as a whole. name: of the picture, for errors. Errors: those of
/// reading; its size is not that one; no room.
Result<StoredPyramidPtr> storeStrips(const std::string& key, const std::string& name, V2i size,
                                     const ReadStrips& read);

}
