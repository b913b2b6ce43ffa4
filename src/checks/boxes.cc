#include "checks/boxes.h"

#include "motion/resolved_scene.h"
#include "optics/placing.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace stage::checks {
namespace {

/// Particles whose largest are smaller than this all the time are not seen, px.
constexpr double leastSize = 0.35;
/// Nearer than this to the lens there is hardly ever one of them, m.
constexpr double leastDistance = 0.2;

/// Of one layer over the move.
struct Met {
    std::int64_t frames = 0;          ///< in which something of its box is in the frame
    double largest = 0;               ///< of its particles, px
    std::int64_t filled = 0;          ///< frames that see nothing beside it
    std::int64_t left = -1, last = 0; ///< the first and the last that do, after the first that do not
};

/// Depths between which a ray is in an upright box about the origin.
bool meets(const V3d& from, const V3d& along, const V3d& box, double& in) {
    double out = 1e300;
    in = 0;
    for (int i = 0; i < 3; ++i) {
        if (std::abs(along[i]) < 1e-300) {
            if (std::abs(from[i]) > box[i] / 2) return false;
            continue;
        }
        const double a = (-box[i] / 2 - from[i]) / along[i], b = (box[i] / 2 - from[i]) / along[i];
        in = std::max(in, std::min(a, b)), out = std::min(out, std::max(a, b));
    }
    return in < out;
}

void look(const scene::LayerPath& found, const motion::ResolvedScene& now, std::int64_t f, Met& met) {
    const optics::Affine place = optics::worldOf(found.carriers) * optics::frameOf(*found.layer);
    if (!(std::abs(place.x.cross(place.y).dot(place.z)) > 0)) return;
    const V3d box = *found.layer->box(), from = place.inverse(now.view.eye);
    const V2d size(now.scene.output.frame);
    constexpr int steps = 8;
    int hits = 0;
    double nearest = 1e300;
    for (int j = 0; j <= steps; ++j)
        for (int i = 0; i <= steps; ++i) {
            const V3d ray = optics::rayThrough(now.view, {size.x * i / steps, size.y * j / steps});
            double in = 0;
            if (!meets(from, place.inverse(now.view.eye + ray) - from, box, in)) continue;
            ++hits;
            nearest = std::min(nearest, in);
        }
    if (hits == 0) return;
    ++met.frames;
    if (const auto* particles = std::get_if<scene::Particles>(&found.layer->content)) {
        const double scale = std::sqrt(place.x.length() * place.y.length());
        met.largest = std::max(met.largest, particles->size * (1 + particles->sizeSpread) * scale *
                                                now.view.slope / std::max(nearest, leastDistance));
    }
    if (hits == (steps + 1) * (steps + 1)) {
        ++met.filled;
    } else if (met.filled > 0) {
        if (met.left < 0) met.left = f;
        met.last = f;
    }
}

}

motion::Frame stilled(motion::Frame frame) {
    const auto drop = [](auto& self, std::vector<motion::Item>& items) -> void {
        std::erase_if(items, [](const motion::Item& item) { return item.box.has_value() || item.shadow; });
        for (motion::Item& item : items) {
            self(self, item.items);
            if (!item.pixels || motion::isPlain(*item.pixels)) continue;
            for (optics::Surface* card : {&item.card, &item.open, &item.close})
                *card = motion::withMargin(*card, item.layer->pixels, -item.pixels->margin);
            item.pixels = std::make_shared<const motion::Pixels>(motion::plain(*item.pixels));
        }
        std::erase_if(items, [](const motion::Item& item) { return item.flattened && item.items.empty(); });
    };
    drop(drop, frame.items);
    return frame;
}

Result<std::vector<Finding>> boxFindings(const Frames& frames, const std::stop_token& stop) {
    const scene::Scene& scene = frames.scene();
    std::map<std::int64_t, Met> all;
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto& holders) {
        const auto off = [](const scene::LayerPtr& each) { return !each->visible; };
        if (layer->box() && !std::holds_alternative<scene::Lamp>(layer->content) && !off(layer) &&
            std::none_of(holders.begin(), holders.end(), off))
            all[layer->id] = {};
    });
    std::vector<Finding> findings;
    if (all.empty()) return findings;
    const std::int64_t count = scene.output.frames, step = stepOf(scene, 300);
    for (std::int64_t f = 0; f < count; f += step) {
        if (stop.stop_requested()) return cancelled();
        const Rational time = frames.time(f);
        const motion::ResolvedScene now(scene, time, frames.move().at(time.toDouble()));
        for (auto& [id, met] : all)
            look(now.find(id), now, f, met);
    }
    for (const auto& [id, met] : all) {
        const scene::Layer& layer = *scene::find(scene, id).layer;
        const auto* particles = std::get_if<scene::Particles>(&layer.content);
        Finding finding;
        finding.layer = id;
        finding.to = scene::lastTime(scene);
        const Fix hide{
            "Hide " + layer.name, {{"edit", "look"}, {"layers", {id}}, {"visible", false}}, "Hide them"};
        const char* const kind = particles ? "particles" : "cloud";
        if (met.frames == 0) {
            finding.kind = Kind::Unseen;
            finding.sentence = "The camera never meets the box of " + layer.name + ".";
            finding.fixes.push_back(hide);
        } else if (particles && met.largest < leastSize) {
            finding.kind = Kind::TooSmall;
            finding.sentence =
                layer.name + " are too small to be seen: " + figure(met.largest, 2) + " px at most.";
            finding.excess = leastSize / std::max(met.largest, 1e-3);
            const double size = particles->size * 1.5 / std::max(met.largest, 1e-9);
            if (size <= scene::Limits::metres)
                finding.fixes.push_back({"Make them " + figure(size, 4) + " m across",
                                         {{"edit", "particles"}, {"layers", {id}}, {"size", size}},
                                         ""});
        } else if (met.filled > 0 && met.left >= 0) {
            finding.kind = Kind::PastBox;
            finding.sentence = "The frame sees past the box of " + layer.name + ".";
            finding.from = finding.at = frames.time(met.left);
            finding.to = frames.time(met.last);
            const bool along =
                particles ? particles->aroundCamera : std::get<scene::Cloud>(layer.content).aroundCamera;
            if (!along)
                finding.fixes.push_back({"Let it go with the camera",
                                         {{"edit", kind}, {"layers", {id}}, {"aroundCamera", true}},
                                         "Let them go with the camera"});
        } else {
            continue;
        }
        findings.push_back(std::move(finding));
    }
    return findings;
}

}
