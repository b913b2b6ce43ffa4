#include "edit/cut_edits.h"
#include "edit/named.h"
#include "optics/placing.h"
#include "scene/cutout_json.h"

#include <algorithm>

namespace stage::edit {

using scene::Fields;
using scene::Json;
using scene::Layer;
using scene::LayerPtr;
using scene::Misread;
using scene::Scene;

namespace {

using Things = std::vector<scene::Subject>;

scene::Matte matteOf(std::string name, decltype(scene::Matte::shape) shape) {
    scene::Matte matte;
    matte.name = std::move(name);
    matte.shape = std::move(shape);
    return matte;
}

Things readThings(Fields& fields, const char* key, double refine) {
    Things things;
    if (!fields.has(key)) return things;
    const Json& list = fields.array(key, 1000);
    for (std::size_t i = 0; i < list.size(); ++i) {
        Json json = list[i];
        if (!json.is_object()) throw Misread{"'" + fields.at(key, i) + "' should be an object with a loop"};
        json["kind"] = "subject";
        if (!json.contains("refine")) json["refine"] = refine;
        things.push_back(std::get<scene::Subject>(scene::readMatte(json, fields.at(key, i)).shape));
    }
    return things;
}

/// The layer that becomes several; what cannot be split is told.
const Layer& photographOf(const scene::LayerPath& found) {
    const Layer& photo = *found.layer;
    if (photo.group()) throw Misread{"'" + photo.name + "' is a group; split one of its layers"};
    if (photo.box()) throw Misread{"'" + photo.name + "' has no picture that could be split"};
    if (photo.cutout && (!photo.cutout->mattes.empty() || photo.cutout->key))
        throw Misread{"'" + photo.name + "' is cut out already; take its mattes and its key off first"};
    return photo;
}

/// One layer that is cut from the photograph.
struct Part {
    std::string name;
    std::int64_t id;
    Things things;
    std::vector<scene::Matte> mattes;
};

/// A photograph split into layers: things that are near, things in the middle, and all of it with these
/// filled.
class Split {
public:
    Split(const Layer& photo, std::int64_t nextId, bool join, double refine, double grow)
        : m_photo(photo), m_nextId(nextId), m_join(join), m_grow(grow) {
        // Each thing's own colours up to its edge, so that no rim of what was behind goes with it.
        m_edges.clean = 1;
        m_edges.reach = std::clamp(refine, 2.0, 20.0);
    }

    void add(const Things& near, const Things& middle) {
        m_near = partsOf(near, " near");
        m_middle = partsOf(middle, " middle");
        for (Part& part : m_near)
            addSubjects(part);
        for (Part& part : m_middle) {
            if (!m_near.empty()) addLoops(part);
            addSubjects(part);
        }
    }
    const std::vector<Part>& near() const { return m_near; }
    const std::vector<Part>& middle() const { return m_middle; }

    /// From the lowest to the topmost.
    std::vector<LayerPtr> layers() const {
        std::vector<LayerPtr> layers;
        for (auto part = m_middle.rbegin(); part != m_middle.rend(); ++part)
            layers.push_back(layerOf(*part, !m_near.empty()));
        for (auto part = m_near.rbegin(); part != m_near.rend(); ++part)
            layers.push_back(layerOf(*part, false));
        return layers;
    }
    /// Of the photograph itself: all things are filled.
    std::shared_ptr<scene::Cutout> farCutout() const {
        auto far = std::make_shared<scene::Cutout>(plainCutout());
        std::vector<Part> all = m_near;
        all.insert(all.end(), m_middle.begin(), m_middle.end());
        far->fills.push_back(holeOf(all));
        return far;
    }

private:
    std::vector<Part> partsOf(const Things& things, const char* where) {
        const std::size_t count = m_join ? std::min<std::size_t>(things.size(), 1) : things.size();
        std::vector<Part> parts;
        for (std::size_t i = 0; i < count; ++i)
            parts.push_back({m_photo.name + where + (count > 1 ? " " + std::to_string(i + 1) : ""),
                             m_nextId++,
                             m_join ? things : Things{things[i]},
                             {}});
        return parts;
    }

    /// The coverage of the things is added to what the mattes cover already.
    static void addSubjects(Part& part) {
        for (const scene::Subject& thing : part.things) {
            part.mattes.push_back(matteOf("Thing " + std::to_string(part.mattes.size() + 1), thing));
            part.mattes.back().combine = scene::Combine::Plus;
        }
    }

