// Open clips, shared by all who read their frames. Thread-safe.
#pragma once

#include "media/footage.h"

#include <map>
#include <memory>
#include <mutex>
#include <string>

namespace stage::media {

class Clips {
public:
    /// The n-th frame of a clip. The clip is opened when first asked for, and stays open until the file is
    /// another.
    Result<Raster> frame(const std::string& path, std::int64_t n);

private:
    struct Clip {
        std::mutex lock;
        std::string state; ///< of the file, as it was opened
        std::unique_ptr<FootageReader> reader;
    };
    std::mutex m_lock;
    std::map<std::string, std::shared_ptr<Clip>> m_clips;
};

}
