#include "media/clips.h"

#include "media/file_state.h"

namespace stage::media {

Result<Raster> Clips::frame(const std::string& path, std::int64_t n) {
    std::shared_ptr<Clip> clip;
    {
        std::lock_guard guard(m_lock);
        auto& slot = m_clips[path];
        if (!slot) slot = std::make_shared<Clip>();
        clip = slot;
    }
    std::lock_guard guard(clip->lock);
    const std::string state = fileState(path);
    if (!clip->reader || clip->state != state) {
        clip->reader.reset();
        auto reader = FootageReader::open(path);
        if (!reader) return tl::unexpected(reader.error());
        clip->reader = std::move(*reader);
        clip->state = state;
    }
    return clip->reader->frame(n);
}

}
