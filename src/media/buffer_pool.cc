#include "media/buffer_pool.h"

#include <bit>
#include <cstdint>
#include <cstdlib>
#include <mutex>
#include <set>
#include <sys/mman.h>
#include <unordered_map>
#include <vector>

namespace stage::media {
namespace {

/// Of large pages, bytes.
constexpr std::size_t page = std::size_t{2} << 20;
constexpr std::size_t megabyte = std::size_t{1} << 20;

void* newPages(std::size_t bytes) {
    void* const at = std::aligned_alloc(page, (bytes + page - 1) / page * page);
    if (!at) throw std::bad_alloc();
    ::madvise(at, bytes, MADV_HUGEPAGE); // advice: it works without
    return at;
}

/// Large buffers that were given back, of which some are kept.
class FramePool {
public:
    void* take(std::size_t bytes) {
        {
            const std::lock_guard guard(m_lock);
            for (auto buffer = m_kept.rbegin(); buffer != m_kept.rend(); ++buffer)
                if (buffer->first == bytes) {
                    void* const at = buffer->second;
                    m_kept.erase(std::next(buffer).base());
                    m_bytes -= bytes;
                    return at;
                }
        }
        return newPages(bytes);
    }

    void giveBack(void* at, std::size_t bytes) {
        const std::lock_guard guard(m_lock);
        m_kept.emplace_back(bytes, at);
        m_bytes += bytes;
        std::size_t freed = 0;
        for (; m_kept.size() - freed > most || m_bytes > mostBytes; ++freed) {
            m_bytes -= m_kept[freed].first;
            std::free(m_kept[freed].second);
        }
        m_kept.erase(m_kept.begin(), m_kept.begin() + static_cast<std::ptrdiff_t>(freed));
    }

private:
    static constexpr std::size_t most = 10, mostBytes = 256 * megabyte;

    std::mutex m_lock;
    std::vector<std::pair<std::size_t, void*>> m_kept; ///< with their sizes, latest last
    std::size_t m_bytes = 0;
};

/// Buffers of the size of tiles, as many of one size to a large page as it holds.
class TilePool {
public:
    static constexpr std::size_t least = std::size_t{64} << 10, most = page;

    void* take(std::size_t bytes) {
        const std::size_t size = sizeFor(bytes);
        const std::lock_guard guard(m_lock);
        auto& partlyFree = m_partlyFree[size];
        if (partlyFree.empty()) partlyFree.insert(begin(size));
        const auto first = *partlyFree.begin(); // the lowest: the others become free as a whole sooner
        auto& unused = m_pages[first].unused;
        void* const at = unused.back();
        unused.pop_back();
        if (unused.empty()) partlyFree.erase(first);
        return at;
    }

    void giveBack(void* at, std::size_t bytes) {
        const std::size_t size = sizeFor(bytes);
        const std::uintptr_t first = reinterpret_cast<std::uintptr_t>(at) / page * page;
        const std::lock_guard guard(m_lock);
        auto& unused = m_pages[first].unused;
        unused.push_back(at);
        auto& partlyFree = m_partlyFree[size];
        if (unused.size() < page / size) {
            partlyFree.insert(first);
            return;
        }
        partlyFree.erase(first);
        m_pages.erase(first);
        if (m_free.size() < mostFree)
            m_free.push_back(first);
        else
            std::free(reinterpret_cast<void*>(first)); // as it was allocated
    }

private:
    struct Page {
        std::vector<void*> unused; ///< parts of it
    };
    static constexpr std::size_t mostFree = 64 * megabyte / page;

    /// Four sizes to each power of two: what is wasted is little, and many find a buffer of theirs.
    static std::size_t sizeFor(std::size_t bytes) {
        const std::size_t step = std::bit_floor(bytes - 1) / 4;
        return (bytes + step - 1) / step * step;
    }
    std::uintptr_t begin(std::size_t size) {
        std::uintptr_t first;
        if (m_free.empty()) {
            first = reinterpret_cast<std::uintptr_t>(newPages(page));
        } else {
            first = m_free.back();
            m_free.pop_back();
        }
        auto& unused = m_pages[first].unused;
        for (std::size_t part = page / size; part-- > 0;)
            unused.push_back(reinterpret_cast<void*>(first + part * size));
        return first;
    }

    std::mutex m_lock;
    // Pages by their address.
    std::unordered_map<std::uintptr_t, Page> m_pages;                       ///< those in use
    std::unordered_map<std::size_t, std::set<std::uintptr_t>> m_partlyFree; ///< by the size of their parts
    std::vector<std::uintptr_t> m_free;                                     ///< as a whole
};

#ifdef __SANITIZE_ADDRESS__
constexpr bool pooled = false; // the sanitizer is to see what is used after it was given back
#else
constexpr bool pooled = true;
#endif
// They outlive all pictures.
FramePool& frames() {
    static FramePool* const pool = new FramePool;
    return *pool;
}
TilePool& tiles() {
    static TilePool* const pool = new TilePool;
    return *pool;
}

bool ofFrames(std::size_t bytes) {
    return pooled && bytes > TilePool::most;
}
bool ofTiles(std::size_t bytes) {
    return pooled && bytes >= TilePool::least && bytes <= TilePool::most;
}

}

void* takeBuffer(std::size_t bytes) {
    if (ofFrames(bytes)) return frames().take(bytes);
    if (ofTiles(bytes)) return tiles().take(bytes);
    constexpr std::size_t alignment = 64;
    void* const at = std::aligned_alloc(alignment, (bytes + alignment - 1) / alignment * alignment);
    if (!at) throw std::bad_alloc();
    return at;
}

void returnBuffer(void* at, std::size_t bytes) {
    if (ofFrames(bytes))
        frames().giveBack(at, bytes);
    else if (ofTiles(bytes))
        tiles().giveBack(at, bytes);
    else
        std::free(at);
}

}
