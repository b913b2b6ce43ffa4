#include "edit/set_edits.h"

#include "edit/bring_in.h"
#include "edit/places.h"
#include "media/probe.h"
#include "scene/chance.h"
#include "scene/file.h"
#include "scene/hanging_json.h"
#include "scene/output_json.h"
#include "scene/scene_json.h"
#include "scene/utf8.h"

#include <algorithm>
#include <map>
#include <set>

namespace stage::edit {
namespace {

using scene::Fields;
using scene::Json;
using scene::Layer;
using scene::LayerPath;
using scene::LayerPtr;
using scene::Limits;
using scene::Misread;
using scene::Scene;

std::size_t countOf(const Scene& scene) {
    std::size_t count = 0;
    scene::forEach(scene, [&](const auto&, const auto&) { ++count; });
    return count;
}

/// Layers with new ids from `next` on. What they say of each other (cut-outs, following) is led to the new
/// ones; what they say of others stays.
std::vector<Json> renumbered(std::vector<Json> layers, std::int64_t next) {
    std::map<Json, std::int64_t> given;
    const std::function<void(Json&)> number = [&](Json& json) {
        if (!json.is_object()) return;
        if (json.contains("id")) given[json["id"]] = next;
        json["id"] = next++;
        if (json.contains("layers") && json["layers"].is_array())
            for (Json& child : json["layers"])
                number(child);
    };
    for (Json& layer : layers)
        number(layer);
    const std::function<void(Json&)> redirectCutout = [&](Json& json) {
        for (auto& [key, member] : json.items()) {
            if ((key == "layer" || key == "like") && given.contains(member))
                member = given[member];
            else if (member.is_structured())
                redirectCutout(member);
        }
    };
    const std::function<void(Json&)> redirect = [&](Json& layer) {
        if (!layer.is_object()) return;
        if (layer.contains("cutout")) redirectCutout(layer["cutout"]);
        if (layer.contains("follows") && given.contains(layer["follows"]))
            layer["follows"] = given[layer["follows"]];
        if (layer.contains("standing") && layer["standing"].is_object() && layer["standing"].contains("on") &&
            given.contains(layer["standing"]["on"]))
            layer["standing"]["on"] = given[layer["standing"]["on"]];
        if (layer.contains("tracks") && layer["tracks"].is_array())
            for (Json& track : layer["tracks"])
                if (track.is_object() && track.contains("link") && track["link"].is_object() &&
                    track["link"].contains("layer") && given.contains(track["link"]["layer"]))
                    track["link"]["layer"] = given[track["link"]["layer"]];
        if (layer.contains("layers") && layer["layers"].is_array())
            for (Json& child : layer["layers"])
                redirect(child);
    };
    for (Json& layer : layers)
        redirect(layer);
    return layers;
}

/// Runs change(siblings, index) where the layer is.
template <class Change> bool atLayer(std::vector<LayerPtr>& layers, std::int64_t id, const Change& change) {
    for (std::size_t i = 0; i < layers.size(); ++i) {
        if (layers[i]->id == id) {
            change(layers, i);
            return true;
        }
        if (!layers[i]->group()) continue;
        auto children = layers[i]->group()->children;
        if (!atLayer(children, id, change)) continue;
        auto copy = std::make_shared<Layer>(*layers[i]);
        std::get<scene::Group>(copy->content).children = std::move(children);
        layers[i] = std::move(copy);
        return true;
    }
    return false;
}

void prune(std::vector<LayerPtr>& layers, const std::set<std::int64_t>& ids) {
    std::erase_if(layers, [&](const LayerPtr& l) { return ids.contains(l->id); });
    for (LayerPtr& slot : layers) {
        if (!slot->group()) continue;
        auto copy = std::make_shared<Layer>(*slot);
        prune(std::get<scene::Group>(copy->content).children, ids);
        slot = std::move(copy);
    }
}

/// The scene as the first mark has it, in which things are taken out of one carrier and hung on another.
struct First : ResolvedScene {
    explicit First(const Scene& before)
        : ResolvedScene(before, before.camera.marks.front().time, before.camera.marks.front().pose) {}
    optics::Affine frameOf(std::int64_t id) const {
        return optics::worldOf(find(id).carriers) * optics::frameOf(*find(id).layer);
    }
    /// What a layer hangs in that follows nothing: the innermost of these groups, or the world.
    optics::Affine inside(const std::vector<LayerPtr>& holders) const {
        return holders.empty() ? optics::Affine{} : frameOf(holders.back()->id);
    }
};

void checkCarried(const Scene& scene) {
    if (const std::string why = scene::whyNotCarried(scene); !why.empty()) throw Misread{why};
}

void rehung(Layer& layer, const optics::Affine& from, const optics::Affine& to) {
    if (const std::string why = rehang(layer, from, to); !why.empty()) throw Misread{why};
}

/// old: copies that there are already; they keep all but where they are.
std::vector<LayerPtr> scattered(const Scene& scene, const scene::Scatter& how, const LayerPtr& pattern,
                                const std::vector<LayerPtr>& old, std::int64_t next) {
    std::vector<LayerPtr> copies;
    std::size_t count = countOf(scene);
    const Json original = scene::toJson(*pattern);
    for (int i = 0; i < how.count; ++i) {
        std::shared_ptr<Layer> copy;
        if (static_cast<std::size_t>(i) < old.size()) {
            copy = std::make_shared<Layer>(*old[static_cast<std::size_t>(i)]);
            copy->placement = pattern->placement;
        } else {
            Json json = renumbered({original}, next).front();
            copy = std::make_shared<Layer>(*scene::readLayer(json, "scatter", 0, count));
            Scene alone;
            alone.layers = {copy};
            next = scene::highestId(alone) + 1;
            copy->name = pattern->name + " " + std::to_string(i + 1);
        }
        const auto either = [&](int purpose) { return 2 * scene::chance(how.seed, i, purpose) - 1; };
        scene::Placement& place = copy->placement;
        place.position += V3d(either(0) * how.box.x, either(1) * how.box.y, either(2) * how.box.z) * 0.5;
        place.turn.z += either(3) * how.turn;
        place.scale *= 1 + either(4) * how.sizes;
        copies.push_back(std::move(copy));
    }
    return copies;
}

}

void add(Scene& scene, Fields& fields) {
    std::size_t count = countOf(scene);
    // Ids are given anew, so that layers can be added to any scene; a journal replays to the same ids.
    const Json& list = fields.array("layers", Limits::layers);
    const auto layers = renumbered(std::vector<Json>(list.begin(), list.end()), scene::highestId(scene) + 1);
    for (std::size_t i = 0; i < layers.size(); ++i)
        scene.layers.push_back(scene::readLayer(layers[i], fields.at("layers", i), 0, count));
    checkCarried(scene);
}

void removeLayers(Scene& scene, Fields& fields) {
    const auto named = layersOf(scene, fields);
    std::set<std::int64_t> gone(named.begin(), named.end());
    for (const LayerPath& found : scene::all(scene))
        if (std::any_of(found.holders.begin(), found.holders.end(),
                        [&](const auto& h) { return gone.contains(h->id); }))
            gone.insert(found.layer->id);
    // Those that follow what goes stay where they are.
    const First first(scene);
    for (const LayerPath& found : scene::all(scene)) {
        const Layer& layer = *found.layer;
        if (gone.contains(layer.id) || layer.follows == 0 || !gone.contains(layer.follows)) continue;
        const auto from = optics::worldOf(first.find(layer.id).carriers);
        const auto to = first.inside(found.holders);
        scene::changeLayer(scene.layers, layer.id, [&](Layer& l) {
            rehung(l, from, to);
            l.follows = 0;
        });
    }
    prune(scene.layers, gone);
    // Nobody follows, stands on, aims at or focuses on what is gone.
    const auto unlink = [&](std::vector<scene::Track>& tracks) {
        for (scene::Track& track : tracks)
            if (track.link && gone.contains(track.link->layer)) track.link.reset();
        std::erase_if(tracks, [](const auto& t) { return t.keys.empty() && !t.link && t.noises.empty(); });
    };
    const auto stood = [&](const Layer& layer) {
        return layer.standing && gone.contains(layer.standing->on);
    };
    std::vector<std::int64_t> bound;
    scene::forEach(scene, [&](const LayerPtr& layer, const auto&) {
        if (!layer->tracks.empty() || stood(*layer)) bound.push_back(layer->id);
    });
    for (const std::int64_t id : bound)
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            unlink(layer.tracks);
            if (stood(layer)) layer.standing.reset();
        });
    std::erase_if(scene.setAside, [&](const scene::SetAside& each) { return gone.contains(each.layer); });
    unlink(scene.camera.tracks);
    for (scene::Mark& mark : scene.camera.marks) {
        if (mark.aim.at == scene::Aim::At::Layer && gone.contains(mark.aim.layer)) mark.aim = {};
        if (gone.contains(mark.focusOn)) mark.focusOn = 0;
    }
}

