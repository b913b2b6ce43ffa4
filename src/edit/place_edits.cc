#include "edit/place_edits.h"

#include "edit/places.h"
#include "motion/camera_move.h"
#include "motion/resolved_scene.h"
#include "motion/track.h"
#include "motion/values.h"
#include "scene/hanging_json.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace stage::edit {
namespace {

using scene::Fields;
using scene::Layer;
using scene::LayerPath;
using scene::Limits;
using scene::Misread;
using scene::Placement;
using scene::Scene;

struct FrameBox {
    V2d low, high;
    double depth; ///< of the pivot, along the view
    V2d middle() const { return (low + high) / 2.0; }
};
/// The box of a layer in the frame.
FrameBox boxOf(const ResolvedScene& resolved, const LayerPath& found, const std::string& doing) {
    const motion::Measure m = motion::measureAt(resolved, found);
    const double depth = optics::depthOf(resolved.view, optics::pivotOf(found));
    if (!(depth > 1e-9) || (!(m.high.x > m.low.x) && !(m.high.y > m.low.y)))
        throw Misread{"'" + found.layer->name + "' is not all in front of the camera, so it cannot be " +
                      doing};
    return {m.low, m.high, depth};
}

/// The same with a layer at another place; what it carries goes with it.
ResolvedScene placedAt(const ResolvedScene& resolved, std::int64_t id, const Placement& place) {
    Scene tried = resolved.scene;
    scene::changeLayer(tried.layers, id, [&](Layer& l) { l.placement = place; });
    return ResolvedScene(tried, resolved.time, resolved.pose);
}

/// Moves a layer parallel to the frame until `missing(box)` px are left; what it does not name stays.
Placement slidInFrame(const ResolvedScene& resolved, const LayerPath& found, const std::string& doing,
                      const std::function<V2d(const FrameBox&)>& missing) {
    const optics::View& view = resolved.view;
    const std::int64_t id = found.layer->id;
    Placement place = found.layer->placement;
    for (int round = 0; round < 12; ++round) {
        const ResolvedScene now = placedAt(resolved, id, place);
        const FrameBox box = boxOf(now, now.find(id), doing);
        const V2d px = missing(box);
        if (px.length() < 1e-7) break;
        place = optics::slid(now.find(id), (view.right * px.x - view.up * px.y) * (box.depth / view.slope));
    }
    return place;
}

}

