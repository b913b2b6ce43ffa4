// Unlimited undo: every state with the name of the edit that led to it. Not thread-safe; the scenes are.
#pragma once

#include "edit/edit.h"

namespace stage::edit {

class History {
public:
    /// Begins with a scene that cannot be undone.
    explicit History(scene::Scene start);

    /// As it is after the steps done.
    const scene::ScenePtr& scene() const { return m_states[m_now].scene; }
    /// Applies an edit as a new step; what had been undone is dropped. On error nothing changes.
    Result<void> apply(const Edit& edit);
    bool canUndo() const { return m_now > 0; }
    bool canRedo() const { return m_now + 1 < m_states.size(); }
    /// Nothing happens where canUndo() says no.
    void undo();
    /// Nothing happens where canRedo() says no.
    void redo();
    /// Of the step that undo() takes back; empty: none.
    std::string undoName() const { return canUndo() ? m_states[m_now].name : ""; }
    /// Of the step that redo() does again; empty: none.
    std::string redoName() const { return canRedo() ? m_states[m_now + 1].name : ""; }
    /// How many are done.
    std::size_t step() const { return m_now; }
    /// Of all states, also those undone; the first has none.
    std::vector<std::string> names() const {
        std::vector<std::string> names;
        for (const State& state : m_states)
            names.push_back(state.name);
        return names;
    }

private:
    struct State {
        scene::ScenePtr scene;
        std::string name;
    };
    std::vector<State> m_states;
    std::size_t m_now = 0;
};

}
