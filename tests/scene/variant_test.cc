// Size variants of a scene: what of its view each of them sees, and how they are read.
#include "scene/variant.h"

#include "scene/scene_json.h"

#include <gtest/gtest.h>

namespace stage::scene {
namespace {

Scene wide() {
    Scene scene = emptyScene();
    scene.output.frame = {1920, 1080};
    scene.camera.gate = 36;
    return scene;
}

TEST(Variant, KeepsWhatItIsToldTo) {
    // 36 mm across are 20.25 mm up and down.
    EXPECT_DOUBLE_EQ(gateFor(36, {1920, 1080}, {1080, 1920}, Keep::Width), 36);
    EXPECT_DOUBLE_EQ(gateFor(36, {1920, 1080}, {1080, 1920}, Keep::Height), 20.25 * 1080 / 1920);
    EXPECT_DOUBLE_EQ(gateFor(36, {1920, 1080}, {1080, 1920}, Keep::Shorter), 20.25);
    EXPECT_DOUBLE_EQ(gateFor(36, {1920, 1080}, {1080, 1080}, Keep::Shorter), 20.25);
}

TEST(Variant, ShiftsInItsOwnSizes) {
    Scene scene = wide();
    scene.camera.shift = {1, 2};
    scene.output.variants = {{"upright", {1080, 1920}, Keep::Height, {0.5, -0.25}}};
    const Scene in = inVariant(scene, scene.output.variants.front());
    EXPECT_EQ(in.output.frame, V2i(1080, 1920));
    EXPECT_TRUE(in.output.variants.empty());
    EXPECT_NEAR(in.camera.shift.x, 1 + 0.5 * 11.390625, 1e-12);
    EXPECT_NEAR(in.camera.shift.y, 2 - 0.25 * 20.25, 1e-12);
    EXPECT_EQ(findVariant(scene, "upright"), &scene.output.variants.front());
    EXPECT_EQ(findVariant(scene, "square"), nullptr);
}

TEST(Variant, IsReadAsWritten) {
    Scene scene = wide();
    scene.camera.shift = {0, 4.5};
    scene.output.variants = {{"upright", {1080, 1920}, Keep::Height, {0.1, 0}},
                             {"square", {1080, 1080}, Keep::Shorter, V2d(0)}};
    const auto read = sceneFromJson(toJson(scene));
    ASSERT_TRUE(read) << read.error().sentence;
    EXPECT_EQ(read->output.variants, scene.output.variants);
    EXPECT_EQ(read->camera.shift, scene.camera.shift);
}

TEST(Variant, WithoutAUsableNameIsRefused) {
    const auto refused = [](const Json& variants) {
        Json json = toJson(wide());
        json["output"]["variants"] = variants;
        const auto read = sceneFromJson(json);
        return read ? std::string() : read.error().sentence;
    };
    const auto named = [](const std::string& name) { return Json{{"name", name}, {"frame", {64, 64}}}; };
    EXPECT_EQ(refused(Json::array({named("a"), named("b")})), "");
    for (const std::string name : {"", "a/b", "../x", ".hidden", "n#", "a\nb"})
        EXPECT_NE(refused(Json::array({named(name)})), "") << name;
    EXPECT_NE(refused(Json::array({named("a"), named("a")})).find("'a'"), std::string::npos);
    EXPECT_NE(refused(Json::array({{{"name", "a"}}})), "");
    EXPECT_NE(refused(Json::array({{{"name", "a"}, {"frame", {64, 64}}, {"shift", {9, 0}}}})), "");
}

}
}
