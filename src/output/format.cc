#include "output/format.h"

#include <algorithm>

namespace stage::output {
namespace {

constexpr FormatInfo::Rate of51(double usual) {
    return {usual, 0, 51};
}
constexpr FormatInfo::Rate of63(double usual) {
    return {usual, 0, 63};
}
constexpr FormatInfo::Rate percent(double usual) {
    return {usual, 100, 0};
}

// Where several have a suffix, the one that it stands for comes first.
const std::vector<FormatInfo> all = {
    {.format = Format::H264,
     .id = "h264",
     .title = "H.264 movie",
     .suffixes = {".mp4", ".mov", ".m4v"},
     .rate = of51(16),
     .sized = true,
     .even = true},
    {.format = Format::H265,
     .id = "h265",
     .title = "H.265 movie",
     .suffixes = {".mp4", ".mov"},
     .bits = {8, 10},
     .rate = of51(20),
     .sized = true,
     .even = true},
    {.format = Format::Vp9,
     .id = "vp9",
     .title = "VP9 movie",
     .suffixes = {".webm"},
     .alpha = true,
     .rate = of63(24),
     .sized = true,
     .even = true},
    {.format = Format::Av1,
     .id = "av1",
     .title = "AV1 movie",
     .suffixes = {".mp4", ".webm"},
     .bits = {10, 8},
     .rate = of63(26),
     .sized = true,
     .even = true},
    {.format = Format::Ffv1,
     .id = "ffv1",
     .title = "FFV1 movie, lossless",
     .suffixes = {".mkv"},
     .alpha = true,
     .bits = {8, 16}},
    {.format = Format::Intermediate,
     .id = "rdd36",
     .title = "Intermediate movie for editing, 4:4:4:4 (SMPTE RDD 36)",
     .suffixes = {".mov"},
     .alpha = true,
     .bits = {10},
     .even = true},
    {.format = Format::WebP,
     .id = "webp",
     .title = "Animated WebP",
     .suffixes = {".webp"},
     .alpha = true,
     .rate = percent(85)},
    {.format = Format::Gif, .id = "gif", .title = "Animated GIF", .suffixes = {".gif"}, .alpha = true},
    {.format = Format::Png,
     .id = "png",
     .title = "PNG pictures",
     .suffixes = {".png"},
     .movie = false,
     .alpha = true,
     .bits = {8, 16}},
    {.format = Format::Tiff,
     .id = "tiff",
     .title = "TIFF pictures",
     .suffixes = {".tif", ".tiff"},
     .movie = false,
     .alpha = true,
     .bits = {16, 8, 32},
     .compressions = {"zip", "lzw", "none"}},
    {.format = Format::Exr,
     .id = "exr",
     .title = "OpenEXR pictures, scene-linear",
     .suffixes = {".exr"},
     .movie = false,
     .alpha = true,
     .bits = {16, 32},
     .compressions = {"zip", "zips", "piz", "rle", "dwaa", "dwab", "none"}},
    {.format = Format::Jpeg,
     .id = "jpeg",
     .title = "JPEG pictures",
     .suffixes = {".jpg", ".jpeg"},
     .movie = false,
     .rate = percent(92)},
    {.format = Format::ExrParts,
     .id = "exr-parts",
     .title = "OpenEXR pictures with a part for each layer, scene-linear",
     .suffixes = {".exr"},
     .movie = false,
     .layered = true,
     .alpha = true,
     .bits = {16, 32},
     .compressions = {"zip", "zips", "piz", "rle", "none"}},
    {.format = Format::ExrDeep,
     .id = "exr-deep",
     .title = "Deep OpenEXR pictures: all layers with their depths, scene-linear",
     .suffixes = {".exr"},
     .movie = false,
     .layered = true,
     .alpha = true,
     .bits = {16, 32}},
    {.format = Format::OpenRaster,
     .id = "openraster",
     .title = "OpenRaster pictures with layers",
     .suffixes = {".ora"},
     .movie = false,
     .layered = true,
     .alpha = true,
     .bits = {8, 16}},
};

}

std::span<const FormatInfo> formats() {
    return all;
}

const FormatInfo& infoOf(Format format) {
    return *std::find_if(all.begin(), all.end(), [&](const FormatInfo& f) { return f.format == format; });
}

std::optional<Format> formatNamed(std::string_view id) {
    for (const FormatInfo& info : all)
        if (info.id == id) return info.format;
    return std::nullopt;
}

std::optional<Format> formatOf(const std::filesystem::path& path) {
    std::string suffix = path.extension().string();
    std::transform(suffix.begin(), suffix.end(), suffix.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    for (const FormatInfo& info : all)
        if (std::find(info.suffixes.begin(), info.suffixes.end(), suffix) != info.suffixes.end())
            return info.format;
    return std::nullopt;
}

int bitsOf(Format format, const Encoding& encoding) {
    return encoding.bits ? encoding.bits : infoOf(format).bits.front();
}

V2i sizeInFile(Format format, V2i size) {
    return infoOf(format).even ? V2i(size.x + size.x % 2, size.y + size.y % 2) : size;
}

std::string complaintAbout(Format format, const Encoding& encoding) {
    const FormatInfo& info = infoOf(format);
    const std::string title(info.title);
    const auto has = [](const auto& list, const auto& value) {
        return std::find(list.begin(), list.end(), value) != list.end();
    };
    if (encoding.bits && !has(info.bits, encoding.bits))
        return title + ": " + std::to_string(encoding.bits) + " bits of a channel cannot be written.";
    if (encoding.rate) {
        const auto [low, high] = std::minmax(info.rate.best, info.rate.worst);
        if (!info.rate.any()) return title + ": there is no quality to choose.";
        if (!(*encoding.rate >= low && *encoding.rate <= high))
            return title + ": the quality goes from " + std::to_string(static_cast<int>(info.rate.best)) +
                   ", the best, to " + std::to_string(static_cast<int>(info.rate.worst)) + ".";
    }
    if (encoding.megabytes) {
        if (!info.sized) return title + ": a size cannot be aimed at.";
        if (!(*encoding.megabytes > 0 && *encoding.megabytes < 1e9)) return "The size should be above 0 MB.";
        if (encoding.rate) return "Either a quality or a size is aimed at, not both.";
    }
    if (!encoding.compression.empty() && !has(info.compressions, encoding.compression))
        return title + ": there is no compression '" + encoding.compression + "'.";
    return {};
}

}