void lock(Scene& scene, Fields& fields) {
    const bool locked = fields.yes("locked", true);
    for (const std::int64_t id : layersOf(scene, fields))
        scene::changeLayer(scene.layers, id, [&](Layer& layer) { layer.locked = locked; });
}

void tag(Scene& scene, Fields& fields) {
    const auto read = [&](const char* key) {
        std::vector<std::string> tags;
        if (!fields.has(key)) return tags;
        const Json list = {{"tags", fields.array(key, Limits::tags)}};
        Fields inner(list, fields.at(key));
        return scene::readTags(inner);
    };
    const auto more = read("add"), less = read("remove");
    for (const std::int64_t id : layersOf(scene, fields)) {
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            for (const std::string& each : less)
                std::erase(layer.tags, each);
            for (const std::string& each : more)
                if (std::find(layer.tags.begin(), layer.tags.end(), each) == layer.tags.end())
                    layer.tags.push_back(each);
            if (layer.tags.size() > Limits::tags) throw Misread{"'" + layer.name + "' has too many tags"};
        });
    }
}

void group(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    const First first(scene);
    const std::vector<LayerPath> members = outermost(scene, ids);
    auto made = std::make_shared<Layer>();
    made->id = scene::highestId(scene) + 1;
    made->name = fields.text("name", 1000, freeName(namesIn(scene), "Group"));
    // Inside the group that holds them all.
    std::vector<LayerPtr> common = members.front().holders;
    for (const LayerPath& member : members)
        while (!common.empty() && std::none_of(member.holders.begin(), member.holders.end(),
                                               [&](const auto& h) { return h->id == common.back()->id; }))
            common.pop_back();
    if (common.size() + 1 > static_cast<std::size_t>(Limits::groupDepth))
        throw Misread{"groups would be nested too deep"};
    const optics::Affine outside = first.inside(common);
    V3d middle(0);
    for (const LayerPath& member : members)
        middle += optics::pivotOf(first.find(member.layer->id)) / static_cast<double>(members.size());
    made->placement.position = outside.inverse(middle);
    const optics::Affine inside = outside * optics::frameOf(*made);
    scene::Group content;
    for (const LayerPath& member : members) {
        auto child = std::make_shared<Layer>(*member.layer);
        if (child->follows == 0) rehung(*child, optics::worldOf(first.find(child->id).carriers), inside);
        content.children.push_back(std::move(child));
    }
    made->content = std::move(content);
    // It takes the place of the highest of them.
    std::set<std::int64_t> gone;
    for (const LayerPath& member : members)
        gone.insert(member.layer->id);
    const std::int64_t top = members.back().layer->id;
    const bool beside = members.back().holders.size() == common.size();
    if (beside) {
        gone.erase(top);
        prune(scene.layers, gone);
        atLayer(scene.layers, top,
                [&](std::vector<LayerPtr>& siblings, std::size_t i) { siblings[i] = made; });
    } else {
        prune(scene.layers, gone);
        if (common.empty())
            scene.layers.push_back(made);
        else
            scene::changeLayer(scene.layers, common.back()->id,
                               [&](Layer& l) { std::get<scene::Group>(l.content).children.push_back(made); });
    }
}

