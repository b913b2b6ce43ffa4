#include "edit/journal.h"

#include "scene/file.h"
#include "scene/scene_json.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <optional>
#include <sys/file.h>
#include <unistd.h>

namespace stage::edit {
namespace {

constexpr std::size_t mostJournal = 1u << 30;

Error cannot(const std::filesystem::path& path, int code) {
    return {"The journal " + path.string() + " cannot be written (" + std::strerror(code) +
            "): until that is mended a crash would lose what is not saved."};
}

}

Journal::~Journal() {
    if (m_fd >= 0) ::close(m_fd);
}

Journal::Journal(Journal&& other) noexcept
    : m_fd(std::exchange(other.m_fd, -1)), m_path(std::move(other.m_path)) {}

Journal& Journal::operator=(Journal&& other) noexcept {
    if (m_fd >= 0) ::close(m_fd);
    m_fd = std::exchange(other.m_fd, -1);
    m_path = std::move(other.m_path);
    return *this;
}

Result<Journal> Journal::begin(const std::filesystem::path& path, const scene::Scene& base,
                               const Start& start) {
    const scene::Json header = {{"journal", 1},
                                {"document", start.document.string()},
                                {"unsaved", start.unsaved},
                                {"scene", scene::toJson(base)}};
    // Written beside and renamed, so that the old journal is there until the new one is whole.
    if (auto written = scene::writeFileAtomically(
            path, header.dump(-1, ' ', false, scene::Json::error_handler_t::replace) + "\n");
        !written)
        return tl::unexpected(written.error());
    Journal journal;
    journal.m_path = path;
    journal.m_fd = ::open(path.c_str(), O_WRONLY | O_APPEND | O_CLOEXEC);
    if (journal.m_fd < 0) return tl::unexpected(cannot(path, errno));
    ::flock(journal.m_fd, LOCK_EX | LOCK_NB);
    return journal;
}

Result<void> Journal::append(const scene::Json& json) {
    if (m_fd < 0) return {};
    const std::string line = json.dump(-1, ' ', false, scene::Json::error_handler_t::replace) + "\n";
    const off_t before = ::lseek(m_fd, 0, SEEK_END);
    const ssize_t written = ::write(m_fd, line.data(), line.size());
    if (written == static_cast<ssize_t>(line.size())) return {};
    const int code = written < 0 ? errno : ENOSPC;
    // Half a line would hide the lines after it.
    if (::ftruncate(m_fd, before) != 0) return tl::unexpected(cannot(m_path, errno));
    return tl::unexpected(cannot(m_path, code));
}

Result<void> Journal::applied(const Edit& edit) {
    return append({{"do", edit}});
}
Result<void> Journal::undone() {
    return append({{"undo", 1}});
}
Result<void> Journal::redone() {
    return append({{"redo", 1}});
}

void Journal::end() {
    if (m_fd < 0) return;
    ::unlink(m_path.c_str());
    ::close(m_fd);
    m_fd = -1;
}

std::optional<Recovered> recover(const std::filesystem::path& path) {
    const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (fd < 0) return std::nullopt;
    const bool free = ::flock(fd, LOCK_EX | LOCK_NB) == 0;
    ::close(fd);
    if (!free) return std::nullopt;
    const auto text = scene::readFile(path, mostJournal);
    if (!text) return std::nullopt;
    std::optional<Recovered> result;
    bool unsaved = false;
    std::size_t at = 0;
    for (std::size_t end; (end = text->find('\n', at)) != std::string::npos; at = end + 1) {
        const auto line = scene::parseJson(std::string_view(*text).substr(at, end - at));
        if (!line || !line->is_object()) {
            if (result) result->problem = "a line of the journal is damaged";
            break;
        }
        if (!result) {
            if (!line->contains("scene")) return std::nullopt;
            auto base = scene::sceneFromJson((*line)["scene"]);
            if (!base) return std::nullopt;
            unsaved = line->value("unsaved", false);
            result.emplace(Recovered{History(std::move(*base)), line->value("document", ""), 0, ""});
            continue;
        }
        if (line->contains("undo"))
            result->history.undo();
        else if (line->contains("redo"))
            result->history.redo();
        else if (line->contains("do")) {
            if (auto done = result->history.apply((*line)["do"]); !done) {
                result->problem = done.error().sentence;
                break;
            }
        }
        ++result->steps;
    }
    if (result && result->steps == 0 && !unsaved) return std::nullopt;
    return result;
}

std::filesystem::path journalOf(const std::filesystem::path& document) {
    return document.string() + ".journal";
}

}