    /// What is near hides some of a part: there the rough loop says how it goes on.
    void addLoops(Part& part) const {
        std::vector<scene::Matte>& mattes = part.mattes;
        for (const scene::Subject& thing : part.things) {
            scene::Outline loop;
            for (const V2d& place : thing.loop)
                loop.points.value.emplace_back(place);
            mattes.push_back(matteOf("Loop " + std::to_string(mattes.size() + 1), loop));
        }
        for (const Part& near : m_near) {
            mattes.push_back(matteOf("Hidden by " + near.name, scene::OfLayer{near.id, false}));
            mattes.back().grow = 1.0; // the two soft edges are found apart: they shall not leave a gap
        }
        // Joined, there is one near layer beside several loops; else one loop beside several near layers.
        if (!m_join) std::rotate(mattes.begin(), mattes.begin() + 1, mattes.end());
        mattes.back().combine = scene::Combine::Intersect;
    }

    scene::Fill holeOf(const std::vector<Part>& parts) const {
        scene::Fill fill;
        fill.grow = m_grow;
        for (const Part& part : parts)
            fill.hole.push_back(matteOf(part.name, scene::OfLayer{part.id, false}));
        return fill;
    }

    /// A matched picture stays as it was: each part is matched by the colours of all of it.
    scene::Cutout plainCutout() const {
        scene::Cutout cutout = m_photo.cutout ? *m_photo.cutout : scene::Cutout{};
        if (cutout.match) cutout.match->whole = true;
        return cutout;
    }

    LayerPtr layerOf(const Part& part, bool hidden) const {
        auto cutout = std::make_shared<scene::Cutout>(plainCutout());
        if (hidden) {
            scene::Fill fill = holeOf(m_near);
            // Only where the thing itself is hidden, and from itself: a wall goes on as a wall.
            for (const scene::Matte& matte : part.mattes)
                if (std::holds_alternative<scene::Subject>(matte.shape)) fill.from.push_back(matte);
            cutout->fills.push_back(std::move(fill));
        }
        cutout->mattes = part.mattes;
        cutout->edges = m_edges;
        auto layer = std::make_shared<Layer>(m_photo);
        layer->id = part.id;
        layer->name = part.name;
        layer->cutout = cutout;
        return layer;
    }

    const Layer& m_photo;
    std::int64_t m_nextId;
    bool m_join;
    double m_grow;
    scene::Edges m_edges;
    std::vector<Part> m_near, m_middle;
};

/// Puts layers above another one, beside it in its group.
void insertAbove(Scene& scene, const scene::LayerPath& found, const std::vector<LayerPtr>& added) {
    const auto insert = [&](std::vector<LayerPtr>& layers) {
        const auto at = std::find_if(layers.begin(), layers.end(),
                                     [&](const LayerPtr& layer) { return layer->id == found.layer->id; });
        layers.insert(at + 1, added.begin(), added.end());
    };
    if (found.holders.empty())
        insert(scene.layers);
    else
        scene::changeLayer(scene.layers, found.holders.back()->id,
                           [&](Layer& group) { insert(std::get<scene::Group>(group.content).children); });
}

/// To a depth, seen as before by the first mark.
void pushTo(Scene& scene, std::int64_t id, double depth) {
    const auto placement =
        value(optics::pushed(scene, scene::find(scene, id), depth, true, scene.camera.marks.front()));
    scene::changeLayer(scene.layers, id, [&](Layer& layer) { layer.placement = placement; });
}

}

void split(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    const scene::LayerPath found = scene::find(scene, id);
    const Layer& photo = photographOf(found);
    const double refine = fields.number("refine", 0, 200, 8), grow = fields.number("grow", 0, 200, 6);
    const Things near = readThings(fields, "near", refine), middle = readThings(fields, "middle", refine);
    if (near.empty() && middle.empty())
        throw Misread{"'" + fields.at("near") + "' is empty; outline what is near, or what is in the middle"};
    const double depth = optics::depthOf(scene, found);
    std::vector<double> depths = {0.6 * depth, depth, 2.5 * depth};
    if (fields.has("depths")) depths = fields.numbers("depths", 3, 1e-3, scene::Limits::metres);

    Split parts(photo, scene::highestId(scene) + 1, fields.yes("join", false), refine, grow);
    parts.add(near, middle);
    const auto added = parts.layers();
    const auto far = parts.farCutout();
    scene::changeLayer(scene.layers, id, [&](Layer& layer) {
        layer.name = photo.name + " far";
        layer.cutout = far;
    });
    insertAbove(scene, found, added);
    for (const Part& part : parts.near())
        pushTo(scene, part.id, depths[0]);
    for (const Part& part : parts.middle())
        pushTo(scene, part.id, depths[1]);
    pushTo(scene, id, depths[2]);
}

}
