// The staged set as glTF: read by another library and projected by its own camera, everything lies where our
// lens sees it.
#include "output/gltf.h"

#include "motion/frame.h"
#include "stage.h"

#include <cmath>
#include <cstring>
#include <gtest/gtest.h>
#include <tiny_gltf.h>

namespace stage::output {
namespace {

using test::Rgba8;
using test::TempDir;

tinygltf::Model read(const std::filesystem::path& path) {
    tinygltf::TinyGLTF reader;
    reader.SetImageLoader([](tinygltf::Image*, int, std::string*, std::string*, int, int,
                             const unsigned char*, int, void*) { return true; },
                          nullptr);
    tinygltf::Model model;
    std::string error, warning;
    EXPECT_TRUE(reader.LoadBinaryFromFile(&model, &error, &warning, path.string())) << error;
    return model;
}

std::vector<float> floats(const tinygltf::Model& model, int accessor) {
    const auto& of = model.accessors[static_cast<std::size_t>(accessor)];
    const auto& view = model.bufferViews[static_cast<std::size_t>(of.bufferView)];
    std::vector<float> values(of.count * static_cast<std::size_t>(tinygltf::GetNumComponentsInType(
                                             static_cast<std::uint32_t>(of.type))));
    std::memcpy(values.data(), model.buffers[0].data.data() + view.byteOffset + of.byteOffset,
                values.size() * sizeof(float));
    return values;
}

/// The accessor of the angles of the first camera, over the frames.
int anglesOf(const std::filesystem::path& path, const tinygltf::Model& model) {
    const std::string file = test::readAll(path);
    std::uint32_t size = 0;
    std::memcpy(&size, file.data() + 12, sizeof size);
    const scene::Json json = scene::Json::parse(file.substr(20, size));
    for (const scene::Json& channel : json["animations"][0]["channels"])
        if (channel["target"]["path"] == "pointer") {
            EXPECT_EQ(channel["target"]["extensions"]["KHR_animation_pointer"]["pointer"],
                      "/cameras/0/perspective/yfov");
            return model.animations[0].samplers[channel["sampler"].get<std::size_t>()].output;
        }
    ADD_FAILURE() << "no angles";
    return 0;
}

using Vec = std::array<double, 3>;

/// Where a node's own place is in the world, or the other way round, in a frame.
struct Node {
    Vec at{0, 0, 0}, size{1, 1, 1};
    std::array<double, 4> turn{0, 0, 0, 1};

