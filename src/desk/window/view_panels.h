// The desk's views and the panels around them: titles, notes, and the controls in their heads.
#pragma once

#include "desk/commands/views.h"
#include "desk/session/session.h"

#include <QWidget>

namespace stage::desk {

class Commands;
class Panel;

class ViewPanels : public QObject {
    Q_OBJECT
public:
    /// Makes all views, and their panels in panes. Whoever puts panes, timeline, pace and numbers into a
    /// window owns them. Buttons in the panels' heads run commands, which need not be there yet.
    ViewPanels(Session& session, const Commands& commands, QObject* parent);

    const Views& views() const { return m_views; }
    Panel* pacePanel();
    /// The numbers of what is selected; while the cut-out view is shown, those of the cut.
    QWidget* numbers();

private:
    Panel* cameraPanel();
    void addExposure(Panel* panel);
    Panel* planPanel();
    Panel* sectionPanel();
    Panel* modelPanel();
    Panel* curvesPanel();
    Panel* scopesPanel();
    Panel* cutPanel();
    void addCutTools(Panel* panel);
    Panel* marksPanel();
    /// Tells how depth is shown, in the head of Plan or Section.
    void noteScale(Panel* panel, const QString& from);
    void addSwitch(Panel* panel, const QString& text, const QString& tip, bool on,
                   const std::function<void(bool)>& set);
    void addCommand(Panel* panel, const QString& text, const QString& tip, const char* command);

    Session& m_session;
    const Commands& m_commands;
    Views m_views;
};

}
