// An open picture file. Values are as they stand in it. Common kinds of JPEG, PNG and WebP are read by their
// own libraries; everything else by OpenImageIO, which takes long to load and so is a plugin
// (plugins/picture_files.cc).
#pragma once

#include "scene/geometry.h"

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace stage::media {

/// One open file; not thread-safe.
class PictureFile {
public:
    struct Spec {
        V2i size{0, 0}, offset{0, 0};           ///< of the pixels, px
        V2i full{0, 0}, fullOffset{0, 0};       ///< of the canvas that they stand on, px
        bool flat = true;                       ///< not a volume
        bool isFloat = false;                   ///< else integers, given as 0..1
        bool isByte = false;                    ///< eight bits: see readBytes()
        bool associated = true;                 ///< premultiplied
        bool movie = false;                     ///< its pictures follow in time
        int tileHeight = 1;                     ///< rows that are best read together
        int orientation = 1;                    ///< EXIF, 1..8
        int alpha = -1;                         ///< the channel, if one is known to be
        std::vector<std::string> channels;      ///< names
        std::string colourSpace, name, profile; ///< profile: ICC, bytes
    };
    virtual ~PictureFile() = default;
    /// Of the picture that is looked at, at first the first.
    virtual Spec spec() = 0;
    /// Looks at another picture of the file; false: there is none of that number.
    virtual bool seek(int picture) = 0;
    /// All channels of rows y0..y1-1 from the top, pixel by pixel, of what is not of eight bits. Rows are
    /// asked for in order, each once. False: see problem().
    virtual bool read(int y0, int y1, float* to) = 0;
    /// The same of what is.
    virtual bool readBytes(int y0, int y1, std::uint8_t* to) = 0;
    /// In the library's words; may be empty.
    virtual std::string problem() = 0;
};

/// Common kinds. bytes: the whole file, which must stay until it is closed. Null: it is no such file, or a
/// kind of it that is left to the plugin.
std::unique_ptr<PictureFile> openJpeg(std::string_view bytes);
std::unique_ptr<PictureFile> openPng(std::string_view bytes);
std::unique_ptr<PictureFile> openWebp(std::string_view bytes);

/// What the plugin "picture_files" gives.
struct PictureFiles {
    /// bytes: the whole file, which must stay until it is closed; null: read from the disk. Null: `problem`
    /// says why, in the library's words. Thread-safe.
    std::unique_ptr<PictureFile> (*open)(const std::string& name, const std::string* bytes,
                                         std::string& problem);
};

}
