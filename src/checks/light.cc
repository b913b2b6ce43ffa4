#include "checks/light.h"

#include "motion/shadows.h"
#include "scene/finish_json.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace stage::checks {
namespace {

constexpr double mostLight = 4;    ///< times its own colours: two stops
constexpr double litShare = 0.25;  ///< of a layer's picture that has more than that
constexpr int steps = 9;           ///< places looked at across and down a picture
constexpr double groundFit = 0.05; ///< m by which a layer may lie off the ground and still be on it

/// What has been met of lights so far.
struct Met {
    std::set<std::int64_t> lamps, lights; ///< that are there; those that light something
    struct Lit {
        double most = 0; ///< light at the darkest of the places that are too bright
        Rational at{0};
    };
    std::map<std::int64_t, Lit> lit;
    bool ground = false; ///< something lies on it
};

/// Light that a share of the picture has at least.
double commonLight(const motion::Item& item) {
    std::vector<double> lights;
    const V2i px = item.layer->pixels;
    for (int j = 0; j < steps; ++j)
        for (int i = 0; i < steps; ++i) {
            const V3d light = motion::lightAt(
                *item.pixels->light, {(i + 0.5) / steps * px.x, (j + 0.5) / steps * px.y}, V2d(0), 0);
            lights.push_back(std::max({light.x, light.y, light.z}));
        }
    const auto at =
        lights.begin() + static_cast<std::ptrdiff_t>((1 - litShare) * static_cast<double>(lights.size()));
    std::nth_element(lights.begin(), at, lights.end());
    return *at;
}

void look(const std::vector<motion::Item>& items, const motion::Frame& frame, double ground, Met& met) {
    for (const motion::Item& item : items) {
        look(item.items, frame, ground, met);
        if (item.shadow) continue;
        if (item.box && item.layer->shading)
            for (const motion::LampAt& lamp : frame.lamps)
                if ((lamp.place - item.card.centre()).length() < lamp.reach + item.card.across.length())
                    met.lights.insert(lamp.id);
        if (!item.pixels) continue;
        bool level = std::abs(item.card.normal().y) > 0.99;
        for (const V3d& corner : item.card.outline())
            level = level && std::abs(corner.y - ground) < groundFit;
        met.ground = met.ground || level;
        if (!item.pixels->light) continue;
        for (const motion::LampOnCard& lamp : item.pixels->light->lamps)
            met.lights.insert(lamp.id);
        Met::Lit& lit = met.lit[item.layer->id];
        if (const double light = commonLight(item); light > lit.most) lit = {light, frame.time};
    }
}

bool shows(const scene::LayerPtr& layer, const std::vector<scene::LayerPtr>& holders) {
    return layer->visible &&
           std::all_of(holders.begin(), holders.end(), [](const auto& each) { return each->visible; });
}

Finding findingOf(Kind kind, const scene::Scene& scene, std::int64_t layer, std::string sentence) {
    Finding finding;
    finding.kind = kind;
    finding.layer = layer;
    finding.to = scene::lastTime(scene);
    finding.sentence = std::move(sentence);
    return finding;
}

/// Of shadows that show nothing: why, or empty.
std::string whyNowhere(const scene::Scene& scene, const scene::Shadow& shadow, const Met& met) {
    if (shadow.from != 0) {
        const auto lamp = scene::find(scene, shadow.from);
        if (!lamp.layer || !std::holds_alternative<scene::Lamp>(lamp.layer->content))
            return "throws a shadow of a lamp that is not there";
    }
    if (shadow.on == 0) return met.ground ? "" : "throws a shadow on the ground, where nothing lies";
    const auto on = scene::find(scene, shadow.on);
    if (!on.layer) return "throws a shadow on a layer that is not there";
    return shows(on.layer, on.holders) ? "" : "throws a shadow on " + on.layer->name + ", which is hidden";
}

}

Result<std::vector<Finding>> lightFindings(const Frames& frames, const std::stop_token& stop) {
    const scene::Scene& scene = frames.scene();
    bool any = false;
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) {
        any = any || std::holds_alternative<scene::Lamp>(layer->content) || layer->shading ||
              !layer->shadows.empty();
    });
    std::vector<Finding> findings;
    if (!any) return findings;
    Met met;
    const std::int64_t count = scene.output.frames, step = stepOf(scene, 24);
    for (std::int64_t f = 0; f < count; f += step) {
        if (stop.stop_requested()) return cancelled();
        const motion::Frame frame =
            motion::evaluate(scene, frames.time(f), scene.output.frame, frames.move(), false);
        for (const motion::LampAt& lamp : frame.lamps) {
            met.lamps.insert(lamp.id);
            if (frame.haze.density > 0 && lamp.halo > 0) met.lights.insert(lamp.id);
        }
        look(frame.items, frame, scene.ground, met);
    }
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const std::vector<scene::LayerPtr>& holders) {
        if (const auto* lamp = std::get_if<scene::Lamp>(&layer->content);
            lamp && met.lamps.contains(layer->id) && !met.lights.contains(layer->id) && !(lamp->glow > 0)) {
            Finding finding =
                findingOf(Kind::LampOnNothing, scene, layer->id,
                          layer->name + " lights nothing: no layer that takes light is within its reach.");
            finding.fixes.push_back(
                {"Hide it", {{"edit", "look"}, {"layers", {layer->id}}, {"visible", false}}, "Hide them"});
            findings.push_back(std::move(finding));
        }
        if (const auto lit = met.lit.find(layer->id); lit != met.lit.end() && lit->second.most > mostLight) {
            const double light = lit->second.most;
            Finding finding =
                findingOf(Kind::OverLit, scene, layer->id,
                          layer->name + " is lit " + figure(light, 1) +
                              " times as bright as its own colours over a quarter of its picture.");
            finding.at = lit->second.at;
            finding.excess = light / mostLight;
            finding.fixes.push_back({"Let it take less light",
                                     {{"edit", "shading"},
                                      {"layers", {layer->id}},
                                      {"front", layer->shading->front * mostLight / light},
                                      {"translucency", layer->shading->translucency * mostLight / light}},
                                     "Let them take less light"});
            findings.push_back(std::move(finding));
        }
        if (!shows(layer, holders)) return;
        std::vector<scene::Shadow> kept;
        std::string why;
        for (const scene::Shadow& shadow : layer->shadows) {
            const std::string reason = whyNowhere(scene, shadow, met);
            if (reason.empty())
                kept.push_back(shadow);
            else if (why.empty())
                why = reason;
        }
        if (why.empty()) return;
        Finding finding = findingOf(Kind::ShadowOnNothing, scene, layer->id, layer->name + " " + why + ".");
        finding.fixes.push_back(
            {"Take the shadow off",
             {{"edit", "shadows"}, {"layers", {layer->id}}, {"shadows", scene::toJson(kept)}},
             {}});
        findings.push_back(std::move(finding));
    });
    return findings;
}

}