void pushLayers(Scene& scene, Fields& fields) {
    const auto ids = leadersOf(scene, layersOf(scene, fields));
    const bool hold = fields.yes("holdFraming", true);
    const Reference reference = referenceOf(scene, fields);
    // Framing is held for a mark, whatever time it is.
    Reference marked = reference;
    marked.pose = scene.camera.marks[reference.mark].pose;
    const ResolvedScene resolved(scene, reference.time, marked.pose);
    const optics::View& first = resolved.first;
    const auto depthOf = [&](std::int64_t id) { return resolved.depthOf(resolved.find(id)); };

    std::map<std::int64_t, double> target;
    const int ways = fields.has("depth") + fields.has("by") + fields.has("ratio") + fields.has("spread");
    if (ways != 1) throw Misread{"push needs one of 'depth', 'by', 'ratio' and 'spread'"};
    if (fields.has("spread")) {
        const auto ends = fields.numbers("spread", 2, -Limits::metres, Limits::metres);
        constexpr std::array<std::string_view, 2> steps = {"even", "parallax"};
        const bool parallax = fields.has("steps") && fields.choice("steps", steps) == 1;
        if (parallax && !(ends[0] > 0 && ends[1] > 0))
            throw Misread{"equal steps of parallax need depths above 0"};
        // Of several at one depth the higher one is nearer, as it is seen.
        std::vector<std::int64_t> order;
        for (const scene::LayerPath& found : scene::all(scene))
            if (std::find(ids.begin(), ids.end(), found.layer->id) != ids.end())
                order.insert(order.begin(), found.layer->id);
        std::stable_sort(order.begin(), order.end(), [&](auto a, auto b) { return depthOf(a) < depthOf(b); });
        for (std::size_t i = 0; i < order.size(); ++i) {
            const double share =
                order.size() < 2 ? 0 : static_cast<double>(i) / static_cast<double>(order.size() - 1);
            target[order[i]] = parallax ? 1 / (1 / ends[0] + (1 / ends[1] - 1 / ends[0]) * share)
                                        : ends[0] + (ends[1] - ends[0]) * share;
        }
    } else if (fields.has("depth")) {
        const double depth = fields.number("depth", -Limits::metres, Limits::metres);
        for (const std::int64_t id : ids)
            target[id] = depth;
    } else if (fields.has("by")) {
        const double by = fields.number("by", -Limits::metres, Limits::metres);
        for (const std::int64_t id : ids)
            target[id] = depthOf(id) + by;
    } else {
        const double ratio = fields.number("ratio", 1e-6, 1e6);
        for (const std::int64_t id : ids)
            target[id] = depthOf(id) * ratio;
    }
    changePlaces(scene, ids, marked, [&](const ResolvedScene&, const LayerPath& found) {
        const std::int64_t id = found.layer->id;
        const double from = depthOf(id), to = target.at(id);
        if (!hold) return optics::slid(found, first.forward * (to - from));
        scene::Placement place = value(optics::held(found, marked.pose.position, first, from, to));
        // A lamp reaches as far as before.
        if (std::holds_alternative<scene::Lamp>(found.layer->content))
            place.scale = found.layer->placement.scale;
        return place;
    });
    if (!hold) return;
    // What chance adds in metres is to be seen as before, too.
    const double eye = optics::depthOf(first, marked.pose.position);
    for (const std::int64_t id : ids) {
        const double k = (target.at(id) - eye) / (depthOf(id) - eye);
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            for (scene::Track& track : layer.tracks)
                for (scene::Noise& noise : track.noises)
                    for (const char* name : {"across", "up", "along", "scale across", "scale up"})
                        if (track.property == name) noise.amount *= k;
        });
    }
}

void recede(Scene& scene, Fields& fields) {
    const auto ids = leadersOf(scene, layersOf(scene, fields));
    const Rational from = fields.rational("from", Rational(0), Rational(1'000'000)),
                   to = fields.rational("to", Rational(0), Rational(1'000'000));
    if (!(from < to)) throw Misread{"'recede.to' is not after 'recede.from'"};
    const double depth = fields.number("depth", -Limits::metres, Limits::metres);
    const scene::Pace pace = scene::readPace(fields, "pace", scene::Pace{});
    const motion::CameraMove move(scene);
    const scene::Pose start = move.at(from.toDouble());

    // The camera's way from frame to frame: where it stands, the two ends say it all.
    std::vector<Rational> times{from};
    bool walks = false;
    const Rational rate = scene.output.rate;
    for (std::int64_t frame = frameAt(from, rate) + 1; timeOfFrame(frame, rate) < to; ++frame) {
        if (times.size() >= Limits::keys / 2) throw Misread{"that is too long a time"};
        times.push_back(timeOfFrame(frame, rate));
    }
    times.push_back(to);
    for (const Rational time : times)
        walks = walks || (move.at(time.toDouble()).position - start.position).length() > 1e-9;
    if (!walks) times = {from, to};

    // The eye that the way ends at decides how much larger a layer is then.
    const ResolvedScene ending(scene, to, move.at(to.toDouble()));
    const double eye = optics::depthOf(ending.first, ending.pose.position);
    struct Growth {
        scene::LayerPtr original;
        double most; ///< growth at the end
        std::vector<scene::Key<Placement>> keys;
    };
    std::map<std::int64_t, Growth> ways;
    for (const std::int64_t id : ids) {
        const scene::LayerPtr original = scene::find(scene, id).layer;
        for (const scene::Key<Placement>& key : original->places)
            if (key.time > from && key.time <= to)
                throw Misread{"'" + original->name + "' already has keys of place in that time"};
        const double rest = ending.depthOf(ending.find(id));
        if (!(rest - eye > 1e-6) || !(depth - eye > 1e-6))
            throw Misread{"'" + original->name + "' must stay in front of the camera to recede unseen"};
        if (original->places.size() + times.size() > Limits::keys)
            throw Misread{"'" + original->name + "' would have too many keys"};
        ways[id] = {original, (depth - eye) / (rest - eye), {}};
    }
    for (const Rational time : times) {
        // Where they would be without receding, seen from where the camera is then.
        const ResolvedScene there(scene, time, move.at(time.toDouble()));
        const double x = ((time - from) / (to - from)).toDouble();
        for (auto& [id, way] : ways) {
            const double k = 1 + (way.most - 1) * (walks ? motion::paceAt(pace, x) : x);
            Placement place = optics::grown(there.find(id), there.pose.position, k);
            place.turn = motion::placeAt(*way.original, time).turn;
            way.keys.push_back({time, place, walks ? scene::Pace{} : pace, false});
        }
    }
    for (auto& [id, way] : ways)
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            auto& places = layer.places;
            std::erase_if(places, [&](const auto& key) { return key.time == from; });
            const auto at =
                std::find_if(places.begin(), places.end(), [&](const auto& key) { return key.time > from; });
            places.insert(at, way.keys.begin(), way.keys.end());
        });
}

