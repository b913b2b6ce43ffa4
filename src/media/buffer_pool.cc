#include "media/buffer_pool.h"

#include <algorithm>
#include <cstdlib>
#include <mutex>
#include <sys/mman.h>
#include <vector>

namespace stage::media {
namespace {

/// Of large pages, bytes.
constexpr std::size_t page = std::size_t{2} << 20;

/// Buffers that were given back, of which some are kept.
class Pool {
public:
    Pool(std::size_t most, std::size_t mostBytes) : m_most(most), m_mostBytes(mostBytes) {}

    /// Null: none of that size.
    void* take(std::size_t bytes) {
        const std::lock_guard guard(m_lock);
        for (auto buffer = m_kept.rbegin(); buffer != m_kept.rend(); ++buffer)
            if (buffer->first == bytes) {
                void* const at = buffer->second;
                m_kept.erase(std::next(buffer).base());
                m_bytes -= bytes;
                return at;
            }
        return nullptr;
    }

    void add(std::size_t bytes, void* at) {
        const std::lock_guard guard(m_lock);
        m_kept.emplace_back(bytes, at);
        m_bytes += bytes;
        std::size_t freed = 0;
        for (; m_kept.size() - freed > m_most || m_bytes > m_mostBytes; ++freed) {
            m_bytes -= m_kept[freed].first;
            std::free(m_kept[freed].second);
        }
        m_kept.erase(m_kept.begin(), m_kept.begin() + static_cast<std::ptrdiff_t>(freed));
    }

private:
    const std::size_t m_most, m_mostBytes;
    std::mutex m_lock;
    std::vector<std::pair<std::size_t, void*>> m_kept; ///< with their sizes, latest last
    std::size_t m_bytes = 0;
};

/// Null: such small ones are as fast by themselves, or a sanitizer is to see what is used after it was given
/// back. Pools outlive all pictures.
Pool* poolFor([[maybe_unused]] std::size_t bytes) {
#ifdef __SANITIZE_ADDRESS__
    return nullptr;
#else
    static Pool* const frames = new Pool(3, std::size_t{256} << 20);
    static Pool* const tiles = new Pool(128, std::size_t{64} << 20);
    return bytes >= page ? frames : bytes >= std::size_t{64} << 10 ? tiles : nullptr;
#endif
}

}

void* takeBuffer(std::size_t bytes) {
    if (Pool* const pool = poolFor(bytes))
        if (void* const at = pool->take(bytes)) return at;
    const std::size_t alignment = bytes >= page ? page : 64;
    void* const at = std::aligned_alloc(alignment, (bytes + alignment - 1) / alignment * alignment);
    if (!at) throw std::bad_alloc();
    if (bytes >= page) ::madvise(at, bytes, MADV_HUGEPAGE); // advice: it works without
    return at;
}

void returnBuffer(void* at, std::size_t bytes) {
    if (Pool* const pool = poolFor(bytes))
        pool->add(bytes, at);
    else
        std::free(at);
}

}
