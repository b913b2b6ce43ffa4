#include "edit/history.h"

namespace stage::edit {

History::History(scene::Scene start) {
    m_states.push_back({std::make_shared<const scene::Scene>(std::move(start)), ""});
}

Result<void> History::apply(const Edit& edit) {
    auto next = edit::apply(*scene(), edit);
    if (!next) return tl::unexpected(next.error());
    std::string name = describe(*scene(), edit);
    m_states.resize(m_now + 1);
    m_states.push_back({std::make_shared<const scene::Scene>(std::move(*next)), std::move(name)});
    ++m_now;
    return {};
}

void History::undo() {
    if (canUndo()) --m_now;
}

void History::redo() {
    if (canRedo()) ++m_now;
}

}
