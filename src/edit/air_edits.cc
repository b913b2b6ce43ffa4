#include "edit/air_edits.h"

#include "checks/cover.h"
#include "edit/bring_in.h"
#include "optics/placing.h"
#include "scene/air_json.h"
#include "scene/cutout_json.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <cmath>

namespace stage::edit {
namespace {

using scene::Fields;
using scene::Json;
using scene::Layer;
using scene::Limits;
using scene::Misread;
using scene::Scene;

/// So that rounding leaves no line open.
constexpr double spare = 1.001;

/// A box ahead of the first mark, upright, its middle at home depth or so near that it begins at the lens.
void standBox(const Scene& scene, Layer& layer, bool nearby) {
    const optics::View first = optics::firstView(scene);
    const V3d box = *layer.box();
    V3d ahead(first.forward.x, 0, first.forward.z);
    if (!(ahead.length() > 1e-9)) ahead = V3d(0, 0, -1);
    ahead.normalize();
    layer.placement.turn.y = degrees(std::atan2(-ahead.x, -ahead.z));
    layer.placement.position =
        nearby ? first.eye + ahead * (box.z / 2) : first.eye + first.forward * scene.homeDepth;
}

/// What the edit's members make of values, which are then fitted to the layer.
template <class Content, class Read>
void change(Scene& scene, Fields& fields, const char* what, const Read& read) {
    for (const std::int64_t id : layersOf(scene, fields)) {
        const Layer& layer = *scene::find(scene, id).layer;
        const auto* now = std::get_if<Content>(&layer.content);
        if (!now) throw Misread{"'" + layer.name + "' " + what};
        const Content next = read(*now);
        scene::changeLayer(scene.layers, id, [&](Layer& changed) {
            changed.content = next;
            changed.fitToBox();
        });
    }
}

/// The members of particles, with `rate` (new ones per second) in place of a count, and layers to be shown by
/// name or id.
scene::Particles read(const Scene& scene, Fields& fields, const scene::Particles& fallback) {
    scene::Particles particles = scene::readParticles(fields, fallback);
    if (fields.has("rate")) {
        if (fields.has("count")) throw Misread{"'" + fields.where() + "' takes 'count' or 'rate', not both"};
        const double count = std::round(fields.number("rate", 0, 1e9) * particles.life);
        if (count > scene::Particles::most)
            throw Misread{"'" + fields.at("rate") + "' over a life of that length makes more than " +
                          std::to_string(scene::Particles::most) + " particles"};
        particles.count = std::max(1, static_cast<int>(count));
    }
    if (fields.has("show")) {
        const Json& list = fields.array("show", scene::Particles::mostPictures);
        particles.pictures.clear();
        for (std::size_t i = 0; i < list.size(); ++i) {
            const std::int64_t id = layerNamed(scene, list[i], fields.at("show", i));
            const Layer& shown = *scene::find(scene, id).layer;
            if (shown.group() || shown.box())
                throw Misread{"'" + fields.at("show", i) + "': '" + shown.name + "' is no picture"};
            particles.pictures.push_back(id);
        }
    }
    return particles;
}

/// As large about its pivot as fills the frame over the whole move.
void cover(Scene& scene, std::int64_t id) {
    const Layer layer = *scene::find(scene, id).layer; // changing it lets the old one go
    if (layer.group() || layer.box())
        throw Misread{"'" + layer.name + "' is no card that could fill the frame"};
    // A tiny one only ever grows.
    scene::changeLayer(scene.layers, id, [&](Layer& l) {
        l.placement.scale *= 1e-3;
        for (auto& key : l.places)
            key.value.scale *= 1e-3;
    });
    const auto covers = value(checks::cover(scene, {id}));
    const double by = covers.empty() ? 1e3 : covers.front().growth * spare;
    if (!std::isfinite(by) || by > 1e8)
        throw Misread{
            "'" + layer.name +
            "' cannot fill the frame over the whole move at any size: the camera passes it, or turns away"};
    scene::changeLayer(scene.layers, id, [&](Layer& l) {
        l.placement.scale *= by;
        for (auto& key : l.places)
            key.value.scale *= by;
    });
}

/// Onto the first mark's axis, at a depth.
void ontoAxis(Scene& scene, std::int64_t id, double depth) {
    const optics::View first = optics::firstView(scene);
    scene::changeLayer(scene.layers, id, [&](Layer& l) {
        l.placement.position = first.eye + first.forward * depth;
        l.places.clear();
    });
}

}

void addParticles(Scene& scene, Fields& fields) {
    Layer layer;
    scene::Particles begin;
    std::string name = "Particles";
    if (fields.has("ready")) {
        std::vector<std::string_view> names;
        for (const scene::ReadyParticles& ready : scene::readyParticles())
            names.push_back(ready.name);
        const scene::ReadyParticles& ready = scene::readyParticles()[fields.choice("ready", names)];
        begin = ready.particles;
        if (ready.light) layer.blend = scene::Blend::Add;
        name = ready.name;
        name[0] = static_cast<char>(name[0] - 'a' + 'A');
    }
    layer.content = read(scene, fields, begin);
    layer.name = freeName(namesIn(scene), fields.text("name", 1000, name));
    layer.fitToBox();
    standBox(scene, layer, std::get<scene::Particles>(layer.content).aroundCamera);
    if (fields.has("position")) layer.placement.position = fields.vector("position", Limits::metres);
    addLayer(scene, std::move(layer));
}

void changeParticles(Scene& scene, Fields& fields) {
    change<scene::Particles>(scene, fields, "has no particles",
                             [&](const scene::Particles& now) { return read(scene, fields, now); });
}

void addCloud(Scene& scene, Fields& fields) {
    Layer layer;
    scene::Cloud begin; // so thin that what is behind shows
    begin.density = 0.25;
    begin.colour = {0.45, 0.47, 0.52, 1};
    layer.content = scene::readCloud(fields, begin);
    layer.name = freeName(namesIn(scene), fields.text("name", 1000, "Cloud"));
    layer.fitToBox();
    standBox(scene, layer, false);
    if (fields.has("position")) layer.placement.position = fields.vector("position", Limits::metres);
    addLayer(scene, std::move(layer));
}

void changeCloud(Scene& scene, Fields& fields) {
    change<scene::Cloud>(scene, fields, "is no cloud",
                         [&](const scene::Cloud& now) { return scene::readCloud(fields, now); });
}

void mist(Scene& scene, Fields& fields) {
    scene.mist = scene::readMist(fields, scene.mist);
}

void addVeil(Scene& scene, Fields& fields) {
    const Home home = homeOf(scene);
    const double depth = fields.number("depth", 1e-3, Limits::metres, scene.homeDepth);
    Layer layer;
    layer.name = freeName(namesIn(scene), fields.text("name", 1000, "Veil"));
    layer.placement = home.placement;
    layer.pixels = scene.output.frame;
    layer.metresPerPixel = home.width / scene.output.frame.x;
    scene::Card card;
    card.stops = {{0, {0.5, 0.55, 0.65, 1}}};
    layer.content = scene::readCard(fields, card);
    layer.opacity = fields.number("opacity", 0, 1, 0.3);
    if (fields.has("blend"))
        layer.blend = static_cast<scene::Blend>(fields.choice("blend", scene::blendNames));
    addLayer(scene, std::move(layer));
    const std::int64_t id = scene.layers.back()->id;
    ontoAxis(scene, id, depth);
    cover(scene, id);
}

void coverFrame(Scene& scene, Fields& fields) {
    const bool moved = fields.has("depth");
    const double depth = moved ? fields.number("depth", 1e-3, Limits::metres) : 0;
    for (const std::int64_t id : layersOf(scene, fields)) {
        if (moved) ontoAxis(scene, id, depth);
        cover(scene, id);
    }
}

void overBlack(Scene& scene, Fields& fields) {
    constexpr std::array<std::string_view, 3> names = {"light", "screen", "veil"};
    const std::size_t as = fields.has("as") ? fields.choice("as", names) : 0;
    const bool fills = fields.yes("cover", true), loops = fields.yes("loop", true);
    const bool moved = fields.has("depth");
    const double depth = moved ? fields.number("depth", 1e-3, Limits::metres) : 0;
    for (const std::int64_t id : layersOf(scene, fields)) {
        const Layer now = *scene::find(scene, id).layer;
        if (now.group() || now.box()) throw Misread{"'" + now.name + "' is no footage or picture"};
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            Json cutout = layer.cutout ? scene::toJson(*layer.cutout) : Json::object();
            cutout.erase("key");
            if (as == 2) cutout["key"] = {{"kind", "brightness"}};
            const auto* cut = layer.cutout.get();
            if (as == 2 || cut) layer.cutout = scene::readCutout(cutout, fields.where());
            layer.blend = as == 0 ? scene::Blend::Add : as == 1 ? scene::Blend::Screen : scene::Blend::Normal;
            auto* footage = std::get_if<scene::Footage>(&layer.content);
            if (!footage || !loops) return;
            footage->ends = scene::Ends::Loop;
            footage->freeze.reset();
            // A second, but no more than a third of it.
            const std::int64_t used = footage->last() - footage->in + 1;
            footage->dissolve = std::min<std::int64_t>(footage->rate.floor(), used / 3);
        });
        if (fields.has("dissolve")) {
            const std::int64_t over = fields.whole("dissolve", 0, Limits::frames);
            scene::changeLayer(scene.layers, id, [&](Layer& layer) {
                if (auto* footage = std::get_if<scene::Footage>(&layer.content)) footage->dissolve = over;
            });
        }
        if (moved) ontoAxis(scene, id, depth);
        if (fills) cover(scene, id);
    }
}

void displace(Scene& scene, Fields& fields) {
    const std::vector<scene::Displacement> displacements = scene::readDisplacements(fields);
    for (const std::int64_t id : layersOf(scene, fields))
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            if (layer.group() || layer.box()) throw Misread{"'" + layer.name + "' has no pixels of its own"};
            layer.displacements = displacements;
        });
}

}
