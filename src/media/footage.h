// Footage through FFmpeg, exact to the frame.
#pragma once

#include "media/frame_converter.h"
#include "scene/progress.h"
#include "scene/rational.h"

#include <filesystem>
#include <memory>

namespace stage::media {

struct FootageInfo {
    V2i size;          ///< as shown: turned upright, pixels made square
    Rational rate{24}; ///< frames per second; of a clip whose rate varies, one at which all its frames find
                       ///< a place of their own (at most 120)
    std::int64_t frames = 0; ///< counted, not estimated; of a clip whose rate varies, its length at `rate`
    bool varies = false;     ///< frames come at uneven times
    bool alpha = false;
    bool interlaced = false; ///< of two fields, between which the missing lines are interpolated
    bool hdr = false;        ///< PQ or HLG, brought to linear light with 203 cd/m2 as 1 (ITU-R BT.2408)
};

/// One open clip. Opening reads every packet once, without decoding, to know each frame's exact time.
/// One thread may read frames while others ask for those that are kept; `Clips` sees to it.
class FootageReader {
public:
    /// keep: bytes of frames that are kept, so that those around a frame need not be decoded again.
    /// Errors: not footage, no picture track, no frames, unsupported codec.
    static Result<std::unique_ptr<FootageReader>> open(const std::filesystem::path& path,
                                                       const Progress& progress = {},
                                                       std::size_t keep = std::size_t{64} << 20);
    ~FootageReader();

    /// Of the clip; valid as long as the reader is.
    const FootageInfo& info() const;
    /// The n-th frame shown, 0-based. Reading forward continues; elsewhere it seeks to the key frame before,
    /// and keeps what it decodes on the way, so that reading backward is as fast as forward.
    Result<ClipFramePtr> frame(std::int64_t n);
    /// The same where it has been made and is kept still, else null. Thread-safe.
    ClipFramePtr kept(std::int64_t n) const;
    /// Bytes of frames to keep. Thread-safe.
    void setKeep(std::size_t bytes);
    /// How many frames are about to be kept, by the last one. Thread-safe.
    std::int64_t mostKept() const;

private:
    struct State;
    explicit FootageReader(std::unique_ptr<State> state);
    std::unique_ptr<State> m_state;
};

}
