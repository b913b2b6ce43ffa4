// The list of what the checks find, and what would mend it.
#pragma once

#include "desk/session/findings.h"

#include <QFrame>
#include <QHash>

class QVBoxLayout;

namespace stage::desk {

/// The list, as a sheet over the desk: each with its sentence, a button that goes there, and its fixes.
class FindingsSheet : public QFrame {
    Q_OBJECT
public:
    FindingsSheet(Session& session, Findings& findings, QWidget* parent);
    /// With its lower left corner there, within the window.
    void openAt(const QPoint& global);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    void fill();
    void place();
    void addFinding(const checks::Finding& finding);
    /// Shows what a fix would do while the pointer rests on its button, or the keyboard's focus does.
    void tryOut(const scene::Json& edit);
    void dropTried();
    Session& m_session;
    Findings& m_findings;
    QHash<QObject*, scene::Json> m_edits; ///< of the buttons of fixes
    bool m_tries = false;
    QVBoxLayout* m_rows;
    QPoint m_corner; ///< of the screen, where it was opened
};

}
