#include "media/spill.h"

#include "media/pyramid.h"
#include "media/still.h"

#include <cerrno>
#include <cstdlib>
#include <fcntl.h>
#include <functional>
#include <unistd.h>

namespace stage::media {
namespace {

constexpr std::int64_t texelBytes = 4 * sizeof(Imath::half);

std::filesystem::path cacheFolder() {
    const char* xdg = std::getenv("XDG_CACHE_HOME");
    const char* home = std::getenv("HOME");
    std::filesystem::path folder = xdg && *xdg     ? std::filesystem::path(xdg)
                                   : home && *home ? std::filesystem::path(home) / ".cache"
                                                   : std::filesystem::temp_directory_path();
    folder /= "open-stage";
    std::error_code code;
    std::filesystem::create_directories(folder, code);
    return code ? std::filesystem::temp_directory_path() : folder;
}

bool writeAll(int fd, const Imath::half* from, std::int64_t bytes, std::int64_t at) {
    const char* data = reinterpret_cast<const char*>(from);
    while (bytes > 0) {
        const ssize_t wrote = ::pwrite(fd, data, static_cast<std::size_t>(bytes), at);
        if (wrote <= 0) return false;
        data += wrote, bytes -= wrote, at += wrote;
    }
    return true;
}

/// Two rows of a level to one of the next.
std::vector<Imath::half> meanRow(const Imath::half* upper, const Imath::half* lower, int width) {
    const int half = (width + 1) / 2;
    std::vector<Imath::half> out(static_cast<std::size_t>(half) * 4);
    for (int x = 0; x < half; ++x) {
        const int a = 8 * x, b = 4 * std::min(2 * x + 1, width - 1);
        for (int c = 0; c < 4; ++c)
            out[static_cast<std::size_t>(4 * x + c)] = 0.25f * (float(upper[a + c]) + float(upper[b + c]) +
                                                                float(lower[a + c]) + float(lower[b + c]));
    }
    return out;
}

}

Spill::Spill(V2i size) : m_size(size) {
    std::int64_t at = 0;
    for (int level = 0; level < levelCount(size); ++level) {
        m_start.push_back(at);
        const V2i pixels = levelSize(size, level);
        at += std::int64_t{pixels.x} * pixels.y * texelBytes;
    }
}

Spill::~Spill() {
    if (m_fd >= 0) ::close(m_fd);
}

Result<std::shared_ptr<const Spill>> Spill::make(const std::filesystem::path& picture,
                                                 const std::string& part, V2i size,
                                                 const std::filesystem::path& folder,
                                                 const Progress& progress) {
    std::shared_ptr<Spill> spill(new Spill(size));
    std::string name = (folder / "picture-XXXXXX").string();
    spill->m_fd = ::mkostemp(name.data(), O_CLOEXEC);
    const std::string place = "Cannot lay out " + picture.string() + " in " + folder.string();
    if (spill->m_fd < 0) return fail(place + ": the folder cannot be written to.");
    ::unlink(name.c_str());

    bool room = true;
    std::vector<std::vector<Imath::half>> waiting(
        spill->m_start.size()); // an upper row without its lower one
    // Takes a row of a level, and hands the mean of two on to the next.
    const std::function<void(std::size_t, int, const Imath::half*)> put = [&](std::size_t level, int y,
                                                                              const Imath::half* row) {
        const V2i pixels = levelSize(size, static_cast<int>(level));
        const std::int64_t bytes = pixels.x * texelBytes;
        room = room && writeAll(spill->m_fd, row, bytes, spill->m_start[level] + y * bytes);
        if (level + 1 == spill->m_start.size()) return;
        if (y % 2 == 0 && y + 1 < pixels.y) {
            waiting[level].assign(row, row + std::size_t{4} * pixels.x);
            return;
        }
        const auto mean = meanRow(y % 2 == 0 ? row : waiting[level].data(), row, pixels.x);
        put(level + 1, y / 2, mean.data());
    };
    const auto read = readStrips(
        picture, part,
        [&](int y, const Raster& strip) {
            for (int row = 0; row < strip.size.y && room; ++row)
                put(0, y + row, strip.row(row));
            return room;
        },
        progress);
    if (!read) return tl::unexpected(read.error());
    if (!room)
        return fail(place + ": there is no room for " +
                    std::to_string((spill->m_start.back() + texelBytes) >> 20) + " MB.");
    return spill;
}

Result<Raster> Spill::read(int level, const Box& box) const {
    const V2i pixels = levelSize(m_size, level);
    Raster out(box.size());
    for (int y = box.y0; y < box.y1; ++y) {
        char* to = reinterpret_cast<char*>(out.row(y - box.y0));
        std::int64_t left = (box.x1 - box.x0) * texelBytes;
        std::int64_t at =
            m_start[static_cast<std::size_t>(level)] + (std::int64_t{y} * pixels.x + box.x0) * texelBytes;
        while (left > 0) {
            const ssize_t got = ::pread(m_fd, to, static_cast<std::size_t>(left), at);
            if (got <= 0) return fail("A large picture could not be read back from the cache folder.");
            to += got, left -= got, at += got;
        }
    }
    return out;
}

Result<std::shared_ptr<const Spill>> Spills::of(const std::string& key, const std::filesystem::path& picture,
                                                const std::string& part, V2i size, const Progress& progress) {
    std::lock_guard guard(m_lock); // one at a time: they are large
    if (const auto found = m_spills.find(key); found != m_spills.end()) return found->second;
    auto spill = Spill::make(picture, part, size, cacheFolder(), progress);
    // They take much room on the disk, also those of files that have changed since.
    if (m_spills.size() >= 8) m_spills.clear();
    if (spill) m_spills.emplace(key, *spill);
    return spill;
}

}