void ungroup(Scene& scene, Fields& fields) {
    for (const std::int64_t id : layersOf(scene, fields)) {
        const First first(scene);
        const LayerPath found = scene::find(scene, id);
        const Layer& old = *found.layer;
        if (!old.group()) throw Misread{"'" + old.name + "' is not a group"};
        if (old.blend != scene::Blend::Normal)
            throw Misread{"'" + old.name +
                          "' is mixed as a whole by its blend mode; set that to normal first"};
        if (!old.places.empty())
            throw Misread{"'" + old.name + "' moves over time; take its keys of place off first"};
        const optics::Affine from = first.frameOf(id);
        const optics::Affine to = first.inside(found.holders);
        std::vector<LayerPtr> children;
        for (const LayerPtr& each : old.group()->children) {
            auto child = std::make_shared<Layer>(*each);
            if (child->follows == 0) rehung(*child, from, to);
            child->opacity *= old.opacity;
            child->visible = child->visible && old.visible;
            children.push_back(std::move(child));
        }
        // Those that follow the group stay where they are.
        for (const LayerPath& each : scene::all(scene)) {
            if (each.layer->follows != id) continue;
            const auto out = first.inside(each.holders);
            scene::changeLayer(scene.layers, each.layer->id, [&](Layer& l) {
                rehung(l, from, out);
                l.follows = 0;
            });
        }
        atLayer(scene.layers, id, [&](std::vector<LayerPtr>& siblings, std::size_t i) {
            siblings.erase(siblings.begin() + static_cast<std::ptrdiff_t>(i));
            siblings.insert(siblings.begin() + static_cast<std::ptrdiff_t>(i), children.begin(),
                            children.end());
        });
    }
}

