#include "scene/scene_json.h"

#include "scene/air_json.h"
#include "scene/cutout_json.h"
#include "scene/finish_json.h"
#include "scene/grade_json.h"
#include "scene/hanging_json.h"
#include "scene/lamp_json.h"
#include "scene/output_json.h"
#include "scene/track_json.h"
#include "scene/utf8.h"

#include <algorithm>
#include <span>
#include <unordered_set>

namespace stage::scene {
namespace {

constexpr std::array<std::string_view, 3> alignNames = {"left", "centre", "right"};
const Rational timeBound{1'000'000};

Json toJson(const Media& media) {
    Json json = {{"path", media.path}};
    if (media.bytes > 0) json["bytes"] = media.bytes;
    if (!media.hash.empty()) json["hash"] = media.hash;
    return json;
}

Media readMedia(Fields& layer) {
    Fields fields(layer.object("media"), layer.at("media"));
    Media media;
    media.path = fields.text("path", 4096);
    if (media.path.empty()) throw Misread{"'" + fields.at("path") + "' is empty"};
    media.bytes = fields.whole("bytes", 0, std::int64_t{1} << 50, 0);
    media.hash = fields.text("hash", 200, "");
    return media;
}

std::vector<LayerPtr> readLayers(const Json& list, const std::string& where, int depth, std::size_t& count) {
    std::vector<LayerPtr> layers;
    layers.reserve(list.size());
    for (std::size_t i = 0; i < list.size(); ++i)
        layers.push_back(readLayer(list[i], where + "[" + std::to_string(i) + "]", depth, count));
    return layers;
}

std::vector<SetAside> readSetAside(Fields& fields) {
    const Json& list = fields.array("setAside", Limits::setAside);
    std::vector<SetAside> all;
    for (std::size_t i = 0; i < list.size(); ++i) {
        Fields each(list[i], fields.at("setAside", i));
        all.push_back({each.text("kind", 40), each.whole("layer", 0, std::int64_t{1} << 50, 0),
                       each.text("reason", 1000, "")});
    }
    return all;
}

Mark readMark(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Mark mark;
    mark.id = fields.whole("id", 1, std::int64_t{1} << 50);
    mark.time = fields.rational("time", Rational(0), timeBound);
    mark.name = fields.text("name", 1000, "");
    mark.pose = readPose(fields, Pose{});
    mark.pace = readPace(fields, "pace", Pace{});
    mark.corner = fields.yes("corner", false);
    if (fields.has("arriving")) mark.arriving = fields.vector("arriving", Limits::metres);
    if (fields.has("leaving")) mark.leaving = fields.vector("leaving", Limits::metres);
    if (fields.has("aim")) mark.aim = readAim(fields.value("aim"), fields.at("aim"));
    mark.focusOn = fields.whole("focusOn", 1, std::int64_t{1} << 50, 0);
    mark.extra = fields.rest();
    return mark;
}

Camera readCamera(const Json& json, const std::string& where) {
    Fields fields(json, where);
    Camera camera;
    camera.gate = fields.number("gate", 0.1, 1000, camera.gate);
    camera.shift = readShift(fields, camera.shift);
    camera.iris = readIris(fields, Iris{});
    camera.shutter = fields.number("shutter", 0, 720, camera.shutter);
    if (fields.has("rig")) camera.rig = static_cast<Rig>(fields.choice("rig", rigNames));
    const Json& marks = fields.array("marks", Limits::marks);
    if (marks.empty())
        throw Misread{"'" + fields.at("marks") + "' is empty; a camera needs at least one mark"};
    std::unordered_set<std::int64_t> ids;
    for (std::size_t i = 0; i < marks.size(); ++i) {
        camera.marks.push_back(readMark(marks[i], fields.at("marks", i)));
        if (i > 0 && camera.marks[i].time <= camera.marks[i - 1].time)
            throw Misread{"'" + fields.at("marks", i) + ".time' is not after the mark before it"};
        if (!ids.insert(camera.marks[i].id).second)
            throw Misread{"'" + fields.at("marks", i) + ".id' is used twice"};
    }
    if (fields.has("pace")) camera.pace = readPace(fields, "pace", Pace{});
    camera.tracks = readTracks(fields, Of::Camera);
    camera.extra = fields.rest();
    return camera;
}

/// Deepest nesting of brackets outside strings. Looked at before parsing: the library's own callback would
/// take a time that grows with the square of a list's length.
int nesting(std::string_view text) {
    int depth = 0, deepest = 0;
    bool inString = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (inString) {
            if (c == '\\')
                ++i;
            else if (c == '"')
                inString = false;
        } else if (c == '"') {
            inString = true;
        } else if (c == '[' || c == '{') {
            deepest = std::max(deepest, ++depth);
        } else if (c == ']' || c == '}') {
            --depth;
        }
    }
    return deepest;
}

Json layersToJson(const std::vector<LayerPtr>& layers) {
    Json list = Json::array();
    for (const LayerPtr& layer : layers)
        list.push_back(toJson(*layer));
    return list;
}

}

