// Movies and pictures of the scene: asked for, queued, and shown in the status line and the queue's window.
// Interface thread.
#pragma once

#include "desk/files/output_queue.h"
#include "desk/session/session.h"

#include <QPointer>
#include <set>

class QToolButton;

namespace stage::desk {

class QueueWindow;

class OutputWriter : public QObject {
    Q_OBJECT
public:
    /// window: the parent of dialogs.
    OutputWriter(QWidget* window, Session& session);
    OutputQueue& queue() { return *m_queue; }
    /// Asks what to write, and queues it.
    void choose();
    /// Queues the scene as it is now; written() tells when it is there, or that it is not to be.
    void write(const output::Job& job) { write(m_session.scene(), job); }
    /// Of a frame as it is seen now, one picture.
    void chooseStill();
    void showQueue();
    /// Says how far the queue is and opens it; hidden where nothing is in it. Belongs to whom it is given to.
    QToolButton* button();

Q_SIGNALS:
    void written(bool ok);

private:
    void write(const scene::ScenePtr& scene, const output::Job& job);
    void refresh();
    void tellOf(const output::QueuedJob& job);

    QWidget* m_window;
    Session& m_session;
    OutputQueue* m_queue;
    QPointer<QToolButton> m_button;
    QPointer<QueueWindow> m_queueWindow;
    std::set<std::string> m_own; ///< ids of jobs that were queued here and are not over
    bool m_busy = false;
};

}
