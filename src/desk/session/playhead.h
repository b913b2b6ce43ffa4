// Where one is in time, and what is played. Interface thread.
#pragma once

#include "desk/jobs/beat.h"
#include "desk/session/document.h"

#include <optional>
#include <utility>

namespace stage::desk {

class Playhead : public QObject {
    Q_OBJECT
public:
    explicit Playhead(Document& document);

    std::int64_t frame() const { return m_frame; }
    Rational time() const { return timeOfFrame(m_frame, m_document.scene()->output.rate); }
    /// Kept within the scene.
    void setFrame(std::int64_t frame);
    /// First and last frame of what is played in a loop; all of the scene unless it is set.
    std::pair<std::int64_t, std::int64_t> range() const;
    bool playsAll() const { return !m_range; }
    void setRange(std::optional<std::pair<std::int64_t, std::int64_t>> range);
    /// Tells views that follow the playhead without being what is played.
    Beat& beat() { return m_beat; }

Q_SIGNALS:
    void frameChanged(); ///< for what is played; all else follows the beat
    void rangeChanged();

private:
    Document& m_document;
    Beat m_beat;
    std::int64_t m_frame = 0;
    std::optional<std::pair<std::int64_t, std::int64_t>> m_range;
};

}
