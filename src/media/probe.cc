#include "media/probe.h"

#include "media/footage.h"
#include "media/still.h"

#include <fstream>
#include <glib.h>

namespace stage::media {
namespace fs = std::filesystem;

Result<scene::Media> identify(const fs::path& path) {
    constexpr std::streamoff piece = 1 << 20;
    std::error_code code;
    if (!fs::exists(path, code)) return fail("Cannot read " + path.string() + ": it does not exist.");
    if (!fs::is_regular_file(path, code)) return fail("Cannot read " + path.string() + ": it is not a file.");
    scene::Media media;
    media.path = fs::absolute(path).lexically_normal().string();
    media.bytes = static_cast<std::int64_t>(fs::file_size(path, code));
    if (media.bytes == 0) return fail("Cannot read " + path.string() + ": it is empty.");
    std::ifstream in(path, std::ios::binary);
    std::string bytes = std::to_string(media.bytes) + "\n";
    const auto take = [&](std::streamoff from, std::streamoff count) {
        const auto start = bytes.size();
        bytes.resize(start + static_cast<std::size_t>(count));
        in.seekg(from);
        in.read(bytes.data() + start, count);
    };
    take(0, std::min<std::streamoff>(piece, media.bytes));
    if (media.bytes > piece)
        take(std::max<std::streamoff>(piece, media.bytes - piece),
             media.bytes - std::max<std::streamoff>(piece, media.bytes - piece));
    if (!in) return fail("Cannot read " + path.string() + ": it could not be read to its end.");
    gchar* sum = g_compute_checksum_for_data(G_CHECKSUM_SHA256, reinterpret_cast<const guchar*>(bytes.data()),
                                             bytes.size());
    media.hash = std::string("sha256:") + sum;
    g_free(sum);
    return media;
}

Result<Contents> probe(const fs::path& path, const Progress& progress) {
    auto media = identify(path);
    if (!media) return tl::unexpected(media.error());
    Contents contents;
    contents.media = *media;
    contents.name = path.stem().string();

    std::ifstream in(path, std::ios::binary);
    char magic[4] = {};
    in.read(magic, 4);
    if (std::string_view(magic, 4) == std::string_view("PK\3\4", 4)) {
        auto stack = readStack(path);
        if (!stack) return tl::unexpected(stack.error());
        contents.canvas = stack->canvas;
        contents.stack = std::move(*stack);
        return contents;
    }
    // A movie suffix is believed first, because a picture reader may take a movie's first frame for a still.
    std::string suffix = path.extension().string();
    for (char& c : suffix)
        c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    const bool movie = suffix == ".mp4" || suffix == ".mov" || suffix == ".mkv" || suffix == ".webm" ||
                       suffix == ".avi" || suffix == ".m4v" || suffix == ".mpg" || suffix == ".mpeg" ||
                       suffix == ".mxf" || suffix == ".ogv" || suffix == ".ts";
    if (!movie) {
        const auto pixels = readStill(path);
        if (pixels) {
            contents.canvas = pixels->size;
            return contents;
        }
        const bool picture = suffix == ".png" || suffix == ".jpg" || suffix == ".jpeg" || suffix == ".tif" ||
                             suffix == ".tiff" || suffix == ".webp" || suffix == ".exr" || suffix == ".bmp" ||
                             suffix == ".tga";
        if (picture) return tl::unexpected(pixels.error());
    }
    auto reader = FootageReader::open(path, progress);
    if (!reader) return tl::unexpected(reader.error());
    const FootageInfo& info = (*reader)->info();
    contents.canvas = info.size;
    contents.footage = scene::Footage{*media, info.rate, info.frames, Rational(0)};
    return contents;
}

}
