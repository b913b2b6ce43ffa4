// What the checks find in the scene as it is now, looked for off the interface thread, and the list of it.
#pragma once

#include "checks/choreography.h"
#include "desk/session/session.h"

#include <QFrame>
#include <QTimer>

class QVBoxLayout;

namespace stage::desk {

class Findings : public QObject {
    Q_OBJECT
public:
    explicit Findings(Session& session, QObject* parent = nullptr);
    ~Findings() override;
    /// Of the scene as it was a moment ago; empty at first.
    const checks::Report& report() const { return m_report; }
    bool known() const { return m_known; } ///< of the scene as it is
    /// Goes to the next one after the playhead, or the first. Null when there is none.
    const checks::Finding* goToNext();

Q_SIGNALS:
    void changed();

private:
    void look();
    Session& m_session;
    QTimer m_settled;
    checks::Report m_report;
    bool m_known = false;
    std::shared_ptr<std::stop_source> m_running;
};

/// The list, as a sheet over the desk: each with its sentence, a button that goes there, and its fixes.
class FindingsSheet : public QFrame {
    Q_OBJECT
public:
    FindingsSheet(Session& session, Findings& findings, QWidget* parent);
    /// With its lower left corner there, within the window.
    void openAt(const QPoint& global);

private:
    void fill();
    Session& m_session;
    Findings& m_findings;
    QVBoxLayout* m_rows;
};

}
