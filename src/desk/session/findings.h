// What the checks find in the scene as it is now, looked for off the interface thread.
#pragma once

#include "checks/check.h"
#include "desk/session/session.h"

#include <QObject>
#include <QTimer>
#include <memory>
#include <stop_token>

namespace stage::desk {

class Findings : public QObject {
    Q_OBJECT
public:
    explicit Findings(Session& session, QObject* parent = nullptr);
    ~Findings() override;
    /// Of the scene as it was a moment ago; empty at first.
    const checks::Report& report() const { return m_report; }
    bool known() const { return m_known && !m_still; } ///< of the scene as it is
    /// While a fix is tried out the findings stay those of the scene without it.
    void holdStill(bool hold);
    /// Goes to the next one after the playhead, or the first. Null when there is none.
    const checks::Finding* goToNext();

Q_SIGNALS:
    void changed();

private:
    void look();
    void glance();
    void addGap(checks::Finding finding);
    Session& m_session;
    QTimer m_settled;
    checks::Report m_report;
    bool m_known = false, m_still = false;
    std::shared_ptr<std::stop_source> m_running;
    bool m_glancing = false;        ///< while something is dragged
    bool m_gapGlanced = false;      ///< the last glance saw one
    scene::ScenePtr m_glanceWanted; ///< of the scene since the one that is glanced at
};

}
