// The queue of what is written, as the desk sees it: jobs run in a process of their own, which is started
// here and goes on when the desk ends. Interface thread.
#pragma once

#include "output/queue.h"

#include <QObject>
#include <QTimer>
#include <functional>
#include <map>
#include <vector>

namespace stage::desk {

class OutputQueue : public QObject {
    Q_OBJECT
public:
    explicit OutputQueue(QObject* parent);
    /// As it was when it was last looked at; first those that are run first.
    const std::vector<output::QueuedJob>& jobs() const { return m_jobs; }
    /// Null: it is not there any more.
    const output::QueuedJob* find(const std::string& id) const;
    /// On another thread. added: with its id, or why it is not queued; before ended() of it.
    void add(scene::ScenePtr scene, const output::Job& job, std::function<void(Result<std::string>)> added);
    /// A change of the queue, on another thread; then it is looked at.
    void change(std::function<Result<void>(const output::Queue&)> change);
    /// Files of the frame that a job wrote last; empty: none yet. Looks into a folder.
    static std::filesystem::path lastPicture(const output::QueuedJob& job);

Q_SIGNALS:
    void changed();
    /// A job that the desk has seen before is done, has failed, or was cancelled.
    void ended(const stage::output::QueuedJob& job);
    void refused(const QString& sentence);

private:
    void look();
    void take(std::vector<output::QueuedJob> jobs, bool runnerWanted);

    output::Queue m_queue;
    std::vector<output::QueuedJob> m_jobs;
    std::map<std::string, output::QueuedJob::State> m_seen;
    QTimer m_timer;
    bool m_looking = false, m_again = false, m_first = true;
};

/// "1:10", minutes and seconds; "2:01:10" with hours.
QString durationText(double seconds);

}
