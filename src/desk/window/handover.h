// Files that a new process was started with, given to the program that runs already. Interface thread.
#pragma once

#include <QLocalServer>
#include <QStringList>

namespace stage::desk {

/// Gives files (absolute paths) to the one that runs for this user on this display. False: there is none, or
/// it does not answer.
bool handedOver(const QStringList& files);

/// Takes what others hand over, where none did so before.
class FileReceiver : public QObject {
    Q_OBJECT
public:
    explicit FileReceiver(QObject* parent);

Q_SIGNALS:
    void received(const QStringList& files);

private:
    void read();
    QLocalServer m_server;
};

}