void slideLayers(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    const V3d by = fields.vector("by", Limits::metres);
    changePlaces(scene, ids, referenceOf(scene, fields),
                 [&](const ResolvedScene&, const LayerPath& found) { return optics::slid(found, by); });
}

void place(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    const Reference reference = referenceOf(scene, fields);
    const bool position = fields.has("position"), turn = fields.has("turn"), scale = fields.has("scale");
    const Placement wanted = scene::readPlacement(fields, Placement{});
    const auto set = [&](Placement& place) {
        if (position) place.position = wanted.position;
        if (turn) place.turn = wanted.turn;
        if (scale) place.scale = wanted.scale;
    };
    const Placement seen = motion::Values(scene).placement(*scene::find(scene, id).layer, reference.time);
    scene::changeLayer(scene.layers, id, [&](Layer& layer) {
        changeTracks(layer, reference, [&](Rational) {
            Placement then = seen;
            set(then);
            return std::pair(seen, then);
        });
        if (layer.places.empty()) return set(layer.placement);
        const auto key = std::find_if(layer.places.begin(), layer.places.end(),
                                      [&](const auto& k) { return k.time == reference.time; });
        if (reference.timed && key != layer.places.end()) return set(key->value);
        // All keys go along with what is seen at that time.
        const Placement now = motion::placeAt(layer, reference.time);
        Placement then = now;
        set(then);
        for (scene::Key<Placement>& each : layer.places) {
            each.value.position += then.position - now.position;
            each.value.turn += then.turn - now.turn;
            each.value.scale = {each.value.scale.x * then.scale.x / now.scale.x,
                                each.value.scale.y * then.scale.y / now.scale.y};
        }
    });
}

void scaleLayers(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    V2d by(1);
    if (fields.value("by").is_array()) {
        const auto both = fields.numbers("by", 2, 1e-6, 1e6);
        by = {both[0], both[1]};
    } else {
        by = V2d(fields.number("by", 1e-6, 1e6));
    }
    constexpr std::array<std::string_view, 2> names = {"pivot", "axis"};
    const bool axis = fields.has("about") && fields.choice("about", names) == 1;
    changePlaces(scene, ids, referenceOf(scene, fields),
                 [&](const ResolvedScene& at, const LayerPath& found) {
                     Placement place = found.layer->placement;
                     if (axis) {
                         const optics::View& view = at.view;
                         const V3d from = optics::pivotOf(found) - view.eye;
                         place = optics::slid(found, view.right * (from.dot(view.right) * (by.x - 1)) +
                                                         view.up * (from.dot(view.up) * (by.y - 1)));
                     }
                     place.scale.x *= by.x;
                     place.scale.y *= by.y;
                     return place;
                 });
}

