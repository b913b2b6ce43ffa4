// The threads of the desk's own work.
#pragma once

#include <QCoreApplication>
#include <QThread>
#include <QThreadPool>
#include <algorithm>

namespace stage::desk {

/// Not Qt's global pool: Qt paints large pictures with that one, and the interface thread then waits for a
/// free thread of it, for as long as a render or a fill may last. Work spreads itself over the processor's
/// cores; more threads than cores keep short work from waiting for long work. The application waits for all
/// of it as it ends, since work reports to it. Thread-safe.
inline QThreadPool& workers() {
    static struct Pool : QThreadPool {
        Pool() {
            setMaxThreadCount(std::max(8, 2 * QThread::idealThreadCount()));
            qAddPostRoutine([] { workers().waitForDone(); });
        }
    } pool;
    return pool;
}

}
