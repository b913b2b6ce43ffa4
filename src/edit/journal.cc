#include "edit/journal.h"

#include "scene/file.h"
#include "scene/scene_json.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <optional>
#include <sys/file.h>
#include <sys/stat.h>
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

namespace {

/// Opens what lies at the path, creating it where there is nothing, and locks it. -1 with errno: it cannot be
/// opened, or (EWOULDBLOCK) a running program has it.
int lockPlace(const std::filesystem::path& path, int flags) {
    for (;;) {
        const int fd = ::open(path.c_str(), flags | O_CLOEXEC, 0666);
        if (fd < 0) return -1;
        if (::flock(fd, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK) {
            ::close(fd);
            errno = EWOULDBLOCK;
            return -1;
        }
        // Another may have put a new file there meanwhile; then the lock is on one that nobody looks at.
        struct stat mine = {}, there = {};
        if (::fstat(fd, &mine) == 0 && ::stat(path.c_str(), &there) == 0 && mine.st_ino == there.st_ino &&
            mine.st_dev == there.st_dev)
            return fd;
        ::close(fd);
        if (!(flags & O_CREAT)) {
            errno = ENOENT;
            return -1;
        }
    }
}

}

bool Journal::inUse(const std::filesystem::path& path) {
    const int fd = lockPlace(path, O_RDONLY);
    const bool used = fd < 0 && errno == EWOULDBLOCK;
    if (fd >= 0) ::close(fd);
    return used;
}

Result<void> Journal::begin(const std::filesystem::path& path, const scene::Scene& base, const Start& start) {
    const scene::Json header = {{"journal", 1},
                                {"document", start.document.string()},
                                {"unsaved", start.unsaved},
                                {"scene", scene::toJson(base)}};
    const bool same = m_fd >= 0 && m_path == path;
    const bool wasThere = std::filesystem::exists(path);
    const int place = same ? -1 : lockPlace(path, O_RDWR | O_CREAT);
    if (!same && place < 0) {
        if (errno == EWOULDBLOCK)
            return fail("The journal " + path.string() + " is in use by another window.");
        return tl::unexpected(cannot(path, errno));
    }
    const auto giveUp = [&](Error error) -> Result<void> {
        if (place >= 0) {
            if (!wasThere) ::unlink(path.c_str());
            ::close(place);
        }
        return tl::unexpected(std::move(error));
    };
    // Written beside, locked and renamed, so that the old journal is there until the new one is whole.
    const std::filesystem::path beside = path.string() + ".new-" + std::to_string(::getpid());
    const auto written = scene::writeFileAtomically(
        beside, header.dump(-1, ' ', false, scene::Json::error_handler_t::replace) + "\n");
    if (!written) { // told of the journal, not of the file that stands in for it
        Error error = written.error();
        if (const auto at = error.sentence.find(beside.string()); at != std::string::npos)
            error.sentence.replace(at, beside.string().size(), path.string());
        return giveUp(std::move(error));
    }
    const int fd = ::open(beside.c_str(), O_WRONLY | O_APPEND | O_CLOEXEC);
    if (fd >= 0) ::flock(fd, LOCK_EX | LOCK_NB);
    if (fd < 0 || ::rename(beside.c_str(), path.c_str()) != 0) {
        const int code = errno;
        if (fd >= 0) ::close(fd);
        ::unlink(beside.c_str());
        return giveUp(cannot(path, code));
    }
    if (place >= 0) ::close(place);
    if (same) {
        ::close(m_fd);
        m_fd = -1;
    } else {
        end();
    }
    m_fd = fd;
    m_path = path;
    return {};
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

namespace {

std::optional<Recovered> replayed(const std::filesystem::path& path) {
    const auto text = scene::readFile(path, mostJournal);
    if (!text) return std::nullopt;
    std::optional<Recovered> result;
    bool unsaved = false;
    std::size_t at = 0;
    const auto replay = [&](std::string_view written) -> Result<void> {
        const auto line = scene::parseJson(written);
        if (!line || !line->is_object()) return fail("a line of the journal is damaged");
        if (!result) {
            if (!line->contains("scene")) return fail("the journal has no scene");
            auto base = scene::sceneFromJson((*line)["scene"]);
            if (!base) return tl::unexpected(base.error());
            const scene::Json document = line->value("document", scene::Json()),
                              flag = line->value("unsaved", scene::Json());
            unsaved = flag.is_boolean() && flag.get<bool>();
            result.emplace(Recovered{History(std::move(*base)),
                                     document.is_string() ? document.get<std::string>() : std::string(), 0,
                                     ""});
            return {};
        }
        if (line->contains("undo"))
            result->history.undo();
        else if (line->contains("redo"))
            result->history.redo();
        else if (line->contains("do"))
            if (auto done = result->history.apply((*line)["do"]); !done) return done;
        ++result->steps;
        return {};
    };
    for (std::size_t end; (end = text->find('\n', at)) != std::string::npos; at = end + 1)
        if (const auto done = guarded([&] { return replay(std::string_view(*text).substr(at, end - at)); });
            !done) {
            if (!result) return std::nullopt;
            result->problem = done.error().sentence;
            break;
        }
    if (result && result->steps == 0 && !unsaved) return std::nullopt;
    return result;
}

}

std::optional<Recovered> recover(const std::filesystem::path& path) {
    const int fd = lockPlace(path, O_RDONLY);
    if (fd < 0) return std::nullopt;
    auto recovered = replayed(path);
    ::close(fd);
    return recovered;
}

void discardEmpty(const std::filesystem::path& path) {
    const int fd = lockPlace(path, O_RDONLY);
    if (fd < 0) return;
    // A header alone, of a scene that is kept elsewhere or holds nothing.
    if (const auto text = scene::readFile(path, mostJournal)) {
        const auto end = text->find('\n');
        const bool alone = end == std::string::npos || end + 1 == text->size();
        if (alone && !replayed(path)) ::unlink(path.c_str());
    }
    ::close(fd);
}

std::filesystem::path journalOf(const std::filesystem::path& document) {
    std::error_code code;
    const auto place = std::filesystem::weakly_canonical(document, code); // the same by whatever name
    return (code ? document : place).string() + ".journal";
}

}
