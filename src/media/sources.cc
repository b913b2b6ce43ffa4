#include "media/sources.h"

#include "media/open_raster.h"
#include "media/still.h"
#include "media/text_picture.h"
#include "scene/scene_json.h"

#include <sys/stat.h>
#include <unistd.h>

namespace stage::media {
namespace {

std::size_t quarterOfMemory() {
    return static_cast<std::size_t>(::sysconf(_SC_PHYS_PAGES)) *
           static_cast<std::size_t>(::sysconf(_SC_PAGE_SIZE)) / 4;
}

/// Tells one content from another: for files path, size and time of change, so that a changed file is read
/// anew.
std::string keyOf(const scene::Layer& layer, std::int64_t sourceFrame) {
    if (const scene::Media* media = scene::mediaOf(layer)) {
        struct stat info = {};
        ::stat(media->path.c_str(), &info);
        std::string key = media->path + '\n' + std::to_string(info.st_size) + '\n' +
                          std::to_string(info.st_mtim.tv_sec) + '.' + std::to_string(info.st_mtim.tv_nsec) +
                          '\n';
        if (const auto* picture = std::get_if<scene::Picture>(&layer.content)) return key + picture->part;
        return key + std::to_string(sourceFrame);
    }
    scene::Json json = scene::toJson(layer);
    return "text\n" + json["text"].dump();
}

}

Sources::Sources(std::size_t budget) : m_budget(budget ? budget : quarterOfMemory()) {}
Sources::~Sources() = default;

PyramidPtr Sources::ready(const scene::Layer& layer, std::int64_t sourceFrame) {
    const std::string key = keyOf(layer, sourceFrame);
    std::lock_guard guard(m_lock);
    const auto found = m_slots.find(key);
    if (found == m_slots.end() || found->second.loading || !found->second.pixels) return nullptr;
    m_byUse.splice(m_byUse.begin(), m_byUse, found->second.place);
    return *found->second.pixels;
}

Result<PyramidPtr> Sources::pyramid(const scene::Layer& layer, std::int64_t sourceFrame) {
    const std::string key = keyOf(layer, sourceFrame);
    {
        std::unique_lock guard(m_lock);
        for (auto found = m_slots.find(key); found != m_slots.end(); found = m_slots.find(key)) {
            if (!found->second.loading) {
                m_byUse.splice(m_byUse.begin(), m_byUse, found->second.place);
                return found->second.pixels;
            }
            m_loaded.wait(guard);
        }
        m_byUse.push_front(key);
        m_slots.emplace(key, Slot{PyramidPtr{}, true, 0, m_byUse.begin()});
    }
    Result<PyramidPtr> pixels = PyramidPtr{};
    try {
        auto level = read(layer, sourceFrame);
        if (level)
            pixels = makePyramid(std::move(*level));
        else
            pixels = tl::unexpected(level.error());
    } catch (const std::bad_alloc&) {
        pixels = fail("'" + layer.name + "' does not fit into memory.");
    }
    std::lock_guard guard(m_lock);
    Slot& slot = m_slots.at(key);
    slot.pixels = pixels;
    slot.loading = false;
    slot.bytes = pixels ? (*pixels)->bytes() : 0;
    m_kept += slot.bytes;
    evict();
    m_loaded.notify_all();
    return pixels;
}

void Sources::evict() {
    for (auto last = m_byUse.end(); m_kept > m_budget && last != m_byUse.begin();) {
        --last;
        if (last == m_byUse.begin()) break; // the one just loaded
        const auto slot = m_slots.find(*last);
        if (slot->second.loading) continue;
        m_kept -= slot->second.bytes;
        m_slots.erase(slot);
        last = m_byUse.erase(last);
    }
}

std::size_t Sources::bytesKept() const {
    std::lock_guard guard(m_lock);
    return m_kept;
}

void Sources::forgetProblems() {
    std::lock_guard guard(m_lock);
    for (auto place = m_byUse.begin(); place != m_byUse.end();) {
        const auto slot = m_slots.find(*place);
        if (!slot->second.loading && !slot->second.pixels) {
            m_slots.erase(slot);
            place = m_byUse.erase(place);
        } else {
            ++place;
        }
    }
}

Result<Level> Sources::read(const scene::Layer& layer, std::int64_t sourceFrame) {
    if (const auto* picture = std::get_if<scene::Picture>(&layer.content)) {
        if (picture->part.empty()) return readStill(std::filesystem::path(picture->media.path));
        auto bytes = readMember(picture->media.path, picture->part, 1u << 30);
        if (!bytes) return tl::unexpected(bytes.error());
        return readStill(*bytes, picture->part);
    }
    if (const auto* text = std::get_if<scene::Text>(&layer.content)) return setText(*text);
    const auto* footage = std::get_if<scene::Footage>(&layer.content);
    if (!footage) return fail("'" + layer.name + "' has no pixels of its own.");
    std::shared_ptr<Clip> clip;
    {
        std::lock_guard guard(m_lock);
        auto& slot = m_clips[footage->media.path];
        if (!slot) slot = std::make_shared<Clip>();
        clip = slot;
    }
    std::lock_guard guard(clip->lock);
    if (!clip->reader) {
        auto reader = FootageReader::open(footage->media.path);
        if (!reader) return tl::unexpected(reader.error());
        clip->reader = std::move(*reader);
    }
    return clip->reader->frame(sourceFrame);
}

}