Json toJson(const Pace& pace) {
    for (const NamedPace& named : namedPaces)
        if (named.pace == pace) return named.name;
    if (!pace.drawn.empty()) return {{"drawn", pace.drawn}};
    return {pace.x1, pace.y1, pace.x2, pace.y2};
}

Json toJson(const V3d& v) {
    return {v.x, v.y, v.z};
}
Json toJson(const Colour& c) {
    return {c.r, c.g, c.b, c.a};
}

Json toJson(const Pose& pose) {
    return {{"position", toJson(pose.position)},
            {"pan", pose.pan},
            {"tilt", pose.tilt},
            {"roll", pose.roll},
            {"focal", pose.focal},
            {"focus", pose.focus},
            {"fstop", pose.fstop}};
}

Pose readPose(Fields& fields, const Pose& fallback) {
    Pose pose = fallback;
    if (fields.has("position")) pose.position = fields.vector("position", Limits::metres);
    pose.pan = fields.number("pan", -36000, 36000, pose.pan);
    pose.tilt = fields.number("tilt", -36000, 36000, pose.tilt);
    pose.roll = fields.number("roll", -36000, 36000, pose.roll);
    pose.focal = fields.number("focal", 0.1, 10'000, pose.focal);
    pose.focus = fields.number("focus", 1e-3, Limits::metres, pose.focus);
    pose.fstop = fields.number("fstop", 0.1, 1000, pose.fstop);
    return pose;
}

Iris readIris(Fields& fields, const Iris& fallback) {
    if (!fields.has("iris")) return fallback;
    Fields iris(fields.object("iris"), fields.at("iris"));
    Iris read = fallback;
    read.blades = static_cast<int>(iris.whole("blades", 0, 16, read.blades));
    if (read.blades > 0 && read.blades < 3)
        throw Misread{"'" + iris.at("blades") + "' is 0 for a round iris, or 3 and more"};
    read.turn = iris.number("turn", -360, 360, read.turn);
    return read;
}

V2d readShift(Fields& fields, const V2d& fallback) {
    if (!fields.has("shift")) return fallback;
    const auto shift = fields.numbers("shift", 2, -1000, 1000);
    return {shift[0], shift[1]};
}

Haze readHaze(Fields& fields, const Haze& fallback) {
    Haze haze = fallback;
    if (fields.has("colour")) haze.colour = fields.colour("colour");
    haze.density = fields.number("density", 0, 1000, haze.density);
    haze.start = fields.number("start", 0, Limits::metres, haze.start);
    return haze;
}

CheckLimits readLimits(Fields& fields, const CheckLimits& fallback) {
    CheckLimits limits = fallback;
    limits.enlargement = fields.number("enlargement", 0.01, 1000, limits.enlargement);
    limits.blur = fields.number("blur", 0, 10, limits.blur);
    limits.slip = fields.number("slip", 0, Limits::frameSide, limits.slip);
    limits.reading = fields.number("reading", 0.1, 1000, limits.reading);
    return limits;
}

Standing readStanding(Fields& fields) {
    Standing standing;
    if (fields.has("foot") && !fields.value("foot").is_null()) {
        const auto foot = fields.numbers("foot", 2, -100, 101);
        standing.foot = V2d(foot[0], foot[1]);
    }
    return standing;
}

Pace readPace(Fields& fields, const char* key, const Pace& fallback) {
    if (!fields.has(key)) return fallback;
    if (fields.value(key).is_string()) {
        std::vector<std::string_view> names;
        for (const NamedPace& named : namedPaces)
            names.push_back(named.name);
        return namedPaces[fields.choice(key, names)].pace;
    }
    if (fields.value(key).is_object()) {
        Fields drawn(fields.value(key), fields.at(key));
        const Json& list = drawn.array("drawn", Limits::drawnSpeeds);
        Pace pace;
        for (std::size_t i = 0; i < list.size(); ++i)
            pace.drawn.push_back(numberOf(list[i], drawn.at("drawn", i), 0, 1e6));
        drawn.nothingElse();
        if (pace.drawn.size() < 2 ||
            std::all_of(pace.drawn.begin(), pace.drawn.end(), [](double v) { return v == 0; }))
            throw Misread{"'" + drawn.at("drawn") + "' should have at least two speeds, and one above 0"};
        return pace;
    }
    const auto v = fields.numbers(key, 4, -10, 10);
    if (v[0] < 0 || v[0] > 1 || v[2] < 0 || v[2] > 1)
        throw Misread{"'" + fields.at(key) + "': the first and third number must be within 0 and 1"};
    return {v[0], v[1], v[2], v[3], {}};
}

Json toJson(const Text& text) {
    Json json = {{"text", text.text},
                 {"font", text.font},
                 {"fill", scene::toJson(text.fill)},
                 {"align", alignNames[static_cast<std::size_t>(text.align)]},
                 {"tracking", text.tracking},
                 {"lineHeight", text.lineHeight}};
    if (text.outline > 0) {
        json["outline"] = text.outline;
        json["outlineColour"] = scene::toJson(text.outlineColour);
    }
    if (text.glow > 0) {
        json["glow"] = text.glow;
        json["glowColour"] = scene::toJson(text.glowColour);
    }
    if (text.shadowColour.a > 0) {
        json["shadow"] = text.shadow;
        json["shadowBy"] = {text.shadowBy.x, text.shadowBy.y};
        json["shadowColour"] = scene::toJson(text.shadowColour);
    }
    return json;
}

Text readText(Fields& fields, const Text& fallback) {
    Text text = fallback;
    text.text = fields.text("text", Limits::textBytes, text.text);
    text.font = fields.text("font", 200, text.font);
    if (fields.has("fill")) text.fill = fields.colour("fill");
    if (fields.has("align")) text.align = static_cast<Align>(fields.choice("align", alignNames));
    text.tracking = fields.number("tracking", -1, 10, text.tracking);
    text.lineHeight = fields.number("lineHeight", 0.1, 10, text.lineHeight);
    text.outline = fields.number("outline", 0, 1, text.outline);
    if (fields.has("outlineColour")) text.outlineColour = fields.colour("outlineColour");
    text.glow = fields.number("glow", 0, 2, text.glow);
    if (fields.has("glowColour")) text.glowColour = fields.colour("glowColour");
    text.shadow = fields.number("shadow", 0, 2, text.shadow);
    if (fields.has("shadowBy")) {
        const auto by = fields.numbers("shadowBy", 2, -2, 2);
        text.shadowBy = {by[0], by[1]};
    }
    if (fields.has("shadowColour")) text.shadowColour = fields.colour("shadowColour");
    return text;
}

LayerPtr readLayer(const Json& json, const std::string& where, int depth, std::size_t& count) {
    if (++count > Limits::layers)
        throw Misread{"the scene has more than " + std::to_string(Limits::layers) + " layers"};
    Fields fields(json, where);
    auto layer = std::make_shared<Layer>();
    layer->id = fields.whole("id", 1, std::int64_t{1} << 50);
    layer->name = fields.text("name", 1000);
    layer->visible = fields.yes("visible", true);
    layer->opacity = fields.number("opacity", 0, 1, 1);
    if (fields.has("blend")) layer->blend = static_cast<Blend>(fields.choice("blend", blendNames));
    layer->locked = fields.yes("locked", false);
    if (fields.has("tags")) layer->tags = readTags(fields);
    layer->placement = readPlacement(fields, Placement{});
    if (fields.has("places")) layer->places = readPlaces(fields);
    layer->tracks = readTracks(fields, Of::Layer);
    if (fields.has("showing"))
        layer->showing = readShowing(fields.value("showing"), fields.at("showing"), Showing{});
    layer->follows = fields.whole("follows", 0, std::int64_t{1} << 50, 0);
    layer->hanging = readHanging(fields, Hanging{});
    if (fields.has("standing")) {
        Fields standing(fields.object("standing"), fields.at("standing"));
        layer->standing = readStanding(standing);
        layer->standing->on = standing.whole("on", 0, std::int64_t{1} << 50, 0);
    }
    const std::size_t kind = fields.choice("kind", layerKinds);
    const bool box = kind == 5 || kind == 6 || kind == 7;
    if (kind != 3 && !box) {
        const auto size = fields.numbers("pixels", 2, 1, Limits::pictureSide);
        layer->pixels = {static_cast<int>(size[0]), static_cast<int>(size[1])};
        layer->metresPerPixel = fields.number("metresPerPixel", 1e-12, Limits::metres);
    }
    if (kind == 0) {
        layer->content = Picture{readMedia(fields), fields.text("part", 4096, "")};
    } else if (kind == 1) {
        Footage footage;
        footage.media = readMedia(fields);
        footage.rate = fields.rational("rate", Rational(1, 1000), Rational(100'000));
        footage.frames = fields.whole("frames", 1, Limits::frames);
        footage.number = fields.whole("number", 0, Limits::frames, 0);
        readTime(fields, footage);
        layer->content = footage;
    } else if (kind == 2) {
        Fields text(fields.object("text"), fields.at("text"));
        layer->content = readText(text, Text{});
    } else if (kind == 4) {
        Fields card(fields.object("card"), fields.at("card"));
        layer->content = readCard(card, Card{});
    } else if (kind == 5) {
        Fields particles(fields.object("particles"), fields.at("particles"));
        layer->content = readParticles(particles, Particles{});
    } else if (kind == 6) {
        Fields cloud(fields.object("cloud"), fields.at("cloud"));
        layer->content = readCloud(cloud, Cloud{});
    } else if (kind == 7) {
        Fields lamp(fields.object("lamp"), fields.at("lamp"));
        layer->content = readLamp(lamp, Lamp{});
    } else {
        if (depth >= Limits::groupDepth)
            throw Misread{"'" + where + "': groups are nested deeper than " +
                          std::to_string(Limits::groupDepth)};
        Group group;
        group.inDepth = fields.yes("inDepth", false);
        group.children =
            readLayers(fields.array("layers", Limits::layers), fields.at("layers"), depth + 1, count);
        if (fields.has("scatter")) {
            Fields scatter(fields.object("scatter"), fields.at("scatter"));
            group.scatter = readScatter(scatter, Scatter{});
            group.pattern = readLayer(fields.object("pattern"), fields.at("pattern"), depth + 1, count);
        }
        layer->content = std::move(group);
    }
    if (box)
        layer->fitToBox();
    else if (fields.has("cutout") && kind != 3)
        layer->cutout = readCutout(fields.object("cutout"), fields.at("cutout"));
    if (!box && kind != 3 && fields.has("displacements")) layer->displacements = readDisplacements(fields);
    if (kind != 3 && kind != 7 && fields.has("shading")) {
        Fields shading(fields.object("shading"), fields.at("shading"));
        layer->shading = std::make_shared<const Shading>(readShading(shading, Shading()));
        shading.nothingElse();
    }
    if (!box && fields.has("grade")) {
        Fields grade(fields.object("grade"), fields.at("grade"));
        layer->grade = std::make_shared<const Grade>(readGrade(grade, Grade()));
        grade.nothingElse();
    }
    if (!box && kind != 3 && fields.has("finish")) {
        Fields finish(fields.object("finish"), fields.at("finish"));
        layer->finish = std::make_shared<const Finish>(readFinish(finish, Finish()));
        finish.nothingElse();
    }
    if (!box && kind != 3 && fields.has("shadows")) layer->shadows = readShadows(fields);
    layer->extra = fields.rest();
    return layer;
}

Json toJson(const Layer& layer) {
    Json json = {{"id", layer.id}, {"name", layer.name}};
    const Placement& place = layer.placement;
    json["kind"] = layerKinds[layer.content.index()];
    json["visible"] = layer.visible;
    json["opacity"] = layer.opacity;
    json["blend"] = blendNames[static_cast<std::size_t>(layer.blend)];
    if (layer.locked) json["locked"] = true;
    if (!layer.tags.empty()) json["tags"] = layer.tags;
    json.update(toJson(place));
    if (!layer.places.empty()) json["places"] = toJson(layer.places);
    if (!layer.tracks.empty()) json["tracks"] = toJson(layer.tracks);
    if (!(layer.showing == Showing{})) json["showing"] = toJson(layer.showing);
    if (layer.follows != 0) json["follows"] = layer.follows;
    json.update(toJson(layer.hanging));
    if (layer.standing) {
        json["standing"] = {{"on", layer.standing->on}};
        if (const auto& foot = layer.standing->foot) json["standing"]["foot"] = {foot->x, foot->y};
    }
    if (!layer.group() && !layer.box()) {
        json["pixels"] = {layer.pixels.x, layer.pixels.y};
        json["metresPerPixel"] = layer.metresPerPixel;
    }
    if (const Media* media = mediaOf(layer)) json["media"] = toJson(*media);
    if (const auto* picture = std::get_if<Picture>(&layer.content)) {
        if (!picture->part.empty()) json["part"] = picture->part;
    } else if (const auto* footage = std::get_if<Footage>(&layer.content)) {
        json["rate"] = footage->rate.text();
        json["frames"] = footage->frames;
        if (footage->number != 0) json["number"] = footage->number;
        json.update(timeToJson(*footage));
    } else if (const auto* text = std::get_if<Text>(&layer.content)) {
        json["text"] = toJson(*text);
    } else if (const auto* card = std::get_if<Card>(&layer.content)) {
        json["card"] = toJson(*card);
    } else if (const auto* particles = std::get_if<Particles>(&layer.content)) {
        json["particles"] = toJson(*particles);
    } else if (const auto* cloud = std::get_if<Cloud>(&layer.content)) {
        json["cloud"] = toJson(*cloud);
    } else if (const auto* lamp = std::get_if<Lamp>(&layer.content)) {
        json["lamp"] = toJson(*lamp);
    } else if (const Group* group = layer.group()) {
        if (group->inDepth) json["inDepth"] = true;
        json["layers"] = layersToJson(group->children);
        if (group->scatter) {
            json["scatter"] = toJson(*group->scatter);
            json["pattern"] = toJson(*group->pattern);
        }
    }
    if (layer.cutout) json["cutout"] = toJson(*layer.cutout);
    if (!layer.displacements.empty()) json["displacements"] = toJson(layer.displacements);
    if (layer.shading) json["shading"] = toJson(*layer.shading);
    if (layer.grade) json["grade"] = toJson(*layer.grade);
    if (layer.finish) json["finish"] = toJson(*layer.finish);
    if (!layer.shadows.empty()) json["shadows"] = toJson(layer.shadows);
    return withRest(std::move(json), layer.extra);
}

Json toJson(const Scene& scene) {
    Json marks = Json::array();
    for (const Mark& mark : scene.camera.marks) {
        Json json = {{"id", mark.id}, {"time", mark.time.text()}, {"name", mark.name}};
        json.update(toJson(mark.pose));
        json["pace"] = toJson(mark.pace);
        if (mark.corner) json["corner"] = true;
        if (mark.arriving) json["arriving"] = toJson(*mark.arriving);
        if (mark.leaving) json["leaving"] = toJson(*mark.leaving);
        if (mark.aim.at != Aim::At::Pose) json["aim"] = toJson(mark.aim);
        if (mark.focusOn != 0) json["focusOn"] = mark.focusOn;
        marks.push_back(withRest(std::move(json), mark.extra));
    }
    Json camera = {
        {"gate", scene.camera.gate}, {"shutter", scene.camera.shutter}, {"marks", std::move(marks)}};
    if (scene.camera.rig != Rig::Dolly) camera["rig"] = rigNames[static_cast<std::size_t>(scene.camera.rig)];
    if (scene.camera.shift != V2d(0)) camera["shift"] = {scene.camera.shift.x, scene.camera.shift.y};
    if (scene.camera.pace) camera["pace"] = toJson(*scene.camera.pace);
    if (!scene.camera.tracks.empty()) camera["tracks"] = toJson(scene.camera.tracks);
    if (scene.camera.iris.blades > 0)
        camera["iris"] = {{"blades", scene.camera.iris.blades}, {"turn", scene.camera.iris.turn}};
    Json json = {{"format", "open-stage scene"},
                 {"version", formatVersion},
                 {"output", toJson(scene.output)},
                 {"homeDepth", scene.homeDepth},
                 {"camera", withRest(std::move(camera), scene.camera.extra)},
                 {"layers", layersToJson(scene.layers)}};
    if (scene.haze != Haze{})
        json["haze"] = {{"colour", toJson(scene.haze.colour)},
                        {"density", scene.haze.density},
                        {"start", scene.haze.start}};
    if (scene.mist != Mist{}) json["mist"] = toJson(scene.mist);
    if (scene.ambient != Ambient{}) json["ambient"] = toJson(scene.ambient);
    if (!scene.depthGrades.empty()) json["depthGrades"] = toJson(scene.depthGrades);
    if (scene.glare != Glare{}) json["glare"] = toJson(scene.glare);
    if (scene.grade != Grade{}) json["grade"] = toJson(scene.grade);
    if (scene.viewTransform != ViewTransform{}) json["viewTransform"] = toJson(scene.viewTransform);
    if (scene.ground != Scene{}.ground) json["ground"] = scene.ground;
    if (scene.limits != CheckLimits{})
        json["checkLimits"] = {{"enlargement", scene.limits.enlargement},
                               {"blur", scene.limits.blur},
                               {"slip", scene.limits.slip},
                               {"reading", scene.limits.reading}};
    for (const SetAside& each : scene.setAside)
        json["setAside"].push_back({{"kind", each.kind}, {"layer", each.layer}, {"reason", each.reason}});
    return withRest(std::move(json), scene.extra);
}

namespace {

/// What holds for all layers together.
void checkTogether(const Scene& scene) {
    std::unordered_set<std::int64_t> ids;
    forEach(scene, [&](const LayerPtr& layer, const auto&) {
        if (!ids.insert(layer->id).second)
            throw Misread{"two layers have the id " + std::to_string(layer->id)};
    });
    if (const std::string why = whyNotCarried(scene); !why.empty()) throw Misread{why};
}

/// Layers replaced by what reading makes of them, but for those that are known.
class Rereading {
public:
    explicit Rereading(const Scene& known) { know(known.layers); }

    void all(std::vector<LayerPtr>& layers, int depth) {
        for (LayerPtr& layer : layers)
            one(layer, depth);
    }

private:
    void know(const std::vector<LayerPtr>& layers) {
        for (const LayerPtr& layer : layers) {
            m_known.insert(layer.get());
            if (const Group* group = layer->group()) {
                know(group->children);
                if (group->pattern) know({group->pattern});
            }
        }
    }
    void one(LayerPtr& slot, int depth) {
        const bool known = m_known.contains(slot.get());
        const Group* group = slot->group();
        if (!known) reread(slot, depth);
        if (++m_count > Limits::layers)
            throw Misread{"the scene has more than " + std::to_string(Limits::layers) + " layers"};
        if (!group) return;
        if (depth >= Limits::groupDepth)
            throw Misread{"groups are nested deeper than " + std::to_string(Limits::groupDepth)};
        std::vector<LayerPtr> children = group->children;
        LayerPtr pattern = group->pattern;
        all(children, depth + 1);
        if (pattern) one(pattern, depth + 1);
        group = slot->group(); // of what has been read
        if (children == group->children && pattern == group->pattern) return;
        auto copy = std::make_shared<Layer>(*slot);
        std::get<Group>(copy->content).children = std::move(children);
        std::get<Group>(copy->content).pattern = std::move(pattern);
        slot = std::move(copy);
    }
    /// Itself, without what it holds.
    void reread(LayerPtr& slot, int depth) {
        const LayerPtr whole = slot;
        auto bare = std::make_shared<Layer>(*slot);
        const Group* group = whole->group();
        if (group) {
            std::get<Group>(bare->content).children.clear();
            if (group->pattern) { // any will do, as reading wants one
                auto stand = std::make_shared<Layer>();
                stand->id = whole->id;
                stand->pixels = {1, 1};
                stand->metresPerPixel = 1;
                stand->content = Card{};
                std::get<Group>(bare->content).pattern = std::move(stand);
            }
        }
        const Json json = toJson(*bare);
        std::size_t count = 0;
        LayerPtr read = readLayer(json, "'" + whole->name + "'", depth, count);
        if (toJson(*read) == json) return;
        if (group) {
            auto full = std::make_shared<Layer>(*read);
            std::get<Group>(full->content).children = group->children;
            std::get<Group>(full->content).pattern = group->pattern;
            read = std::move(full);
        }
        slot = std::move(read);
    }

    std::unordered_set<const Layer*> m_known;
    std::size_t m_count = 0;
};

}

Result<Scene> asReadAgain(Scene scene, const Scene& known) {
    try {
        Scene bare = scene;
        bare.layers.clear();
        auto rest = sceneFromJson(toJson(bare));
        if (!rest) return rest;
        rest->layers = std::move(scene.layers);
        Rereading(known).all(rest->layers, 0);
        checkTogether(*rest);
        return rest;
    } catch (const Misread& misread) {
        return fail(misread.sentence);
    }
}

Result<Scene> sceneFromJson(const Json& json) {
    try {
        Fields fields(json, "");
        if (fields.text("format", 100, "") != "open-stage scene")
            return fail("this is not an Open Stage scene");
        const auto version = fields.whole("version", 1, 1'000'000);
        if (version > formatVersion)
            return fail("it was written by a newer Open Stage (format " + std::to_string(version) +
                        "; this one reads up to " + std::to_string(formatVersion) +
                        "); update the program to open it");
        Scene scene;
        if (fields.has("output")) scene.output = readOutput(fields.object("output"), "output");
        scene.homeDepth = fields.number("homeDepth", 1e-3, Limits::metres, scene.homeDepth);
        scene.camera = readCamera(fields.object("camera"), "camera");
        if (fields.has("haze")) {
            Fields haze(fields.object("haze"), "haze");
            scene.haze = readHaze(haze, Haze{});
        }
        if (fields.has("mist")) {
            Fields mist(fields.object("mist"), "mist");
            scene.mist = readMist(mist, Mist{});
        }
        if (fields.has("ambient")) {
            Fields ambient(fields.object("ambient"), "ambient");
            scene.ambient = readAmbient(ambient, Ambient{});
        }
        if (fields.has("grade")) {
            Fields grade(fields.object("grade"), "grade");
            scene.grade = readGrade(grade, Grade{});
            grade.nothingElse();
        }
        if (fields.has("depthGrades")) scene.depthGrades = readDepthGrades(fields);
        if (fields.has("glare")) {
            Fields glare(fields.object("glare"), "glare");
            scene.glare = readGlare(glare, Glare{});
            glare.nothingElse();
        }
        if (fields.has("viewTransform")) {
            Fields transform(fields.object("viewTransform"), "viewTransform");
            scene.viewTransform = readViewTransform(transform, ViewTransform{});
            transform.nothingElse();
        }
        scene.ground = fields.number("ground", -Limits::metres, Limits::metres, scene.ground);
        if (fields.has("checkLimits")) {
            Fields limits(fields.object("checkLimits"), "checkLimits");
            scene.limits = readLimits(limits, CheckLimits{});
        }
        if (fields.has("setAside")) scene.setAside = readSetAside(fields);
        std::size_t count = 0;
        scene.layers = readLayers(fields.array("layers", Limits::layers), "layers", 0, count);
        scene.extra = fields.rest();
        checkTogether(scene);
        return scene;
    } catch (const Misread& misread) {
        return fail(misread.sentence);
    }
}

Result<Json> parseJson(std::string_view text) {
    if (text.size() > Limits::fileBytes)
        return fail("it is larger than " + std::to_string(Limits::fileBytes >> 20) + " MB");
    if (nesting(text) > Limits::jsonDepth)
        return fail("it is nested deeper than " + std::to_string(Limits::jsonDepth) + " levels");
    try {
        return Json::parse(text);
    } catch (const Json::exception& error) {
        // The library's message is "[json.exception...] parse error at line 3, column 5: ..."
        std::string what = error.what();
        const auto bracket = what.find("] ");
        if (bracket != std::string::npos) what.erase(0, bracket + 2);
        return fail("it is not valid JSON: " + asUtf8(what, 300));
    }
}

}
