#include "desk/session/playhead.h"

#include <algorithm>

namespace stage::desk {

Playhead::Playhead(Document& document) : m_document(document) {
    // Before any view looks.
    connect(&document, &Document::sceneChanged, this, [this] {
        m_frame = std::clamp<std::int64_t>(m_frame, 0, m_document.scene()->output.frames - 1);
    });
    connect(&document, &Document::beginning, this, [this] {
        m_frame = 0;
        m_range.reset();
    });
    connect(&document, &Document::begun, this, [this] {
        Q_EMIT frameChanged();
        m_beat.tick();
    });
}

void Playhead::setFrame(std::int64_t frame) {
    frame = std::clamp<std::int64_t>(frame, 0, m_document.scene()->output.frames - 1);
    if (frame == m_frame) return;
    m_frame = frame;
    Q_EMIT frameChanged();
    m_beat.tick();
}

std::pair<std::int64_t, std::int64_t> Playhead::range() const {
    const std::int64_t end = m_document.scene()->output.frames - 1;
    if (!m_range) return {0, end};
    const std::int64_t first = std::min(m_range->first, end);
    return {first, std::clamp(m_range->second, first, end)};
}

void Playhead::setRange(std::optional<std::pair<std::int64_t, std::int64_t>> range) {
    if (range && range->first > range->second) std::swap(range->first, range->second);
    m_range = range;
    Q_EMIT rangeChanged();
}

}
