#include "cutout/fill_store.h"

#include "media/cache_folder.h"
#include "scene/file.h"

#include <cstring>
#include <glib.h>
#include <vector>

namespace stage::cutout {
namespace {

namespace fs = std::filesystem;

constexpr std::uintmax_t mostBytes = 1u << 30;

std::string sha256(const void* data, std::size_t bytes) {
    gchar* sum = g_compute_checksum_for_data(G_CHECKSUM_SHA256, static_cast<const guchar*>(data), bytes);
    std::string text = sum;
    g_free(sum);
    return text;
}

fs::path placeOf(const std::string& key) {
    return media::cacheFolder() / "fills" / sha256(key.data(), key.size());
}

struct Header {
    char kind[8] = {'o', 's', 'f', 'i', 'l', 'l', '0', '1'};
    std::int32_t width = 0, height = 0;          ///< of the whole picture
    std::int32_t x0 = 0, y0 = 0, x1 = 0, y1 = 0; ///< of what follows, rows of RGBA in half floats
    char sum[64] = {};                           ///< sha256 of it, in hexadecimal
};

}

std::optional<media::Raster> keptFill(const std::string& key, const media::Raster& below) {
    const fs::path place = placeOf(key);
    std::error_code code;
    if (!fs::exists(place, code)) return {};
    const auto bytes = scene::readFile(place, mostBytes);
    Header header;
    if (!bytes || bytes->size() < sizeof header) return {};
    std::memcpy(&header, bytes->data(), sizeof header);
    const media::Box box{header.x0, header.y0, header.x1, header.y1};
    if (std::memcmp(header.kind, Header{}.kind, sizeof header.kind) != 0 ||
        V2i(header.width, header.height) != below.size || box.empty() ||
        !(box.within(media::boxOf(below.size)) == box))
        return {};
    const std::size_t row = static_cast<std::size_t>(box.size().x) * 4 * sizeof(Imath::half),
                      payload = row * static_cast<std::size_t>(box.size().y);
    const char* from = bytes->data() + sizeof header;
    if (bytes->size() != sizeof header + payload ||
        sha256(from, payload) != std::string(header.sum, sizeof header.sum))
        return {};
    media::Raster out = below;
    for (int y = box.y0; y < box.y1; ++y, from += row)
        std::memcpy(static_cast<void*>(out.row(y) + 4 * box.x0), from, row);
    fs::last_write_time(place, fs::file_time_type::clock::now(), code); // used just now
    return out;
}

void keepFill(const std::string& key, const media::Raster& below, const media::Raster& filled) {
    const V2i size = below.size;
    media::Box box{size.x, size.y, 0, 0};
    for (int y = 0; y < size.y; ++y)
        for (int x = 0; x < size.x; ++x)
            if (std::memcmp(below.row(y) + 4 * x, filled.row(y) + 4 * x, 4 * sizeof(Imath::half)) != 0)
                box = {std::min(box.x0, x), std::min(box.y0, y), std::max(box.x1, x + 1),
                       std::max(box.y1, y + 1)};
    if (box.empty()) return;
    Header header;
    header.width = size.x, header.height = size.y;
    header.x0 = box.x0, header.y0 = box.y0, header.x1 = box.x1, header.y1 = box.y1;
    const std::size_t row = static_cast<std::size_t>(box.size().x) * 4 * sizeof(Imath::half);
    std::string bytes(sizeof header, '\0');
    for (int y = box.y0; y < box.y1; ++y)
        bytes.append(reinterpret_cast<const char*>(filled.row(y) + 4 * box.x0), row);
    const std::string sum = sha256(bytes.data() + sizeof header, bytes.size() - sizeof header);
    std::memcpy(header.sum, sum.data(), sizeof header.sum);
    std::memcpy(bytes.data(), &header, sizeof header);

    const fs::path place = placeOf(key);
    std::error_code code;
    fs::create_directories(place.parent_path(), code);
    struct Old {
        fs::file_time_type used;
        std::uintmax_t bytes;
        fs::path path;
    };
    std::vector<Old> all;
    std::uintmax_t total = bytes.size();
    for (const auto& entry : fs::directory_iterator(place.parent_path(), code)) {
        std::error_code gone;
        const Old old{entry.last_write_time(gone), entry.file_size(gone), entry.path()};
        if (gone) continue;
        total += old.bytes;
        all.push_back(old);
    }
    std::sort(all.begin(), all.end(), [](const Old& a, const Old& b) { return a.used < b.used; });
    for (std::size_t i = 0; i < all.size() && total > mostBytes; ++i) {
        fs::remove(all[i].path, code);
        total -= all[i].bytes;
    }
    [[maybe_unused]] const auto written = scene::writeFileAtomically(place, bytes);
}

}
