#include "motion/frame.h"

#include "motion/lamps.h"
#include "motion/resolved_scene.h"
#include "motion/shadows.h"
#include "motion/values.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace stage::motion {
namespace {

/// A scene as it stands at the times that count, of which the middle one decides what is there.
struct ExposureScene {
    const ResolvedScene* now;
    const std::vector<scene::LayerPtr>* layers;
    optics::Affine holder;
};
using ExposureScenes = std::array<ExposureScene, 3>; ///< as the exposure begins, in its middle, as it ends

/// What the particles of a layer show.
std::vector<PixelsPtr> picturesOf(const scene::Scene& scene, const scene::Layer& layer, Rational time) {
    std::vector<PixelsPtr> pictures;
    const auto* particles = std::get_if<scene::Particles>(&layer.content);
    if (!particles) return pictures;
    for (const std::int64_t id : particles->pictures)
        if (const auto found = scene::find(scene, id); found.layer && !found.layer->box())
            if (auto pixels = pixelsAt(scene, found.layer, time)) pictures.push_back(std::move(pixels));
    return pictures;
}

/// What changes all layers, and what is found on the way.
struct Gathering {
    std::vector<LampAt> lamps;
    scene::Ambient ambient;
    const std::vector<scene::DepthGrade>& depthGrades;
    const optics::View& view;
    std::vector<Caster> casters; ///< that have been met
};

/// Grades by depth that a card is in.
void addDepthGrades(const Gathering& gathering, const scene::Layer& layer, const optics::Surface& card,
                    std::vector<PixelGrade>& grades) {
    for (const scene::DepthGrade& each : gathering.depthGrades) {
        if (scene::neutral(each.grade)) continue;
        const auto depthOf = [&](const V3d& p) { return optics::depthOf(gathering.view, p); };
        DepthShare share{each.from, each.to, std::max(each.soft, 1e-6), depthOf(card.corner), 0, 0};
        share.across = (depthOf(card.corner + card.across) - share.corner) / layer.pixels.x;
        share.down = (depthOf(card.corner + card.down) - share.corner) / layer.pixels.y;
        // Depth is linear over the card, so its corners tell whether all of it is in, or out.
        bool in = true, near = true, far = true;
        for (const double s : {-card.left, 1 + card.right})
            for (const double t : {-card.top, 1 + card.bottom}) {
                const double depth =
                    share.corner + share.across * s * layer.pixels.x + share.down * t * layer.pixels.y;
                in = in && depth >= each.from && depth <= each.to;
                near = near && depth <= each.from - share.soft;
                far = far && depth >= each.to + share.soft;
            }
        if (near || far) continue;
        PixelGrade grade{std::make_shared<const scene::Grade>(each.grade), {}};
        if (!in) grade.share = share;
        grades.push_back(std::move(grade));
    }
}

/// px of the natural size that a layer's picture grows by.
int marginOf(const scene::Layer& layer, const Pixels& pixels, const optics::Surface& card) {
    constexpr int step = 64; // so that smaller levels begin at a texel of theirs
    const bool goesOn = card.left > 0 || card.right > 0 || card.top > 0 || card.bottom > 0;
    if (!pixels.finish || card.bend != 0 || goesOn) return 0;
    const int most = (scene::Limits::pictureSide - std::max(layer.pixels.x, layer.pixels.y)) / 2;
    const int reach = static_cast<int>(std::ceil(scene::reachOf(*pixels.finish) / step)) * step;
    return std::clamp(reach, 0, std::max(0, most));
}

/// What shows a lamp itself: a soft disc of light, seen as a particle is. Null where it does not show.
scene::LayerPtr glowOf(const scene::Layer& layer) {
    const auto* lamp = std::get_if<scene::Lamp>(&layer.content);
    if (!lamp || !(lamp->glow > 0)) return nullptr;
    scene::Particles disc;
    disc.count = 1;
    disc.box = V3d(1e-6);
    disc.life = 1e6, disc.lifeSpread = 0;
    disc.size = lamp->glowSize, disc.sizeSpread = 0;
    disc.velocity = V3d(0);
    disc.shape = scene::ParticleShape::Soft;
    disc.colour = lamp->colour;
    disc.colour.a = 1;
    disc.light = lamp->glow * std::exp2(lamp->strength) * lamp->radius() * lamp->radius();
    auto glow = std::make_shared<scene::Layer>(layer);
    glow->content = disc;
    return glow;
}

/// What light, depth and finish do to the pixels of an item.
void dress(Item& item, Gathering& gathering) {
    const scene::Layer& layer = *item.layer;
    auto pixels = std::make_shared<Pixels>(*item.pixels);
    if (!layer.shadows.empty()) {
        auto cut = plain(*pixels);
        cut.displacements = pixels->displacements; // which move its shadow as well
        gathering.casters.push_back(
            {item.layer, item.card, std::make_shared<const Pixels>(std::move(cut)), item.opacity});
    }
    pixels->light = lightOn(layer, item.card, gathering.lamps, gathering.ambient, gathering.view.eye);
    addDepthGrades(gathering, layer, item.card, pixels->grades);
    pixels->margin = marginOf(layer, *pixels, item.card);
    for (optics::Surface* card : {&item.card, &item.open, &item.close})
        *card = withMargin(*card, layer.pixels, pixels->margin);
    item.pixels = std::move(pixels);
}

/// Shadows that fall on pictures, and on the ground.
void addShadows(const Gathering& gathering, double ground, std::vector<Item>& items) {
    if (gathering.casters.empty()) return;
    const auto visit = [&](const auto& self, std::vector<Item>& all) -> void {
        for (Item& item : all) {
            self(self, item.items);
            if (!item.pixels) continue;
            auto shadows =
                shadowsOn(*item.layer, withMargin(item.card, item.layer->pixels, -item.pixels->margin),
                          item.pixels->light, gathering.casters, gathering.lamps, gathering.view.eye);
            if (!shadows) continue;
            auto pixels = std::make_shared<Pixels>(*item.pixels);
            pixels->shadows = std::move(shadows);
            item.pixels = std::move(pixels);
        }
    };
    visit(visit, items);
    auto fallen = shadowsOnGround(ground, gathering.casters, gathering.lamps);
    if (!fallen) return;
    auto pixels = std::make_shared<Pixels>();
    pixels->layer = fallen->layer;
    pixels->shadows = fallen->shadows;
    Item item{fallen->layer,
              fallen->card,
              std::move(pixels),
              1,
              scene::Blend::Normal,
              false,
              {},
              fallen->card,
              fallen->card,
              {}};
    item.shadow = true;
    items.push_back(std::move(item)); // over all that lies in that plane
}

void gather(const ExposureScenes& moments, bool exposed, double opacity, scene::Blend blend,
            const std::vector<scene::GradePtr>& grades, Gathering& gathering, std::vector<Item>& items) {
    const std::size_t first = exposed ? 0 : 1, last = exposed ? 2 : 1;
    for (std::size_t n = 0; n < moments[1].layers->size(); ++n) {
        const scene::LayerPtr& layer = (*moments[1].layers)[n];
        if (!layer->visible || layer->opacity * opacity <= 0) continue;
        std::array<optics::Affine, 3> worlds;
        for (std::size_t m = first; m <= last; ++m) {
            const scene::Layer& then = *(*moments[m].layers)[n];
            worlds[m] = then.follows == 0 ? moments[m].holder
                                          : optics::worldOf(moments[m].now->find(then.id).carriers);
        }
        const V3d pivot = worlds[1](layer->placement.position);
        const double shown = shownAt(layer->showing, moments[1].now->time) *
                             shownFrom(layer->showing, (pivot - moments[1].now->view.eye).length());
        const double seen = layer->opacity * shown * opacity;
        if (seen <= 0) continue;
        const scene::Blend own = layer->blend == scene::Blend::Normal ? blend : layer->blend;
        Item item{layer, {}, nullptr, seen, own, false, {}, {}, {}};
        if (const scene::Group* group = layer->group()) {
            ExposureScenes inside = moments;
            for (std::size_t m = first; m <= last; ++m) {
                const scene::Layer& then = *(*moments[m].layers)[n];
                inside[m].layers = &then.group()->children;
                inside[m].holder = worlds[m] * optics::frameOf(then);
            }
            std::vector<scene::GradePtr> within;
            if (layer->grade && !scene::neutral(*layer->grade)) within.push_back(layer->grade);
            within.insert(within.end(), grades.begin(), grades.end());
            const bool changes = item.opacity < 1 || own != scene::Blend::Normal;
            if (!changes || group->inDepth) {
                gather(inside, exposed, item.opacity, own, within, gathering, items);
                continue;
            }
            const auto planeOf = [&](const optics::Affine& frame) {
                optics::Surface plane;
                plane.corner = frame.origin;
                plane.across = frame.x;
                plane.down = -frame.y;
                return plane;
            };
            item.flattened = true;
            item.card = planeOf(inside[1].holder);
            item.open = exposed ? planeOf(inside[0].holder) : item.card;
            item.close = exposed ? planeOf(inside[2].holder) : item.card;
            gather(inside, exposed, 1, scene::Blend::Normal, within, gathering, item.items);
            if (!item.items.empty()) items.push_back(std::move(item));
            continue;
        }
        if (layer->box()) {
            if (std::holds_alternative<scene::Lamp>(layer->content)) {
                item.layer = glowOf(*layer);
                if (!item.layer) continue;
                item.blend = scene::Blend::Add;
            }
            const auto frameAt = [&](std::size_t m) {
                const std::size_t at = exposed ? m : 1;
                return worlds[at] * optics::frameOf(*(*moments[at].layers)[n]);
            };
            item.box = BoxPlace{frameAt(1), frameAt(0), frameAt(2)};
            if (const ResolvedScene& now = *moments[1].now; now.taken.contains(layer->id)) {
                item.box->moved = item.box->now.inverse(item.box->now.origin + now.gone);
                // What drifts in it does not go with the camera, not while the shutter is open either.
                if (exposed) {
                    item.box->open.origin += now.gone - moments[0].now->gone;
                    item.box->close.origin += now.gone - moments[2].now->gone;
                }
            }
            item.pictures = picturesOf(moments[1].now->scene, *layer, moments[1].now->time);
        } else {
            item.pixels = pixelsAt(moments[1].now->scene, layer, moments[1].now->time, grades);
            if (!item.pixels) continue;
        }
        item.card = optics::surfaceOf(*layer, worlds[1]);
        item.open = exposed ? optics::surfaceOf(*(*moments[0].layers)[n], worlds[0]) : item.card;
        item.close = exposed ? optics::surfaceOf(*(*moments[2].layers)[n], worlds[2]) : item.card;
        if (item.pixels) dress(item, gathering);
        items.push_back(std::move(item));
    }
}

/// poses: as the exposure begins, in its middle, as it ends.
Frame evaluated(const scene::Scene& scene, Rational time, V2i size, const std::array<scene::Pose, 3>& poses,
                bool exposed) {
    Frame frame;
    frame.time = time;
    frame.size = size;
    frame.exposed = exposed && scene.camera.shutter > 0;
    if (frame.exposed) frame.halfExposure = halfExposure(scene).toDouble();
    frame.iris = scene.camera.iris;
    frame.background = scene.output.background;
    frame.blending = scene.output.blending;
    const auto view = [&](const scene::Pose& pose) { return optics::viewOf(pose, scene.camera, size); };
    frame.view = view(poses[1]), frame.open = view(poses[0]), frame.close = view(poses[2]);
    const ResolvedScene now(scene, time, poses[1]);
    ExposureScenes moments;
    moments[1] = {&now, &now.scene.layers, {}};
    frame.haze = now.scene.haze;
    frame.mist = now.scene.mist;
    frame.lamps = lampsAt(now);
    frame.ambient = now.scene.ambient;
    frame.glare = now.scene.glare;
    frame.grade = now.scene.grade;
    frame.viewTransform = scene.viewTransform;
    Gathering gathering{frame.lamps, frame.ambient, scene.depthGrades, frame.view, {}};
    if (!frame.exposed) {
        gather(moments, false, 1, scene::Blend::Normal, {}, gathering, frame.items);
        addShadows(gathering, scene.ground, frame.items);
        return frame;
    }
    const Rational half = halfExposure(scene);
    const ResolvedScene open(scene, time - half, poses[0]), close(scene, time + half, poses[2]);
    moments[0] = {&open, &open.scene.layers, {}};
    moments[2] = {&close, &close.scene.layers, {}};
    gather(moments, true, 1, scene::Blend::Normal, {}, gathering, frame.items);
    addShadows(gathering, scene.ground, frame.items);
    return frame;
}

}