void moveInto(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    const First first(scene);
    const bool out = fields.has("group") && fields.value("group").is_null();
    const std::int64_t target = out ? 0 : layerNamed(scene, fields.value("group"), fields.at("group"));
    // In order: the place among the siblings, from the lowest; the top where none is named.
    const std::int64_t at = fields.whole("at", 0, static_cast<std::int64_t>(Limits::layers),
                                         static_cast<std::int64_t>(Limits::layers));
    const std::vector<LayerPath> members = outermost(scene, ids);
    if (target != 0) {
        const LayerPath into = scene::find(scene, target);
        if (!into.layer->group()) throw Misread{"'" + into.layer->name + "' is not a group"};
        for (const LayerPath& member : members)
            if (member.layer->id == target ||
                std::any_of(into.holders.begin(), into.holders.end(),
                            [&](const auto& h) { return h->id == member.layer->id; }))
                throw Misread{"'" + member.layer->name + "' cannot go into itself"};
        if (into.holders.size() + 2 > static_cast<std::size_t>(Limits::groupDepth))
            throw Misread{"groups would be nested too deep"};
    }
    const optics::Affine to = target == 0 ? optics::Affine{} : first.frameOf(target);
    std::vector<LayerPtr> moved;
    std::set<std::int64_t> gone;
    for (const LayerPath& member : members) {
        auto copy = std::make_shared<Layer>(*member.layer);
        const bool stays = target == 0 ? member.holders.empty()
                                       : !member.holders.empty() && member.holders.back()->id == target;
        if (copy->follows == 0 && !stays) rehung(*copy, optics::worldOf(first.find(copy->id).carriers), to);
        gone.insert(copy->id);
        moved.push_back(std::move(copy));
    }
    prune(scene.layers, gone);
    const auto insert = [&](std::vector<LayerPtr>& siblings) {
        const auto place = std::min<std::size_t>(static_cast<std::size_t>(at), siblings.size());
        siblings.insert(siblings.begin() + static_cast<std::ptrdiff_t>(place), moved.begin(), moved.end());
    };
    if (target == 0)
        insert(scene.layers);
    else
        scene::changeLayer(scene.layers, target,
                           [&](Layer& l) { insert(std::get<scene::Group>(l.content).children); });
    checkCarried(scene);
}

void follow(Scene& scene, Fields& fields) {
    const auto ids = layersOf(scene, fields);
    const bool none = fields.value("leader").is_null();
    const std::int64_t leader = none ? 0 : layerNamed(scene, fields.value("leader"), fields.at("leader"));
    for (const std::int64_t id : ids) {
        const First first(scene);
        const LayerPath& found = first.find(id);
        const optics::Affine from = optics::worldOf(found.carriers),
                             to = none ? first.inside(found.holders) : first.frameOf(leader);
        scene::changeLayer(scene.layers, id, [&](Layer& layer) { layer.follows = leader; });
        checkCarried(scene); // before its frame is made of its own
        scene::changeLayer(scene.layers, id, [&](Layer& layer) { rehung(layer, from, to); });
    }
}

