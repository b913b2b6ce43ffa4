#include "output/identity.h"

#include "media/file_state.h"
#include "output/sink.h"
#include "scene/file.h"
#include "scene/scene_json.h"

#include <glib.h>
#include <set>

namespace stage::output {
namespace {

std::set<std::string> filesOf(const scene::Scene& scene) {
    std::set<std::string> files;
    scene::withMediaPaths(scene, [&](const std::string& path) {
        // Of pictures in sequence their folder stands for all of them.
        files.insert(
            path.find('#') == std::string::npos ? path : std::filesystem::path(path).parent_path().string());
        return path;
    });
    return files;
}

std::string checksum(const std::string& text) {
    gchar* sum =
        g_compute_checksum_for_string(G_CHECKSUM_SHA256, text.data(), static_cast<gssize>(text.size()));
    std::string out = sum;
    g_free(sum);
    return out;
}

std::string stateOf(const scene::Scene& scene) {
    std::string all = scene::toJson(scene).dump(-1, ' ', false, scene::Json::error_handler_t::replace);
    for (const std::string& file : filesOf(scene))
        all += media::fileState(file);
    return checksum(all);
}

}

bool alphaOf(const scene::Scene& scene, const Job& job) {
    return infoOf(job.format).alpha && job.encoding.alpha && scene.output.background.a < 1;
}

std::string identityOf(const scene::Scene& scene, const Job& job) {
    scene::Json json = {{"scene", stateOf(scene)},
                        {"size", {job.size.x, job.size.y}},
                        {"method", render::methodNames[static_cast<std::size_t>(job.quality.method)]},
                        {"samples", job.quality.samples},
                        {"noise", job.quality.noise},
                        {"alpha", alphaOf(scene, job)},
                        {"bits", pixelBits(job.format, job.encoding)},
                        {"program", STAGE_VERSION}};
    if (job.wipe) {
        json["wipe"] = {job.wipe->from, job.wipe->to, job.first, job.last};
        if (job.wipe->against) json["against"] = stateOf(*job.wipe->against);
    }
    return json.dump(2) + '\n';
}

}
