#include "media/file_state.h"

#include "media/kept_files.h"

#include <array>
#include <cstdint>
#include <fstream>
#include <glib.h>
#include <map>
#include <memory>
#include <mutex>
#include <sys/stat.h>

namespace stage::media {
namespace {

constexpr char mark = '\x1d'; // around each state in a key
/// Of a larger file the content is not read to tell it from another.
constexpr std::int64_t mostSummed = 512ll << 20;

struct FreeChecksum {
    void operator()(GChecksum* sum) const { g_checksum_free(sum); }
};

/// Empty: it cannot be read.
std::string checksumOf(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    const std::unique_ptr<GChecksum, FreeChecksum> sum(g_checksum_new(G_CHECKSUM_SHA256));
    std::array<char, 1 << 16> bytes;
    while (in.read(bytes.data(), bytes.size()) || in.gcount() > 0)
        g_checksum_update(sum.get(), reinterpret_cast<const guchar*>(bytes.data()), in.gcount());
    return in.eof() && !in.bad() ? g_checksum_get_string(sum.get()) : std::string();
}

/// state: as fileState gives it, without its marks.
std::string contentOfState(const std::string& state) {
    static std::mutex lock;
    static std::map<std::string, std::string> known;
    const std::string path = state.substr(0, state.find('\n'));
    struct stat info = {};
    if (::stat(path.c_str(), &info) != 0 || fileState(path) != mark + state + mark) return {};
    if (info.st_size > mostSummed) return state;
    {
        std::lock_guard guard(lock);
        if (const auto found = known.find(state); found != known.end()) return found->second;
    }
    const std::string memo = "checksum\n" + state;
    std::string sum = keptText(memo).value_or("");
    if (sum.empty()) {
        sum = checksumOf(path);
        // It may have changed meanwhile.
        if (sum.empty() || fileState(path) != mark + state + mark) return {};
        keepText(memo, sum);
    }
    std::lock_guard guard(lock);
    if (known.size() >= 10'000) known.clear();
    return known[state] = sum;
}

}

std::string fileState(const std::string& path) {
    struct stat info = {};
    ::stat(path.c_str(), &info);
    return mark + path + '\n' + std::to_string(info.st_size) + '\n' + std::to_string(info.st_ctim.tv_sec) +
           '.' + std::to_string(info.st_ctim.tv_nsec) + '\n' + std::to_string(info.st_ino) + mark;
}

std::string contentKey(const std::string& key) {
    std::string out;
    for (std::size_t at = 0;;) {
        const auto begin = key.find(mark, at), end = begin == key.npos ? key.npos : key.find(mark, begin + 1);
        out.append(key, at, begin - at);
        if (end == key.npos) return out;
        const std::string content = contentOfState(key.substr(begin + 1, end - begin - 1));
        if (content.empty()) return {};
        out += content;
        at = end + 1;
    }
}

}
