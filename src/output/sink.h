// Where finished pictures go, one after the other.
#pragma once

#include "output/format.h"
#include "output/pixels.h"
#include "scene/error.h"
#include "scene/rational.h"

#include <filesystem>
#include <memory>
#include <span>

namespace stage::output {

/// A file or a row of files being written. Nothing stands under a final name before it is whole: a movie
/// appears after its last pass, a picture of a sequence when it is complete. Destroyed before, it removes
/// what was half done. Not thread-safe.
class Sink {
public:
    virtual ~Sink() = default;
    /// How often it wants all frames, one time after the other, as far as it knows.
    virtual int passes() const { return 1; }
    /// The next frame, of the size and bits that the sink was opened with. number: what files are named by.
    /// Errors: it cannot be written.
    virtual Result<void> add(std::int64_t number, const Pixels& pixels) = 0;
    /// After the last frame: whether it wants all of them once more. Else all is written: a movie is there
    /// only then.
    virtual Result<bool> endPass() = 0;
};
using SinkPtr = std::unique_ptr<Sink>;

struct SinkSpec {
    std::filesystem::path path;
    Format format = Format::Png;
    Encoding encoding;
    V2i size; ///< of the pictures, px
    Rational rate{24};
    bool alpha = false;      ///< of the pictures counts; else it is full
    std::int64_t frames = 1; ///< how many there will be
};

/// Bits of a channel of the pixels that a sink takes: 8, 16 or 32.
int pixelBits(Format format, const Encoding& encoding);

/// Movies as Rec. 709. GIFs have one palette for all frames.
Result<SinkPtr> openMovie(const SinkSpec& spec);
Result<SinkPtr> openGif(const SinkSpec& spec);
/// Every run of # in the name is replaced by the frame's number with as many digits. A name without # is one
/// file and takes one picture.
Result<SinkPtr> openPictures(const SinkSpec& spec);
/// What of these the format asks for.
Result<SinkPtr> openSink(const SinkSpec& spec);

/// A path with its runs of # replaced by a number.
std::filesystem::path numbered(const std::filesystem::path& path, std::int64_t number);

/// A PNG file of 8 or 16 bits. Empty: there is no memory.
std::vector<char> pngFile(const Pixels& pixels, bool alpha);

/// One picture file under its final name, whole or not at all.
Result<void> writePicture(const SinkSpec& spec, const std::filesystem::path& path, const Pixels& pixels);

/// False: errno says why.
bool writeBytes(const std::filesystem::path& path, std::span<const char> bytes);

/// A sentence for a system error that hit a path.
Error cannotWrite(const std::filesystem::path& path, int code);
/// For what a library says, which may hide that the disk is full. bytes: of the file, at least.
Error cannotWrite(const std::filesystem::path& path, std::size_t bytes, const std::string& problem);

}
