#include "desk/jobs/frame_cache.h"

#include <algorithm>

namespace stage::desk {
namespace {

std::size_t sizeOf(const QImage& picture) {
    return static_cast<std::size_t>(picture.sizeInBytes());
}

}

void FrameCache::setBudget(std::size_t bytes) {
    m_budget = bytes;
    makeRoom(0);
}

void FrameCache::setRange(std::int64_t first, std::int64_t last) {
    m_first = first;
    m_last = std::max(first, last);
}

std::int64_t FrameCache::until(std::int64_t frame) const {
    constexpr std::int64_t outside = std::int64_t{1} << 40;
    const std::int64_t count = m_last - m_first + 1;
    if (frame < m_first || frame > m_last) return outside + std::abs(frame - m_playhead);
    // From outside, playing begins at the first.
    const std::int64_t from = m_playhead < m_first || m_playhead > m_last ? m_first : m_playhead;
    return ((frame - from) % count + count) % count;
}

void FrameCache::makeRoom(std::size_t bytes) {
    while (m_pictures.size() > 1 && m_bytes + bytes > m_budget) {
        const auto last =
            std::max_element(m_pictures.begin(), m_pictures.end(), [this](const auto& a, const auto& b) {
                return until(a.first) < until(b.first);
            });
        m_bytes -= sizeOf(last->second.picture);
        m_pictures.erase(last);
    }
}

void FrameCache::keep(std::int64_t frame, const QImage& picture, bool coarse) {
    if (const auto was = m_pictures.find(frame); was != m_pictures.end()) {
        if (coarse && !was->second.coarse) return;
        m_bytes -= sizeOf(was->second.picture);
        m_pictures.erase(was);
    }
    makeRoom(sizeOf(picture));
    m_bytes += sizeOf(picture);
    m_pictures.emplace(frame, Kept{picture, coarse});
}

const QImage* FrameCache::find(std::int64_t frame) const {
    const auto at = m_pictures.find(frame);
    return at == m_pictures.end() || at->second.coarse ? nullptr : &at->second.picture;
}

const QImage* FrameCache::findCoarse(std::int64_t frame) const {
    const auto at = m_pictures.find(frame);
    return at == m_pictures.end() ? nullptr : &at->second.picture;
}

int FrameCache::count() const {
    return static_cast<int>(std::count_if(m_pictures.begin(), m_pictures.end(),
                                          [](const auto& each) { return !each.second.coarse; }));
}

std::vector<std::pair<std::int64_t, std::int64_t>> FrameCache::runs() const {
    std::vector<std::pair<std::int64_t, std::int64_t>> runs;
    for (const auto& [frame, kept] : m_pictures)
        if (kept.coarse)
            continue;
        else if (!runs.empty() && runs.back().second + 1 == frame)
            runs.back().second = frame;
        else
            runs.emplace_back(frame, frame);
    return runs;
}

void FrameCache::clear() {
    m_pictures.clear();
    m_bytes = 0;
}

std::optional<std::int64_t> FrameCache::wanted(std::size_t bytesEach) const {
    const std::int64_t count = m_last - m_first + 1,
                       from = m_playhead < m_first || m_playhead > m_last ? m_first : m_playhead;
    const auto most = static_cast<std::int64_t>(
        std::min<std::size_t>(m_budget / std::max<std::size_t>(1, bytesEach), 1u << 30));
    for (std::int64_t i = 0; i < std::min(count, most); ++i) {
        const std::int64_t frame = m_first + (from - m_first + i) % count;
        if (!find(frame)) return frame;
    }
    return {};
}

}
