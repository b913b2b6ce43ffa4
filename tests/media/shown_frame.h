#pragma once

#include "media/footage.h"

namespace stage::media {

/// All pixels of the n-th frame.
inline Result<Raster> shownFrame(FootageReader& reader, std::int64_t n) {
    const auto frame = reader.frame(n);
    if (!frame) return tl::unexpected(frame.error());
    return (*frame)->pixels(0, boxOf((*frame)->size()));
}

}
