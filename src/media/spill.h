// Pictures too large to be kept in memory as a whole: read once, all levels laid out in a file that has no
// name and is gone with the program. Thread-safe.
#pragma once

#include "media/raster.h"
#include "scene/error.h"
#include "scene/progress.h"

#include <filesystem>
#include <map>
#include <memory>
#include <mutex>
#include <string>

namespace stage::media {

class Spill {
public:
    ~Spill();
    Spill(const Spill&) = delete;
    Spill& operator=(const Spill&) = delete;

    /// Reads a still that is upright. folder: where the file lies. Errors: those of the picture; no room.
    static Result<std::shared_ptr<const Spill>> make(const std::filesystem::path& picture,
                                                     const std::string& part, V2i size,
                                                     const std::filesystem::path& folder,
                                                     const Progress& progress);
    Result<Raster> read(int level, const Box& box) const;

private:
    explicit Spill(V2i size);
    int m_fd = -1;
    V2i m_size;
    std::vector<std::int64_t> m_start; ///< of each level, bytes
};

/// The spilled pictures in use, by key.
class Spills {
public:
    Result<std::shared_ptr<const Spill>> of(const std::string& key, const std::filesystem::path& picture,
                                            const std::string& part, V2i size, const Progress& progress);

private:
    std::mutex m_lock;
    std::map<std::string, std::shared_ptr<const Spill>> m_spills;
};

}
