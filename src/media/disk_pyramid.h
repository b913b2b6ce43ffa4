// Pictures too large to be kept in memory as a whole: read once, all levels laid out in a file that has no
// name and is gone with the program. Thread-safe.
#pragma once

#include "media/still.h"

#include <condition_variable>
#include <filesystem>
#include <functional>
#include <list>
#include <memory>
#include <mutex>
#include <optional>
#include <string>

namespace stage::media {

class DiskPyramid {
public:
    ~DiskPyramid();
    DiskPyramid(const DiskPyramid&) = delete;
    DiskPyramid& operator=(const DiskPyramid&) = delete;

    /// Reads the strips of a picture that is upright.
    using Read = std::function<Result<void>(const TakeStrip& take)>;
    /// name: of the picture, for errors. folder: where the file lies. Errors: those of reading; no room.
    static Result<std::shared_ptr<const DiskPyramid>>
    make(const std::string& name, V2i size, const std::filesystem::path& folder, const Read& read);
    /// A box within a level. Errors: the disk cannot be read.
    Result<Raster> read(int level, const Box& box) const;
    std::int64_t bytes() const { return m_start.back(); } ///< on disk, at most

private:
    explicit DiskPyramid(V2i size);
    int m_fd = -1;
    V2i m_size;
    std::vector<std::int64_t> m_start; ///< of each level, bytes
};

/// The pictures on the disk that are in use; those used least recently go to make room for others.
class DiskPyramids {
public:
    /// most: bytes on disk of all that are kept; nothing: half of what is free there, looked at each time.
    explicit DiskPyramids(std::optional<std::int64_t> most = {}) : m_most(most) {}
    /// key: of this state of the picture; name: of the picture, whatever its state. Blocks while it is made,
    /// by this thread or another.
    Result<std::shared_ptr<const DiskPyramid>> of(const std::string& key, const std::string& name, V2i size,
                                                  const DiskPyramid::Read& read);

private:
    struct Kept {
        std::string key, name;
        std::shared_ptr<const DiskPyramid> pyramid; ///< null while it is made
    };
    void makeRoom(std::int64_t bytes);
    const std::optional<std::int64_t> m_most;
    std::mutex m_lock;
    std::condition_variable m_made;
    std::list<Kept> m_kept; ///< latest used first
};

}
