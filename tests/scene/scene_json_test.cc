#include "scene/file.h"
#include "scene/scene_json.h"
#include "support/support.h"

#include <gtest/gtest.h>

namespace stage::scene {
namespace {

const char* smallest =
    R"({"format":"open-stage scene","version":1,"camera":{"marks":[{"id":1,"time":"0"}]},"layers":[]})";

Json with(const std::string& pointer, const Json& value) {
    Json json = Json::parse(smallest);
    json[Json::json_pointer(pointer)] = value;
    return json;
}

Json layer(int id, const std::string& name) {
    return {{"id", id},         {"name", name},          {"kind", "picture"},
            {"pixels", {4, 3}}, {"metresPerPixel", 0.5}, {"media", {{"path", "a.png"}}}};
}

TEST(SceneJson, SmallestSceneHasDefaults) {
    const auto scene = sceneFromJson(Json::parse(smallest));
    ASSERT_TRUE(scene) << scene.error().sentence;
    EXPECT_EQ(scene->output.frame, V2i(1920, 1080));
    EXPECT_EQ(scene->output.rate, Rational(24));
    EXPECT_EQ(scene->camera.gate, 36.0);
    EXPECT_EQ(scene->camera.marks[0].pose.focal, 35.0);
}

TEST(SceneJson, WritingAndReadingKeepsEverything) {
    Json json = with("/layers/0", layer(3, "Boat"));
    json["layers"][0]["turn"] = {1.5, -2.25, 0.1};
    json["layers"][0]["blend"] = "multiply";
    json["layers"][0]["opacity"] = 0.1234567890123456;
    json["layers"][1] = {{"id", 4}, {"name", "Group"}, {"kind", "group"}, {"layers", {layer(5, "Inner")}}};
    json["layers"][2] = {
        {"id", 6},          {"name", "T"},           {"kind", "text"},
        {"pixels", {9, 9}}, {"metresPerPixel", 1.0}, {"text", {{"text", "Grüße\nzwei"}, {"align", "right"}}}};
    json["layers"][3] = {{"id", 7},
                         {"name", "F"},
                         {"kind", "footage"},
                         {"pixels", {9, 9}},
                         {"metresPerPixel", 1.0},
                         {"media", {{"path", "c.mp4"}}},
                         {"rate", "30000/1001"},
                         {"frames", 12},
                         {"start", "-1/3"}};
    json["camera"]["marks"][0]["pace"] = "soft both";
    json["output"]["rate"] = "24000/1001";
    const auto scene = sceneFromJson(json);
    ASSERT_TRUE(scene) << scene.error().sentence;
    const auto again = sceneFromJson(toJson(*scene));
    ASSERT_TRUE(again);
    EXPECT_EQ(toJson(*scene), toJson(*again));
    EXPECT_EQ(again->layers[0]->opacity, 0.1234567890123456);
    EXPECT_EQ(again->layers[0]->blend, Blend::Multiply);
    EXPECT_EQ(again->layers[1]->group()->children[0]->name, "Inner");
    EXPECT_EQ(std::get<Text>(again->layers[2]->content).text, "Grüße\nzwei");
    EXPECT_EQ(std::get<Footage>(again->layers[3]->content).start, Rational(-1, 3));
    EXPECT_EQ(again->camera.marks[0].pace, (Pace{.42, 0, .58, 1}));
}

TEST(SceneJson, UnknownMembersSurvive) {
    Json json = with("/layers/0", layer(3, "Boat"));
    json["later"] = {{"a", 1}};
    json["layers"][0]["relief"] = "deep";
    json["camera"]["aperture"] = 5;
    json["camera"]["marks"][0]["mood"] = {1, 2, 3};
    json["output"]["looks"] = {"x"};
    const auto scene = sceneFromJson(json);
    ASSERT_TRUE(scene);
    const Json out = toJson(*scene);
    EXPECT_EQ(out["later"], json["later"]);
    EXPECT_EQ(out["layers"][0]["relief"], "deep");
    EXPECT_EQ(out["camera"]["aperture"], 5);
    EXPECT_EQ(out["camera"]["marks"][0]["mood"], Json({1, 2, 3}));
    EXPECT_EQ(out["output"]["looks"], Json({"x"}));
}

struct Bad {
    const char* pointer;
    Json value;
    const char* sentence;
};

TEST(SceneJson, BadMembersAreNamedWithTheirPlace) {
    const std::vector<Bad> table = {
        {"/format", "other", "this is not an Open Stage scene"},
        {"/version", 2,
         "it was written by a newer Open Stage (format 2; this one reads up to 1); update the program to "
         "open it"},
        {"/homeDepth", -1, "'homeDepth' is -1, which is not within 0.001 and 10000000"},
        {"/camera/marks", Json::array(), "'camera.marks' is empty; a camera needs at least one mark"},
        {"/camera/marks/0/time", "1/0", "'camera.marks[0].time' is not a fraction such as \"41/12\""},
        {"/camera/marks/0/time", "99999999999999999999",
         "'camera.marks[0].time' is not a fraction such as \"41/12\""},
        {"/camera/marks/0/focal", "long", "'camera.marks[0].focal' should be a number but is a text"},
        {"/camera/marks/0/pace",
         {2, 0, 0, 1},
         "'camera.marks[0].pace': the first and third number must be within 0 and 1"},
        {"/camera/marks/1",
         {{"id", 2}, {"time", "0"}},
         "'camera.marks[1].time' is not after the mark before it"},
        {"/layers", 5, "'layers' should be a list but is a number"},
        {"/layers/0", Json::array(), "'layers[0]' should be an object but is a list"},
        {"/layers/0", {{"id", 1}}, "'layers[0].name' is missing"},
        {"/output", {{"frame", {0, 10}}}, "'output.frame[0]' is 0, which is not within 16 and 16384"},
        {"/output", {{"rate", "0"}}, "'output.rate' is 0/1, which is not within 1/10 and 1000/1"},
    };
    for (const Bad& bad : table) {
        const auto scene = sceneFromJson(with(bad.pointer, bad.value));
        ASSERT_FALSE(scene) << bad.pointer;
        EXPECT_EQ(scene.error().sentence, bad.sentence);
    }
}

TEST(SceneJson, NestedMemberIsFound) {
    Json json =
        with("/layers/0",
             {{"id", 4}, {"name", "G"}, {"kind", "group"}, {"layers", {layer(5, "a"), layer(6, "b")}}});
    json["layers"][0]["layers"][1]["position"] = {1, "x", 2};
    const auto scene = sceneFromJson(json);
    ASSERT_FALSE(scene);
    EXPECT_EQ(scene.error().sentence, "'layers[0].layers[1].position[1]' should be a number but is a text");
}

TEST(SceneJson, SameIdTwiceIsRefused) {
    Json json = with("/layers/0", layer(3, "a"));
    json["layers"][1] = layer(3, "b");
    EXPECT_EQ(sceneFromJson(json).error().sentence, "two layers have the id 3");
}

TEST(SceneJson, AMillionLayersAreRefusedQuickly) {
    Json json = Json::parse(smallest);
    json["layers"] = Json::array();
    for (int i = 0; i < 1'000'000; ++i)
        json["layers"].push_back(nullptr);
    EXPECT_EQ(sceneFromJson(json).error().sentence,
              "'layers' has 1000000 entries; at most 10000 are possible");
}

TEST(SceneJson, GroupsNestedTooDeepAreRefused) {
    Json inner = layer(1000, "leaf");
    for (int i = 0; i < 40; ++i)
        inner = {{"id", i + 1}, {"name", "g"}, {"kind", "group"}, {"layers", {inner}}};
    const auto scene = sceneFromJson(with("/layers/0", inner));
    ASSERT_FALSE(scene);
    EXPECT_NE(scene.error().sentence.find("groups are nested deeper than 32"), std::string::npos);
}

TEST(ParseJson, SaysWhere) {
    EXPECT_NE(parseJson("{\"a\": NaN}").error().sentence.find("line 1, column"), std::string::npos);
    EXPECT_NE(parseJson("{\n\"a\": 1,\n}").error().sentence.find("line 3, column"), std::string::npos);
    EXPECT_FALSE(parseJson("{\"a\": 1e999}"));
    EXPECT_FALSE(parseJson(""));
    EXPECT_NE(parseJson(std::string(200'000, '[')).error().sentence.find("nested deeper"), std::string::npos);
}

TEST(SceneFile, MediaPathsAreRelativeOnDiskAndAbsoluteInMemory) {
    const test::TempDir dir;
    std::filesystem::create_directories(dir / "art");
    Scene scene = emptyScene();
    scene.layers.push_back(test::pictureLayer(1, "A", dir / "art/a.png", {4, 3}, 1, V3d(0)));
    ASSERT_TRUE(save(scene, dir / "s.ostage"));
    EXPECT_EQ(Json::parse(test::readAll(dir / "s.ostage"))["layers"][0]["media"]["path"], "art/a.png");
    const auto again = load(dir / "s.ostage");
    ASSERT_TRUE(again);
    EXPECT_EQ(mediaOf(*again->layers[0])->path, (dir / "art/a.png").string());
}

TEST(SceneFile, ErrorsNameTheFile) {
    const test::TempDir dir;
    EXPECT_EQ(load(dir / "none.ostage").error().sentence,
              "Cannot read " + (dir / "none.ostage").string() + ": it does not exist.");
    test::writeAll(dir / "cut.ostage", std::string(smallest).substr(0, 60));
    const auto cut = load(dir / "cut.ostage");
    ASSERT_FALSE(cut);
    EXPECT_TRUE(cut.error().sentence.starts_with("Cannot open " + (dir / "cut.ostage").string() +
                                                 ": it is not valid JSON"));
    EXPECT_FALSE(load(dir.path()));
}

TEST(SceneFile, FailedSaveLeavesTheOldFile) {
    const test::TempDir dir;
    Scene scene = emptyScene();
    ASSERT_TRUE(save(scene, dir / "s.ostage"));
    const std::string before = test::readAll(dir / "s.ostage");
    std::filesystem::create_directories(dir / "taken.ostage/inside");
    EXPECT_FALSE(save(scene, dir / "taken.ostage")); // a folder cannot be renamed over
    EXPECT_FALSE(save(scene, dir / "no such folder/s.ostage"));
    EXPECT_EQ(test::readAll(dir / "s.ostage"), before);
    std::size_t files = 0;
    for ([[maybe_unused]] const auto& entry : std::filesystem::directory_iterator(dir.path()))
        ++files;
    EXPECT_EQ(files, 2u); // nothing half written lies about
}

TEST(SceneJson, TracksOfEarlierFilesAreReadByTheirFormerNames) {
    Json json = toJson(emptyScene());
    json["camera"]["tracks"] = Json::parse(
        R"([{"property": "height", "keys": [{"time": 0, "value": 1}, {"time": 1, "value": 2}], "beside": "go on"},
            {"property": "roll", "link": {"property": "height"}}])");
    const auto scene = sceneFromJson(json);
    ASSERT_TRUE(scene) << scene.error().sentence;
    const auto& tracks = scene->camera.tracks;
    ASSERT_EQ(tracks.size(), 2u);
    EXPECT_EQ(tracks[0].property, "up");
    EXPECT_EQ(tracks[0].extrapolation, Extrapolation::LoopWithOffset);
    EXPECT_EQ(tracks[1].link->property, "up");
    const Json written = toJson(*scene)["camera"]["tracks"][0];
    EXPECT_EQ(written["property"], "up");
    EXPECT_EQ(written["extrapolation"], "loop with offset");
    EXPECT_FALSE(written.contains("beside"));
}

}
}
