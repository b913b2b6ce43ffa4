#include "output/queue_runner.h"

#include "media/pixel_cache.h"
#include "scene/file.h"

#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstring>
#include <fcntl.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace stage::output {
namespace {

using Clock = std::chrono::steady_clock;
using State = QueuedJob::State;
constexpr std::chrono::milliseconds glance{100};

/// A file that one program at a time locks, until it ends in whatever way.
class LockFile {
public:
    explicit LockFile(const Queue& queue)
        : m_file(::open((queue.folder() / "runner.lock").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600)),
          m_problem(m_file < 0 ? errno : 0) {}
    ~LockFile() {
        if (m_file >= 0) ::close(m_file);
    }
    LockFile(const LockFile&) = delete;
    LockFile& operator=(const LockFile&) = delete;
    /// False: another one has it. Kept as long as this lives.
    bool lock() {
        struct flock all = whole();
        return ::fcntl(m_file, F_OFD_SETLK, &all) == 0;
    }
    /// Whether another one has it, without taking it even for a moment: who wants it just then would give up.
    bool lockedByAnother() const {
        struct flock all = whole();
        return m_file >= 0 && ::fcntl(m_file, F_OFD_GETLK, &all) == 0 && all.l_type != F_UNLCK;
    }
    int problem() const { return m_problem; }

private:
    static struct flock whole() {
        struct flock all {};
        all.l_type = F_WRLCK, all.l_whence = SEEK_SET;
        return all;
    }
    int m_file, m_problem;
};

/// What ended a process says for itself in its last line.
std::string lastLine(const std::string& path) {
    const auto text = scene::readFile(path);
    if (!text) return {};
    std::string line = *text;
    while (!line.empty() && std::isspace(static_cast<unsigned char>(line.back())))
        line.pop_back();
    const auto begin = line.find_last_of("\r\n");
    return begin == std::string::npos ? line : line.substr(begin + 1);
}

/// -1: it could not be started.
pid_t start(const Queue& queue, const std::filesystem::path& program, const std::string& id,
            const std::string& log) {
    const std::string path = program.string(), folder = queue.folder().string();
    const pid_t parent = ::getpid(), child = ::fork();
    if (child != 0) return child;
    // Only what is allowed after a fork from several threads.
    ::prctl(PR_SET_PDEATHSIG, SIGKILL); // also where it is paused; what it has kept is whole
    if (::getppid() != parent) ::_exit(130);
    ::setpriority(PRIO_PROCESS, 0, 10); // the desk comes first
    const int out = ::open(log.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600),
              none = ::open("/dev/null", O_RDWR);
    ::dup2(none, 0), ::dup2(none, 1);
    if (out >= 0) ::dup2(out, 2);
    ::execl(path.c_str(), path.c_str(), "queue", "--folder", folder.c_str(), "work", id.c_str(),
            static_cast<char*>(nullptr));
    ::_exit(127);
}

/// Watches the process of a job until it ends; gives what the status is then.
Queue::Status watched(const Queue& queue, const std::string& id, pid_t child, const std::string& log,
                      const std::stop_token& stop) {
    bool held = false, ending = false;
    int ended = 0;
    while (::waitpid(child, &ended, WNOHANG) == 0) {
        const bool cancelled = queue.cancelAsked(id), hold = queue.pauseAsked(id) && !cancelled;
        if (!ending && (cancelled || stop.stop_requested())) {
            ::kill(child, SIGTERM);
            ::kill(child, SIGCONT);
            ending = true;
        } else if (hold != held && !ending) {
            ::kill(child, hold ? SIGSTOP : SIGCONT);
            held = hold;
        }
        std::this_thread::sleep_for(glance);
    }
    Queue::Status status = queue.status(id);
    status.left = -1;
    if (WIFEXITED(ended) && WEXITSTATUS(ended) == 0) {
        status.state = State::Done, status.share = 1;
    } else if (queue.cancelAsked(id)) {
        queue.dropKept(id);
        status.state = State::Cancelled, status.share = 0;
    } else if (stop.stop_requested()) {
        status.state = State::Waiting;
    } else {
        status.state = State::Failed;
        status.problem = lastLine(log);
        if (WIFSIGNALED(ended))
            status.problem = std::string("The process that wrote it was ended (") +
                             ::strsignal(WTERMSIG(ended)) + "). Frames that were done are kept.";
        else if (status.problem.empty())
            status.problem = "The program that writes could not be started.";
    }
    return status;
}

}

bool isRun(const Queue& queue) {
    std::error_code code;
    if (!std::filesystem::exists(queue.folder(), code)) return false;
    return LockFile(queue).lockedByAnother();
}

Result<void> runQueue(const Queue& queue, const std::filesystem::path& program, const std::stop_token& stop) {
    std::error_code code;
    std::filesystem::create_directories(queue.folder(), code);
    LockFile lock(queue);
    if (lock.problem())
        return fail("Cannot use the folder of the queue, " + queue.folder().string() + ": " +
                    std::strerror(lock.problem()) + ".");
    if (!lock.lock()) return {};
    // What a runner that was killed has left.
    for (const QueuedJob& job : queue.jobs())
        if (auto status = queue.status(job.id); status.state == State::Running) {
            status.state = State::Waiting, status.left = -1;
            if (auto ok = queue.setStatus(job.id, status); !ok) return ok;
        }
    while (!stop.stop_requested()) {
        std::string next;
        for (const QueuedJob& job : queue.jobs())
            if (next.empty() && job.state == State::Waiting) next = job.id;
        if (next.empty()) return {};
        const std::string log = (queue.folder() / next / "log").string();
        Queue::Status status = queue.status(next);
        status.state = State::Running, status.problem.clear();
        if (auto ok = queue.setStatus(next, status); !ok) return ok;
        const pid_t child = start(queue, program, next, log);
        if (child < 0) {
            status.state = State::Failed;
            status.problem =
                std::string("The program that writes could not be started: ") + std::strerror(errno) + ".";
        } else {
            status = watched(queue, next, child, log, stop);
        }
        if (auto ok = queue.setStatus(next, status); !ok) return ok;
    }
    return {};
}

Result<void> workOn(const Queue& queue, const std::string& id, const std::stop_token& stop) {
    auto job = queue.jobOf(id);
    if (!job) return tl::unexpected(job.error());
    const auto scene = queue.sceneOf(id);
    if (!scene) return tl::unexpected(scene.error());
    job->keepWhenStopped = true; // who asked for the end says whether that is all
    const auto begun = Clock::now();
    const double before = queue.status(id).passed;
    auto told = begun - std::chrono::seconds(10);
    double first = -1; // what an earlier run has done goes fast
    Clock::time_point firstAt;
    const auto report = [&](double share) {
        const auto now = Clock::now();
        if (first < 0) first = share, firstAt = now;
        if (now - told < std::chrono::milliseconds(300) && share < 1) return;
        told = now;
        const auto seconds = [&](Clock::time_point since) {
            return std::chrono::duration<double>(now - since).count();
        };
        Queue::Status status{State::Running, std::clamp(share, 0.0, 1.0), before + seconds(begun), -1, {}};
        if (share > first) status.left = seconds(firstAt) / (share - first) * (1 - share);
        // That it cannot be told is no reason to stop.
        [[maybe_unused]] const auto said = queue.setStatus(id, status);
    };
    media::PixelCache sources;
    return write(*scene, *job, sources, {report, stop});
}

}
