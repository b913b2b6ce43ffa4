#include "desk/camera/focus_pull.h"

namespace stage::desk {

void FocusPull::start() {
    const auto& marks = m_session.scene()->camera.marks;
    m_mark = 0;
    m_clicks = 0;
    while (m_mark + 1 < static_cast<int>(marks.size()) &&
           marks[static_cast<std::size_t>(m_mark) + 1].time <= m_session.playhead.time())
        ++m_mark;
    goToMark();
}

void FocusPull::click(std::int64_t layer) {
    if (!layer) return;
    if (!m_session.document.apply({{"edit", "mark"}, {"mark", m_mark + 1}, {"focusOn", layer}})) return;
    if (++m_clicks == 2 || m_mark + 1 == static_cast<int>(m_session.scene()->camera.marks.size()))
        return end();
    ++m_mark;
    goToMark();
}

void FocusPull::goToMark() {
    const scene::Scene& scene = *m_session.scene();
    m_session.playhead.setFrame(
        frameAt(scene.camera.marks[static_cast<std::size_t>(m_mark)].time, scene.output.rate));
}

}
