#include "desk/window/handover.h"

#include <QDataStream>
#include <QLocalSocket>
#include <QTimer>
#include <unistd.h>

namespace stage::desk {
namespace {

constexpr int patience = 2000; // ms
constexpr int mostBytes = 1 << 20;

QString serverName() {
    QString display = qEnvironmentVariable("WAYLAND_DISPLAY", qEnvironmentVariable("DISPLAY"));
    display.replace(QLatin1Char('/'), QLatin1Char('-'));
    return QStringLiteral("open-stage-%1-%2").arg(::getuid()).arg(display);
}

}

bool handedOver(const QStringList& files) {
    QLocalSocket socket;
    socket.connectToServer(serverName());
    if (!socket.waitForConnected(patience)) return false;
    QByteArray bytes;
    QDataStream stream(&bytes, QIODevice::WriteOnly);
    stream << files;
    socket.write(bytes);
    if (!socket.waitForBytesWritten(patience)) return false;
    // It says so when it has taken them.
    return socket.waitForReadyRead(patience) && socket.readAll() == "taken";
}

FileReceiver::FileReceiver(QObject* parent) : QObject(parent) {
    m_server.setSocketOptions(QLocalServer::UserAccessOption);
    connect(&m_server, &QLocalServer::newConnection, this, &FileReceiver::read);
    if (m_server.listen(serverName())) return;
    // One that was killed leaves its name behind.
    QLocalSocket other;
    other.connectToServer(serverName());
    if (other.waitForConnected(patience)) return;
    QLocalServer::removeServer(serverName());
    m_server.listen(serverName());
}

void FileReceiver::read() {
    while (QLocalSocket* socket = m_server.nextPendingConnection()) {
        connect(socket, &QLocalSocket::disconnected, socket, &QObject::deleteLater);
        QTimer::singleShot(patience, socket, &QLocalSocket::disconnectFromServer);
        connect(socket, &QLocalSocket::readyRead, this, [this, socket] {
            if (socket->bytesAvailable() > mostBytes) return socket->abort();
            QDataStream stream(socket);
            stream.startTransaction();
            QStringList files;
            stream >> files;
            if (!stream.commitTransaction()) return; // there is more to come
            socket->write("taken");
            socket->flush();
            Q_EMIT received(files);
        });
    }
}

}
