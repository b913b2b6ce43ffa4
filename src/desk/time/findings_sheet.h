// The list of what the checks find, and what would mend it.
#pragma once

#include "desk/session/findings.h"

#include <QFrame>
#include <QHash>
#include <set>

class QHBoxLayout;
class QPushButton;
class QScrollArea;
class QVBoxLayout;

namespace stage::desk {

/// The list, as a sheet over the desk, the worst first: each with its sentence, a button that goes there, its
/// fixes, and one that sets it aside. What tells of many layers opens into each of them.
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
    void refill();
    void place();
    void addFinding(const checks::Finding& finding, int indent);
    void addFixes(const checks::Finding& finding, QHBoxLayout* beside, QVBoxLayout* column);
    /// Asks why, in place of the button.
    void askReason(const checks::Finding& finding, QHBoxLayout* in, QPushButton* button);
    void addSetAside();
    /// A button that shows or hides what belongs to it.
    QPushButton* opener(const QString& text, const std::string& what);
    /// Shows what a fix would do while the pointer rests on its button, or the keyboard's focus does.
    void tryOut(const scene::Json& edit);
    void dropTried();
    Session& m_session;
    Findings& m_findings;
    QHash<QObject*, scene::Json> m_edits; ///< of the buttons of fixes
    std::set<std::string> m_opened;       ///< what is shown that belongs to a button
    bool m_tries = false, m_asks = false;
    QScrollArea* m_area;
    QVBoxLayout* m_rows;
    QPoint m_corner; ///< of the screen, where it was opened
};

}
