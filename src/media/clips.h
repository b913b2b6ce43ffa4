// Open clips, shared by all who read their frames. Thread-safe.
#pragma once

#include "media/footage.h"

#include <atomic>
#include <condition_variable>
#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <thread>

namespace stage::media {

class Clips {
public:
    /// budget: bytes of decoded frames to keep, of all clips together.
    explicit Clips(std::size_t budget) : m_budget(budget) {}
    ~Clips();
    Clips(const Clips&) = delete;
    Clips& operator=(const Clips&) = delete;

    /// The n-th frame of a clip. The clip is opened when first asked for, and stays open until the file is
    /// another. Where frames are asked for one after the other, in either direction, those that follow are
    /// decoded ahead by a thread of the clip's own.
    Result<ClipFramePtr> frame(const std::string& path, std::int64_t n);
    void setBudget(std::size_t bytes);

private:
    class Clip;
    std::mutex m_lock;
    std::map<std::string, std::shared_ptr<Clip>> m_clips;
    std::atomic<std::size_t> m_budget;
};

}
