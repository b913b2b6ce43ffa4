// Pulling focus by two clicks: what is sharp at a mark, then what is sharp at the next one. Interface thread.
#pragma once

#include "desk/session/session.h"

namespace stage::desk {

class FocusPull {
public:
    explicit FocusPull(Session& session) : m_session(session) {}
    /// From the mark at or before the playhead, which goes there.
    void start();
    /// A click on a layer (0: on none, which changes nothing).
    void click(std::int64_t layer);
    void end() { m_mark = -1; }
    bool active() const { return m_mark >= 0; }
    int mark() const { return m_mark; } ///< from 0, for which a click is awaited

private:
    void goToMark();
    Session& m_session;
    int m_mark = -1, m_clicks = 0;
};

}
