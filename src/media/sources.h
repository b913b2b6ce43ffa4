// The pixels of layers, kept within a budget of bytes.
#pragma once

#include "media/footage.h"
#include "media/pyramid.h"
#include "scene/error.h"
#include "scene/scene.h"

#include <condition_variable>
#include <list>
#include <map>
#include <mutex>
#include <unordered_map>

namespace stage::media {

/// Loads a layer's pixels when first asked and keeps them by content until others need the room.
/// Thread-safe: two threads that ask for the same pixels cause one load. What was given out stays valid
/// as long as it is held, also when it is evicted here.
class Sources {
public:
    /// budget: bytes of pixels to keep; 0 means a quarter of the machine's memory.
    explicit Sources(std::size_t budget = 0);
    ~Sources();

    /// The pixels of a flat layer (not a group) at a frame of its footage. Blocks while loading.
    /// Errors are remembered until forgetProblems().
    Result<PyramidPtr> pyramid(const scene::Layer& layer, std::int64_t sourceFrame);
    /// The pixels if they are here already.
    PyramidPtr ready(const scene::Layer& layer, std::int64_t sourceFrame);

    std::size_t bytesKept() const;
    void forgetProblems();

private:
    struct Slot {
        Result<PyramidPtr> pixels;
        bool loading = true;
        std::size_t bytes = 0;
        std::list<std::string>::iterator place;
    };
    struct Clip {
        std::mutex lock;
        std::unique_ptr<FootageReader> reader;
    };
    Result<Level> read(const scene::Layer& layer, std::int64_t sourceFrame);
    void evict();

    mutable std::mutex m_lock;
    std::condition_variable m_loaded;
    std::size_t m_budget;
    std::size_t m_kept = 0;
    std::unordered_map<std::string, Slot> m_slots;
    std::list<std::string> m_byUse; ///< latest first
    std::map<std::string, std::shared_ptr<Clip>> m_clips;
};

}
