#include "output/queue.h"

#include "output/job_json.h"
#include "scene/fields.h"
#include "scene/file.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <pwd.h>
#include <unistd.h>

namespace stage::output {
namespace fs = std::filesystem;
namespace {

constexpr const char *jobName = "job.json", *sceneName = "scene.ostage", *againstName = "against.ostage",
                     *statusName = "status.json", *orderName = "order", *pauseName = "pause",
                     *cancelName = "cancel";

bool there(const fs::path& path) {
    std::error_code code;
    return fs::exists(path, code);
}
Result<void> mark(const fs::path& file) {
    return scene::writeFileAtomically(file, "");
}
void unmark(const fs::path& file) {
    std::error_code code;
    fs::remove(file, code);
}

std::int64_t orderOf(const fs::path& folder) {
    const auto text = scene::readFile(folder / orderName, 100);
    return text ? std::strtoll(text->c_str(), nullptr, 10) : 0;
}

bool isId(const std::string& id) {
    return !id.empty() &&
           std::all_of(id.begin(), id.end(), [](char c) { return (c >= '0' && c <= '9') || c == '-'; });
}

}

Queue::Queue(fs::path folder) : m_folder(std::move(folder)) {}

fs::path Queue::usualFolder() {
    if (const char* state = std::getenv("XDG_STATE_HOME"); state && *state == '/')
        return fs::path(state) / "open-stage/queue";
    const char* home = std::getenv("HOME");
    if (!home || !*home)
        if (const passwd* user = ::getpwuid(::getuid())) home = user->pw_dir;
    return fs::path(home ? home : "/tmp") / ".local/state/open-stage/queue";
}

Result<std::string> Queue::add(const scene::Scene& scene, const Job& job) const {
    if (const std::string complaint = complaintAbout(scene, job); !complaint.empty()) return fail(complaint);
    std::error_code code;
    fs::create_directories(m_folder, code);
    if (code)
        return fail("Cannot make the folder of the queue, " + m_folder.string() + ": " + code.message() +
                    ".");
    // A name that no other program takes meanwhile.
    const auto now = std::chrono::duration_cast<std::chrono::microseconds>(
                         std::chrono::system_clock::now().time_since_epoch())
                         .count();
    std::string id = std::to_string(now) + '-' + std::to_string(::getpid());
    for (int n = 1; there(of(id)); ++n)
        id = std::to_string(now + n) + '-' + std::to_string(::getpid());
    std::int64_t order = 1;
    for (const QueuedJob& each : jobs())
        order = std::max(order, each.order + 1);
    // It gets its name when all is in it.
    const fs::path part = m_folder / ("." + id);
    fs::create_directory(part, code);
    Job absolute = job;
    absolute.path = fs::absolute(job.path);
    Result<void> ok = scene::save(scene, part / sceneName);
    if (ok && job.wipe && job.wipe->against) ok = scene::save(*job.wipe->against, part / againstName);
    if (ok) ok = scene::writeFileAtomically(part / jobName, toJson(absolute).dump(2) + '\n');
    if (ok) ok = scene::writeFileAtomically(part / orderName, std::to_string(order) + '\n');
    if (ok) {
        fs::rename(part, of(id), code);
        if (code) ok = fail("Cannot make " + of(id).string() + ": " + code.message() + ".");
    }
    if (ok) return id;
    fs::remove_all(part, code);
    return tl::unexpected(ok.error());
}

std::optional<QueuedJob> Queue::find(const std::string& id) const {
    if (!isId(id) || !there(of(id) / jobName)) return std::nullopt;
    const auto text = scene::readFile(of(id) / jobName);
    const auto json = text ? scene::parseJson(*text) : tl::unexpected(text.error());
    auto job = json ? jobFromJson(*json) : tl::unexpected(json.error());
    if (!job) return std::nullopt;
    const Status now = status(id);
    QueuedJob found{id,         std::move(*job), now.state,   now.share,
                    now.passed, now.left,        now.problem, orderOf(of(id))};
    using State = QueuedJob::State;
    if ((found.state == State::Waiting || found.state == State::Running) && pauseAsked(id))
        found.state = State::Paused;
    if ((found.state == State::Waiting || found.state == State::Paused) && cancelAsked(id))
        found.state = State::Cancelled;
    return found;
}

std::vector<QueuedJob> Queue::jobs() const {
    std::vector<QueuedJob> all;
    std::error_code code;
    for (const fs::directory_entry& entry : fs::directory_iterator(m_folder, code))
        if (auto job = find(entry.path().filename().string())) all.push_back(std::move(*job));
    std::sort(all.begin(), all.end(), [](const QueuedJob& a, const QueuedJob& b) {
        return std::pair(a.order, a.id) < std::pair(b.order, b.id);
    });
    return all;
}

Result<void> Queue::pause(const std::string& id, bool on) const {
    if (!find(id)) return {};
    if (on) return mark(of(id) / pauseName);
    unmark(of(id) / pauseName);
    return {};
}

Result<void> Queue::cancel(const std::string& id) const {
    const auto job = find(id);
    if (!job || job->state == QueuedJob::State::Done) return {};
    if (auto ok = mark(of(id) / cancelName); !ok) return ok;
    unmark(of(id) / pauseName);
    if (status(id).state == QueuedJob::State::Running) return {};
    dropKept(id);
    Status next = status(id);
    next.state = QueuedJob::State::Cancelled, next.share = 0, next.left = -1;
    return setStatus(id, next);
}

Result<void> Queue::retry(const std::string& id) const {
    const auto job = find(id);
    if (!job || (job->state != QueuedJob::State::Failed && job->state != QueuedJob::State::Cancelled))
        return {};
    unmark(of(id) / cancelName);
    unmark(of(id) / pauseName);
    return setStatus(id, {});
}

Result<void> Queue::remove(const std::string& id) const {
    if (!find(id) || status(id).state == QueuedJob::State::Running) return {};
    if (status(id).state != QueuedJob::State::Done) dropKept(id);
    std::error_code code;
    fs::remove_all(of(id), code);
    if (code) return fail("Cannot remove " + of(id).string() + ": " + code.message() + ".");
    return {};
}

Result<void> Queue::move(const std::string& id, int by) const {
    const auto all = jobs();
    const auto at = std::find_if(all.begin(), all.end(), [&](const QueuedJob& job) { return job.id == id; });
    if (at == all.end()) return {};
    const auto place = at - all.begin() + by;
    if (place < 0 || place >= static_cast<std::ptrdiff_t>(all.size())) return {};
    const QueuedJob& other = all[static_cast<std::size_t>(place)];
    for (const auto& [job, order] : {std::pair{&*at, other.order}, std::pair{&other, at->order}})
        if (auto ok = scene::writeFileAtomically(of(job->id) / orderName, std::to_string(order) + '\n'); !ok)
            return ok;
    return {};
}

Result<scene::Scene> Queue::sceneOf(const std::string& id) const {
    return scene::load(of(id) / sceneName);
}

Result<Job> Queue::jobOf(const std::string& id) const {
    auto found = find(id);
    if (!found) return fail("There is no job " + id + " in " + m_folder.string() + ".");
    if (found->job.wipe && there(of(id) / againstName)) {
        auto against = scene::load(of(id) / againstName);
        if (!against) return tl::unexpected(against.error());
        found->job.wipe->against = std::make_shared<const scene::Scene>(std::move(*against));
    }
    return std::move(found->job);
}

bool Queue::pauseAsked(const std::string& id) const {
    return there(of(id) / pauseName);
}
bool Queue::cancelAsked(const std::string& id) const {
    return there(of(id) / cancelName);
}

Queue::Status Queue::status(const std::string& id) const {
    Status status;
    const auto text = scene::readFile(of(id) / statusName);
    const auto json = text ? scene::parseJson(*text) : tl::unexpected(text.error());
    if (!json) return status;
    try {
        scene::Fields fields(*json, "");
        status.state = static_cast<QueuedJob::State>(fields.choice("state", stateNames));
        status.share = fields.number("share", 0, 1, 0);
        status.passed = fields.number("passed", 0, 1e12, 0);
        status.left = fields.number("left", -1, 1e12, -1);
        status.problem = fields.text("problem", 10000, "");
    } catch (const scene::Misread&) {
        return {};
    }
    return status;
}

Result<void> Queue::setStatus(const std::string& id, const Status& status) const {
    const scene::Json json = {{"state", stateNames[static_cast<std::size_t>(status.state)]},
                              {"share", status.share},
                              {"passed", status.passed},
                              {"left", status.left},
                              {"problem", status.problem}};
    return scene::writeFileAtomically(of(id) / statusName,
                                      json.dump(2, ' ', false, scene::Json::error_handler_t::replace) + '\n');
}

void Queue::dropKept(const std::string& id) const {
    const auto job = find(id);
    if (!job) return;
    for (const QueuedJob& other : jobs())
        if (other.id != id && other.job.path == job->job.path && other.state != QueuedJob::State::Done &&
            other.state != QueuedJob::State::Cancelled)
            return; // which may go on with them
    dropKeptFrames(job->job);
}

}
