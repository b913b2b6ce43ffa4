#include "edit/edit.h"

#include "edit/air_edits.h"
#include "edit/bring_in.h"
#include "edit/check_edits.h"
#include "edit/cut_edits.h"
#include "edit/grade_edits.h"
#include "edit/light_edits.h"
#include "edit/move_edits.h"
#include "edit/named.h"
#include "edit/place_edits.h"
#include "edit/set_edits.h"
#include "edit/track_edits.h"
#include "media/text_picture.h"
#include "motion/camera_move.h"
#include "optics/lens.h"
#include "optics/placing.h"
#include "scene/output_json.h"
#include "scene/property.h"
#include "scene/scene_json.h"
#include "scene/utf8.h"
#include "scene/variant.h"

#include <algorithm>
#include <functional>
#include <map>
#include <utility>

namespace stage::edit {
namespace {

using scene::Fields;
using scene::Json;
using scene::Layer;
using scene::LayerPtr;
using scene::Limits;
using scene::Misread;
using scene::Scene;

/// The scene after an edit, which has not been checked as a whole.
Scene changed(const Scene& scene, const Edit& edit);

// ---- the edits

void addText(Scene& scene, Fields& fields) {
    const scene::Text text = scene::readText(fields, scene::Text{});
    if (text.text.empty()) throw Misread{"'" + fields.at("text") + "' is empty"};
    const Home home = homeOf(scene);
    const double em = fields.number("em", 1e-6, Limits::metres, home.height / 8);
    auto layer = std::make_shared<Layer>();
    layer->id = scene::highestId(scene) + 1;
    layer->name = fields.text("name", 1000, scene::asUtf8(text.text, 40));
    layer->placement = home.placement;
    layer->pixels = value(media::textPixels(text));
    layer->metresPerPixel = em / media::emPixels;
    layer->content = text;
    scene.layers.push_back(std::move(layer));
}

void changeText(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    scene::changeLayer(scene.layers, id, [&](Layer& layer) {
        const auto* now = std::get_if<scene::Text>(&layer.content);
        if (!now) throw Misread{"'" + layer.name + "' is not a text"};
        const scene::Text text = scene::readText(fields, *now);
        layer.pixels = value(media::textPixels(text));
        layer.content = text;
    });
}

void rename(Scene& scene, Fields& fields) {
    const std::int64_t id = layerOf(scene, fields);
    const std::string name = fields.text("name", 1000);
    if (name.empty()) throw Misread{"'" + fields.at("name") + "' is empty"};
    scene::changeLayer(scene.layers, id, [&](Layer& layer) { layer.name = name; });
}

void look(Scene& scene, Fields& fields) {
    for (const std::int64_t id : layersOf(scene, fields)) {
        scene::changeLayer(scene.layers, id, [&](Layer& layer) {
            layer.opacity = fields.number("opacity", 0, 1, layer.opacity);
            layer.visible = fields.yes("visible", layer.visible);
            if (fields.has("blend"))
                layer.blend = static_cast<scene::Blend>(fields.choice("blend", scene::blendNames));
            if (auto* group = std::get_if<scene::Group>(&layer.content))
                group->inDepth = fields.yes("inDepth", group->inDepth);
        });
    }
}

void haze(Scene& scene, Fields& fields) {
    scene.haze = scene::readHaze(fields, scene.haze);
}

void lens(Scene& scene, Fields& fields) {
    scene.camera.iris = scene::readIris(fields, scene.camera.iris);
    scene.camera.shutter = fields.number("shutter", 0, 720, scene.camera.shutter);
    scene.camera.gate = fields.number("gate", 0.1, 1000, scene.camera.gate);
    scene.camera.shift = scene::readShift(fields, scene.camera.shift);
    if (fields.has("rig")) scene.camera.rig = static_cast<scene::Rig>(fields.choice("rig", scene::rigNames));
    if (fields.has("focal") && fields.has("angle")) throw Misread{"lens takes 'focal' or 'angle', not both"};
    double focal = 0;
    if (fields.has("focal")) focal = fields.number("focal", 0.1, 10'000);
    if (fields.has("angle")) focal = optics::focalFor(fields.number("angle", 0.01, 179), scene.camera.gate);
    const double focus = fields.has("focus") ? fields.number("focus", 1e-3, Limits::metres) : 0,
                 fstop = fields.has("fstop") ? fields.number("fstop", 0.1, 1000) : 0;
    const bool one = fields.has("mark");
    const std::size_t which = one ? markOf(scene, fields) : 0;
    // What is seen can be kept in spite of another focal length: by where the camera stands, or by the
    // layers.
    constexpr std::array<std::string_view, 2> refits = {"camera", "layers"};
    const bool refit = fields.has("refit");
    const bool byLayers = refit && fields.choice("refit", refits) == 1;
    if (refit && !(focal > 0)) throw Misread{"'lens.refit' says what follows a new 'focal' or 'angle'"};
    if (refit && one && byLayers)
        throw Misread{"'lens.refit': layers stand for all marks; it takes no 'mark' with 'layers'"};
    if (fields.has("layer") && (!refit || byLayers))
        throw Misread{"'lens.layer' says what keeps its size as the camera is refitted"};
    const std::int64_t held = fields.has("layer") ? layerOf(scene, fields) : 0;
    if (byLayers) refitLayers(scene, scene.camera.marks.front().pose.focal / focal);
    for (std::size_t i = 0; i < scene.camera.marks.size(); ++i) {
        if (one && i != which) continue;
        scene::Pose& pose = scene.camera.marks[i].pose;
        if (refit && !byLayers) stepBack(scene, scene.camera.marks[i], held, focal / pose.focal);
        if (focal > 0) pose.focal = focal;
        if (focus > 0) pose.focus = focus, scene.camera.marks[i].focusOn = 0;
        if (fstop > 0) pose.fstop = fstop;
    }
}

void settings(Scene& scene, Fields& fields) {
    scene::Output& out = scene.output;
    if (fields.has("frame")) {
        const V2i before = std::exchange(out.frame, scene::readFrame(fields));
        const auto keep = fields.has("keep")
                              ? static_cast<scene::Keep>(fields.choice("keep", scene::keepNames))
                              : scene::Keep::Width;
        scene.camera.gate = scene::gateFor(scene.camera.gate, before, out.frame, keep);
    } else if (fields.has("keep")) {
        throw Misread{"'" + fields.at("keep") + "' says how a new 'frame' is seen; there is none"};
    }
    out.rate = fields.rational("rate", Rational(1, 10), Rational(1000), out.rate);
    out.frames = fields.whole("frames", 1, Limits::frames, out.frames);
    out.loop = fields.yes("loop", out.loop);
    out.backgroundSeen = fields.yes("backgroundSeen", out.backgroundSeen);
    scene.ground = fields.number("ground", -Limits::metres, Limits::metres, scene.ground);
    if (fields.has("background")) out.background = fields.colour("background");
    if (fields.has("blending"))
        out.blending = static_cast<scene::Blending>(fields.choice("blending", scene::blendingNames));
    if (fields.has("homeDepth") && fields.has("metresPerPixel"))
        throw Misread{"settings take 'homeDepth' or 'metresPerPixel', not both"};
    scene.homeDepth = fields.number("homeDepth", 1e-3, Limits::metres, scene.homeDepth);
    if (fields.has("metresPerPixel")) {
        const double wanted = fields.number("metresPerPixel", 1e-9, Limits::metres);
        const double slope =
            optics::pixelsPerSlope(scene.camera.marks.front().pose.focal, scene.camera.gate, out.frame.x);
        scene.homeDepth = std::clamp(wanted * slope, 1e-3, Limits::metres);
    }
}

void bringFilesIn(Scene& scene, Fields& fields) {
    std::vector<std::filesystem::path> files;
    const Json& list = fields.array("files", 10'000);
    for (std::size_t i = 0; i < list.size(); ++i) {
        if (!list[i].is_string()) throw Misread{"'" + fields.at("files", i) + "' should be a path"};
        files.emplace_back(list[i].get<std::string>());
    }
    constexpr std::array<std::string_view, 3> names = {"layers", "group", "one layer"};
    BringInOptions options;
    if (fields.has("as")) options.as = static_cast<As>(fields.choice("as", names));
    options.keepFrame = fields.yes("keepFrame", false);
    if (fields.has("parts")) {
        for (const Json& part : fields.array("parts", Limits::layers)) {
            if (!part.is_string()) throw Misread{"'" + fields.at("parts") + "' should be a list of parts"};
            options.parts.push_back(part.get<std::string>());
        }
    }
    scene = value(edit::apply(scene, value(bringIn(scene, files, options)).edit));
}

void applySeveral(Scene& scene, Fields& fields) {
    fields.text("name", 1000, "");
    const Json& list = fields.array("edits", 100'000);
    for (std::size_t i = 0; i < list.size(); ++i) {
        if (list[i].is_object() && list[i].contains("edit") && list[i]["edit"] == "several")
            throw Misread{"'" + fields.at("edits", i) + "': 'several' cannot hold another"};
        scene = changed(scene, list[i]);
    }
}

struct Kind {
    std::string_view name;
    std::string_view verb; ///< for undo; followed by what it was done to
    void (*run)(Scene&, Fields&);
};

constexpr auto kinds = std::to_array<Kind>({
    {"bring-in", "Bring in", bringFilesIn},
    {"add", "Add", add},
    {"add-text", "Add text", addText},
    {"text", "Change text", changeText},
    {"remove", "Remove", removeLayers},
    {"rename", "Rename", rename},
    {"push", "Push", pushLayers},
    {"recede", "Let recede", recede},
    {"slide", "Slide", slideLayers},
    {"place", "Place", place},
    {"scale", "Scale", scaleLayers},
    {"flip", "Flip", flip},
    {"pivot", "Move pivot of", setPivot},
    {"fit", "Fit", fit},
    {"align", "Align", align},
    {"distribute", "Distribute", distribute},
    {"hang", "Hang", hang},
    {"key-place", "Key place of", keyPlace},
    {"remove-place-key", "Take key off", removePlaceKey},
    {"lock", "Lock", lock},
    {"tag", "Tag", tag},
    {"group", "Group", group},
    {"ungroup", "Ungroup", ungroup},
    {"move-into", "Move", moveInto},
    {"follow", "Lead", follow},
    {"duplicate", "Duplicate", duplicate},
    {"scatter", "Scatter", scatter},
    {"guides", "Change guides", guides},
    {"variants", "Change size variants", variants},
    {"haze", "Change haze", haze},
    {"replace", "Replace media of", replaceMedia},
    {"relink", "Find media", relinkMedia},
    {"look", "Change look of", look},
    {"add-card", "Add card", addCard},
    {"card", "Change card", changeCard},
    {"footage", "Change time of", footageTime},
    {"add-particles", "Add particles", addParticles},
    {"particles", "Change particles of", changeParticles},
    {"add-cloud", "Add cloud", addCloud},
    {"cloud", "Change cloud", changeCloud},
    {"mist", "Change mist", mist},
    {"add-veil", "Add veil", addVeil},
    {"cover", "Fill the frame with", coverFrame},
    {"over-black", "Take as over black", overBlack},
    {"displace", "Displace pixels of", displace},
    {"grade", "Change colours", changeGrade},
    {"add-lamp", "Add lamp", addLamp},
    {"lamp", "Change lamp", changeLamp},
    {"shading", "Change shading of", changeShading},
    {"ambient", "Change ambient light", changeAmbient},
    {"shadows", "Change shadows of", changeShadows},
    {"finish", "Change finish of", changeFinish},
    {"glare", "Change glare", changeGlare},
    {"depth-grades", "Change colours by depth", changeDepthGrades},
    {"view-transform", "Change view transform", changeViewTransform},
    {"cut-out", "Cut out", cutOut},
    {"add-matte", "Add matte to", addMatte},
    {"matte", "Change matte of", changeMatte},
    {"move-matte", "Move matte of", moveMatte},
    {"remove-matte", "Remove matte of", removeMatte},
    {"add-fill", "Fill hole in", addFill},
    {"fill", "Change filling of", changeFill},
    {"remove-fill", "Remove filling of", removeFill},
    {"add-clone", "Clone in", addClone},
    {"remove-clone", "Remove cloning of", removeClone},
    {"split", "Split", split},
    {"lens", "Change lens", lens},
    {"set-mark", "Set mark", setMarkAt},
    {"mark", "Change mark", changeMarks},
    {"move-mark", "Move mark", moveMark},
    {"copy-mark", "Copy mark", copyMark},
    {"hold-mark", "Hold mark", holdMark},
    {"reorder-mark", "Reorder mark", reorderMark},
    {"remove-mark", "Remove mark", removeMark},
    {"retime", "Retime the move", retime},
    {"pace", "Change pace", pace},
    {"ready-move", "Make a move", readyMove},
    {"track", "Change track of", setTrack},
    {"remove-track", "Remove track of", removeTrack},
    {"key", "Key", setKey},
    {"remove-key", "Take key off", removeKey},
    {"keys", "Change keys of", changeKeys},
    {"hand-held", "Hold by hand", handHeld},
    {"camera-path", "Take a camera's path", cameraPath},
    {"showing", "Change times of", showing},
    {"move-in-time", "Move in time", moveInTime},
    {"stagger", "Stagger", stagger},
    {"stand", "Stand", stand},
    {"check-limits", "Change limits of the checks", checkLimits},
    {"set-aside", "Set aside", setAside},
    {"settings", "Change settings", settings},
    {"several", "Several changes", applySeveral},
});

const Kind* kindOf(const Edit& edit) {
    if (!edit.is_object() || !edit.contains("edit") || !edit["edit"].is_string()) return nullptr;
    const std::string name = edit["edit"];
    const auto kind = std::find_if(kinds.begin(), kinds.end(), [&](const Kind& k) { return k.name == name; });
    return kind == kinds.end() ? nullptr : &*kind;
}

}

std::vector<std::string> editNames() {
    std::vector<std::string> names;
    for (const Kind& kind : kinds)
        names.emplace_back(kind.name);
    return names;
}

namespace {

Scene changed(const Scene& scene, const Edit& edit) {
    const Kind* kind = kindOf(edit);
    if (!kind) {
        if (!edit.is_object() || !edit.contains("edit"))
            throw Misread{"An edit is an object with a member 'edit' that names it"};
        throw Misread{"There is no edit " + scene::shown(edit["edit"]) + "; docs/edits.md lists them"};
    }
    Scene next = scene;
    Fields fields(edit, std::string(kind->name));
    fields.text("edit", 100);
    kind->run(next, fields);
    fields.nothingElse();
    settleMarks(next);
    return next;
}

}

Result<Scene> apply(const Scene& scene, const Edit& edit) {
    return guarded([&]() -> Result<Scene> {
        std::string sentence;
        try {
            auto next = scene::asReadAgain(changed(scene, edit), scene);
            if (next) return next;
            sentence = "The scene could not be opened again: " + next.error().sentence;
        } catch (const Misread& misread) {
            sentence = misread.sentence;
        }
        if (!sentence.ends_with('.')) sentence += '.';
        return fail(sentence);
    });
}

std::string describe(const Scene& scene, const Edit& edit) {
    const Kind* kind = kindOf(edit);
    if (!kind) return "Change";
    if (kind->name == "several" && edit.contains("name") && edit["name"].is_string()) return edit["name"];
    const auto nameOf = [&](const Json& who) {
        if (who.is_string()) return who.get<std::string>();
        const auto found =
            who.is_number_integer() ? scene::find(scene, who.get<std::int64_t>()) : scene::LayerPath{};
        return found.layer ? found.layer->name : std::string("a layer");
    };
    std::string what;
    if (edit.contains("layer"))
        what = nameOf(edit["layer"]);
    else if (edit.contains("layers") && edit["layers"].is_array() && kind->name != "add")
        what = edit["layers"].size() == 1 ? nameOf(edit["layers"][0])
                                          : std::to_string(edit["layers"].size()) + " layers";
    else if (edit.contains("mark"))
        what = scene::shown(edit["mark"]);
    return std::string(kind->verb) + (what.empty() ? "" : " " + what);
}

Edit walked(const scene::Scene& scene, Rational time, const scene::Pose& seen, const scene::Pose& to) {
    scene::Scene calm = scene; // as the marks and their aims alone have it
    calm.camera.tracks.clear();
    const scene::Pose own = motion::CameraMove(calm).at(time.toDouble());
    scene::Pose mark = to;
    std::vector<Edit> edits(1);
    for (const auto& property : scene::cameraProperties()) {
        const auto track = std::find_if(scene.camera.tracks.begin(), scene.camera.tracks.end(),
                                        [&](const scene::Track& t) { return t.property == property.name; });
        if (track == scene.camera.tracks.end()) continue;
        // What a track adds to the mark is not to be added twice.
        const double by = property.get(to) - property.get(seen);
        const bool keyed = !track->keys.empty() && !track->link;
        property.set(mark, std::clamp(property.get(own) + (keyed ? 0 : by), property.low, property.high));
        if (!keyed || by == 0) continue;
        edits.push_back({{"edit", "key"},
                         {"property", property.name},
                         {"time", time.text()},
                         {"value", std::clamp(motion::keysAt(*track, time.toDouble()) + by, property.low,
                                              property.high)}});
    }
    Edit& edit = edits.front();
    edit = {{"edit", "set-mark"}, {"time", time.text()}};
    const scene::Json was = scene::toJson(seen), is = scene::toJson(to), written = scene::toJson(mark);
    for (const auto& [key, value] : written.items())
        if (is.at(key) != was.at(key)) edit[key] = value;
    return edits.size() == 1 ? edit : several("Set mark", edits);
}

Edit onLayers(std::string_view kind, std::span<const std::int64_t> layers, const Edit& more) {
    Edit edit = {{"edit", kind}, {"layers", std::vector(layers.begin(), layers.end())}};
    edit.update(more);
    return edit;
}

Edit several(std::string name, std::vector<Edit> edits) {
    return {{"edit", "several"}, {"name", std::move(name)}, {"edits", std::move(edits)}};
}

}
