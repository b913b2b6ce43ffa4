// The bar above the views: bringing in, the tools of the Camera view, hold framing, the lens.
#pragma once

#include "desk/commands/views.h"
#include "desk/session/session.h"

#include <QWidget>

class QHBoxLayout;
class QToolButton;

namespace stage::desk {

class Commands;
class NumberField;

class TopBar : public QWidget {
    Q_OBJECT
public:
    /// Its buttons run the commands, which are there before it.
    TopBar(Session& session, const Views& views, const Commands& commands);

private:
    QToolButton* addButton(const char* icon, const QString& text, const QString& tip);
    void addTools();
    void addHoldFraming();
    void addLens();
    void addLabel(const QString& text);
    NumberField* addField(NumberField* field, int width, const QString& name, const QString& tip);
    void fillMarks();
    void refreshTools();
    void refreshHold();
    void refreshLens();
    /// Of the mark under the playhead where there are several, else of the whole move.
    void setLens(const char* member, double value);

    Session& m_session;
    const Views& m_views;
    const Commands& m_commands;
    QHBoxLayout* m_row;
    struct Tool {
        QToolButton* button;
        int tool; ///< CameraView::Tool
        const char* icon;
    };
    std::vector<Tool> m_tools;
    QToolButton *m_cutTool, *m_hold, *m_holdMark;
    NumberField *m_focal, *m_angle, *m_fstop, *m_focus;
};

}
