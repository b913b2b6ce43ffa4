// Keeps pyramids in the cache folder while others work: one after the other, by a thread of low priority.
#pragma once

#include "media/pyramid.h"

#include <condition_variable>
#include <deque>
#include <mutex>
#include <string>
#include <thread>

namespace stage::media {

/// Thread-safe.
class StoreQueue {
public:
    StoreQueue() = default;
    ~StoreQueue(); ///< what waits is finished, as far as two seconds go
    StoreQueue(const StoreQueue&) = delete;
    StoreQueue& operator=(const StoreQueue&) = delete;

    /// key: as in store(). Left out where too much waits already.
    void add(const std::string& key, PyramidPtr pyramid);
    /// Blocks until nothing waits.
    void finish();

private:
    struct Item {
        std::string key;
        PyramidPtr pyramid;
    };
    void work(const std::stop_token& stop);

    std::mutex m_lock;
    std::condition_variable_any m_changed;
    std::deque<Item> m_waiting; ///< the first is under way
    std::size_t m_bytes = 0;    ///< of all that wait
    std::jthread m_thread;      ///< begun when first needed
};

}
