// What a scene is. A scene is a value: plain structs, copied freely; layers are shared between copies and
// never changed once inside a scene, so a copy is cheap and may be read by any thread.
// Lengths are metres, times seconds, angles degrees, focal lengths and gate millimetres, colours
// scene-linear Rec. 709 and premultiplied where they carry alpha.
#pragma once

#include "scene/card.h"
#include "scene/checking.h"
#include "scene/cloud.h"
#include "scene/cutout.h"
#include "scene/displacement.h"
#include "scene/finish.h"
#include "scene/geometry.h"
#include "scene/grade.h"
#include "scene/hanging.h"
#include "scene/lamp.h"
#include "scene/particles.h"
#include "scene/rational.h"
#include "scene/shadow.h"

#include <algorithm>
#include <array>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

namespace stage::scene {

using Json = nlohmann::ordered_json;

/// Limits that validation enforces, so that no file can fill memory or overflow arithmetic.
struct Limits {
    static constexpr std::size_t fileBytes = 64u << 20;
    static constexpr std::size_t layers = 10'000;
    static constexpr std::size_t marks = 10'000;
    static constexpr std::size_t keys = 100'000;
    static constexpr std::size_t tags = 100;
    static constexpr std::size_t setAside = 20'000;
    static constexpr std::size_t variants = 50;
    static constexpr std::size_t noises = 20;        ///< of one track
    static constexpr std::size_t displacements = 20; ///< of one layer
    static constexpr std::size_t drawnSpeeds = 1000; ///< of one pace
    static constexpr int carriers = 64;              ///< in a row
    static constexpr int copies = 2000;
    static constexpr int groupDepth = 32;
    static constexpr int jsonDepth = 100;
    static constexpr std::size_t textBytes = 10'000;
    static constexpr int frameSide = 16'384;
    static constexpr int pictureSide = 65'536;
    static constexpr double metres = 1e7;
    static constexpr double leastScale = 1e-9; ///< of a placement, whatever its sign
    static constexpr std::int64_t frames = 10'000'000;
};

/// Blend modes of W3C Compositing and Blending Level 1, and `Add` (its 'plus-lighter').
enum class Blend {
    Normal,
    Multiply,
    Screen,
    Overlay,
    Darken,
    Lighten,
    ColorDodge,
    ColorBurn,
    HardLight,
    SoftLight,
    Difference,
    Exclusion,
    Hue,
    Saturation,
    Color,
    Luminosity,
    Add
};
inline constexpr std::array<std::string_view, 17> blendNames = {
    "normal",      "multiply",   "screen",     "overlay",    "darken",     "lighten",
    "color-dodge", "color-burn", "hard-light", "soft-light", "difference", "exclusion",
    "hue",         "saturation", "color",      "luminosity", "add"};

/// In what values layers are mixed: `Light` in scene-linear light, as a lens does; `Paint` in sRGB-encoded
/// values, as flat pictures made of layers were mixed when they were painted.
enum class Blending { Light, Paint };

/// A file that a layer shows. In memory the path is absolute; in a scene file it is relative to it.
struct Media {
    std::string path;
    std::int64_t bytes = 0;
    std::string hash; ///< sha256 of size, first and last MiB: tells whether it is still the same file
    bool operator==(const Media&) const = default;
};

struct Picture {
    Media media;
    /// Which of the pictures inside the media: a file of an archive, or `#2` for the third sub-image or
    /// top-level group, `#0:diffuse` for a group of channels in one. Empty: the media itself.
    std::string part;
};

/// What footage shows before its first and after its last frame.
enum class Ends { Hold, Loop, PingPong, Vanish };
inline constexpr std::array<std::string_view, 4> endsNames = {"hold", "loop", "ping-pong", "vanish"};

struct Footage {
    Media media;             ///< of pictures in sequence the path has a run of `#` in place of the number
    Rational rate{24};       ///< of the footage, frames per second
    std::int64_t frames = 1; ///< how many it has
    std::int64_t number = 0; ///< of the first picture, for a sequence
    Rational start{0};       ///< scene time at which the first frame used shows
    std::int64_t in = 0;     ///< first frame used
    std::int64_t out = 0;    ///< one past the last frame used; 0: the end
    Rational speed{1};       ///< below 0: backwards, from the last frame used
    std::vector<Key<double>> speeds; ///< where not empty: speed over time instead, in seconds from the start
    std::optional<std::int64_t> freeze; ///< only this frame, all the time
    Ends ends = Ends::Hold;
    bool mix = false; ///< between two frames both show, so that slow motion does not step
    /// Where it loops: so many of the last frames used dissolve into as many from the first on, which are
    /// then left out of the next round. Less than half of the frames used count.
    std::int64_t dissolve = 0;

