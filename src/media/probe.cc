#include "media/probe.h"

#include "media/content.h"
#include "media/drawing.h"
#include "media/footage.h"
#include "media/still.h"

#include <algorithm>
#include <charconv>
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

namespace {

std::string suffixOf(const fs::path& path) {
    std::string suffix = path.extension().string();
    for (char& c : suffix)
        c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return suffix;
}
bool oneOf(const std::string& suffix, std::initializer_list<const char*> known) {
    return std::any_of(known.begin(), known.end(), [&](const char* k) { return suffix == k; });
}

/// Numbers of the pictures that a pattern has, in order.
std::vector<std::int64_t> numbersOf(const fs::path& pattern) {
    const std::string name = pattern.filename().string();
    const auto end = name.find_last_of('#');
    auto begin = end;
    while (begin > 0 && name[begin - 1] == '#')
        --begin;
    const std::string before = name.substr(0, begin), after = name.substr(end + 1);
    const std::size_t digits = end + 1 - begin;
    std::vector<std::int64_t> numbers;
    std::error_code code;
    for (const auto& entry : fs::directory_iterator(fs::absolute(pattern).parent_path(), code)) {
        const std::string file = entry.path().filename().string();
        if (file.size() < before.size() + after.size() + digits || !file.starts_with(before) ||
            !file.ends_with(after))
            continue;
        const std::string middle = file.substr(before.size(), file.size() - before.size() - after.size());
        if (middle.size() > digits && (middle.size() > 9 || middle.front() == '0')) continue;
        std::int64_t number = 0;
        const auto [last, error] = std::from_chars(middle.data(), middle.data() + middle.size(), number);
        if (error == std::errc{} && last == middle.data() + middle.size() && number >= 0 &&
            middle.front() != '-')
            numbers.push_back(number);
    }
    std::sort(numbers.begin(), numbers.end());
    return numbers;
}

Result<Contents> probeSequence(const fs::path& pattern) {
    const auto wrong = [&](const std::string& reason) {
        return fail("Cannot read " + pattern.string() + ": " + reason + ".");
    };
    const auto numbers = numbersOf(pattern);
    if (numbers.empty()) return wrong("there are no pictures of that name");
    const std::int64_t span = numbers.back() - numbers.front() + 1;
    if (span > scene::Limits::frames) return wrong("its numbers lie too far apart");
    const std::string first = sequenceFile(pattern.string(), numbers.front());
    auto media = identify(first);
    if (!media) return tl::unexpected(media.error());
    const auto pixels = readStill(fs::path(first));
    if (!pixels) return tl::unexpected(pixels.error());
    media->path = fs::absolute(pattern).lexically_normal().string();
    Contents contents;
    contents.media = *media;
    contents.canvas = contents.size = pixels->size;
    contents.name = pattern.stem().string();
    contents.name = contents.name.substr(0, contents.name.find('#'));
    while (!contents.name.empty() && std::string(" ._-").find(contents.name.back()) != std::string::npos)
        contents.name.pop_back();
    if (contents.name.empty()) contents.name = "Sequence";
    scene::Footage footage;
    footage.media = *media;
    footage.frames = span;
    footage.number = numbers.front();
    contents.footage = footage;
    if (static_cast<std::int64_t>(numbers.size()) < span) {
        std::string gaps;
        int count = 0;
        for (std::size_t i = 1; i < numbers.size(); ++i) {
            if (numbers[i] == numbers[i - 1] + 1 || ++count > 5) continue;
            const std::int64_t from = numbers[i - 1] + 1, to = numbers[i] - 1;
            gaps += (gaps.empty() ? "" : ", ") + std::to_string(from) +
                    (to > from ? "-" + std::to_string(to) : "");
        }
        if (count > 5) gaps += " and more";
        contents.notes.push_back(pattern.filename().string() + ": " +
                                 std::to_string(span - static_cast<std::int64_t>(numbers.size())) +
                                 " pictures are missing (" + gaps + "); the one before is shown there.");
    }
    return contents;
}

}

std::optional<fs::path> sequenceOf(const fs::path& picture) {
    if (oneOf(suffixOf(picture), {".mp4", ".mov", ".mkv", ".webm", ".avi", ".ora", ".svg"}))
        return std::nullopt;
    const std::string name = picture.filename().string(), stem = picture.stem().string();
    auto end = stem.find_last_of("0123456789");
    if (end == std::string::npos) return std::nullopt;
    auto begin = end;
    while (begin > 0 && std::isdigit(static_cast<unsigned char>(stem[begin - 1])))
        --begin;
    if (end - begin > 9) return std::nullopt;
    std::string pattern = name;
    pattern.replace(begin, end + 1 - begin, std::string(end + 1 - begin, '#'));
    const fs::path path = picture.parent_path() / pattern;
    if (numbersOf(path).size() < 2) return std::nullopt;
    return path;
}

