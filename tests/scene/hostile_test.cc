// Scenes and edits damaged at random: an error or a valid result, never a crash, a hang or a bad value let
// through.
#include "scene/fields.h"
#include "scene/file.h"
#include "scene/scene_json.h"
#include "support/support.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace stage::scene {
namespace {

Json demo() {
    return Json::parse(test::readAll(test::sourceFolder() + "/demo/lantern-quay.ostage"));
}

/// Every place in a JSON value, as pointers.
void placesIn(const Json& json, const Json::json_pointer& at, std::vector<Json::json_pointer>& places) {
    places.push_back(at);
    if (json.is_object())
        for (const auto& [key, value] : json.items())
            placesIn(value, at / key, places);
    if (json.is_array())
        for (std::size_t i = 0; i < json.size(); ++i)
            placesIn(json[i], at / i, places);
}

TEST(Hostile, AnyMemberReplacedByAnything) {
    const Json good = demo();
    std::vector<Json::json_pointer> places;
    placesIn(good, Json::json_pointer(), places);
    const std::vector<Json> junk = {nullptr,
                                    true,
                                    -1,
                                    0,
                                    1e308,
                                    -1e308,
                                    3.5,
                                    "",
                                    "x",
                                    std::string(3000, 'y'),
                                    std::string("a\0b", 3),
                                    Json::array(),
                                    Json::object(),
                                    {1, 2, 3, 4},
                                    "1/0",
                                    "-9223372036854775808/3",
                                    9223372036854775807};
    std::size_t refused = 0;
    for (const auto& place : places) {
        if (place.empty()) continue;
        for (const Json& bad : junk) {
            Json json = good;
            json[place] = bad;
            const auto scene = sceneFromJson(json);
            if (!scene) {
                ++refused;
                EXPECT_FALSE(scene.error().sentence.empty());
                continue;
            }
            // what is let through is usable and can be written and read again
            forEach(*scene, [&](const LayerPtr& layer, const auto&) {
                ASSERT_TRUE(std::isfinite(layer->placement.position.x) &&
                            std::isfinite(layer->placement.scale.x) && layer->opacity >= 0 &&
                            layer->opacity <= 1);
            });
            ASSERT_FALSE(scene->camera.marks.empty());
            ASSERT_TRUE(sceneFromJson(toJson(*scene)))
                << place.to_string() << " = " << bad.dump().substr(0, 60);
        }
    }
    EXPECT_GT(refused, places.size());
}

TEST(Hostile, BytesFlippedInTheFile) {
    const std::string good = test::readAll(test::sourceFolder() + "/demo/lantern-quay.ostage");
    std::mt19937 random(11);
    int refused = 0;
    for (int round = 0; round < 400; ++round) {
        std::string bytes = good;
        for (int i = 0; i < 1 + round % 8; ++i)
            bytes[random() % bytes.size()] = static_cast<char>(random() % 256);
        const auto json = parseJson(bytes);
        if (!json || !sceneFromJson(*json)) ++refused;
    }
    EXPECT_GT(refused, 100);
}

/// Ten thousand layers that lead each other are judged by one look, not by one a layer.
TEST(HostileScenes, CrowdsOfFollowers) {
    const auto crowd = [](bool chain) {
        Json json = toJson(emptyScene());
        for (int id = 1; id <= 10'000; ++id)
            json["layers"].push_back({{"id", id},
                                      {"name", "L" + std::to_string(id)},
                                      {"kind", "group"},
                                      {"layers", Json::array()},
                                      {"follows", id == 1 ? 0
                                                  : chain ? id - 1
                                                          : 1}});
        return sceneFromJson(json);
    };
    const auto star = crowd(false);
    ASSERT_TRUE(star) << star.error().sentence;
    EXPECT_EQ(all(*star).back().carriers.size(), 1u);
    const auto chain = crowd(true);
    ASSERT_FALSE(chain);
    EXPECT_NE(chain.error().sentence.find("too many layers in a row"), std::string::npos);
}

/// A scene that is saved through a symbolic link goes where the link leads, and the link stays.
TEST(Files, AreSavedBehindLinks) {
    const test::TempDir dir;
    std::filesystem::create_directory(dir / "real");
    const auto real = dir / "real" / "s.ostage";
    ASSERT_TRUE(save(emptyScene(), real));
    std::filesystem::create_symlink(real, dir / "link.ostage");
    Scene scene = emptyScene();
    scene.homeDepth = 7;
    ASSERT_TRUE(save(scene, dir / "link.ostage"));
    EXPECT_TRUE(std::filesystem::is_symlink(dir / "link.ostage"));
    const auto read = load(real);
    ASSERT_TRUE(read);
    EXPECT_EQ(read->homeDepth, 7);
}

/// Values stand in sentences as far as they are short and text.
TEST(Sentences, ShowValuesWhole) {
    EXPECT_EQ(shown(Json{{"a", 1}}), R"({"a":1})");
    EXPECT_EQ(shown("\xc3\x28"), "\"\xef\xbf\xbd(\"");
    const std::string text = shown(std::string(500, 'x'));
    EXPECT_EQ(text.size(), 83u);
    EXPECT_TRUE(text.ends_with("xxx..."));
}

}
}
