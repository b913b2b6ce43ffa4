// Where finished pictures go, one after the other.
#pragma once

#include "render/image.h"
#include "scene/error.h"
#include "scene/rational.h"

#include <filesystem>
#include <memory>

namespace stage::output {

/// A file or a row of files being written. Nothing stands under a final name before it is whole: a movie
/// appears with finish(), a picture of a sequence when it is complete. Destroyed without finish(), it removes
/// what was half done. Not thread-safe.
class FrameSink {
public:
    virtual ~FrameSink() = default;
    /// The next frame, of the size that the sink was opened with. Errors: it cannot be written.
    virtual Result<void> add(const render::Image& picture) = 0;
    /// After the last frame. A movie is there only when this succeeds.
    virtual Result<void> finish() = 0;
};

struct SinkSpec {
    std::filesystem::path path;
    V2i size;
    Rational rate{24};
    bool alpha = false; ///< keep alpha where the format can; else pictures are put over black
};

/// H.264 in MP4 or QuickTime (by suffix); 4:2:0, with an odd size 4:4:4; Rec. 709.
Result<std::unique_ptr<FrameSink>> openH264(const SinkSpec& spec);
/// FFV1, lossless RGB(A), in Matroska.
Result<std::unique_ptr<FrameSink>> openFfv1(const SinkSpec& spec);
/// 8-bit sRGB PNG files; every run of # in the name is replaced by the frame's number with as many digits.
/// A name without # is one file and takes one picture.
Result<std::unique_ptr<FrameSink>> openPngs(const SinkSpec& spec, std::int64_t firstFrame);

/// A sentence for a system error that hit a path.
Error cannotWrite(const std::filesystem::path& path, int code);

}