namespace {

bool isArchive(const fs::path& path) {
    std::ifstream in(path, std::ios::binary);
    char magic[4] = {};
    in.read(magic, 4);
    return std::string_view(magic, 4) == std::string_view("PK\3\4", 4);
}

/// A picture in layers. merged: the part that has all of them in one; empty: the file as a whole. paint:
/// they are mixed in encoded values.
Contents layered(Contents contents, Stack stack, std::optional<std::string> merged, bool paint) {
    contents.canvas = stack.canvas;
    contents.stack = std::move(stack);
    contents.merged = std::move(merged);
    contents.paint = paint;
    return contents;
}

/// A file that holds several pictures, as layers; one alone as that picture.
Result<Contents> severalPictures(const fs::path& path, const SubPictures& parts, Contents contents,
                                 const Progress& progress) {
    Stack stack;
    stack.canvas = parts.canvas;
    for (const SubPicture& picture : parts.pictures) {
        StackItem item;
        item.name = picture.name;
        item.offset = picture.offset;
        item.size = picture.size;
        item.part = picture.part;
        stack.items.push_back(std::move(item));
    }
    if (stack.items.size() > 1)
        return layered(std::move(contents), std::move(stack),
                       parts.merged ? std::optional<std::string>("#0") : std::nullopt, !parts.light);
    contents.canvas = stack.canvas;
    contents.offset = stack.items[0].offset;
    contents.size = stack.items[0].size;
    if (auto pixels = readStill(path, {}, progress); !pixels) return tl::unexpected(pixels.error());
    return contents;
}

/// Reads a picture to its end, in strips, so that a large one is not held.
Result<Contents> onePicture(const fs::path& path, Contents contents, const Progress& progress) {
    const auto info = probeStill(path);
    const auto whole = readStrips(
        path, {}, [](int, const Raster&) { return true; }, progress);
    if (!whole) return tl::unexpected(whole.error());
    contents.canvas = contents.size = info ? info->size : V2i(0);
    if (endsEarly(path))
        contents.notes.push_back(path.filename().string() +
                                 " ends early: the lower part of the picture is missing.");
    return contents;
}

Result<Contents> clip(const fs::path& path, Contents contents, const Progress& progress) {
    auto reader = FootageReader::open(path, progress);
    if (!reader) return tl::unexpected(reader.error());
    const FootageInfo& info = (*reader)->info();
    contents.canvas = contents.size = info.size;
    scene::Footage footage;
    footage.media = contents.media;
    footage.rate = info.rate;
    footage.frames = info.frames;
    contents.footage = footage;
    const std::string name = path.filename().string();
    if (info.varies)
        contents.notes.push_back(name + ": its frames come at uneven times; it is read at " +
                                 info.rate.text() + " frames per second, with each frame in its place.");
    if (info.interlaced)
        contents.notes.push_back(name + " is interlaced; the lines that a field lacks are interpolated.");
    return contents;
}

}

Result<Contents> probe(const fs::path& path, const Progress& progress) {
    std::error_code code;
    if (path.filename().string().find('#') != std::string::npos && !fs::exists(path, code))
        return probeSequence(path);
    auto media = identify(path);
    if (!media) return tl::unexpected(media.error());
    Contents contents;
    contents.media = *media;
    contents.name = path.stem().string();
    const std::string suffix = suffixOf(path);
    const bool archive = isArchive(path);
    if (archive || oneOf(suffix, {".svg", ".svgz"})) {
        auto stack = archive ? readStack(path) : readDrawing(path);
        if (!stack) return tl::unexpected(stack.error());
        return layered(std::move(contents), std::move(*stack), archive ? "mergedimage.png" : "", true);
    }
    // A movie suffix is believed first, because a picture reader may take a movie's first frame for a still.
    if (oneOf(suffix, {".mp4", ".mov", ".mkv", ".webm", ".avi", ".m4v", ".mpg", ".mpeg", ".mxf", ".ogv",
                       ".ts", ".gif"}))
        return clip(path, std::move(contents), progress);
    const auto parts = readSubPictures(path);
    if (parts && !parts->pictures.empty())
        return severalPictures(path, *parts, std::move(contents), progress);
    auto picture = parts ? onePicture(path, contents, progress) : tl::unexpected(parts.error());
    // By its suffix it is a picture, so what is wrong with the picture is told.
    if (picture || picture.error().cancelled ||
        oneOf(suffix,
              {".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".exr", ".bmp", ".tga", ".hdr", ".dpx"}))
        return picture;
    return clip(path, std::move(contents), progress);
}

}
