#include "checks/slip.h"

#include "checks/frames.h"
#include "checks/sight.h"
#include "cutout/source.h"
#include "motion/camera_move.h"
#include "motion/pixels.h"
#include "motion/resolved_scene.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace stage::checks {
namespace {

using scene::Layer;
using scene::Scene;

/// Alpha from which on a foot is there.
constexpr double opaque = 0.5;
/// The foot is looked for in the first level that is at most so many texels long.
constexpr int longest = 512;

/// The middle of the lowest row of a picture that has something opaque; its lower edge where nothing is.
V2d lowestOf(const Scene& scene, const scene::LayerPtr& layer, Rational time, media::PixelCache& cache,
             const std::stop_token& stop) {
    const motion::PixelsPtr pixels = motion::pixelsAt(scene, layer, time);
    const media::PixelSourcePtr source = pixels ? cutout::sourceOf(*pixels) : nullptr;
    if (!source) return {0.5, 1};
    int level = 0;
    const auto sizeAt = [&](int l) { return media::levelSize(source->size(), l); };
    while (std::max(sizeAt(level).x, sizeAt(level).y) > longest)
        ++level;
    media::Need need(source->size());
    need.add(level, media::boxOf(sizeAt(level)));
    const auto read = cache.pyramid(source, need, {{}, stop});
    if (!read) return {0.5, 1};
    const media::TiledLevel& texels = (*read)->level(level);
    for (int y = texels.size.y - 1; y >= 0; --y) {
        int first = -1, last = -1;
        for (int x = 0; x < texels.size.x; ++x) {
            const Imath::half* texel = texels.texel(x, y);
            if (!texel || static_cast<double>(texel[3]) < opaque) continue;
            if (first < 0) first = x;
            last = x;
        }
        if (first >= 0) return {(first + last + 1) / (2.0 * texels.size.x), (y + 1.0) / texels.size.y};
    }
    return {0.5, 1};
}

/// What is under a foot, and where it is at any time.
class Ground {
public:
    /// What the ray through a place of the first mark's picture meets.
    Ground(const Scene& scene, const scene::Standing& standing, const motion::ResolvedScene& first,
           const V2d& place)
        : m_on(standing.on) {
        if (m_on == 0) {
            if (const auto met = optics::meet(first.view, place, V3d(0, scene.ground, 0), V3d(0, 1, 0)))
                m_place = *met;
            return;
        }
        const auto& found = first.find(m_on);
        if (!found.layer || found.layer->group() || found.layer->box()) return;
        const optics::Surface card = optics::surfaceOf(*found.layer, optics::worldOf(found.carriers));
        const auto met = optics::meet(first.view, place, card);
        if (!met) return;
        m_share = {met->s, met->t};
        m_place = card.at(met->s, met->t);
    }
    bool met() const { return m_place.has_value(); }
    V3d at(const motion::ResolvedScene& now) const {
        if (m_on == 0) return *m_place;
        const auto& found = now.find(m_on);
        return optics::surfaceOf(*found.layer, optics::worldOf(found.carriers)).at(m_share.x, m_share.y);
    }

private:
    std::int64_t m_on;
    V2d m_share{0};
    std::optional<V3d> m_place;
};

struct Standing {
    std::int64_t id;
    Slip slip;
    std::optional<Ground> ground;
};

motion::ResolvedScene sceneAt(const Scene& scene, const motion::CameraMove& move, Rational time) {
    return {scene, time, move.at(time.toDouble())};
}

V3d footOf(const motion::ResolvedScene& now, std::int64_t layer, const V2d& share) {
    const auto& found = now.find(layer);
    return optics::surfaceOf(*found.layer, optics::worldOf(found.carriers)).at(share.x, share.y);
}

}