namespace {

bool changesWithLight(const Pixels& pixels) {
    return pixels.light || pixels.shadows ||
           std::any_of(pixels.grades.begin(), pixels.grades.end(),
                       [](const PixelGrade& grade) { return grade.share.has_value(); });
}

void holdLight(const std::vector<Item>& earlier, std::vector<Item>& items) {
    for (Item& item : items) {
        const auto before = std::find_if(earlier.begin(), earlier.end(), [&](const Item& each) {
            return each.shadow == item.shadow && (item.shadow || each.layer->id == item.layer->id);
        });
        if (before == earlier.end()) continue;
        holdLight(before->items, item.items);
        if (!item.pixels || !before->pixels || !changesWithLight(*before->pixels)) continue;
        // Its card is as large as its picture.
        if (item.shadow)
            item = *before;
        else if (item.pixels->margin == before->pixels->margin &&
                 item.pixels->layer->pixels == before->pixels->layer->pixels)
            item.pixels = before->pixels;
    }
}

}

void holdLight(const Frame& earlier, Frame& frame) {
    holdLight(earlier.items, frame.items);
}

optics::Surface withMargin(const optics::Surface& card, V2i pixels, int margin) {
    if (margin == 0) return card;
    // Back from a larger one: by what it was made larger.
    const V2i of = margin > 0 ? pixels : V2i(pixels.x - 2 * margin, pixels.y - 2 * margin);
    const double x = static_cast<double>(margin) / of.x, y = static_cast<double>(margin) / of.y;
    optics::Surface larger = card;
    larger.corner -= card.across * x + card.down * y;
    larger.across *= 1 + 2 * x;
    larger.down *= 1 + 2 * y;
    return larger;
}

Rational halfExposure(const scene::Scene& scene) {
    // In thousandths of a degree, which keeps it a fraction.
    const auto share = Rational(std::llround(scene.camera.shutter * 1000), 720'000);
    return share / scene.output.rate;
}

Frame evaluate(const scene::Scene& scene, Rational time, V2i size, const scene::Pose& pose, bool exposed) {
    return evaluated(scene, time, size, {pose, pose, pose}, exposed);
}

Frame evaluate(const scene::Scene& scene, Rational time, V2i size, bool exposed) {
    return evaluate(scene, time, size, CameraMove(scene), exposed);
}

Frame evaluate(const scene::Scene& scene, Rational time, V2i size, const CameraMove& move, bool exposed) {
    const double half = exposed ? halfExposure(scene).toDouble() : 0, at = time.toDouble();
    return evaluated(scene, time, size, {move.at(at - half), move.at(at), move.at(at + half)}, exposed);
}

}
