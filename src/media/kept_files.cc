#include "media/kept_files.h"

#include "media/cache_folder.h"

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <fcntl.h>
#include <filesystem>
#include <glib.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>
#include <vector>

namespace stage::media {
namespace {

namespace fs = std::filesystem;

constexpr std::int64_t usualBudget = 8ll << 30;
constexpr std::size_t mostText = 8 << 20;
const std::string halfDone = "writing-";
std::atomic<std::int64_t> chosenBudget = 0;

fs::path folder() {
    static const fs::path made = [] {
        // Each that is in use stays open; the usual limit of a thousand is soft.
        rlimit limit = {};
        if (::getrlimit(RLIMIT_NOFILE, &limit) == 0) {
            limit.rlim_cur = std::min<rlim_t>(limit.rlim_max, 65536);
            ::setrlimit(RLIMIT_NOFILE, &limit);
        }
        const fs::path path = cacheFolder() / "kept";
        std::error_code code;
        fs::create_directories(path, code);
        return path;
    }();
    return made;
}

fs::path placeOf(const std::string& key) {
    gchar* sum = g_compute_checksum_for_data(G_CHECKSUM_SHA256, reinterpret_cast<const guchar*>(key.data()),
                                             key.size());
    const fs::path place = folder() / sum;
    g_free(sum);
    return place;
}

struct Old {
    fs::file_time_type used;
    std::int64_t bytes;
    fs::path path;
};

void makeRoom(const fs::path& newest) {
    std::vector<Old> all;
    std::int64_t total = 0;
    std::error_code code;
    const auto now = fs::file_time_type::clock::now();
    for (auto at = fs::directory_iterator(folder(), code); !code && at != fs::directory_iterator();
         at.increment(code)) {
        std::error_code gone;
        const Old old{at->last_write_time(gone), static_cast<std::int64_t>(at->file_size(gone)), at->path()};
        if (gone) continue;
        if (old.path.filename().string().starts_with(halfDone)) {
            if (now - old.used > std::chrono::hours(1)) fs::remove(old.path, gone);
            continue;
        }
        total += old.bytes;
        if (old.path != newest) all.push_back(old);
    }
    std::int64_t most = chosenBudget;
    if (most == 0) {
        const auto space = fs::space(folder(), code);
        most = code ? usualBudget
                    : std::min(usualBudget, (static_cast<std::int64_t>(space.available) + total) / 2);
    }
    if (total <= most) return;
    std::sort(all.begin(), all.end(), [](const Old& a, const Old& b) { return a.used < b.used; });
    for (std::size_t i = 0; i < all.size() && total > most; ++i) {
        fs::remove(all[i].path, code);
        total -= all[i].bytes;
    }
}

}

void setKeptFilesBudget(std::int64_t bytes) {
    chosenBudget = bytes;
}

int openKept(const std::string& key) {
    const int file = ::open(placeOf(key).c_str(), O_RDONLY | O_CLOEXEC);
    if (file >= 0) ::futimens(file, nullptr); // used just now
    return file;
}

void removeKept(const std::string& key) {
    ::unlink(placeOf(key).c_str());
}

KeptFileWriter::KeptFileWriter(const std::string& key)
    : m_key(key), m_path((folder() / (halfDone + "XXXXXX")).string()) {
    m_file = ::mkostemp(m_path.data(), O_CLOEXEC);
    m_ok = m_file >= 0;
}

KeptFileWriter::~KeptFileWriter() {
    if (m_file < 0) return;
    ::close(m_file);
    ::unlink(m_path.c_str());
}

bool KeptFileWriter::write(const void* from, std::size_t bytes) {
    const char* data = static_cast<const char*>(from);
    while (m_ok && bytes > 0) {
        const ssize_t wrote = ::write(m_file, data, bytes);
        if (wrote < 0 && errno == EINTR) continue;
        m_ok = wrote > 0;
        if (!m_ok) break;
        data += wrote, bytes -= static_cast<std::size_t>(wrote), m_size += wrote;
    }
    return m_ok;
}

int KeptFileWriter::keep() {
    const fs::path place = placeOf(m_key);
    if (!m_ok || ::rename(m_path.c_str(), place.c_str()) != 0) return -1;
    const int file = m_file;
    m_file = -1;
    makeRoom(place);
    return file;
}

std::optional<std::string> keptText(const std::string& key) {
    const int file = openKept(key);
    if (file < 0) return {};
    struct stat info = {};
    std::string text;
    if (::fstat(file, &info) == 0 && info.st_size >= 0 && info.st_size <= std::int64_t{mostText})
        text.resize(static_cast<std::size_t>(info.st_size));
    const bool ok = ::pread(file, text.data(), text.size(), 0) == static_cast<ssize_t>(text.size());
    ::close(file);
    return ok ? std::optional(text) : std::nullopt;
}

void keepText(const std::string& key, const std::string& text) {
    if (text.size() > mostText) return;
    KeptFileWriter writer(key);
    writer.write(text.data(), text.size());
    if (const int file = writer.keep(); file >= 0) ::close(file);
}

}