    Node(const tinygltf::Model& model, int index, std::size_t frame) {
        const tinygltf::Node& node = model.nodes[static_cast<std::size_t>(index)];
        std::copy(node.translation.begin(), node.translation.end(), at.begin());
        std::copy(node.scale.begin(), node.scale.end(), size.begin());
        std::copy(node.rotation.begin(), node.rotation.end(), turn.begin());
        for (const auto& animation : model.animations)
            for (const auto& channel : animation.channels) {
                if (channel.target_node != index) continue;
                const auto values =
                    floats(model, animation.samplers[static_cast<std::size_t>(channel.sampler)].output);
                const auto take = [&](auto& to) {
                    for (std::size_t c = 0; c < to.size(); ++c)
                        to[c] = static_cast<double>(values[frame * to.size() + c]);
                };
                if (channel.target_path == "translation") take(at);
                if (channel.target_path == "rotation") take(turn);
                if (channel.target_path == "scale") take(size);
            }
    }
    /// v + 2 w (q x v) + 2 q x (q x v)
    static Vec turned(const Vec& v, const std::array<double, 4>& q) {
        const auto cross = [](const Vec& a, const Vec& b) {
            return Vec{a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
        };
        const Vec axis{q[0], q[1], q[2]}, once = cross(axis, v), twice = cross(axis, once);
        return {v[0] + 2 * (q[3] * once[0] + twice[0]), v[1] + 2 * (q[3] * once[1] + twice[1]),
                v[2] + 2 * (q[3] * once[2] + twice[2])};
    }
    Vec toWorld(const Vec& own) const {
        const Vec v = turned({own[0] * size[0], own[1] * size[1], own[2] * size[2]}, turn);
        return {v[0] + at[0], v[1] + at[1], v[2] + at[2]};
    }
    Vec fromWorld(const Vec& world) const {
        return turned({world[0] - at[0], world[1] - at[1], world[2] - at[2]},
                      {-turn[0], -turn[1], -turn[2], turn[3]});
    }
};

/// A move with all that a camera can do, past a turned card, a bent one, a rocking one in a turned group, and
/// one that faces the camera.
scene::Scene sceneForGltf(const TempDir& dir) {
    test::writePicture(dir / "a.png", {64, 40}, [](int x, int y) { return Rgba8{4 * x, 6 * y, 90, 255}; });
    test::writePicture(dir / "b.png", {40, 40}, [](int x, int y) {
        return Rgba8{200, 5 * y, 40, std::hypot(x - 20, y - 20) < 18 ? 255 : 0};
    });
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = {160, 90};
    scene.output.frames = 9;
    scene::Mark end = scene.camera.marks[0];
    end.id = 2, end.time = scene::lastTime(scene);
    end.pose.position = {1, 0.5, -2}, end.pose.pan = 200, end.pose.tilt = 25, end.pose.roll = -30;
    end.pose.focal = 50;
    scene.camera.marks.push_back(end);
    const auto layer = [&](std::int64_t id, const char* file, V2i size, V3d at, const auto& change) {
        auto made = std::make_shared<scene::Layer>(
            *test::pictureLayer(id, "Layer " + std::to_string(id), dir / file, size, 3, at));
        change(*made);
        return scene::LayerPtr(made);
    };
    scene::Track rock;
    rock.property = "roll";
    rock.keys = {{Rational(0), -20, {}, false}, {scene::lastTime(scene), 30, {}, false}};
    auto group = std::make_shared<scene::Layer>();
    group->id = 10, group->name = "Group", group->placement.turn = {0, 40, 10},
    group->placement.position = {1, 0, -7};
    scene::Group held;
    held.children = {layer(3, "b.png", {40, 40}, {0.5, 0, -1}, [&](scene::Layer& l) { l.tracks = {rock}; })};
    group->content = held;
    scene.layers = {layer(1, "a.png", {64, 40}, {-2, 0, -9},
                          [](scene::Layer& l) {
                              l.placement.turn = {10, 35, 5};
                          }),
                    layer(2, "a.png", {64, 40}, {0, 1, -12}, [](scene::Layer& l) { l.hanging.bend = 60; }),
                    group, layer(4, "b.png", {40, 40}, {2, 0.5, -6}, [](scene::Layer& l) {
                        l.hanging.facing = scene::Facing::Fully;
                    })};
    auto cloud = std::make_shared<scene::Layer>();
    cloud->id = 20, cloud->name = "Smoke", cloud->content = scene::Cloud{};
    scene.layers.push_back(cloud);
    return scene;
}

TEST(Gltf, IsSeenByItsCameraAsByOurs) {
    const TempDir dir;
    const scene::Scene scene = sceneForGltf(dir);
    media::PixelCache sources;
    const auto written = writeGltf(scene, dir / "set.glb", GltfContent::Set, sources);
    ASSERT_TRUE(written) << written.error().sentence;
    EXPECT_EQ(written->layers, 4);
    EXPECT_EQ(written->leftOut, std::vector<std::string>{"Smoke"});
    const tinygltf::Model model = read(dir / "set.glb");
    EXPECT_EQ(model.extensionsUsed,
              (std::vector<std::string>{"KHR_animation_pointer", "KHR_materials_unlit"}));
    ASSERT_EQ(model.nodes.size(), 5u);
    ASSERT_EQ(model.nodes[0].name, "Camera");
    for (std::size_t n = 0; n < 9; ++n) {
        const motion::Frame frame = motion::evaluate(
            scene, timeOfFrame(static_cast<std::int64_t>(n), scene.output.rate), scene.output.frame);
        const Node camera(model, 0, n);
        // Its angle is told by a channel that the library does not read.
        const double angle = static_cast<double>(floats(model, anglesOf(dir / "set.glb", model))[n]);
        for (std::size_t i = 0; i < frame.items.size(); ++i) {
            const motion::Item& item = frame.items[i];
            if (item.box) continue;
            const auto at = std::find_if(model.nodes.begin(), model.nodes.end(),
                                         [&](const auto& node) { return node.name == item.layer->name; });
            ASSERT_NE(at, model.nodes.end()) << item.layer->name;
            const Node node(model, static_cast<int>(at - model.nodes.begin()), n);
            const auto& primitive = model.meshes[static_cast<std::size_t>(at->mesh)].primitives[0];
            const auto places = floats(model, primitive.attributes.at("POSITION")),
                       shares = floats(model, primitive.attributes.at("TEXCOORD_0"));
            for (std::size_t v = 0; v < places.size() / 3; ++v) {
                const Vec seen = camera.fromWorld(
                    node.toWorld({static_cast<double>(places[3 * v]), static_cast<double>(places[3 * v + 1]),
                                  static_cast<double>(places[3 * v + 2])}));
                const auto ours =
                    optics::project(frame.view, item.card.at(static_cast<double>(shares[2 * v]),
                                                             static_cast<double>(shares[2 * v + 1])));
                if (!ours || seen[2] > -0.2 || ours->length() > 1000) continue;
                const double slope = 45 / std::tan(angle / 2);
                EXPECT_NEAR(80 + slope * seen[0] / -seen[2], ours->x, 0.02)
                    << item.layer->name << ", frame " << n;
                EXPECT_NEAR(45 - slope * seen[1] / -seen[2], ours->y, 0.02)
                    << item.layer->name << ", frame " << n;
            }
        }
    }
    // Pictures and how they are drawn.
    ASSERT_EQ(model.materials.size(), 4u);
    EXPECT_EQ(model.materials[0].alphaMode, "OPAQUE");
    EXPECT_EQ(model.materials[2].alphaMode, "BLEND");
    EXPECT_TRUE(model.materials[0].extensions.contains("KHR_materials_unlit"));
    const auto& view = model.bufferViews[static_cast<std::size_t>(model.images[0].bufferView)];
    test::writeAll(dir / "out.png",
                   std::string(reinterpret_cast<const char*>(model.buffers[0].data.data()) + view.byteOffset,
                               view.byteLength));
    V2i size;
    int channels = 0;
    const auto pixels = test::pixelsOf(dir / "out.png", size, channels);
    ASSERT_EQ(size, V2i(64, 40));
    EXPECT_EQ(pixels[static_cast<std::size_t>(channels * (10 * 64 + 20))], 80);
    EXPECT_EQ(pixels[static_cast<std::size_t>(channels * (10 * 64 + 20) + 1)], 60);
}

TEST(Gltf, OfTheCameraAloneHasNothingElse) {
    const TempDir dir;
    const scene::Scene scene = sceneForGltf(dir);
    media::PixelCache sources;
    ASSERT_TRUE(writeGltf(scene, dir / "camera.glb", GltfContent::Camera, sources));
    const tinygltf::Model model = read(dir / "camera.glb");
    EXPECT_EQ(model.nodes.size(), 1u);
    EXPECT_TRUE(model.meshes.empty());
    EXPECT_EQ(model.cameras.size(), 1u);
}

TEST(Gltf, WhatCannotBeWrittenIsSaid) {
    const TempDir dir;
    scene::Scene scene = sceneForGltf(dir);
    media::PixelCache sources;
    EXPECT_FALSE(writeGltf(scene, dir / "no/set.glb", GltfContent::Camera, sources));
    std::filesystem::remove(dir / "a.png");
    const auto written = writeGltf(scene, dir / "set.glb", GltfContent::Set, sources);
    ASSERT_FALSE(written);
    EXPECT_NE(written.error().sentence.find("Layer 1"), std::string::npos) << written.error().sentence;
    EXPECT_FALSE(std::filesystem::exists(dir / "set.glb"));
    EXPECT_FALSE(std::filesystem::exists(dir / "set.glb.part"));
}

}
}
