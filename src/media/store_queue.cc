#include "media/store_queue.h"

#include "media/stored_pyramid.h"

#include <chrono>
#include <sys/resource.h>
#include <unistd.h>

namespace stage::media {
namespace {

/// Bytes in memory that may wait.
constexpr std::size_t most = 512u << 20;
constexpr int lowPriority = 10; // of nice

}

StoreQueue::~StoreQueue() {
    {
        std::unique_lock guard(m_lock);
        m_changed.wait_for(guard, std::chrono::seconds(2), [&] { return m_waiting.empty(); });
    }
    m_thread.request_stop();
}

void StoreQueue::add(const std::string& key, PyramidPtr pyramid) {
    std::lock_guard guard(m_lock);
    const std::size_t bytes = pyramid->bytes();
    if (m_bytes + bytes > most) return;
    m_bytes += bytes;
    m_waiting.push_back({key, std::move(pyramid)});
    if (!m_thread.joinable()) m_thread = std::jthread([this](const std::stop_token& stop) { work(stop); });
    m_changed.notify_all();
}

void StoreQueue::finish() {
    std::unique_lock guard(m_lock);
    m_changed.wait(guard, [&] { return m_waiting.empty(); });
}

void StoreQueue::work(const std::stop_token& stop) {
    ::setpriority(PRIO_PROCESS, static_cast<id_t>(::gettid()), lowPriority);
    std::unique_lock guard(m_lock);
    while (m_changed.wait(guard, stop, [&] { return !m_waiting.empty(); })) {
        const Item item = m_waiting.front();
        guard.unlock();
        [[maybe_unused]] const auto outcome = guarded([&]() -> Result<void> {
            store(item.key, *item.pyramid, stop);
            return {};
        });
        guard.lock();
        m_bytes -= item.pyramid->bytes();
        m_waiting.pop_front();
        m_changed.notify_all();
    }
}

}
