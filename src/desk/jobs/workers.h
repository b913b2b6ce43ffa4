// The threads of the desk's own work, and the way back to the interface.
#pragma once

#include <QCoreApplication>
#include <QThread>
#include <QThreadPool>
#include <algorithm>
#include <memory>
#include <mutex>
#include <optional>

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

/// A call that one thread gives to another. What was written before it was given is seen by who runs it: by
/// the mutex, since a thread sanitizer does not see how Qt ensures that.
template <class Call> class HandedOver {
public:
    explicit HandedOver(Call call) : m_state(std::make_shared<State>()) {
        const std::lock_guard lock(m_state->mutex);
        m_state->call.emplace(std::move(call));
    }
    /// Once.
    void operator()() const {
        std::unique_lock lock(m_state->mutex);
        Call call = std::move(*m_state->call);
        m_state->call.reset();
        lock.unlock();
        call();
    }

private:
    struct State {
        std::mutex mutex;
        std::optional<Call> call;
    };
    std::shared_ptr<State> m_state;
};

/// Runs work on a thread of the pool, when one is free. Thread-safe.
template <class Work> void onWorker(Work work) {
    workers().start(HandedOver<Work>(std::move(work)));
}

/// Runs a call on the interface thread, after what that does now. Thread-safe.
template <class Call> void onInterface(Call call) {
    QMetaObject::invokeMethod(qApp, HandedOver<Call>(std::move(call)), Qt::QueuedConnection);
}

}
