// Cameras of other programs: files made by hand, with known answers.
#include "edit/camera_file.h"
#include "motion/camera_move.h"
#include "optics/view.h"
#include "support/support.h"

#include <cmath>
#include <cstring>
#include <gtest/gtest.h>

namespace stage::edit {
namespace {

using scene::Json;
using test::TempDir;

constexpr double pi = 3.14159265358979323846;

std::string bytesOf(const std::vector<float>& values) {
    std::string bytes(values.size() * sizeof(float), '\0');
    std::memcpy(bytes.data(), values.data(), bytes.size());
    return bytes;
}

/// Half the angle about an axis.
Json turned(V3d axis, double degrees) {
    const double half = degrees * pi / 360;
    return {axis.x * std::sin(half), axis.y * std::sin(half), axis.z * std::sin(half), std::cos(half)};
}

scene::Scene wide() {
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = {1920, 1080};
    scene.output.rate = Rational(24);
    scene.output.frames = 10;
    return scene;
}

/// A camera in a node that is turned and moved, which goes 2 units ahead in one second.
Json dolly(const TempDir& dir) {
    const std::string times = bytesOf({0, 1}), places = bytesOf({0, 0, 0, 0, 0, -2});
    test::writeAll(dir / "move.bin", times + places);
    return {
        {"asset", {{"version", "2.0"}}},
        {"buffers", {{{"uri", "move.bin"}, {"byteLength", 32}}}},
        {"bufferViews",
         {{{"buffer", 0}, {"byteOffset", 0}, {"byteLength", 8}},
          {{"buffer", 0}, {"byteOffset", 8}, {"byteLength", 24}}}},
        {"accessors",
         {{{"bufferView", 0},
           {"componentType", 5126},
           {"count", 2},
           {"type", "SCALAR"},
           {"min", {0}},
           {"max", {1}}},
          {{"bufferView", 1}, {"componentType", 5126}, {"count", 2}, {"type", "VEC3"}}}},
        {"cameras",
         {{{"type", "perspective"}, {"name", "Solved"}, {"perspective", {{"yfov", 0.6}, {"znear", 0.1}}}}}},
        {"nodes",
         {{{"name", "Carrier"},
           {"children", {1}},
           {"translation", {10, 1, 0}},
           {"rotation", turned({0, 1, 0}, 90)}},
          {{"name", "Lens"}, {"camera", 0}, {"translation", {0, 0, 0}}}}},
        {"scenes", {{{"nodes", {0}}}}},
        {"animations",
         {{{"samplers", {{{"input", 0}, {"output", 1}}}},
           {"channels", {{{"sampler", 0}, {"target", {{"node", 1}, {"path", "translation"}}}}}}}}}};
}

TEST(CameraPath, OfAFileIsThatOfTheScene) {
    const TempDir dir;
    test::writeAll(dir / "c.gltf", dolly(dir).dump());
    for (const bool marks : {false, true}) {
        const auto taken = cameraFrom(wide(), dir / "c.gltf", {.marks = marks, .metresPerUnit = 0.5});
        ASSERT_TRUE(taken) << taken.error().sentence;
        const auto scene = edit::apply(wide(), *taken);
        ASSERT_TRUE(scene) << scene.error().sentence;
        EXPECT_EQ(scene->output.frames, 25);
        // A quarter turn to the left: ahead is towards -x.
        const motion::CameraMove move(*scene);
        for (const double t : {0.0, 0.25, 0.7, 1.0, 3.0}) {
            const scene::Pose pose = move.at(t);
            EXPECT_NEAR(pose.position.x, 5 - std::min(t, 1.0), 1e-3) << t;
            EXPECT_NEAR(pose.position.y, 0.5, 1e-6);
            EXPECT_NEAR(pose.position.z, 0, 1e-6);
            EXPECT_NEAR(pose.pan, -90, 1e-4);
            EXPECT_NEAR(pose.tilt, 0, 1e-4);
            EXPECT_NEAR(pose.roll, 0, 1e-4);
            // Of 36 mm across, 20.25 up and down.
            EXPECT_NEAR(pose.focal, 20.25 / 2 / std::tan(0.3), 1e-3);
        }
        // A straight way takes two.
        if (marks)
            EXPECT_EQ(scene->camera.marks.size(), 2u);
        else
            EXPECT_EQ(scene->camera.tracks.size(), 1u);
    }
}

TEST(CameraPath, TurnsAsTheFileSays) {
    const TempDir dir;
    Json file = dolly(dir);
    file.erase("animations");
    // Rolled by 30 degrees counterclockwise, looking up by 20, to the right by 70: one about the other.
    file["nodes"] = {{{"rotation", turned({0, 1, 0}, -70)}, {"children", {1}}},
                     {{"rotation", turned({1, 0, 0}, 20)}, {"children", {2}}},
                     {{"rotation", turned({0, 0, 1}, 30)}, {"camera", 0}, {"name", "Lens"}}};
    test::writeAll(dir / "c.gltf", file.dump());
    const auto taken = cameraFrom(wide(), dir / "c.gltf", {.camera = "Solved"});
    ASSERT_TRUE(taken) << taken.error().sentence;
    const auto scene = edit::apply(wide(), *taken);
    ASSERT_TRUE(scene);
    const scene::Pose pose = scene->camera.marks[0].pose;
    EXPECT_NEAR(pose.pan, 70, 1e-6);
    EXPECT_NEAR(pose.tilt, 20, 1e-6);
    const optics::View view = optics::viewOf(pose, scene->camera, scene->output.frame);
    // Counterclockwise as seen from behind the camera: its right side goes up.
    EXPECT_NEAR(view.right.y, std::sin(30 * pi / 180) * std::cos(20 * pi / 180), 1e-9);
    EXPECT_EQ(scene->camera.marks.size(), 1u);
    EXPECT_TRUE(scene->camera.tracks.empty());
    EXPECT_EQ(scene->output.frames, 10);
}

TEST(CameraPath, BrokenFilesAreSaid) {
    const TempDir dir;
    const auto said = [&](const std::string& bytes, const CameraFileOptions& options = {}) {
        test::writeAll(dir / "x.gltf", bytes);
        const auto taken = cameraFrom(wide(), dir / "x.gltf", options);
        EXPECT_FALSE(taken);
        return taken ? std::string() : taken.error().sentence;
    };
    const Json good = dolly(dir);
    EXPECT_NE(said(good.dump(), {.camera = "Other"}).find("no camera 'Other'"), std::string::npos);
    Json bad = good;
    bad["nodes"][1].erase("camera");
    EXPECT_NE(said(bad.dump()).find("no camera in it"), std::string::npos);
    EXPECT_NE(said("").find("glTF"), std::string::npos);
    EXPECT_NE(said("{\"asset\":").find("glTF"), std::string::npos);
    bad = good;
    bad["accessors"][1]["count"] = 4'000'000'000u;
    EXPECT_NE(said(bad.dump()), "");
    bad = good;
    bad["bufferViews"][1]["byteOffset"] = 30;
    EXPECT_NE(said(bad.dump()), "");
    bad = good;
    bad["animations"][0]["samplers"][0]["output"] = 77;
    EXPECT_NE(said(bad.dump()), "");
    bad = good;
    bad["nodes"][1]["children"] = {0};
    EXPECT_NE(said(bad.dump()), "");
    test::writeAll(dir / "move.bin", bytesOf({0, 1e9f, 0, 0, 0, 0, 0, -2}));
    EXPECT_NE(said(good.dump()).find("too long"), std::string::npos);
    test::writeAll(dir / "move.bin", bytesOf({0, 1, 0, 0, 0, 0, std::nanf(""), -2}));
    EXPECT_NE(said(good.dump()).find("no numbers"), std::string::npos);
    EXPECT_FALSE(cameraFrom(wide(), dir / "none.glb"));
    // And edits that are made by hand.
    for (const Json& poses :
         {Json::array(), Json{{{"time", "1"}}, {{"time", "1"}}}, Json{{{"time", "0"}, {"pan", "x"}}}})
        EXPECT_FALSE(edit::apply(wide(), {{"edit", "camera-path"}, {"poses", poses}})) << poses;
}

}
}