    std::int64_t last() const { return (out > 0 ? std::min(out, frames) : frames) - 1; } ///< last frame used
};

enum class Align { Left, Centre, Right };

/// Lengths are in em.
struct Text {
    std::string text;
    std::string font = "B612 Bold"; ///< family and style as in a Pango font description, without a size
    Colour fill{1, 1, 1, 1};
    Align align = Align::Centre;
    double tracking = 0;   ///< extra space between letters
    double lineHeight = 1; ///< factor on the font's own
    double outline = 0;    ///< width of a line around the letters, outside of them
    Colour outlineColour{0, 0, 0, 1};
    double glow = 0; ///< how far light spreads around the letters
    Colour glowColour{1, 0.6, 0.2, 1};
    double shadow = 0; ///< softness of the shadow
    V2d shadowBy{0};   ///< how far it falls: to the right, down
    Colour shadowColour{0, 0, 0, 0};
};

struct Layer;
using LayerPtr = std::shared_ptr<const Layer>;

struct Group {
    std::vector<LayerPtr> children; ///< first is lowest
    /// Of a group made by scattering: how, and what was scattered. Its children are ordinary layers.
    std::optional<Scatter> scatter;
    LayerPtr pattern; ///< null without scatter
    /// A group that is faded or blended is mixed on its own and joins the rest as one, at the depth of its
    /// own plane; or its layers stay in their depths, each with the group's opacity and (where it has none of
    /// its own) blending.
    bool inDepth = false;
};

/// Names of what a layer can be, in the order of its content.
inline constexpr std::array<std::string_view, 8> layerKinds = {"picture", "footage",   "text",  "group",
                                                               "card",    "particles", "cloud", "lamp"};

/// When a layer shows, and how it fades in time and by its distance from the lens.
struct Showing {
    std::optional<Rational> in, out; ///< seconds; from then on, until then; none: always
    Rational fadeIn{0}, fadeOut{0};  ///< seconds after in and before out that the fades take
    /// Metres from the lens: gone at the first, full at the second; 0 and 0: does not fade so.
    double nearGone = 0, nearFull = 0;
    double farFull = 0, farGone = 0; ///< full up to the first, gone from the second on
    bool operator==(const Showing&) const = default;
};

struct Layer {
    std::int64_t id = 0; ///< unique in the scene, above 0
    std::string name;
    bool visible = true;
    bool locked = false; ///< the pointer can neither pick nor move it; edits that name it can
    std::vector<std::string> tags;
    double opacity = 1;
    Blend blend = Blend::Normal;
    Placement placement;
    std::vector<Key<Placement>> places; ///< where not empty: its place over time instead
    std::vector<Track> tracks;          ///< of single properties, on top of that; no two of one
    Showing showing;
    std::int64_t follows = 0;         ///< the layer that carries it as a group would; 0: none
    std::optional<Standing> standing; ///< none: on nothing; one on a layer that is not there counts as none
    Hanging hanging;
    V2i pixels{0, 0};          ///< natural size of its picture; a group has none; of a box a nominal one
    double metresPerPixel = 0; ///< at scale 1
    std::variant<Picture, Footage, Text, Group, Card, Particles, Cloud, Lamp> content;
    CutoutPtr cutout;                        ///< null: nothing is cut
    std::vector<Displacement> displacements; ///< of its pixels, after the cut; the first is applied first
    ShadingPtr shading;                      ///< null: it takes no light, and shows its colours as they are
    GradePtr grade;                          ///< null: none. A group's is that of all in it, after their own
    FinishPtr finish;                        ///< null: none
    std::vector<Shadow> shadows;             ///< that it throws
    Json extra = Json::object();             ///< members this version does not know

