// Jobs that wait to be written, in a folder of their own, so that they outlast the program: each with a
// snapshot of its scene. What changes them and what runs them may be different programs.
#pragma once

#include "output/write.h"

#include <filesystem>
#include <string>
#include <vector>

namespace stage::output {

struct QueuedJob {
    enum class State {
        Waiting,
        Paused, ///< waits until it is told to go on, whether it had begun or not
        Running,
        Done,
        Failed,   ///< `problem` says why; frames that were done are kept
        Cancelled ///< nothing half remains
    };
    std::string id; ///< its folder's name
    Job job;
    State state = State::Waiting;
    double share = 0;       ///< done, 0..1
    double passed = 0;      ///< seconds that it has run, of all its runs
    double left = -1;       ///< seconds; below 0: not known
    std::string problem;    ///< a sentence
    std::int64_t order = 0; ///< jobs run by it, lowest first
};
inline constexpr std::string_view stateNames[] = {"waiting", "paused", "running",
                                                  "done",    "failed", "cancelled"};

/// Thread-safe, also between programs.
class Queue {
public:
    /// folder: made when it is first needed.
    explicit Queue(std::filesystem::path folder = usualFolder());
    /// open-stage/queue under $XDG_STATE_HOME, else under ~/.local/state.
    static std::filesystem::path usualFolder();
    const std::filesystem::path& folder() const { return m_folder; }

    /// At the end. Gives its id.
    Result<std::string> add(const scene::Scene& scene, const Job& job) const;
    /// In order. Folders that cannot be read are left out.
    std::vector<QueuedJob> jobs() const;
    /// Nothing: there is none.
    std::optional<QueuedJob> find(const std::string& id) const;

    // Of jobs that are there; else nothing happens. Errors: the folder cannot be written.
    Result<void> pause(const std::string& id, bool on) const;
    /// One that runs is stopped by its runner. What is kept of it goes.
    Result<void> cancel(const std::string& id) const;
    /// One that failed or was cancelled waits again, and goes on with the frames that are kept.
    Result<void> retry(const std::string& id) const;
    /// One that does not run leaves the list.
    Result<void> remove(const std::string& id) const;
    /// Changes places with the one before (by: -1) or after it (1).
    Result<void> move(const std::string& id, int by) const;

    // For what runs jobs.
    Result<scene::Scene> sceneOf(const std::string& id) const;
    /// With what its wipe is against.
    Result<Job> jobOf(const std::string& id) const;
    bool pauseAsked(const std::string& id) const;
    bool cancelAsked(const std::string& id) const;
    struct Status {
        QueuedJob::State state = QueuedJob::State::Waiting;
        double share = 0, passed = 0, left = -1;
        std::string problem;
    };
    Status status(const std::string& id) const;
    Result<void> setStatus(const std::string& id, const Status& status) const;
    /// Removes what runs of a job have kept, unless another job that is not over writes the same file.
    void dropKept(const std::string& id) const;

private:
    std::filesystem::path of(const std::string& id) const { return m_folder / id; }
    std::filesystem::path m_folder;
};

}
