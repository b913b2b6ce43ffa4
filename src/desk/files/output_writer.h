// Movies and pictures written off the interface thread, with progress and cancel. Interface thread.
#pragma once

#include "desk/session/session.h"
#include "output/write.h"

namespace stage::desk {

class OutputWriter : public QObject {
    Q_OBJECT
public:
    /// window: the parent of dialogs.
    OutputWriter(QWidget* window, Session& session);
    /// Asks what to write, and writes it.
    void choose();
    /// Renders and writes the scene as it is now; written() tells when.
    void write(const output::Job& job);

Q_SIGNALS:
    void written(bool ok);

private:
    QWidget* m_window;
    Session& m_session;
};

}
