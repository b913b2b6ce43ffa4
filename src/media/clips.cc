#include "media/clips.h"

#include "media/file_state.h"

#include <algorithm>
#include <cstdlib>

namespace stage::media {
namespace {

constexpr std::int64_t framesAhead = 8;

}

/// An open clip with the frames around the one last asked for.
class Clips::Clip {
public:
    Clip(std::string path, std::size_t budget)
        : m_path(std::move(path)), m_state(fileState(m_path)), m_budget(budget),
          m_ahead([this](const std::stop_token& stop) { decodeAhead(stop); }) {}

    /// The file is still the one that was opened.
    bool current() const { return fileState(m_path) == m_state; }
    void setBudget(std::size_t bytes) {
        const std::lock_guard guard(m_lock);
        m_budget = bytes;
        if (m_reader) m_reader->setKeep(bytes);
    }

    Result<ClipFramePtr> frame(std::int64_t n) {
        if (auto here = kept(n)) return asked(n, std::move(here));
        const std::lock_guard reading(m_reading);
        if (!m_reader) {
            auto opened = FootageReader::open(m_path, {}, m_budget);
            if (!opened) return tl::unexpected(opened.error());
            const std::lock_guard guard(m_lock);
            m_reader = std::move(*opened);
        }
        auto made = m_reader->frame(n); // perhaps decoded ahead meanwhile
        if (!made) return made;
        return asked(n, std::move(*made));
    }

private:
    ClipFramePtr kept(std::int64_t n) {
        const std::lock_guard guard(m_lock);
        return m_reader ? m_reader->kept(n) : nullptr;
    }

    /// Notes where one is and which way one goes.
    ClipFramePtr asked(std::int64_t n, ClipFramePtr frame) {
        const std::lock_guard guard(m_lock);
        if (n != m_at) {
            const std::int64_t step = n - m_at;
            m_step = m_at >= 0 && std::abs(step) <= 3 ? step : 0;
            m_at = n;
            m_moved.notify_one();
        }
        return frame;
    }

    void decodeAhead(const std::stop_token& stop) {
        std::unique_lock guard(m_lock);
        std::int64_t done = -1; // for the frame asked for last
        while (m_moved.wait(guard, stop, [&] { return m_at != done; })) {
            done = m_at;
            const std::int64_t step = m_step;
            // More than is kept would push out what is needed next.
            const std::int64_t most = std::min(framesAhead, m_reader->mostKept() / 2);
            for (std::int64_t i = 1; step != 0 && i <= most && m_at == done && !stop.stop_requested(); ++i) {
                const std::int64_t n = done + i * step;
                if (n < 0 || n >= m_reader->info().frames) break;
                if (m_reader->kept(n)) continue;
                guard.unlock();
                bool fine = false;
                {
                    const std::lock_guard reading(m_reading);
                    fine = m_reader->frame(n).has_value();
                }
                guard.lock();
                if (!fine) break; // whoever asks for it is told why
            }
        }
    }

    const std::string m_path, m_state;
    std::mutex m_reading; ///< held while frames are read; before m_lock
    std::mutex m_lock;
    std::condition_variable_any m_moved;
    std::size_t m_budget;
    std::unique_ptr<FootageReader> m_reader; ///< made once, with both held
    std::int64_t m_at = -1,
                 m_step = 0; ///< the frame asked for last, and from the one before to it; 0: no way
    std::jthread m_ahead;
};

Clips::~Clips() = default;

Result<ClipFramePtr> Clips::frame(const std::string& path, std::int64_t n) {
    std::shared_ptr<Clip> clip, replaced;
    {
        const std::lock_guard guard(m_lock);
        auto& place = m_clips[path];
        if (place && !place->current()) replaced = std::move(place);
        if (!place) {
            place = std::make_shared<Clip>(path, m_budget / m_clips.size());
            for (auto& [name, each] : m_clips)
                each->setBudget(m_budget / m_clips.size());
        }
        clip = place;
    }
    return clip->frame(n);
}

void Clips::setBudget(std::size_t bytes) {
    const std::lock_guard guard(m_lock);
    m_budget = bytes;
    for (auto& [name, each] : m_clips)
        each->setBudget(bytes / m_clips.size());
}

}
