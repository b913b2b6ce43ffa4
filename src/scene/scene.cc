#include "scene/scene.h"

#include <algorithm>
#include <unordered_map>

namespace stage::scene {

bool samePictures(Scene a, Scene b) {
    for (Scene* scene : {&a, &b}) {
        scene->homeDepth = scene->ground = 0;
        scene->limits = {};
        scene->setAside.clear();
        scene->output.loop = scene->output.backgroundSeen = false;
        scene->output.guides.clear();
        scene->output.variants.clear();
        scene->camera.rig = Rig::Dolly;
        scene->extra = Json::object();
    }
    return a == b;
}

Scene emptyScene() {
    Scene scene;
    Mark first;
    first.id = 1;
    scene.camera.marks.push_back(first);
    return scene;
}

namespace {

/// Where every layer is, for going from one to its carriers.
class Carrying {
public:
    explicit Carrying(const Scene& scene) {
        forEach(scene, [&](const LayerPtr& layer, const std::vector<LayerPtr>& holders) {
            m_all.push_back({layer, holders, {}});
            m_follows = m_follows || layer->follows != 0;
        });
        if (!m_follows) return;
        for (std::size_t i = 0; i < m_all.size(); ++i)
            m_place[m_all[i].layer->id] = i;
    }
    std::vector<LayerPath> take() {
        for (LayerPath& found : m_all)
            if (!m_follows || !carriersOf(found, found.carriers, 0)) found.carriers = found.holders;
        return std::move(m_all);
    }
    std::string trouble() const {
        if (!m_follows) return "";
        std::vector<LayerPtr> carriers;
        for (const LayerPath& found : m_all) {
            const Layer& layer = *found.layer;
            if (layer.follows != 0 && !m_place.contains(layer.follows))
                return "'" + layer.name + "' follows a layer that is not there";
            if (!carriersOf(found, carriers, 0))
                return "'" + layer.name + "' would follow itself in a circle, or too many layers in a row";
        }
        return "";
    }

private:
    bool carriersOf(const LayerPath& found, std::vector<LayerPtr>& carriers, int depth) const {
        carriers.clear();
        if (depth > Limits::carriers) return false;
        LayerPtr by;
        if (found.layer->follows != 0) {
            const auto leader = m_place.find(found.layer->follows);
            if (leader == m_place.end()) return true;
            by = m_all[leader->second].layer;
        } else if (!found.holders.empty()) {
            by = found.holders.back();
        } else {
            return true;
        }
        if (!carriersOf(m_all[m_place.at(by->id)], carriers, depth + 1)) {
            carriers.clear();
            return false;
        }
        carriers.push_back(by);
        return true;
    }

    std::vector<LayerPath> m_all;
    std::unordered_map<std::int64_t, std::size_t> m_place;
    bool m_follows = false;
};

}

std::vector<LayerPath> all(const Scene& scene) {
    return Carrying(scene).take();
}

namespace {

/// The layer with an id, and what holds it, outermost first; null when there is none.
LayerPtr held(const std::vector<LayerPtr>& layers, std::int64_t id, std::vector<LayerPtr>& holders) {
    for (const LayerPtr& layer : layers) {
        if (layer->id == id) return layer;
        const Group* group = layer->group();
        if (!group) continue;
        holders.push_back(layer);
        if (LayerPtr found = held(group->children, id, holders)) return found;
        holders.pop_back();
    }
    return nullptr;
}

}

// Asked hundreds of times for each change that the desk shows, so it looks at no more than leads to the layer.
LayerPath find(const Scene& scene, std::int64_t id) {
    LayerPath found;
    found.layer = held(scene.layers, id, found.holders);
    if (!found.layer) return found;
    std::vector<LayerPtr>& carriers = found.carriers; // the innermost first, until all are there
    std::vector<LayerPtr> holders = found.holders;
    for (const Layer* layer = found.layer.get();; layer = carriers.back().get()) {
        LayerPtr by;
        if (layer->follows != 0) {
            holders.clear();
            by = held(scene.layers, layer->follows, holders);
        } else if (!holders.empty()) {
            by = std::move(holders.back());
            holders.pop_back();
        }
        if (!by) break;
        if (carriers.size() == Limits::carriers) { // a circle, or too many in a row
            carriers = found.holders;
            return found;
        }
        carriers.push_back(std::move(by));
    }
    std::reverse(carriers.begin(), carriers.end());
    return found;
}

std::string whyNotCarried(const Scene& scene) {
    return Carrying(scene).trouble();
}

const Media* mediaOf(const Layer& layer) {
    if (const auto* picture = std::get_if<Picture>(&layer.content)) return &picture->media;
    if (const auto* footage = std::get_if<Footage>(&layer.content)) return &footage->media;
    return nullptr;
}

std::int64_t highestId(const Scene& scene) {
    std::int64_t highest = 0;
    forEach(scene, [&](const LayerPtr& layer, const auto&) { highest = std::max(highest, layer->id); });
    return highest;
}

Rational lastTime(const Scene& scene) {
    return timeOfFrame(scene.output.frames - 1, scene.output.rate);
}

}
