// Footage through FFmpeg, exact to the frame.
#pragma once

#include "media/raster.h"
#include "scene/error.h"
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
    bool interlaced = false; ///< of two fields: the second is dropped, its lines are made from the first
    bool hdr = false;        ///< PQ or HLG, brought to linear light with 203 cd/m2 as 1 (ITU-R BT.2408)
};

/// One open clip. Opening reads every packet once, without decoding, to know each frame's exact time.
/// Not thread-safe; `Clips` keeps one per clip behind a lock.
class FootageReader {
public:
    /// Errors: not footage, no picture track, no frames, unsupported codec.
    static Result<std::unique_ptr<FootageReader>> open(const std::filesystem::path& path,
                                                       const Progress& progress = {});
    ~FootageReader();

    /// Of the clip; valid as long as the reader is.
    const FootageInfo& info() const;
    /// The n-th frame shown, 0-based. Reading forward continues; elsewhere it seeks to the key frame before.
    Result<Raster> frame(std::int64_t n);

private:
    struct State;
    explicit FootageReader(std::unique_ptr<State> state);
    std::unique_ptr<State> m_state;
};

}
