// The formats that are written, and what each can keep. Thread-safe.
#pragma once

#include "scene/geometry.h"

#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace stage::output {

enum class Format {
    H264,
    H265,
    Vp9,
    Av1,
    Ffv1,
    Intermediate,
    WebP,
    Gif,
    Png,
    Tiff,
    Exr,
    Jpeg,
    ExrParts, ///< OpenEXR with a part for each layer
    ExrDeep,  ///< OpenEXR in which every pixel has the layers with their depths
    OpenRaster
};

/// How pixels are put into a file. A member that a format does not have does not count.
struct Encoding {
    /// On the format's own scale (FormatInfo::rate); nothing: the usual one.
    std::optional<double> rate;
    /// Instead of it: how large the file may become, 10^6 bytes.
    std::optional<double> megabytes;
    int bits = 0;            ///< of a channel; 0: the usual number
    bool alpha = true;       ///< kept where the format can and something shows through the background
    std::string compression; ///< one of the format's; empty: the usual one
    bool operator==(const Encoding&) const = default;
};

struct FormatInfo {
    Format format;
    std::string_view id;                    ///< in jobs and on the command line
    std::string_view title;                 ///< English
    std::vector<std::string_view> suffixes; ///< lower case, the usual one first
    bool movie = true;                      ///< all frames in one file
    bool layered = false;                   ///< layers stay apart in it (layers.h)
    bool alpha = false;
    std::vector<int> bits = {8}; ///< of a channel, the usual number first
    /// Quality; all the same: there is none to choose.
    struct Rate {
        double usual = 0, best = 0, worst = 0;
        bool any() const { return best != worst; }
    } rate = {};
    bool sized = false;                              ///< a size can be aimed at
    bool even = false;                               ///< takes even sizes only
    std::vector<std::string_view> compressions = {}; ///< the usual one first
};
std::span<const FormatInfo> formats();
const FormatInfo& infoOf(Format format);
/// By id; nothing for another.
std::optional<Format> formatNamed(std::string_view id);
/// The first one that has the suffix; nothing for another.
std::optional<Format> formatOf(const std::filesystem::path& path);

/// Bits of a channel that are written.
int bitsOf(Format format, const Encoding& encoding);
/// Of the pixels in the file, for a picture of a size: where only even sizes can be, the last column and row
/// are repeated.
V2i sizeInFile(Format format, V2i size);
/// What is wrong with an encoding of the format, a sentence; empty: nothing.
std::string complaintAbout(Format format, const Encoding& encoding);

}