void flip(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    constexpr std::array<std::string_view, 2> names = {"across", "up"};
    const bool across = fields.choice("along", names) == 0;
    changePlaces(scene, ids, referenceOf(scene, fields), [&](const ResolvedScene&, const LayerPath& found) {
        Placement place = found.layer->placement;
        (across ? place.scale.x : place.scale.y) *= -1;
        return place;
    });
}

void setPivot(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    const auto to = fields.numbers("to", 2, -Limits::metres, Limits::metres);
    const Reference reference = referenceOf(scene, fields);
    for (const std::int64_t id : ids) {
        const Layer layer = *scene::find(scene, id).layer;
        V2d pivot(to[0], to[1]);
        if (!layer.group()) pivot = V2d(to[0], to[1]) * layer.natural();
        const V2d by = pivot - layer.hanging.pivot;
        changePlaces(scene, {id}, {reference.time, false, 0, false, reference.pose},
                     [&](const ResolvedScene&, const LayerPath& found) {
                         Placement place = found.layer->placement;
                         const optics::Affine frame = optics::frameOf(place);
                         place.position += frame.x * by.x + frame.y * by.y;
                         return place;
                     });
        scene::changeLayer(scene.layers, id, [&](Layer& l) { l.hanging.pivot = pivot; });
    }
}

void fit(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    constexpr std::array<std::string_view, 4> names = {"cover", "inside", "width", "height"};
    const std::size_t to = fields.has("to") ? fields.choice("to", names) : 0;
    const double over = 1 + fields.number("overscan", -90, 1000, 0) / 100;
    const V2d frame(scene.output.frame);
    changePlaces(
        scene, ids, referenceOf(scene, fields), [&](const ResolvedScene& at, const LayerPath& found) {
            const optics::View& view = at.view;
            const Layer& layer = *found.layer;
            if (layer.group() || layer.hanging.bend != 0 || to == 1) {
                // By the box of what is seen, to the last bit in a few rounds.
                Placement place = found.layer->placement;
                for (int round = 0; round < 8; ++round) {
                    const ResolvedScene tried = placedAt(at, layer.id, place);
                    place = slidInFrame(tried, tried.find(layer.id), "fitted",
                                        [&](const FrameBox& box) { return frame / 2.0 - box.middle(); });
                    const ResolvedScene centred = placedAt(at, layer.id, place);
                    const FrameBox box = boxOf(centred, centred.find(layer.id), "fitted");
                    const V2d k(frame.x / (box.high.x - box.low.x), frame.y / (box.high.y - box.low.y));
                    const double by = over * (to == 0   ? std::max(k.x, k.y)
                                              : to == 1 ? std::min(k.x, k.y)
                                              : to == 2 ? k.x
                                                        : k.y);
                    if (!std::isfinite(by)) throw Misread{"'" + layer.name + "' is seen edge-on"};
                    if (round > 0 && std::abs(by - 1) < 1e-9) break;
                    place = optics::grown(centred.find(layer.id), view.eye + view.forward * box.depth, by);
                }
                return place;
            }
            // Flat: its middle onto the axis at its depth, then as large as the frame's corner rays ask for.
            optics::Surface card = optics::surfaceOf(layer, optics::worldOf(found.carriers));
            const V3d from = card.centre() - view.eye;
            const double depth = from.dot(view.forward);
            if (!(depth > 1e-9)) throw Misread{"'" + layer.name + "' is not in front of the camera"};
            const V3d by = view.eye + view.forward * depth - card.centre();
            card.corner += by;
            card.bend = 0;
            card.left = card.right = card.top = card.bottom = 1e9;
            double k = 0;
            for (const double x : {0.0, frame.x})
                for (const double y : {0.0, frame.y}) {
                    const auto met = optics::meet(view, {x, y}, card);
                    if (!met)
                        throw Misread{"'" + layer.name + "' is turned so far that it cannot fill the frame"};
                    const double across = 2 * std::abs(met->s - 0.5), down = 2 * std::abs(met->t - 0.5);
                    k = std::max(k, to == 2 ? across : to == 3 ? down : std::max(across, down));
                }
            Placement place = optics::grown(found, card.centre() - by, k * over);
            const optics::Affine world = optics::worldOf(found.carriers);
            place.position = world.inverse(world(place.position) + by);
            return place;
        });
}

