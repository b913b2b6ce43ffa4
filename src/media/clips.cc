#include "media/clips.h"

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
    if (!clip->reader) {
        auto reader = FootageReader::open(path);
        if (!reader) return tl::unexpected(reader.error());
        clip->reader = std::move(*reader);
    }
    return clip->reader->frame(n);
}

void Clips::close(const std::string& path) {
    std::lock_guard guard(m_lock);
    m_clips.erase(path);
}

}