    /// Null where it is none.
    const Group* group() const { return std::get_if<Group>(&content); }
    /// Of a layer that has no picture but fills a box of space (a lamp: that around its body), the box at
    /// scale 1; else null. Its card is the box's middle.
    const V3d* box() const {
        if (const auto* particles = std::get_if<Particles>(&content)) return &particles->box;
        if (const auto* cloud = std::get_if<Cloud>(&content)) return &cloud->box;
        if (const auto* lamp = std::get_if<Lamp>(&content)) return &lamp->body;
        return nullptr;
    }
    /// Sets pixels and metresPerPixel of a layer that fills a box by that.
    void fitToBox() {
        const V3d& b = *box();
        const double longest = std::max(b.x, b.y);
        pixels = {std::max(1, static_cast<int>(1000 * b.x / longest)),
                  std::max(1, static_cast<int>(1000 * b.y / longest))};
        metresPerPixel = b.x / pixels.x;
    }
    /// Width and height at scale 1, metres.
    V2d natural() const {
        if (const V3d* b = box()) return {b->x, b->y};
        return {pixels.x * metresPerPixel, pixels.y * metresPerPixel};
    }
    /// Width and height at its own scale, in metres of the group that holds it.
    V2d size() const { return natural() * placement.scale; }
};

struct Pose {
    V3d position{0};
    double pan = 0;  ///< positive looks to the right
    double tilt = 0; ///< positive looks up
    double roll = 0; ///< positive turns the camera clockwise, as seen from behind it
    double focal = 35;
    double focus = 10; ///< distance of the plane that is sharp, along the viewing axis
    double fstop = 8;
    bool operator==(const Pose&) const = default;
};

struct NamedPace {
    std::string_view name;
    Pace pace;
};
inline const std::array<NamedPace, 5> namedPaces = {{{"even", {0, 0, 1, 1, {}}},
                                                     {"soft start", {.42, 0, 1, 1, {}}},
                                                     {"soft stop", {0, 0, .58, 1, {}}},
                                                     {"soft both", {.42, 0, .58, 1, {}}},
                                                     {"rush and settle", {.1, .7, .2, 1, {}}}}};

/// What the camera is aimed at, or focused on, instead of what a pose says.
struct Aim {
    enum class At { Pose, Point, Layer, Path };
    At at = At::Pose;
    V3d point{0};           ///< in the world
    std::int64_t layer = 0; ///< its pivot; one that is not there counts as Pose
    bool operator==(const Aim&) const = default;
};

struct Mark {
    std::int64_t id = 0;
    Rational time;
    std::string name;
    Pose pose;
    Pace pace;           ///< towards the next mark; not where the camera has a pace over the whole move
    bool corner = false; ///< the path runs straight to it and on from it
    std::optional<V3d> arriving, leaving; ///< handles of the path, from its place; else the path is smooth
    Aim aim;
    std::int64_t focusOn = 0; ///< the layer whose pivot is in focus; 0, or one that is not there: as posed
    Json extra = Json::object();
    bool operator==(const Mark&) const = default;
};

/// The opening of the lens: round, or a regular polygon of so many blades.
struct Iris {
    int blades = 0;  ///< 3 to 16; 0: round
    double turn = 0; ///< of the polygon, counterclockwise in the picture
    bool operator==(const Iris&) const = default;
};

/// What carries the camera: how fast it can believably go.
enum class Rig { Hand, Dolly, Crane, Drone };
inline constexpr std::array<std::string_view, 4> rigNames = {"hand", "dolly", "crane", "drone"};

struct Camera {
    double gate = 36; ///< width of what the lens exposes, mm
    /// How far what it exposes is moved to the right and up from the lens's axis, mm: more is seen on that
    /// side, and upright lines stay upright.
    V2d shift{0, 0};
    std::vector<Mark> marks; ///< at least one, in order of time, no two at the same time
    /// Over the whole move instead of from mark to mark, so that the speed need not stop at each. Where the
    /// camera stands for a while, a move ends and another begins. The times of marks in between then follow
    /// from the path.
    std::optional<Pace> pace;
    std::vector<Track> tracks; ///< of single properties, instead of what marks say; no two of one
    Iris iris;
    Rig rig = Rig::Dolly;
    double shutter =
        180; ///< angle of the shutter: of 360 degrees, how long each frame is exposed, about its time; 0..720
    Json extra = Json::object();
    bool operator==(const Camera&) const = default;
};

/// A line across the frame that things are laid out by.
struct Guide {
    bool upright = false;
    double at = 0.5; ///< share of the frame from its left, or its top
    bool operator==(const Guide&) const = default;
};

/// What of the view stays where the frame has another shape: what is seen across, up and down, or of the
/// shorter side of both.
enum class Keep { Width, Height, Shorter };

/// The same move in another frame, such as upright beside wide.
struct Variant {
    std::string name;         ///< in file names too
    V2i frame{1080, 1920};    ///< pixels
    Keep keep = Keep::Height; ///< of what the scene's own frame sees
    V2d shift{0, 0}; ///< besides the camera's, in widths and heights of this frame, to the right and up
    bool operator==(const Variant&) const = default;
};

struct Output {
    V2i frame{1920, 1080};         ///< pixels
    std::vector<Variant> variants; ///< no two of one name
    Rational rate{24};
    std::int64_t frames = 144; ///< duration
    Colour background{0, 0, 0, 1};
    Blending blending = Blending::Light;
    bool loop = false;           ///< it is to be shown again and again: its end should meet its beginning
    bool backgroundSeen = false; ///< it is meant to show where no layer is: that is no gap
    std::vector<Guide> guides;
    Json extra = Json::object();
    bool operator==(const Output&) const = default;
};

/// Air that dims and tints what is far: of a layer's light exp(-density (d - start)) gets through from depth
/// d, and the air adds its own colour for what it takes.
struct Haze {
    Colour colour{0.5, 0.55, 0.65, 1};
    double density = 0; ///< per metre; 0: clear air
    double start = 0;   ///< metres from the lens that are clear
    bool operator==(const Haze&) const = default;
};

struct Scene {
    Output output;
    Camera camera;
    Haze haze;
    Mist mist;
    Ambient ambient;
    std::vector<DepthGrade> depthGrades; ///< after those of layers and groups
    Glare glare;
    Grade grade; ///< of the whole picture, after its glare
    ViewTransform viewTransform;
    double homeDepth = 10;
    double ground = 0; ///< height of the ground plane, m
    CheckLimits limits;
    std::vector<SetAside> setAside; ///< no two of one kind and layer
    std::vector<LayerPtr> layers;   ///< first is lowest
    Json extra = Json::object();
    bool operator==(const Scene&) const = default; ///< of the very same layers
};
using ScenePtr = std::shared_ptr<const Scene>;

/// Whether every frame of both is the same picture, as far as their own values and having the very same
/// layers tell: what one works or checks with may differ.
bool samePictures(Scene a, Scene b);

/// A scene with nothing in it and one mark at time 0, at the world's origin.
Scene emptyScene();

/// A layer with the chain of groups that holds it, and with what carries it through space, outermost first.
/// The two are the same unless a layer follows another: then that one carries it, with its own carriers.
struct LayerPath {
    LayerPtr layer;
    std::vector<LayerPtr> holders;
    std::vector<LayerPtr> carriers;
};
/// The layer with this id wherever it is nested; layer is null when there is none.
LayerPath find(const Scene& scene, std::int64_t id);

/// Calls visit(layer, holders) for every layer, groups before their children, lowest first.
template <class Visit>
void forEach(const std::vector<LayerPtr>& layers, Visit&& visit, std::vector<LayerPtr>& holders) {
    for (const LayerPtr& layer : layers) {
        visit(layer, std::as_const(holders));
        if (const Group* group = layer->group()) {
            holders.push_back(layer);
            forEach(group->children, visit, holders);
            holders.pop_back();
        }
    }
}
template <class Visit> void forEach(const Scene& scene, Visit&& visit) {
    std::vector<LayerPtr> holders;
    forEach(scene.layers, visit, holders);
}

/// Every layer with what carries it, groups before their children, lowest first. Layers that follow each
/// other in a circle, or one that is not there, are carried by nothing.
std::vector<LayerPath> all(const Scene& scene);

/// A sentence on a layer that follows one that is not there, or itself in a circle, or too many in a row;
/// empty when there is none.
std::string whyNotCarried(const Scene& scene);

/// The media of a layer, or null for a layer without a file.
const Media* mediaOf(const Layer& layer);

/// Of layers; 0 where there are none.
std::int64_t highestId(const Scene& scene);

/// The scene with the layer of that id put through change(Layer&); groups on the way are copied.
/// Nothing happens when there is no such layer.
template <class Change> void changeLayer(std::vector<LayerPtr>& layers, std::int64_t id, Change&& change);

/// The last time of the scene, in seconds: that of its last frame.
Rational lastTime(const Scene& scene);

// ---- details

template <class Change> bool changeLayerIn(std::vector<LayerPtr>& layers, std::int64_t id, Change& change) {
    for (LayerPtr& slot : layers) {
        if (slot->id == id) {
            auto copy = std::make_shared<Layer>(*slot);
            change(*copy);
            slot = std::move(copy);
            return true;
        }
        if (slot->group()) {
            auto children = slot->group()->children;
            if (changeLayerIn(children, id, change)) {
                auto copy = std::make_shared<Layer>(*slot);
                std::get<Group>(copy->content).children = std::move(children);
                slot = std::move(copy);
                return true;
            }
        }
    }
    return false;
}
/// Changes a copy of a layer, wherever it is, and copies the groups that hold it. Nothing where it is not
/// there.
template <class Change> void changeLayer(std::vector<LayerPtr>& layers, std::int64_t id, Change&& change) {
    changeLayerIn(layers, id, change);
}

}
