#include "edit/bring_in.h"

#include "media/probe.h"
#include "optics/lens.h"
#include "optics/placing.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <cmath>

namespace stage::edit {
namespace {

using scene::Layer;
using scene::LayerPtr;

struct LayerBuilder {
    const media::Contents& contents;
    const std::vector<std::string>& parts;
    double metresPerPixel;
    std::int64_t nextId = 1; // `add` numbers anew

    LayerPtr flat(const std::string& name, V2i offset, V2i size, decltype(Layer::content) content) {
        auto layer = std::make_shared<Layer>();
        layer->id = nextId++;
        layer->name = name;
        layer->pixels = size;
        layer->metresPerPixel = metresPerPixel;
        layer->content = std::move(content);
        const V2d centre = V2d(offset) + V2d(size) / 2.0 - V2d(contents.canvas) / 2.0;
        layer->placement.position = V3d(centre.x, -centre.y, 0) * metresPerPixel;
        return layer;
    }

    std::vector<LayerPtr> stack(const std::vector<media::StackItem>& items) {
        std::vector<LayerPtr> layers;
        for (const media::StackItem& item : items) {
            std::shared_ptr<Layer> layer;
            const bool chosen = item.isStack || parts.empty() ||
                                std::find(parts.begin(), parts.end(), item.part) != parts.end();
            if (!chosen) continue;
            if (item.isStack) {
                layer = std::make_shared<Layer>();
                layer->id = nextId++;
                layer->content = scene::Group{stack(item.items)};
                if (layer->group()->children.empty() && !parts.empty()) continue;
                layer->name = item.name;
            } else {
                layer = std::make_shared<Layer>(
                    *flat(item.name, item.offset, item.size, scene::Picture{contents.media, item.part}));
            }
            layer->opacity = item.opacity;
            layer->visible = item.visible;
            layer->blend = item.blend;
            layers.push_back(std::move(layer));
        }
        return layers;
    }
};

/// Moves layers that hang around the origin, facing +Z, to the home place.
LayerPtr atHome(const LayerPtr& layer, const scene::Placement& home) {
    auto copy = std::make_shared<Layer>(*layer);
    const optics::Affine frame = optics::frameOf(home);
    copy->placement.position = frame(layer->placement.position);
    copy->placement.turn = home.turn;
    return copy;
}

}

Home homeOf(const scene::Scene& scene) {
    const scene::Pose& pose = scene.camera.marks.front().pose;
    const optics::View view = optics::firstView(scene);
    Home home;
    home.placement.position = view.eye + view.forward * scene.homeDepth;
    home.placement.turn = {pose.tilt, -pose.pan, -pose.roll};
    home.width = optics::widthAt(scene.homeDepth, pose.focal, scene.camera.gate);
    home.height = home.width * scene.output.frame.y / scene.output.frame.x;
    return home;
}

Result<BroughtIn> bringIn(const scene::Scene& before, std::span<const std::filesystem::path> files,
                          const BringInOptions& options, const Progress& progress) {
    if (files.empty()) return fail("There are no files to bring in.");
    scene::Scene scene = before;
    std::vector<Edit> edits;
    std::vector<std::string> notes;
    scene::Json added = scene::Json::array();
    for (std::size_t i = 0; i < files.size(); ++i) {
        if (progress.stopped()) return cancelled();
        const double from = static_cast<double>(i) / static_cast<double>(files.size());
        const Progress part{
            [&](double share) { progress.done(from + share / static_cast<double>(files.size())); },
            progress.stop};
        auto contents = media::probe(files[i], part);
        if (!contents) return tl::unexpected(contents.error());
        notes.insert(notes.end(), contents->notes.begin(), contents->notes.end());
        const bool sequence = contents->footage && contents->media.path.find('#') != std::string::npos;
        if (before.layers.empty() && i == 0) {
            const double shrink = std::min(1.0, 3840.0 / contents->canvas.x);
            Edit edit = {{"edit", "settings"}};
            if (!options.keepFrame)
                edit["frame"] = {std::max(16L, std::lround(contents->canvas.x * shrink)),
                                 std::max(16L, std::lround(contents->canvas.y * shrink))};
            if (contents->stack && contents->paint) edit["blending"] = "paint";
            if (contents->footage && !sequence && !options.keepFrame)
                edit["rate"] = contents->footage->rate.text();
            auto changed = edit::apply(scene, edit);
            if (!changed)
                return fail("Cannot bring in " + files[i].string() + ": " + changed.error().sentence);
            scene = std::move(*changed);
            edits.push_back(std::move(edit));
        }
        const Home home = homeOf(scene);
        const double perPixel = std::max(home.width / contents->canvas.x, home.height / contents->canvas.y);
        LayerBuilder hanging{*contents, options.parts, perPixel};
        std::vector<LayerPtr> layers;
        if (contents->stack && options.as == As::OneLayer && contents->merged) {
            layers.push_back(hanging.flat(contents->name, {0, 0}, contents->canvas,
                                          scene::Picture{contents->media, *contents->merged}));
        } else if (contents->stack) {
            layers = hanging.stack(contents->stack->items);
            if (options.as != As::Layers) {
                auto group = std::make_shared<Layer>();
                group->id = hanging.nextId;
                group->name = contents->name;
                group->content = scene::Group{std::move(layers)};
                layers = {group};
            }
        } else if (contents->footage) {
            // Pictures in sequence have no rate of their own.
            if (sequence) contents->footage->rate = scene.output.rate;
            layers.push_back(hanging.flat(contents->name, {0, 0}, contents->canvas, *contents->footage));
        } else {
            layers.push_back(hanging.flat(contents->name, contents->offset, contents->size,
                                          scene::Picture{contents->media, ""}));
        }
        if (layers.empty()) return fail("None of the parts chosen is in " + files[i].string() + ".");
        for (const LayerPtr& layer : layers)
            added.push_back(scene::toJson(*atHome(layer, home.placement)));
        progress.done(static_cast<double>(i + 1) / static_cast<double>(files.size()));
    }
    edits.push_back({{"edit", "add"}, {"layers", std::move(added)}});
    const std::string name =
        files.size() == 1 ? files.front().filename().string() : std::to_string(files.size()) + " files";
    return BroughtIn{several("Bring in " + name, std::move(edits)), std::move(notes)};
}

Result<scene::ScenePtr> flatPicture(const scene::Scene& scene, const std::filesystem::path& file,
                                    const Progress& progress) {
    scene::Scene flat = scene::emptyScene();
    flat.output = scene.output;
    BringInOptions whole;
    whole.as = As::OneLayer;
    whole.keepFrame = true;
    const std::filesystem::path files[] = {file};
    const auto brought = bringIn(flat, files, whole, progress);
    if (!brought) return tl::unexpected(brought.error());
    auto made = edit::apply(flat, brought->edit);
    if (!made) return tl::unexpected(made.error());
    return std::make_shared<const scene::Scene>(std::move(*made));
}

}
