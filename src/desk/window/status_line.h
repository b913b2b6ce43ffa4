// The line below the views: the selection or what was said last, what the checks find, what the lens makes
// sharp, how much of the scene is cached. Interface thread.
#pragma once

#include "desk/commands/views.h"
#include "desk/files/media_watch.h"
#include "scene/timing.h"

#include <QTimer>

class QLabel;
class QStatusBar;
class QToolButton;

namespace stage::desk {

class Findings;

class StatusLine : public QObject {
    Q_OBJECT
public:
    /// Fills bar, which it lives as long as. Says what the session says.
    StatusLine(QStatusBar* bar, Session& session, const Views& views, const Findings& findings,
               const MediaWatch& media);
    /// A sentence for a few seconds; a problem stays longer.
    void say(const QString& sentence, bool problem);
    void askForFindings(); ///< as a click on their button does
    /// What pictures spent their time on in the last second, in the place of what is sharp.
    void showTimes(bool on);

Q_SIGNALS:
    void findingsAsked(const QPoint& global); ///< their list, at a place of the screen

public Q_SLOTS:
    void refresh();

private:
    void refreshFindings();
    void refreshRecovery();
    void showSharpness();
    QString aboutTimes();
    QString aboutScene() const; ///< the selection, else how many layers there are

    Session& m_session;
    const Views& m_views;
    const Findings& m_findings;
    const MediaWatch& m_media;
    QLabel *m_state, *m_sharp, *m_cache, *m_recoveryOff;
    QToolButton* m_findingsButton;
    QTimer m_sayOver;
    QTimer m_timesTold; ///< runs while times are shown
    StageTimes m_times{};
};

}