Result<std::map<std::int64_t, Slip>> slipsOf(const Scene& scene, media::PixelCache& cache,
                                             const std::stop_token& stop,
                                             const std::vector<std::int64_t>& layers) {
    std::map<std::int64_t, Slip> slips;
    std::vector<Standing> standing;
    const motion::CameraMove move(scene);
    std::optional<motion::ResolvedScene> first;
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) {
        if (!layer->standing || layer->group() || layer->box() ||
            (!layers.empty() && std::find(layers.begin(), layers.end(), layer->id) == layers.end()))
            return;
        const std::int64_t on = layer->standing->on;
        if (on != 0 && !scene::find(scene, on).layer) return;
        const Rational begin = scene.camera.marks.front().time;
        if (!first) first.emplace(sceneAt(scene, move, begin));
        Standing each{layer->id, {}, {}};
        each.slip.foot =
            layer->standing->foot ? *layer->standing->foot : lowestOf(scene, layer, begin, cache, stop);
        each.slip.footPlace = footOf(*first, layer->id, each.slip.foot);
        if (const auto place = optics::project(first->view, each.slip.footPlace))
            each.ground.emplace(scene, *layer->standing, *first, *place);
        each.slip.grounded = each.ground && each.ground->met();
        if (each.slip.grounded) each.slip.groundPlace = each.ground->at(*first);
        standing.push_back(std::move(each));
    });
    if (standing.empty()) return slips;
    const std::int64_t step = stepOf(scene);
    for (std::int64_t f = 0; f < scene.output.frames; f += step) {
        if (stop.stop_requested()) return cancelled();
        const motion::ResolvedScene now = sceneAt(scene, move, timeOfFrame(f, scene.output.rate));
        for (Standing& each : standing) {
            Slip& slip = each.slip;
            slip.step = step;
            if (!slip.grounded) continue;
            Slip::Place place{optics::project(now.view, footOf(now, each.id, slip.foot)),
                              optics::project(now.view, each.ground->at(now)),
                              {}};
            if (place.foot && place.ground && isInside(*place.foot, scene.output.frame)) {
                place.apart = (*place.foot - *place.ground).length();
                if (*place.apart > slip.most) slip.most = *place.apart, slip.worst = f;
            }
            slip.places.push_back(place);
        }
    }
    for (Standing& each : standing)
        slips[each.id] = std::move(each.slip);
    return slips;
}

namespace {

/// The cameras of the frames, and where the ground is in each picture.
struct Watched {
    std::vector<optics::View> views;
    std::vector<std::optional<V2d>> ground;
};

/// Of a layer whose foot stays where it is; nothing where it moves.
std::optional<Watched> watch(const Scene& scene, std::int64_t layer, const Slip& slip) {
    Watched watched;
    const motion::CameraMove move(scene);
    for (std::size_t i = 0; i < slip.places.size(); ++i) {
        const Rational time = timeOfFrame(static_cast<std::int64_t>(i) * slip.step, scene.output.rate);
        const motion::ResolvedScene now = sceneAt(scene, move, time);
        if ((footOf(now, layer, slip.foot) - slip.footPlace).length() > 1e-6) return {};
        watched.views.push_back(now.view);
        watched.ground.push_back(slip.places[i].ground);
    }
    return watched;
}

/// How far a foot at a place of the world slips, px. Nothing: it is behind a camera that sees the ground.
double slipAt(const Watched& watched, const V3d& foot, V2i frame) {
    double most = 0;
    for (std::size_t i = 0; i < watched.views.size(); ++i) {
        const auto place = optics::project(watched.views[i], foot);
        if (place && watched.ground[i] && isInside(*place, frame))
            most = std::max(most, (*place - *watched.ground[i]).length());
    }
    return most;
}

/// The factor for a wished slip between 1 and the one that brings the foot to the ground.
std::optional<double> pushFor(const Scene& scene, const Watched& watched, const Slip& slip, double wished) {
    const V3d eye = optics::firstView(scene).eye;
    const double own = (slip.footPlace - eye).length(), far = (slip.groundPlace - eye).length();
    if (!(own > 1e-9) || !(far > 1e-9)) return {};
    const auto slips = [&](double k) {
        return slipAt(watched, eye + (slip.footPlace - eye) * k, scene.output.frame);
    };
    double low = 1, high = far / own; // slips more, slips less
    if (!(slips(high) <= wished + 1e-6)) return {};
    if (slips(low) <= wished) return 1.0;
    for (int i = 0; i < 60; ++i) {
        const double middle = std::sqrt(low * high);
        (slips(middle) <= wished ? high : low) = middle;
    }
    return high;
}

}

std::optional<double> pushForSlip(const Scene& scene, std::int64_t layer, const Slip& slip, double wished) {
    if (!slip.grounded) return {};
    const auto watched = watch(scene, layer, slip);
    return watched ? pushFor(scene, *watched, slip, wished) : std::nullopt;
}