void align(Scene& scene, Fields& fields) {
    const auto ids = leadersOf(scene, layersOf(scene, fields));
    constexpr std::array<std::string_view, 6> names = {"left", "centre", "right", "top", "middle", "bottom"};
    const std::size_t to = fields.choice("to", names);
    constexpr std::array<std::string_view, 2> places = {"frame", "selection"};
    const bool selection = fields.has("in") && fields.choice("in", places) == 1;
    const Reference reference = referenceOf(scene, fields);
    V2d low(0), high(scene.output.frame);
    if (selection) {
        const ResolvedScene resolved(scene, reference.time, reference.pose);
        low = V2d(1e300), high = V2d(-1e300);
        for (const std::int64_t id : ids) {
            const FrameBox box = boxOf(resolved, resolved.find(id), "aligned");
            low = {std::min(low.x, box.low.x), std::min(low.y, box.low.y)};
            high = {std::max(high.x, box.high.x), std::max(high.y, box.high.y)};
        }
    }
    changePlaces(scene, ids, reference, [&](const ResolvedScene& at, const LayerPath& found) {
        return slidInFrame(at, found, "aligned", [&](const FrameBox& box) {
            switch (to) {
            case 0:
                return V2d(low.x - box.low.x, 0);
            case 1:
                return V2d((low.x + high.x) / 2 - box.middle().x, 0);
            case 2:
                return V2d(high.x - box.high.x, 0);
            case 3:
                return V2d(0, low.y - box.low.y);
            case 4:
                return V2d(0, (low.y + high.y) / 2 - box.middle().y);
            default:
                return V2d(0, high.y - box.high.y);
            }
        });
    });
}

