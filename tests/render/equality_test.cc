// One sharp scene made by every method is one picture: over all blendings, blend modes, kinds of layer and of
// group, haze, extensions, bends, backgrounds and orders in depth. A new kind of layer adds itself to
// `kinds` below.
#include "edit/edit.h"
#include "media/text_picture.h"
#include "render/render.h"
#include "support/support.h"

#include <cmath>
#include <gtest/gtest.h>

namespace stage::render::equality_test {
namespace {

using scene::Blend;
using scene::Blending;
using scene::Layer;
using scene::LayerPtr;
using test::Rgba8;
using test::TempDir;

/// dB against white, of sRGB-encoded values and alpha.
constexpr double sameStill = 40, sameMoving = 30;
const V2i frame(80, 48);
/// Of the modes beside other variants; and whether each is seen in light and in paint. Sanitizers look for
/// errors, of which a few modes show as many.
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
constexpr int oneIn = 20;
constexpr bool inBoth = false;
#else
constexpr int oneIn = 3;
constexpr bool inBoth = true;
#endif

double encoded(double v) {
    v = std::clamp(v, 0.0, 1.0);
    return v <= 0.0031308 ? 12.92 * v : 1.055 * std::pow(v, 1 / 2.4) - 0.055;
}

double decibels(const Image& a, const Image& b) {
    double sum = 0;
    std::size_t count = 0;
    for (std::size_t i = 0; i < a.rgba.size(); ++i) {
        const bool alpha = i % 4 == 3;
        const double d =
            alpha ? static_cast<double>(a.rgba[i] - b.rgba[i])
                  : encoded(static_cast<double>(a.rgba[i])) - encoded(static_cast<double>(b.rgba[i]));
        sum += d * d, ++count;
    }
    return sum > 0 ? -10 * std::log10(sum / static_cast<double>(count)) : 200;
}

Image shown(const scene::Scene& scene, Method method, bool exposed = false) {
    Quality quality;
    quality.method = method;
    quality.samples = exposed ? 128 : 16;
    media::PixelCache cache;
    auto picture = render(motion::evaluate(scene, Rational(1, 24), frame, exposed), quality, cache);
    EXPECT_TRUE(picture) << picture.error().sentence;
    return picture ? *picture : Image(frame);
}

/// Files that the layers show, made once.
struct Files {
    TempDir dir;
    Files() {
        const auto soft = [](int x, int y) {
            const double r = std::hypot(x - 30, y - 18) / 20;
            return Rgba8{60 + 2 * x, 200 - 3 * y, 90, std::clamp(static_cast<int>(255 * (1.6 - r)), 0, 255)};
        };
        test::writePicture(dir / "soft.png", {60, 36}, soft);
        test::writePicture(dir / "back.png", {96, 60}, [](int x, int y) {
            return Rgba8{40 + x, 120 + y, 200 - x, 255};
        });
        test::writeAll(dir / "drawing.svg",
                       "<svg xmlns='http://www.w3.org/2000/svg' width='60' height='36'>"
                       "<ellipse cx='30' cy='18' rx='24' ry='14' fill='#c06040' fill-opacity='0.8'/></svg>");
        const auto made = test::run("ffmpeg -loglevel error -y -f lavfi -i "
                                    "'color=c=0x8040c0@0.7:size=60x36:rate=24:duration=0.25,format=yuva420p' "
                                    "-c:v ffv1 " +
                                    (dir / "clip.mkv").string());
        EXPECT_EQ(made.code, 0) << made.printed;
    }
};
Files& files() {
    static Files made;
    return made;
}

struct Kind {
    const char* name;
    LayerPtr (*make)(); ///< id 10 and above, at depth 8, 60 by 36 pixels and about 7 metres wide
};

std::shared_ptr<Layer> base(const char* name) {
    auto layer = std::make_shared<Layer>();
    layer->id = 10;
    layer->name = name;
    layer->placement.position = {0.3, 0.1, -8};
    layer->pixels = {60, 36};
    layer->metresPerPixel = 0.1;
    return layer;
}
LayerPtr picture() {
    return test::pictureLayer(10, "picture", files().dir / "soft.png", {60, 36}, 6, {0.3, 0.1, -8});
}
LayerPtr drawing() {
    return test::pictureLayer(10, "drawing", files().dir / "drawing.svg", {60, 36}, 6, {0.3, 0.1, -8});
}
LayerPtr bentPicture() {
    auto layer = std::make_shared<Layer>(*picture());
    layer->hanging.bend = 60;
    return layer;
}
LayerPtr tiltedPicture() {
    auto layer = std::make_shared<Layer>(*picture());
    layer->placement.turn = {10, 25, 5};
    return layer;
}
LayerPtr footage() {
    auto layer = base("footage");
    scene::Footage clip;
    clip.media.path = (files().dir / "clip.mkv").string();
    clip.frames = 6;
    layer->content = clip;
    return layer;
}
LayerPtr card() {
    auto layer = base("card");
    scene::Card content;
    content.stops = {{0, {0.1, 0.3, 0.5, 0.8}}, {1, {0.5, 0.2, 0.1, 0.6}}};
    layer->content = content;
    return layer;
}
LayerPtr text() {
    auto layer = base("text");
    scene::Text content;
    content.text = "Quay";
    content.fill = {0.7, 0.4, 0.2, 0.9};
    layer->pixels = *media::textPixels(content);
    layer->metresPerPixel = 6.0 / layer->pixels.x;
    layer->content = content;
    return layer;
}
/// Three pictures in a group, of which one is bent.
std::shared_ptr<Layer> groupOf(bool inDepth) {
    auto layer = base("group");
    layer->pixels = {0, 0};
    layer->metresPerPixel = 0;
    scene::Group group;
    group.inDepth = inDepth;
    for (int i = 0; i < 3; ++i) {
        auto child = std::make_shared<Layer>(*(i == 1 ? bentPicture() : picture()));
        child->id = 20 + i;
        child->placement.position = {1.4 * (i - 1), 0.3 * i, inDepth ? -0.8 * i : 0};
        group.children.push_back(child);
    }
    layer->content = group;
    layer->opacity = 0.8;
    return layer;
}
LayerPtr flatGroup() {
    return groupOf(false);
}
LayerPtr groupInDepth() {
    return groupOf(true);
}

LayerPtr particles() {
    auto layer = base("particles");
    scene::Particles content;
    content.count = 150;
    content.box = {7, 4, 6}; // from before the picture in front to behind
    content.size = 0.3;
    content.colour = {0.6, 0.3, 0.1, 0.8};
    layer->content = content;
    layer->fitToBox();
    return layer;
}
LayerPtr leaves() {
    auto layer = std::make_shared<Layer>(*particles());
    auto& content = std::get<scene::Particles>(layer->content);
    content.count = 60;
    content.size = 0.7;
    content.shape = scene::ParticleShape::Leaf;
    content.facing = scene::ParticleFacing::Tumbling;
    content.spin = 90;
    return layer;
}
LayerPtr cloud() {
    auto layer = base("cloud");
    scene::Cloud content;
    content.box = {7, 4, 6};
    content.size = 2;
    content.colour = {0.5, 0.5, 0.55, 0.9};
    layer->content = content;
    layer->fitToBox();
    return layer;
}
LayerPtr displaced() {
    auto layer = std::make_shared<Layer>(*picture());
    layer->displacements = {{scene::DisplacementKind::Ripple, true, 2, 15, 0.7}};
    return layer;
}

LayerPtr lamp() {
    auto layer = base("lamp");
    scene::Lamp content;
    content.glow = 1;
    content.glowSize = 3;
    layer->content = content;
    layer->fitToBox();
    return layer;
}

constexpr Kind kinds[] = {{"picture", picture},
                          {"drawing", drawing},
                          {"bent", bentPicture},
                          {"tilted", tiltedPicture},
                          {"footage", footage},
                          {"card", card},
                          {"text", text},
                          {"flatGroup", flatGroup},
                          {"groupInDepth", groupInDepth},
                          {"particles", particles},
                          {"leaves", leaves},
                          {"cloud", cloud},
                          {"displaced", displaced},
                          {"lamp", lamp}};

/// The layer between a backdrop and a picture in front of it.
scene::Scene sceneWith(const LayerPtr& layer) {
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = frame;
    scene.output.background = {0.05, 0.1, 0.2, 1};
    scene.camera.shutter = 0;
    scene.camera.marks[0].pose.focal = 36;
    scene.camera.marks[0].pose.fstop = 1000; // as good as a pinhole
    scene.camera.marks[0].pose.focus = 8;
    auto front = std::make_shared<Layer>(
        *test::pictureLayer(2, "front", files().dir / "soft.png", {60, 36}, 2.5, {-1, -0.4, -5}));
    front->opacity = 0.7;
    scene.layers = {test::pictureLayer(1, "back", files().dir / "back.png", {96, 60}, 13, {0, 0, -12}), layer,
                    front};
    return scene;
}

scene::LayerPtr changed(const LayerPtr& layer, const std::function<void(Layer&)>& change) {
    auto copy = std::make_shared<Layer>(*layer);
    change(*copy);
    return copy;
}

struct Variant {
    const char* name;
    std::function<void(scene::Scene&)> change;
};

std::vector<Variant> variants() {
    const auto layer = [](scene::Scene& scene, const std::function<void(Layer&)>& change) {
        scene.layers[1] = changed(scene.layers[1], change);
    };
    return {{"plain", [](scene::Scene&) {}},
            {"haze",
             [](scene::Scene& s) {
                 s.haze = {{0.4, 0.5, 0.6, 1}, 0.08, 3};
             }},
            {"mist",
             [](scene::Scene& s) {
                 s.mist = {{0.5, 0.4, 0.3, 1}, 0.1, 1.5, 2};
             }},
            {"lit and graded",
             [=](scene::Scene& s) {
                 layer(s, [](Layer& l) {
                     if (!l.group() && !std::holds_alternative<scene::Lamp>(l.content))
                         l.shading = std::make_shared<const scene::Shading>(
                             scene::Shading{0.8, 0.3, 0, {1.5, 4, 0.9}});
                 });
                 s.layers.push_back(changed(lamp(), [](Layer& l) {
                     l.id = 30;
                     l.placement.position = {1.5, 1, -7};
                 }));
                 s.ambient.level = 0.7;
                 s.grade.contrast = 1.2;
                 s.grade.saturation = 0.8;
             }},
            {"shadows, glow and glare",
             [=](scene::Scene& s) {
                 layer(s, [](Layer& l) {
                     if (l.group() || l.box()) return;
                     scene::Shadow wall, ground;
                     wall.from = 30, wall.on = 1, wall.contact = 0.5;
                     ground.bearing = 20, ground.across = 8;
                     l.shadows = {wall, ground};
                     scene::Finish finish;
                     finish.soft = {2, 0.5};
                     finish.shadow = {0.6, 4, 300, 3};
                     finish.glow = {0.8, 0.2, 8, {1, 0.8, 0.6, 1}};
                     l.finish = std::make_shared<const scene::Finish>(finish);
                 });
                 s.layers.push_back(changed(lamp(), [](Layer& l) {
                     l.id = 30;
                     l.placement.position = {1.5, 1, -6};
                 }));
                 s.ground = -1.5;
                 s.haze = {{0.4, 0.5, 0.6, 1}, 0.05, 1};
                 s.camera.iris.blades = 5;
                 s.glare.strength = 0.5, s.glare.threshold = 0.4, s.glare.streaks = 0.5;
                 s.depthGrades.push_back({7, 9, 1, {}});
                 s.depthGrades.back().grade.warmth = 60;
             }},
            {"haze, nothing behind",
             [](scene::Scene& s) {
                 s.haze = {{0.4, 0.5, 0.6, 1}, 0.08, 3};
                 s.layers.erase(s.layers.begin());
             }},
            {"clear background",
             [](scene::Scene& s) {
                 s.output.background = {0, 0, 0, 0};
                 s.layers.erase(s.layers.begin());
             }},
            {"half clear background",
             [](scene::Scene& s) {
                 s.output.background = {0.1, 0.2, 0.1, 0.5};
                 s.layers.erase(s.layers.begin());
             }},
            {"mirrored on",
             [=](scene::Scene& s) {
                 layer(s, [](Layer& l) {
                     if (l.group()) return;
                     l.hanging.extensions.left = {scene::Beyond::Mirror, 0.3};
                     l.hanging.extensions.bottom = {scene::Beyond::Mirror, 0.2};
                 });
             }},
            {"repeated and stretched",
             [=](scene::Scene& s) {
                 layer(s, [](Layer& l) {
                     if (l.group()) return;
                     l.hanging.extensions.right = {scene::Beyond::Repeat, 0.4};
                     l.hanging.extensions.top = {scene::Beyond::Stretch, 0.3};
                 });
             }},
            {"faint", [=](scene::Scene& s) { layer(s, [](Layer& l) { l.opacity = 0.4; }); }},
            {"crossing",
             [](scene::Scene& s) {
                 s.layers.push_back(changed(s.layers[0], [](Layer& l) {
                     l.id = 3, l.name = "crossing";
                     l.placement.position = {0, 0, -8.5};
                     l.placement.turn.y = 35;
                     l.metresPerPixel /= 3;
                 }));
             }},
            {"in one plane",
             [](scene::Scene& s) {
                 s.layers.push_back(changed(s.layers[2], [](Layer& l) {
                     l.id = 3, l.name = "beside";
                     l.placement.position = {0.5, 0.3, -8};
                 }));
             }},
            {"lowest last", [](scene::Scene& s) { std::reverse(s.layers.begin(), s.layers.end()); }}};
}

class EveryMethod : public testing::TestWithParam<Kind> {};

TEST_P(EveryMethod, IsOnePicture) {
    const Blend modes[] = {Blend::Normal,    Blend::Multiply,   Blend::Screen,    Blend::Add,
                           Blend::SoftLight, Blend::Difference, Blend::Luminosity};
    const auto all = variants();
    int index = 0;
    for (const Blending blending : {Blending::Light, Blending::Paint})
        for (const Variant& variant : all)
            for (const Blend blend : modes) {
                // Of the modes some, each time others; none where nothing else is special: OfAllModes has
                // them all.
                if (blend != Blend::Normal && (&variant == &all.front() || ++index % oneIn != 0)) continue;
                scene::Scene scene =
                    sceneWith(changed(GetParam().make(), [&](Layer& l) { l.blend = blend; }));
                scene.output.blending = blending;
                variant.change(scene);
                const Image traced = shown(scene, Method::Traced);
                for (const Method method : {Method::Pinhole, Method::Draft, Method::Final})
                    EXPECT_GE(decibels(shown(scene, method), traced), sameStill)
                        << methodNames[static_cast<std::size_t>(method)] << ", "
                        << scene::blendNames[static_cast<std::size_t>(blend)] << ", " << variant.name
                        << (blending == Blending::Paint ? ", in paint" : ", in light");
            }
}

TEST_P(EveryMethod, OfAllModes) {
    for (std::size_t mode = 0; mode < scene::blendNames.size(); ++mode)
        for (const Blending blending : {Blending::Light, Blending::Paint}) {
            if (!inBoth && (mode % 2 == 0) != (blending == Blending::Light)) continue;
            scene::Scene scene =
                sceneWith(changed(GetParam().make(), [&](Layer& l) { l.blend = static_cast<Blend>(mode); }));
            scene.output.blending = blending;
            const Image traced = shown(scene, Method::Traced);
            for (const Method method : {Method::Pinhole, Method::Draft, Method::Final})
                EXPECT_GE(decibels(shown(scene, method), traced), sameStill)
                    << methodNames[static_cast<std::size_t>(method)] << ", " << scene::blendNames[mode]
                    << (blending == Blending::Paint ? ", in paint" : ", in light");
        }
}

TEST_P(EveryMethod, AlsoWhileTheShutterIsOpen) {
    for (const Blending blending : {Blending::Light, Blending::Paint}) {
        scene::Scene scene = sceneWith(GetParam().make());
        scene.output.blending = blending;
        scene.camera.shutter = 180;
        scene::Mark second = scene.camera.marks[0];
        second.id = 2;
        second.time = 1;
        second.pose.position = {1.5, 0, -0.5};
        scene.camera.marks.push_back(second);
        const Image traced = shown(scene, Method::Traced, true);
        EXPECT_GE(decibels(shown(scene, Method::Final, true), traced), sameStill);
        EXPECT_GE(decibels(shown(scene, Method::Draft, true), traced), sameMoving);
    }
}

INSTANTIATE_TEST_SUITE_P(Kinds, EveryMethod, testing::ValuesIn(kinds),
                         [](const auto& of) { return std::string(of.param.name); });

/// A flat picture of layers in paint, mixed here by the definition of W3C Compositing and Blending Level 1
/// for `normal` and `multiply`, comes out of every method as it was.
TEST(EveryMethodOnFlatLayers, IsTheFlatPicture) {
    const TempDir dir;
    const auto far = [](int x, int y) { return Rgba8{200 - x, 40 + 2 * y, 90, 255}; };
    const auto middle = [](int x, int y) { return Rgba8{30, 180, 220 - y, (x * 5 + y) % 256}; };
    const auto near = [](int x, int y) { return Rgba8{240, 128, 20 + x, x > 40 ? 170 : 0 * y}; };
    test::writePicture(dir / "far.png", frame, far);
    test::writePicture(dir / "middle.png", frame, middle);
    test::writePicture(dir / "near.png", frame, near);
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = frame;
    scene.output.blending = Blending::Paint;
    scene.camera.marks[0].pose.focal = 36;
    scene.camera.marks[0].pose.fstop = 1000;
    int id = 0;
    for (const char* name : {"far", "middle", "near"}) {
        ++id;
        scene.layers.push_back(
            changed(test::pictureLayer(id, name, dir / (std::string(name) + ".png"), frame, 10, {0, 0, -10}),
                    [&](Layer& l) {
                        if (id == 2) l.blend = Blend::Multiply;
                        if (id == 3) l.opacity = 0.5;
                    }));
    }
    for (const Method method : {Method::Pinhole, Method::Draft, Method::Final, Method::Traced}) {
        const Image picture = shown(scene, method);
        double worst = 0;
        for (int y = 0; y < frame.y; ++y)
            for (int x = 0; x < frame.x; ++x) {
                const Rgba8 f = far(x, y), m = middle(x, y), n = near(x, y);
                const double fc[3] = {f.r / 255.0, f.g / 255.0, f.b / 255.0},
                             mc[3] = {m.r / 255.0, m.g / 255.0, m.b / 255.0},
                             nc[3] = {n.r / 255.0, n.g / 255.0, n.b / 255.0};
                for (int c = 0; c < 3; ++c) {
                    double v = fc[c];
                    const double am = m.a / 255.0, an = n.a / 255.0 * 0.5;
                    v = v * (1 - am) + am * mc[c] * v;
                    v = v * (1 - an) + an * nc[c];
                    worst = std::max(worst,
                                     std::abs(encoded(static_cast<double>(picture.row(y)[4 * x + c])) - v));
                }
            }
        EXPECT_LT(worst, 0.01) << methodNames[static_cast<std::size_t>(method)];
    }
}

}
}