void duplicate(Scene& scene, Fields& fields) {
    const std::vector<LayerPath> members = outermost(scene, layersOf(scene, fields));
    const Json* names = fields.has("names") ? &fields.array("names", Limits::layers) : nullptr;
    if (names && names->size() != members.size())
        throw Misread{"'" + fields.at("names") + "' should have a name for each of the " +
                      std::to_string(members.size()) + " layers"};
    std::vector<Json> originals;
    for (const LayerPath& member : members)
        originals.push_back(scene::toJson(*member.layer));
    const auto copies = renumbered(originals, scene::highestId(scene) + 1);
    std::size_t count = countOf(scene);
    for (std::size_t i = 0; i < copies.size(); ++i) {
        auto copy = std::make_shared<Layer>(*scene::readLayer(copies[i], fields.at("layers", i), 0, count));
        if (names && !(*names)[i].is_string())
            throw Misread{"'" + fields.at("names", i) + "' should be a text"};
        copy->name =
            freeName(namesIn(scene), names ? (*names)[i].get<std::string>() : members[i].layer->name);
        atLayer(scene.layers, members[i].layer->id, [&](std::vector<LayerPtr>& siblings, std::size_t at) {
            siblings.insert(siblings.begin() + static_cast<std::ptrdiff_t>(at) + 1, copy);
        });
    }
}

void scatter(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    const Layer old = *scene::find(scene, id).layer;
    const scene::Group* group = old.group();
    const bool again = group && group->scatter;
    const scene::Scatter how = scene::readScatter(fields, again ? *group->scatter : scene::Scatter{});
    auto made = std::make_shared<Layer>();
    LayerPtr pattern;
    if (again) {
        *made = old;
        pattern = group->pattern;
    } else {
        if (!old.places.empty())
            throw Misread{"'" + old.name + "' moves over time; scatter it before it is keyed"};
        auto copy = std::make_shared<Layer>(old);
        made->id = old.id; // what follows it, or cuts by it, goes on with the whole
        made->name = freeName(namesIn(scene), old.name + " scattered");
        made->placement.position = old.placement.position;
        made->follows = old.follows;
        made->visible = old.visible;
        copy->placement.position = V3d(0);
        copy->follows = 0;
        copy->visible = true;
        pattern = std::move(copy);
    }
    scene::Group content;
    content.scatter = how;
    content.pattern = pattern;
    const std::vector<LayerPtr> before = again ? group->children : std::vector<LayerPtr>();
    const std::int64_t next = std::max(scene::highestId(scene), id) + 1;
    if (again) { // the copies there were go first, so that they do not count
        made->content = scene::Group{};
        atLayer(scene.layers, id,
                [&](std::vector<LayerPtr>& siblings, std::size_t i) { siblings[i] = made; });
    }
    content.children = scattered(scene, how, pattern, before, next);
    auto full = std::make_shared<Layer>(*made);
    full->content = std::move(content);
    atLayer(scene.layers, id, [&](std::vector<LayerPtr>& siblings, std::size_t i) { siblings[i] = full; });
    std::set<std::int64_t> there;
    scene::forEach(scene, [&](const LayerPtr& layer, const auto&) { there.insert(layer->id); });
    std::vector<std::int64_t> orphans;
    scene::forEach(scene, [&](const LayerPtr& layer, const auto&) {
        if (layer->follows != 0 && !there.contains(layer->follows)) orphans.push_back(layer->id);
    });
    for (const std::int64_t orphan : orphans)
        scene::changeLayer(scene.layers, orphan, [](Layer& layer) { layer.follows = 0; });
}

void guides(Scene& scene, Fields& fields) {
    scene.output.guides = scene::readGuides(fields);
}

void variants(Scene& scene, Fields& fields) {
    scene.output.variants = scene::readVariants(fields);
}