void distribute(Scene& scene, Fields& fields) {
    const auto ids = leadersOf(scene, layersOf(scene, fields));
    constexpr std::array<std::string_view, 2> names = {"across", "up"};
    const bool across = fields.choice("along", names) == 0;
    if (ids.size() < 3) throw Misread{"distributing needs three layers or more"};
    const Reference reference = referenceOf(scene, fields);
    const ResolvedScene resolved(scene, reference.time, reference.pose);
    std::vector<std::pair<double, std::int64_t>> centres;
    for (const std::int64_t id : ids) {
        const FrameBox box = boxOf(resolved, resolved.find(id), "distributed");
        centres.emplace_back(across ? box.middle().x : box.middle().y, id);
    }
    std::stable_sort(centres.begin(), centres.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    std::map<std::int64_t, double> target;
    for (std::size_t i = 0; i < centres.size(); ++i)
        target[centres[i].second] = centres.front().first + (centres.back().first - centres.front().first) *
                                                                static_cast<double>(i) /
                                                                static_cast<double>(centres.size() - 1);
    changePlaces(scene, ids, reference, [&](const ResolvedScene& at, const LayerPath& found) {
        return slidInFrame(at, found, "distributed", [&](const FrameBox& box) {
            const double wanted = target.at(found.layer->id);
            return across ? V2d(wanted - box.middle().x, 0) : V2d(0, wanted - box.middle().y);
        });
    });
}

namespace {

/// How a layer that is bent anew is resized and shifted so that it covers the rays that it covered.
struct Refit {
    double wide = 1, tall = 1;
    V3d by{0}; ///< in the world
};
/// Its left and right edges, at half their height, stay where they are seen; it is made taller where it would
/// be seen lower. Nothing where some of it is not ahead of the view, or it is bent so far that it cannot be.
std::optional<Refit> refitted(const optics::View& view, const LayerPath& before, double bend) {
    const optics::Affine world = optics::worldOf(before.carriers);
    const optics::Surface old = optics::surfaceOf(*before.layer, world);
    const auto seen = [&](const optics::Surface& card, double s, double t) {
        return optics::project(view, card.at(s, t));
    };
    const auto left = seen(old, 0, 0.5), right = seen(old, 1, 0.5);
    if (!left || !right || !((*right - *left).length() > 1e-9)) return {};
    const V2d along = (*right - *left).normalized();
    const V3d across = old.across.normalized();
    Refit fit;
    const auto bent = [&](const Refit& how) {
        Layer layer = *before.layer;
        layer.hanging.bend = bend;
        layer.placement.scale.x *= how.wide, layer.placement.scale.y *= how.tall;
        optics::Surface card = optics::surfaceOf(layer, world);
        card.corner += how.by;
        return card;
    };
    double shift = 0; // metres along the card's width
    const auto off = [&](double wide, double by) -> std::optional<V2d> {
        const optics::Surface card = bent({wide, 1, across * by});
        const auto a = seen(card, 0, 0.5), b = seen(card, 1, 0.5);
        if (!a || !b) return {};
        return V2d((*a - *left).dot(along), (*b - *right).dot(along));
    };
    const double unit = old.across.length();
    for (int round = 0; round < 40; ++round) { // Newton's method in two unknowns
        const auto now = off(fit.wide, shift);
        if (!now) return {};
        if (now->length() < 1e-7) break;
        constexpr double h = 1e-6;
        const auto wider = off(fit.wide * (1 + h), shift), aside = off(fit.wide, shift + h * unit);
        if (!wider || !aside) return {};
        const V2d dw = (*wider - *now) / (h * fit.wide), ds = (*aside - *now) / (h * unit);
        const double det = dw.x * ds.y - dw.y * ds.x;
        if (!(std::abs(det) > 1e-12)) return {};
        const double w = (now->x * ds.y - now->y * ds.x) / det, s = (dw.x * now->y - dw.y * now->x) / det;
        fit.wide = std::clamp(fit.wide - w, fit.wide / 2, fit.wide * 2);
        shift -= std::clamp(s, -unit / 2, unit / 2);
        if (round == 39) return {};
    }
    fit.by = across * shift;
    const optics::Surface card = bent(fit);
    for (const double s : {0.0, 0.5, 1.0}) {
        const auto a = seen(old, s, 0), b = seen(old, s, 1), c = seen(card, s, 0), d = seen(card, s, 1);
        if (!a || !b || !c || !d) return {};
        fit.tall = std::max(fit.tall, (*a - *b).length() / std::max((*c - *d).length(), 1e-9));
    }
    return fit;
}

}

void hang(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    const Reference reference = referenceOf(scene, fields);
    const bool hold = fields.yes("holdFraming", true);
    const bool around = fields.yes("aroundCamera", false);
    if (around && fields.has("bend")) throw Misread{"hang takes 'bend' or 'aroundCamera', not both"};
    const ResolvedScene resolved(scene, reference.time, reference.pose);
    const scene::Hanging check = scene::readHanging(fields, scene::Hanging{});
    const bool shape = around || check.bend != 0 || check.extensions.any();
    for (const std::int64_t id : ids) {
        const LayerPath& found = resolved.find(id);
        if (found.layer->group() && shape)
            throw Misread{"'" + found.layer->name + "' is a group; bend and extend the layers in it instead"};
        if (found.layer->box() && shape)
            throw Misread{"'" + found.layer->name + "' has no picture that could be bent or extended"};
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            const V2d pivot = layer.hanging.pivot;
            layer.hanging = scene::readHanging(fields, layer.hanging);
            layer.hanging.pivot = pivot; // that has an edit of its own, which keeps the picture where it is
            if (!around) return;
            const optics::Surface card = optics::surfaceOf(*found.layer, optics::worldOf(found.carriers));
            const double radius = (resolved.view.eye - card.centre()).dot(card.front);
            if (!(radius > 1e-6)) throw Misread{"the camera is behind '" + layer.name + "'"};
            // What its width spans as it is, or as much of an arc as its width makes.
            const double arc =
                hold ? 2 * std::atan(card.across.length() / 2 / radius) : card.across.length() / radius;
            layer.hanging.bend = std::min(360.0, degrees(arc));
        });
        const double bend = scene::find(scene, id).layer->hanging.bend;
        if (!hold || bend == found.layer->hanging.bend || found.layer->group()) continue;
        // Framing is held for a mark, whatever time it is.
        const optics::View view =
            optics::viewOf(scene.camera.marks[reference.mark].pose, scene.camera, scene.output.frame);
        const auto fit = refitted(view, found, bend);
        if (!fit)
            throw Misread{"'" + found.layer->name +
                          "' cannot be bent so with its framing held; switch that off, or bend it less"};
        changePlaces(scene, {id}, reference, [&](const ResolvedScene&, const LayerPath& each) {
            Placement place = optics::slid(each, fit->by);
            place.scale = {each.layer->placement.scale.x * fit->wide,
                           each.layer->placement.scale.y * fit->tall};
            return place;
        });
    }
}

