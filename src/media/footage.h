// Footage through FFmpeg, exact to the frame.
#pragma once

#include "media/pyramid.h"
#include "scene/error.h"
#include "scene/progress.h"
#include "scene/rational.h"

#include <filesystem>
#include <memory>

namespace stage::media {

struct FootageInfo {
    V2i size;
    Rational rate{24};       ///< mean frames per second
    std::int64_t frames = 0; ///< counted, not estimated
    bool alpha = false;
};

/// One open clip. Opening reads every packet once, without decoding, to know each frame's exact time.
/// Not thread-safe; `Sources` keeps one per clip behind a lock.
class FootageReader {
public:
    /// Errors: not footage, no picture track, no frames, unsupported codec.
    static Result<std::unique_ptr<FootageReader>> open(const std::filesystem::path& path,
                                                       const Progress& progress = {});
    ~FootageReader();

    const FootageInfo& info() const;
    /// The n-th frame shown, 0-based. Reading forward continues; elsewhere it seeks to the key frame before.
    Result<Level> frame(std::int64_t n);

private:
    struct State;
    explicit FootageReader(std::unique_ptr<State> state);
    std::unique_ptr<State> m_state;
};

}
