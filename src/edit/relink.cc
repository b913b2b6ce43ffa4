#include "edit/relink.h"

#include "media/content.h"
#include "media/probe.h"

#include <algorithm>
#include <map>

namespace stage::edit {

namespace fs = std::filesystem;

Result<Relinked> findMissing(const scene::Scene& scene, const fs::path& folder, const Progress& progress) {
    constexpr std::size_t most = 200'000;
    std::map<std::string, const scene::Media*> wanted; // by path
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) {
        if (const scene::Media* media = scene::mediaOf(*layer); media && !media::isThere(*layer))
            wanted[media->path] = media;
    });
    if (wanted.empty()) return fail("No media are missing.");
    // A sequence is found by its first picture.
    const auto nameOf = [](const scene::Media& media, const scene::Scene& all) {
        std::string name = fs::path(media.path).filename().string();
        if (name.find('#') == std::string::npos) return name;
        std::int64_t number = 0;
        scene::forEach(all, [&](const scene::LayerPtr& layer, const auto&) {
            if (const auto* footage = std::get_if<scene::Footage>(&layer->content);
                footage && footage->media.path == media.path)
                number = footage->number;
        });
        return media::sequenceFile(name, number);
    };
    std::map<std::string, std::vector<fs::path>> found; // by name
    for (const auto& [path, media] : wanted)
        found[nameOf(*media, scene)];
    std::error_code code;
    fs::recursive_directory_iterator at(folder, fs::directory_options::skip_permission_denied, code);
    if (code) return fail("Cannot look into " + folder.string() + ": " + code.message() + ".");
    std::size_t seen = 0;
    for (; at != fs::recursive_directory_iterator() && seen < most; at.increment(code), ++seen) {
        if (progress.stopped()) return cancelled();
        if (code) break;
        if (const auto place = found.find(at->path().filename().string());
            place != found.end() && at->is_regular_file(code))
            place->second.push_back(at->path());
    }
    Relinked result;
    scene::Json list = scene::Json::array();
    for (const auto& [path, media] : wanted) {
        auto& candidates = found[nameOf(*media, scene)];
        if (candidates.empty()) {
            result.missing.push_back(fs::path(path).filename().string());
            continue;
        }
        std::sort(candidates.begin(), candidates.end());
        fs::path chosen = candidates.front();
        for (const fs::path& each : candidates)
            if (const auto identity = media::identify(each);
                identity && !media->hash.empty() && identity->hash == media->hash) {
                chosen = each;
                break;
            }
        if (path.find('#') != std::string::npos) chosen = chosen.parent_path() / fs::path(path).filename();
        list.push_back({{"from", path}, {"to", fs::absolute(chosen).string()}});
    }
    if (!list.empty()) result.edit = {{"edit", "relink"}, {"media", std::move(list)}};
    return result;
}

}
