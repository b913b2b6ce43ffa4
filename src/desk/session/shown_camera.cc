#include "desk/session/shown_camera.h"

#include "interaction/camera_handles.h"

#include <algorithm>

namespace stage::desk {

ShownCamera::ShownCamera(Document& document, Playhead& playhead)
    : m_document(document), m_playhead(playhead) {
    connect(&document, &Document::beginning, this, [this] { m_offMove.reset(); });
    connect(&document, &Document::begun, this, &ShownCamera::changed);
}

scene::Pose ShownCamera::pose() const {
    if (offHere()) return m_offMove->pose;
    return m_document.move().at(m_playhead.time().toDouble());
}

int ShownCamera::markHere() const {
    return interaction::markAtFrame(*m_document.scene(), m_playhead.frame());
}

void ShownCamera::walk(const scene::Pose& pose) {
    const scene::Scene& base = *m_document.history().scene();
    const auto numberOf = [](const scene::Scene& scene, std::int64_t id) {
        const auto& marks = scene.camera.marks;
        return std::find_if(marks.begin(), marks.end(), [&](const scene::Mark& m) { return m.id == id; });
    };
    if (!m_document
             .previewing()) { // a walk begins: at a mark it stays with that mark, whenever that comes to be
        const int here = markHere();
        m_walked = here < 0 ? 0 : base.camera.marks[static_cast<std::size_t>(here)].id;
        m_walkSeen = motion::CameraMove(base).at(m_playhead.time().toDouble());
    }
    if (const auto mark = numberOf(base, m_walked); m_walked != 0 && mark != base.camera.marks.end()) {
        m_document.preview(edit::walked(base, mark->time, m_walkSeen, pose));
        followMark(m_walked);
        return;
    }
    const edit::Edit edit = edit::walked(base, m_playhead.time(), m_walkSeen, pose);
    const auto next = edit::apply(base, edit);
    if (!next) return; // out of bounds: the last good pose stays
    m_offMove = OffMove{m_playhead.time(), pose, edit};
    // As it would be seen, were it a mark: what aims goes on aiming.
    if (const auto& marks = next->camera.marks; marks.size() > base.camera.marks.size())
        for (const scene::Mark& made : marks)
            if (numberOf(base, made.id) == base.camera.marks.end())
                m_offMove->pose = motion::CameraMove(*next).at(made.time.toDouble());
    Q_EMIT changed();
}

/// Under one pace over the whole move the time of a mark follows from the path.
void ShownCamera::followMark(std::int64_t id) {
    for (const scene::Mark& mark : m_document.scene()->camera.marks)
        if (mark.id == id) return m_playhead.setFrame(frameAt(mark.time, m_document.scene()->output.rate));
}

void ShownCamera::cancelWalk(const std::optional<scene::Pose>& off) {
    m_document.dropPreview();
    if (!offHere()) return;
    if (off)
        walk(*off);
    else
        backToMove();
}

void ShownCamera::endWalk() {
    m_document.commit();
}

void ShownCamera::setMarkHere() {
    if (offHere())
        setMarkOffMove();
    else if (markHere() < 0)
        makeMark({{"edit", "set-mark"}, {"time", m_playhead.time().text()}});
}

void ShownCamera::setMarkOffMove() {
    if (!m_offMove) return;
    if (makeMark(m_offMove->edit)) backToMove();
}

bool ShownCamera::makeMark(const edit::Edit& edit) {
    std::int64_t last = 0;
    for (const scene::Mark& mark : m_document.scene()->camera.marks)
        last = std::max(last, mark.id);
    if (!m_document.apply(edit)) return false;
    for (const scene::Mark& mark : m_document.scene()->camera.marks)
        if (mark.id > last) {
            followMark(mark.id);
            break;
        }
    return true;
}

void ShownCamera::backToMove() {
    if (!m_offMove) return;
    m_offMove.reset();
    Q_EMIT changed();
}

}
