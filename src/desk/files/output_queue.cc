#include "desk/files/output_queue.h"

#include "desk/jobs/background.h"
#include "output/kept_frames.h"
#include "output/queue_runner.h"

#include <QCoreApplication>
#include <QProcess>
#include <algorithm>

namespace stage::desk {
namespace {

using State = output::QueuedJob::State;

bool isActive(State state) {
    return state == State::Waiting || state == State::Running || state == State::Paused;
}

/// The program that runs jobs stands beside this one.
QString runner() {
    return QCoreApplication::applicationDirPath() + QStringLiteral("/open-stage-cli");
}

}

OutputQueue::OutputQueue(QObject* parent) : QObject(parent) {
    m_timer.setSingleShot(true);
    connect(&m_timer, &QTimer::timeout, this, &OutputQueue::look);
    look();
}

const output::QueuedJob* OutputQueue::find(const std::string& id) const {
    const auto at = std::find_if(m_jobs.begin(), m_jobs.end(), [&](const auto& job) { return job.id == id; });
    return at == m_jobs.end() ? nullptr : &*at;
}

void OutputQueue::add(scene::ScenePtr scene, const output::Job& job,
                      std::function<void(Result<std::string>)> added) {
    onWorker(
        [self = QPointer(this), queue = m_queue, scene = std::move(scene), job, added = std::move(added)] {
            auto id = guarded([&] { return queue.add(*scene, job); });
            onInterface([self, added, id = std::move(id)] {
                if (!self) return;
                added(id);
                self->look();
            });
        });
}

void OutputQueue::change(std::function<Result<void>(const output::Queue&)> change) {
    onWorker([self = QPointer(this), queue = m_queue, change = std::move(change)] {
        auto result = guarded([&] { return change(queue); });
        onInterface([self, result = std::move(result)] {
            if (!self) return;
            if (!result) Q_EMIT self->refused(QString::fromStdString(result.error().sentence));
            self->look();
        });
    });
}

void OutputQueue::look() {
    m_again = m_looking; // what is seen now may be from before a change
    if (m_looking) return;
    m_looking = true;
    onWorker([self = QPointer(this), queue = m_queue] {
        auto jobs = queue.jobs();
        const bool waiting = std::any_of(jobs.begin(), jobs.end(), [](const auto& job) {
            return job.state == State::Waiting || job.state == State::Running;
        });
        const bool wanted = waiting && !output::isRun(queue);
        onInterface([self, jobs = std::move(jobs), wanted]() mutable {
            if (self) self->take(std::move(jobs), wanted);
        });
    });
}

void OutputQueue::take(std::vector<output::QueuedJob> jobs, bool runnerWanted) {
    m_looking = false;
    m_jobs = std::move(jobs);
    std::vector<output::QueuedJob> over;
    std::map<std::string, State> seen;
    for (const output::QueuedJob& job : m_jobs) {
        const auto before = m_seen.find(job.id);
        const bool was = before != m_seen.end() ? isActive(before->second) : !m_first;
        if (was && !isActive(job.state)) over.push_back(job);
        seen[job.id] = job.state;
    }
    m_seen = std::move(seen);
    m_first = false;
    Q_EMIT changed();
    for (const output::QueuedJob& job : over)
        Q_EMIT ended(job);
    if (runnerWanted && !QProcess::startDetached(runner(), {QStringLiteral("queue"), QStringLiteral("run")}))
        Q_EMIT refused(
            tr("The program that writes, %1, cannot be started. Install Open Stage again.").arg(runner()));
    const bool active =
        std::any_of(m_jobs.begin(), m_jobs.end(), [](const auto& job) { return isActive(job.state); });
    m_timer.start(m_again ? 0 : active ? 300 : 3000);
    m_again = false;
}

std::filesystem::path OutputQueue::lastPicture(const output::QueuedJob& job) {
    namespace fs = std::filesystem;
    const bool movie = output::infoOf(job.job.format).movie;
    const fs::path folder =
        movie && job.state != State::Done ? output::keptFramesOf(job.job.path) : job.job.path.parent_path();
    if (movie && job.state == State::Done) return {};
    std::error_code code;
    fs::path last;
    auto when = fs::file_time_type::min();
    const std::string begin =
        movie ? "" : job.job.path.filename().string().substr(0, job.job.path.filename().string().find('#'));
    for (const fs::directory_entry& entry : fs::directory_iterator(folder, code)) {
        const std::string name = entry.path().filename().string();
        const fs::path suffix = entry.path().extension();
        if (name.front() == '.' || !name.starts_with(begin) || (suffix != ".png" && suffix != ".jpg"))
            continue;
        std::error_code other;
        const auto written = entry.last_write_time(other);
        if (!other && written > when) last = entry.path(), when = written;
    }
    return last;
}

QString durationText(double seconds) {
    const auto whole = static_cast<long>(seconds + 0.5);
    const QString rest = QStringLiteral("%1:%2")
                             .arg(whole / 60 % 60, whole >= 3600 ? 2 : 1, 10, QLatin1Char('0'))
                             .arg(whole % 60, 2, 10, QLatin1Char('0'));
    return whole >= 3600 ? QStringLiteral("%1:%2").arg(whole / 3600).arg(rest) : rest;
}

}