namespace {

/// What a file shows, or one part of it: content and natural size.
Layer contentOf(const std::string& file, const std::string& part, const Progress& progress) {
    const auto contents = value(media::probe(file, progress));
    Layer layer;
    layer.pixels = contents.canvas;
    if (contents.footage) {
        layer.content = *contents.footage;
    } else if (contents.stack && !part.empty()) {
        const std::function<bool(const std::vector<media::StackItem>&)> look = [&](const auto& items) {
            for (const media::StackItem& item : items) {
                if (item.isStack ? look(item.items) : item.part == part) {
                    if (!item.isStack) layer.pixels = item.size;
                    return true;
                }
            }
            return false;
        };
        if (!look(contents.stack->items)) throw Misread{file + " has no part '" + part + "'"};
        layer.content = scene::Picture{contents.media, part};
    } else if (contents.stack) {
        if (!contents.merged)
            throw Misread{file + " is a layered picture; say which 'part' of it is to be shown"};
        layer.content = scene::Picture{contents.media, *contents.merged};
    } else {
        layer.pixels = contents.size;
        layer.content = scene::Picture{contents.media, ""};
    }
    return layer;
}

}

Result<Edit> withContents(Edit replace, const Progress& progress) {
    return guarded([&]() -> Result<Edit> {
        try {
            Fields fields(replace, "");
            Layer layer = contentOf(fields.text("file", 4096), fields.text("part", 4096, ""), progress);
            layer.id = 1;
            layer.name = "file";
            layer.metresPerPixel = 1;
            replace["contents"] = scene::toJson(layer);
            return replace;
        } catch (const Misread& problem) {
            return fail(problem.sentence);
        }
    });
}

void replaceMedia(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    const std::string file = fields.text("file", 4096);
    const std::string part = fields.text("part", 4096, "");
    std::size_t count = 0;
    const Layer from = fields.has("contents")
                           ? *scene::readLayer(fields.object("contents"), fields.at("contents"), 0, count)
                           : contentOf(file, part, {});
    if (from.group() || from.box()) throw Misread{"'" + fields.at("contents") + "' should be a flat layer"};
    scene::changeLayer(scene.layers, id, [&](Layer& layer) {
        if (layer.group()) throw Misread{"'" + layer.name + "' is a group; replace what is in it"};
        if (layer.box()) throw Misread{"'" + layer.name + "' shows no media"};
        const V2i size = from.pixels;
        auto content = from.content;
        const auto* now = std::get_if<scene::Footage>(&layer.content);
        if (auto* footage = std::get_if<scene::Footage>(&content); footage && now) {
            const scene::Footage media = *footage;
            *footage = *now;
            footage->media = media.media;
            footage->rate = media.rate;
            footage->frames = media.frames;
            footage->number = media.number;
            footage->in = std::min(footage->in, footage->frames - 1);
            footage->out = footage->out > footage->frames ? 0 : footage->out;
            if (footage->freeze) footage->freeze = std::min(*footage->freeze, footage->frames - 1);
        }
        // As wide as before; a pivot stays at its share of the height.
        const double height = layer.pixels.y * layer.metresPerPixel;
        layer.metresPerPixel *= static_cast<double>(layer.pixels.x) / size.x;
        layer.pixels = size;
        layer.hanging.pivot.y *= size.y * layer.metresPerPixel / height;
        layer.content = std::move(content);
    });
}

void relinkMedia(Scene& scene, Fields& fields) {
    std::map<std::string, std::string> to;
    const Json& list = fields.array("media", Limits::layers);
    for (std::size_t i = 0; i < list.size(); ++i) {
        Fields one(list[i], fields.at("media", i));
        to[one.text("from", 4096)] = one.text("to", 4096);
    }
    if (to.empty()) throw Misread{"'" + fields.at("media") + "' is empty"};
    std::map<std::string, scene::Media> known;
    for (const auto& [from, path] : to)
        known[path] =
            path.find('#') == std::string::npos ? value(media::identify(path)) : scene::Media{path, 0, ""};
    scene = scene::withMediaPaths(std::move(scene), [&](const std::string& path) {
        const auto found = to.find(path);
        return found == to.end() ? path : known.at(found->second).path;
    });
    std::vector<std::int64_t> ids;
    scene::forEach(scene, [&](const LayerPtr& layer, const auto&) {
        if (scene::mediaOf(*layer)) ids.push_back(layer->id);
    });
    for (const std::int64_t id : ids)
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            scene::Media* media = nullptr;
            if (auto* picture = std::get_if<scene::Picture>(&layer.content)) media = &picture->media;
            if (auto* footage = std::get_if<scene::Footage>(&layer.content)) media = &footage->media;
            for (const auto& [path, identity] : known)
                if (media && media->path == identity.path) *media = identity;
        });
}

}