namespace {

/// How far down a foot has to go to be below the frame all the time; nothing where going down does not bring
/// it there.
std::optional<double> lowering(const Scene& scene, const Watched& watched, const V3d& foot) {
    double by = 0;
    for (const optics::View& view : watched.views) {
        // (foot - by up - eye) is seen below where slope (foot - eye).up' + (H - c) (foot - eye).ahead' <= by
        // (...)
        const V3d from = foot - view.eye, up(0, 1, 0);
        const double below = scene.output.frame.y - view.centre.y;
        const double gain = view.slope * up.dot(view.up) + below * up.dot(view.forward),
                     lack = view.slope * from.dot(view.up) + below * from.dot(view.forward);
        if (lack <= 0) continue;
        if (!(gain > 1e-9)) return {};
        by = std::max(by, lack / gain);
    }
    return by;
}

void addFixes(const Scene& scene, const Layer& layer, const Slip& slip, Finding& finding) {
    const double limit = scene.limits.slip;
    if (const auto watched = watch(scene, layer.id, slip)) {
        const auto& path = scene::find(scene, layer.id);
        const optics::View first = optics::firstView(scene);
        const V3d pivot = optics::pivotOf(path);
        const auto push = [&](double wished, const std::string& told, const char* onAll) {
            const auto k = pushFor(scene, *watched, slip, wished);
            if (!k || std::abs(*k - 1) < 1e-9) return;
            const double depth = optics::depthOf(first, first.eye + (pivot - first.eye) * *k);
            if (!(depth > 1e-3)) return;
            finding.fixes.push_back(
                {"Push " + layer.name + " to " + figure(depth) + " m: " + told,
                 {{"edit", "push"}, {"layers", {layer.id}}, {"depth", depth}, {"mark", 1}},
                 onAll});
        };
        push(0, "no slip", "Push each to its ground");
        if (limit > 0)
            push(limit * (1 - 1e-6), "slip " + figure(limit, 1) + " px",
                 "Push each to the least slip allowed");
        if (const auto by = lowering(scene, *watched, slip.footPlace); by && *by > 0)
            finding.fixes.push_back(
                {"Lower " + layer.name + " by " + figure(*by) + " m: its foot leaves the frame",
                 {{"edit", "slide"}, {"layers", {layer.id}}, {"by", {0, -*by * (1 + 1e-6), 0}}},
                 "Lower each until its foot leaves the frame"});
    }
    const auto over = std::find_if(slip.places.begin(), slip.places.end(), [&](const Slip::Place& place) {
        return place.apart && *place.apart > limit;
    });
    const std::int64_t frames = (over - slip.places.begin()) * slip.step;
    if (frames >= 2)
        finding.fixes.push_back({"End the scene before it: " + std::to_string(frames) + " of " +
                                     std::to_string(scene.output.frames) + " frames",
                                 {{"edit", "settings"}, {"frames", frames}}});
}

}

Result<std::vector<Finding>> slipFindings(const Scene& scene, media::PixelCache& cache,
                                          const std::stop_token& stop) {
    const auto slips = slipsOf(scene, cache, stop);
    if (!slips) return tl::unexpected(slips.error());
    std::vector<Finding> findings;
    for (const auto& [id, slip] : *slips) {
        const Layer& layer = *scene::find(scene, id).layer;
        Finding finding;
        finding.kind = Kind::Slip;
        finding.layer = id;
        finding.to = scene::lastTime(scene);
        if (!slip.grounded) {
            finding.sentence = "The foot of " + layer.name + " has no ground under it as mark 1 sees it.";
            if (layer.standing->on == 0)
                finding.fixes.push_back({"Put the ground at its foot: " + figure(slip.footPlace.y) + " m",
                                         {{"edit", "settings"}, {"ground", slip.footPlace.y}}});
            findings.push_back(std::move(finding));
            continue;
        }
        if (!(slip.most > scene.limits.slip)) continue;
        finding.sentence = "The foot of " + layer.name + " slips by " + figure(slip.most, 1) + " px (limit " +
                           figure(scene.limits.slip, 1) + ").";
        finding.at = timeOfFrame(slip.worst, scene.output.rate);
        finding.excess = scene.limits.slip > 0 ? slip.most / scene.limits.slip : slip.most;
        addFixes(scene, layer, slip, finding);
        findings.push_back(std::move(finding));
    }
    return findings;
}

}