void refitLayers(Scene& scene, double k) {
    std::vector<std::int64_t> ids;
    for (const scene::LayerPtr& layer : scene.layers)
        ids.push_back(layer->id);
    const Reference reference{scene.camera.marks.front().time, false, 0, true,
                              scene.camera.marks.front().pose};
    changePlaces(scene, leadersOf(scene, ids), reference,
                 [&](const ResolvedScene& resolved, const LayerPath& found) {
                     const optics::View& first = resolved.first;
                     const double depth = optics::depthOf(first, optics::pivotOf(found));
                     // Larger about the eye, then back to its depth.
                     LayerPath grown = found;
                     auto copy = std::make_shared<Layer>(*found.layer);
                     copy->placement = optics::grown(found, first.eye, k);
                     grown.layer = copy;
                     return optics::slid(grown, first.forward * (depth * (1 - k)));
                 });
}

void stepBack(const Scene& scene, scene::Mark& mark, std::int64_t layer, double longer) {
    const optics::View view = optics::viewOf(mark.pose, scene.camera, scene.output.frame);
    double depth = mark.pose.focus;
    if (layer > 0) {
        depth =
            optics::depthOf(view, optics::pivotOf(ResolvedScene(scene, mark.time, mark.pose).find(layer)));
        if (!(depth > 0)) throw Misread{"'lens.layer' is behind the camera at a mark"};
    }
    mark.pose.position -= view.forward * (depth * (longer - 1));
    // What is sharp, and what the path's handles are relative to, goes along.
    mark.pose.focus += depth * (longer - 1);
}

void keyPlace(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    const Rational time = fields.rational("time", Rational(0), Rational(1'000'000));
    const bool paced = fields.has("pace");
    const scene::Pace pace = scene::readPace(fields, "pace", scene::Pace{});
    for (const std::int64_t id : ids) {
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            scene::Key<Placement> key{time, motion::placeAt(layer, time), pace, false};
            auto at = std::lower_bound(layer.places.begin(), layer.places.end(), time,
                                       [](const auto& k, Rational t) { return k.time < t; });
            if (at != layer.places.end() && at->time == time) {
                if (paced) at->pace = pace;
                return;
            }
            if (layer.places.size() >= Limits::keys) throw Misread{"'" + layer.name + "' has too many keys"};
            if (!paced && at != layer.places.begin()) key.pace = (at - 1)->pace;
            layer.places.insert(at, key);
        });
    }
}

void removePlaceKey(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    const bool one = fields.has("time");
    const Rational time = fields.rational("time", Rational(0), Rational(1'000'000), Rational(0));
    for (const std::int64_t id : ids) {
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            const Placement now = motion::placeAt(layer, time);
            const std::size_t before = layer.places.size();
            if (one)
                std::erase_if(layer.places, [&](const auto& k) { return k.time == time; });
            else
                layer.places.clear();
            if (one && layer.places.size() == before)
                throw Misread{"'" + layer.name + "' has no key of place at that time"};
            if (layer.places.empty()) layer.placement = now;
        });
    }
}

}
