#include "media/disk_pyramid.h"

#include "media/cache_folder.h"
#include "media/parallel.h"
#include "media/pyramid.h"

#include <algorithm>
#include <cerrno>
#include <fcntl.h>
#include <functional>
#include <unistd.h>

namespace stage::media {
namespace {

constexpr std::int64_t texelBytes = 4 * sizeof(Imath::half);

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

DiskPyramid::DiskPyramid(V2i size) : m_size(size) {
    std::int64_t at = 0;
    for (int level = 0; level < levelCount(size); ++level) {
        m_start.push_back(at);
        const V2i pixels = levelSize(size, level);
        at += std::int64_t{pixels.x} * pixels.y * texelBytes;
    }
    m_start.push_back(at);
}

DiskPyramid::~DiskPyramid() {
    if (m_fd >= 0) ::close(m_fd);
}

Result<std::shared_ptr<const DiskPyramid>> DiskPyramid::make(const std::string& picture, V2i size,
                                                             const std::filesystem::path& folder,
                                                             const Read& read) {
    std::shared_ptr<DiskPyramid> pyramid(new DiskPyramid(size));
    std::string name = (folder / "picture-XXXXXX").string();
    pyramid->m_fd = ::mkostemp(name.data(), O_CLOEXEC);
    const std::string place = "Cannot lay out " + picture + " in " + folder.string();
    if (pyramid->m_fd < 0) return fail(place + ": the folder cannot be written to.");
    ::unlink(name.c_str());

    bool room = true;
    const std::size_t levels = pyramid->m_start.size() - 1;
    // What is clear is not written: the file has holes there.
    if (::ftruncate(pyramid->m_fd, pyramid->bytes()) != 0)
        return fail(place + ": the disk does not take a file of that size.");
    std::vector<std::vector<Imath::half>> waiting(levels); // an upper row without its lower one
    // Takes a row of a level, and hands the mean of two on to the next.
    const std::function<void(std::size_t, int, const Imath::half*)> put = [&](std::size_t level, int y,
                                                                              const Imath::half* row) {
        const V2i pixels = levelSize(size, static_cast<int>(level));
        const std::int64_t bytes = pixels.x * texelBytes;
        const bool clear =
            std::all_of(row, row + std::size_t{4} * pixels.x, [](Imath::half v) { return v.bits() == 0; });
        room = room && (clear || writeAll(pyramid->m_fd, row, bytes, pyramid->m_start[level] + y * bytes));
        if (level + 1 == levels) return;
        if (y % 2 == 0 && y + 1 < pixels.y) {
            waiting[level].assign(row, row + std::size_t{4} * pixels.x);
            return;
        }
        const auto mean = meanRow(y % 2 == 0 ? row : waiting[level].data(), row, pixels.x);
        put(level + 1, y / 2, mean.data());
    };
    bool fits = true;
    int rows = 0;
    const auto done = read([&](int y, const Raster& strip) {
        fits = fits && strip.size.x == size.x && y >= 0 && y + strip.size.y <= size.y;
        if (!fits) return false;
        rows += strip.size.y;
        for (int row = 0; row < strip.size.y && room; ++row)
            put(0, y + row, strip.row(row));
        return room;
    });
    if (!fits || (done && room && rows != size.y))
        return fail("Cannot show " + picture + ": it has another size than when it was brought in, " +
                    std::to_string(size.x) + " x " + std::to_string(size.y) + " pixels.");
    if (!done) return tl::unexpected(done.error());
    if (!room)
        return fail(place + ": there is no room for " + std::to_string(pyramid->bytes() >> 20) + " MB.");
    return pyramid;
}

Result<Raster> DiskPyramid::read(int level, const Box& box) const {
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

void DiskPyramids::makeRoom(std::int64_t bytes) {
    std::int64_t used = 0;
    for (const Kept& kept : m_kept)
        used += kept.pyramid ? kept.pyramid->bytes() : 0;
    std::error_code code;
    const auto space = m_most ? std::filesystem::space_info() : std::filesystem::space(cacheFolder(), code);
    const std::int64_t most = m_most ? *m_most
                              : code ? 0
                                     : (static_cast<std::int64_t>(space.available) + used) / 2;
    for (auto at = m_kept.end(); used + bytes > most && at != m_kept.begin();) {
        --at;
        if (!at->pyramid) continue;
        used -= at->pyramid->bytes();
        at = m_kept.erase(at);
    }
}

Result<std::shared_ptr<const DiskPyramid>> DiskPyramids::of(const std::string& key, const std::string& name,
                                                            V2i size, const DiskPyramid::Read& read) {
    const auto find = [&] {
        return std::find_if(m_kept.begin(), m_kept.end(), [&](const Kept& kept) { return kept.key == key; });
    };
    {
        std::unique_lock guard(m_lock);
        for (auto kept = find(); kept != m_kept.end(); kept = find()) {
            if (kept->pyramid) {
                m_kept.splice(m_kept.begin(), m_kept, kept);
                return kept->pyramid;
            }
            m_made.wait(guard);
        }
        // What the file was before it changed is not looked at again.
        m_kept.remove_if([&](const Kept& kept) { return kept.name == name && kept.pyramid; });
        const std::int64_t pixels = std::int64_t{size.x} * size.y;
        makeRoom(pixels * texelBytes * 4 / 3);
        m_kept.push_front({key, name, nullptr});
    }
    // Without the lock, and without taking up work that could wait for this very one.
    auto pyramid =
        alone([&] { return guarded([&] { return DiskPyramid::make(name, size, cacheFolder(), read); }); });
    std::lock_guard guard(m_lock);
    if (pyramid)
        find()->pyramid = *pyramid;
    else
        m_kept.erase(find());
    m_made.notify_all();
    return pyramid;
}

}
