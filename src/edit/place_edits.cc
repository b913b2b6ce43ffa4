#include "edit/place_edits.h"

#include "edit/places.h"
#include "motion/camera_move.h"
#include "motion/settled.h"
#include "motion/track.h"
#include "scene/hanging_json.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace stage::edit {
namespace {

using scene::Fields;
using scene::Found;
using scene::Layer;
using scene::Limits;
using scene::Misread;
using scene::Placement;
using scene::Scene;

/// The place after a move through the world.
Placement moved(const Found& found, const V3d& by) {
    const optics::Affine world = optics::worldOf(found.carriers);
    Placement place = found.layer->placement;
    place.position = world.inverse(world(place.position) + by);
    return place;
}

/// The homothety about an eye that takes a layer from one depth to another.
Placement held(const Found& found, const V3d& eye, const optics::View& first, double from, double to) {
    const double origin = optics::depthOf(first, eye);
    const std::string& name = found.layer->name;
    if (!(from - origin > 1e-6))
        throw Misread{"'" + name + "' is not in front of the camera, so its framing cannot be held"};
    const double k = (to - origin) / (from - origin);
    if (!(k > 1e-9))
        throw Misread{"'" + name +
                      "' cannot keep its framing at or behind the camera; choose a larger depth"};
    return optics::grown(found, eye, k);
}

struct Box {
    V2d low, high;
    double depth; ///< of the pivot, along the view
};
/// The box of a layer in the frame of a view.
Box boxOf(const Standing& standing, const Found& found, const std::string& doing) {
    const motion::Measure m = motion::measureAt(standing.sight, found);
    const double depth = optics::depthOf(standing.sight.view, optics::pivotOf(found));
    if (!(m.high.x > m.low.x) && !(m.high.y > m.low.y))
        throw Misread{"'" + found.layer->name + "' is not all in front of the camera, so it cannot be " +
                      doing};
    return {m.low, m.high, depth};
}

/// A found layer with another place, for measuring what comes of it.
Found with(const Found& found, const Placement& place) {
    auto copy = std::make_shared<Layer>(*found.layer);
    copy->placement = place;
    Found next = found;
    next.layer = std::move(copy);
    return next;
}

/// Moves a layer parallel to the frame until `missing(box)` px are left; what it does not name stays.
Placement slidInFrame(const Standing& standing, const Found& found, const std::string& doing,
                      const std::function<V2d(const Box&)>& missing) {
    const optics::View& view = standing.sight.view;
    Placement place = found.layer->placement;
    for (int round = 0; round < 12; ++round) {
        // A group's children hang in the scene: they are measured there.
        Scene tried = standing.now;
        scene::changeLayer(tried.layers, found.layer->id, [&](Layer& l) { l.placement = place; });
        const motion::Sight sight(tried, standing.pose);
        const Found now = found.layer->group() ? scene::find(tried, found.layer->id) : with(found, place);
        const motion::Measure m = motion::measureAt(sight, now);
        const double depth = optics::depthOf(view, optics::pivotOf(now));
        if (!(depth > 1e-9) || (!(m.high.x > m.low.x) && !(m.high.y > m.low.y)))
            throw Misread{"'" + found.layer->name + "' is not all in front of the camera, so it cannot be " +
                          doing};
        const V2d px = missing({m.low, m.high, depth});
        if (px.length() < 1e-7) break;
        place = moved(with(found, place), (view.right * px.x - view.up * px.y) * (depth / view.slope));
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
    const Standing standing(scene, reference.time, marked.pose);
    const optics::View& first = standing.sight.first;
    const auto depthOf = [&](std::int64_t id) {
        return optics::depthOf(first, optics::pivotOf(standing.found(id)));
    };

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
        for (const scene::Found& found : scene::all(scene))
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
    changePlaces(scene, ids, marked, [&](const Standing& at, const Found& found) {
        const std::int64_t id = found.layer->id;
        const double from = depthOf(id), to = target.at(id);
        if (!hold) return moved(found, first.forward * (to - from));
        return held(found, marked.pose.position, at.sight.first, from, to);
    });
}

void recede(Scene& scene, Fields& fields) {
    const auto ids = leadersOf(scene, layersOf(scene, fields));
    const Rational from = fields.rational("from", Rational(0), Rational(1'000'000)),
                   to = fields.rational("to", Rational(0), Rational(1'000'000));
    if (!(from < to)) throw Misread{"'recede.to' is not after 'recede.from'"};
    const double depth = fields.number("depth", -Limits::metres, Limits::metres);
    const scene::Pace pace = scene::readPace(fields, "pace", scene::Pace{});
    const motion::CameraMove move(scene.camera);
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

    for (const std::int64_t id : ids) {
        const Layer& original = *scene::find(scene, id).layer;
        for (const scene::Key<Placement>& key : original.places)
            if (key.time > from && key.time <= to)
                throw Misread{"'" + original.name + "' already has keys of place in that time"};
        const optics::View first = optics::firstView(scene);
        // Where it would be without receding, seen from where the camera is then.
        const auto standing = [&](Rational time) {
            return std::make_unique<Standing>(scene, time, move.at(time.toDouble()));
        };
        // The eye that the way ends at decides how much larger it is then.
        const auto ending = standing(to);
        const double rest = optics::depthOf(first, optics::pivotOf(ending->found(id))),
                     eye = optics::depthOf(first, ending->pose.position);
        if (!(rest - eye > 1e-6) || !(depth - eye > 1e-6))
            throw Misread{"'" + original.name + "' must stay in front of the camera to recede unseen"};
        const double most = (depth - eye) / (rest - eye);
        std::vector<scene::Key<Placement>> keys;
        for (const scene::Key<Placement>& key : original.places)
            if (key.time < from) keys.push_back(key);
        for (const Rational time : times) {
            const double x = ((time - from) / (to - from)).toDouble();
            const double k = 1 + (most - 1) * (walks ? motion::paceAt(pace, x) : x);
            const auto there = standing(time);
            Placement place = optics::grown(there->found(id), there->pose.position, k);
            place.turn = motion::placeAt(original, time).turn;
            keys.push_back({time, place, walks ? scene::Pace{} : pace, false});
        }
        for (const scene::Key<Placement>& key : original.places)
            if (key.time > to) keys.push_back(key);
        if (keys.size() > Limits::keys) throw Misread{"'" + original.name + "' would have too many keys"};
        scene::changeLayer(scene.layers, id, [&](Layer& l) { l.places = keys; });
    }
}

void slideLayers(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    const V3d by = fields.vector("by", Limits::metres);
    changePlaces(scene, ids, referenceOf(scene, fields),
                 [&](const Standing&, const Found& found) { return moved(found, by); });
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
    scene::changeLayer(scene.layers, id, [&](Layer& layer) {
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
    changePlaces(scene, ids, referenceOf(scene, fields), [&](const Standing& at, const Found& found) {
        Placement place = found.layer->placement;
        if (axis) {
            const optics::View& view = at.sight.view;
            const V3d from = optics::pivotOf(found) - view.eye;
            place = moved(found, view.right * (from.dot(view.right) * (by.x - 1)) +
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
    changePlaces(scene, ids, referenceOf(scene, fields), [&](const Standing&, const Found& found) {
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
        if (!layer.group())
            pivot = {to[0] * layer.pixels.x * layer.metresPerPixel,
                     to[1] * layer.pixels.y * layer.metresPerPixel};
        const V2d by = pivot - layer.hanging.pivot;
        changePlaces(scene, {id}, {reference.time, false, 0, false, reference.pose},
                     [&](const Standing&, const Found& found) {
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
    changePlaces(scene, ids, referenceOf(scene, fields), [&](const Standing& at, const Found& found) {
        const optics::View& view = at.sight.view;
        const Layer& layer = *found.layer;
        if (layer.group() || layer.hanging.bend != 0 || to == 1) {
            // By the box of what is seen, to the last bit in a few rounds.
            Placement place = found.layer->placement;
            for (int round = 0; round < 8; ++round) {
                Scene tried = at.now;
                scene::changeLayer(tried.layers, layer.id, [&](Layer& l) { l.placement = place; });
                const Standing now(tried, at.time, at.pose);
                place = slidInFrame(now, now.found(layer.id), "fitted",
                                    [&](const Box& box) { return frame / 2.0 - (box.low + box.high) / 2.0; });
                scene::changeLayer(tried.layers, layer.id, [&](Layer& l) { l.placement = place; });
                const Standing centred(tried, at.time, at.pose);
                const Box box = boxOf(centred, centred.found(layer.id), "fitted");
                const V2d k(frame.x / (box.high.x - box.low.x), frame.y / (box.high.y - box.low.y));
                const double by = over * (to == 0   ? std::max(k.x, k.y)
                                          : to == 1 ? std::min(k.x, k.y)
                                          : to == 2 ? k.x
                                                    : k.y);
                if (!std::isfinite(by)) throw Misread{"'" + layer.name + "' is seen edge-on"};
                if (round > 0 && std::abs(by - 1) < 1e-9) break;
                const Found& there = centred.found(layer.id);
                const V3d about = view.eye + view.forward * box.depth;
                place = optics::grown(there, about, by);
            }
            return place;
        }
        // Flat: its middle onto the axis at its depth, then as large as the frame's corner rays ask for.
        optics::Card card = optics::cardOf(layer, optics::worldOf(found.carriers));
        const V3d from = card.centre() - view.eye;
        const double depth = from.dot(view.forward);
        if (!(depth > 1e-9)) throw Misread{"'" + layer.name + "' is not in front of the camera"};
        const V3d by = view.eye + view.forward * depth - card.centre();
        const Placement centred = moved(found, by);
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
        return optics::grown(with(found, centred), card.centre(), k * over);
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
        const Standing standing(scene, reference.time, reference.pose);
        low = V2d(1e300), high = V2d(-1e300);
        for (const std::int64_t id : ids) {
            const Box box = boxOf(standing, standing.found(id), "aligned");
            low = {std::min(low.x, box.low.x), std::min(low.y, box.low.y)};
            high = {std::max(high.x, box.high.x), std::max(high.y, box.high.y)};
        }
    }
    changePlaces(scene, ids, reference, [&](const Standing& at, const Found& found) {
        return slidInFrame(at, found, "aligned", [&](const Box& box) {
            switch (to) {
            case 0:
                return V2d(low.x - box.low.x, 0);
            case 1:
                return V2d((low.x + high.x - box.low.x - box.high.x) / 2, 0);
            case 2:
                return V2d(high.x - box.high.x, 0);
            case 3:
                return V2d(0, low.y - box.low.y);
            case 4:
                return V2d(0, (low.y + high.y - box.low.y - box.high.y) / 2);
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
    const Standing standing(scene, reference.time, reference.pose);
    std::vector<std::pair<double, std::int64_t>> centres;
    for (const std::int64_t id : ids) {
        const Box box = boxOf(standing, standing.found(id), "distributed");
        const V2d centre = (box.low + box.high) / 2.0;
        centres.emplace_back(across ? centre.x : centre.y, id);
    }
    std::stable_sort(centres.begin(), centres.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    std::map<std::int64_t, double> target;
    for (std::size_t i = 0; i < centres.size(); ++i)
        target[centres[i].second] = centres.front().first + (centres.back().first - centres.front().first) *
                                                                static_cast<double>(i) /
                                                                static_cast<double>(centres.size() - 1);
    changePlaces(scene, ids, reference, [&](const Standing& at, const Found& found) {
        return slidInFrame(at, found, "distributed", [&](const Box& box) {
            const double wanted = target.at(found.layer->id);
            return across ? V2d(wanted - (box.low.x + box.high.x) / 2, 0)
                          : V2d(0, wanted - (box.low.y + box.high.y) / 2);
        });
    });
}

void hang(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    const Reference reference = referenceOf(scene, fields);
    const bool around = fields.yes("aroundCamera", false);
    if (around && fields.has("bend")) throw Misread{"hang takes 'bend' or 'aroundCamera', not both"};
    const Standing standing(scene, reference.time, reference.pose);
    const scene::Hanging check = scene::readHanging(fields, scene::Hanging{});
    const bool shape = around || check.bend != 0 || check.extensions.any();
    for (const std::int64_t id : ids) {
        const Found& found = standing.found(id);
        if (found.layer->group() && shape)
            throw Misread{"'" + found.layer->name + "' is a group; bend and extend the layers in it instead"};
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            const V2d pivot = layer.hanging.pivot;
            layer.hanging = scene::readHanging(fields, layer.hanging);
            layer.hanging.pivot = pivot; // that has an edit of its own, which keeps the picture where it is
            if (!around) return;
            const optics::Card card = optics::cardOf(*found.layer, optics::worldOf(found.carriers));
            const double radius = (standing.sight.view.eye - card.centre()).dot(card.front);
            if (!(radius > 1e-6)) throw Misread{"the camera is behind '" + layer.name + "'"};
            layer.hanging.bend = std::min(360.0, degrees(card.across.length() / radius));
        });
    }
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
