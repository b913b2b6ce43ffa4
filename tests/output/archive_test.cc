// A scene with its files in one zip file, and back: nothing outside of it is needed, and nothing gets out of
// it.
#include "output/archive.h"
#include "scene/file.h"
#include "scene/scene_json.h"
#include "stage.h"

#include <gtest/gtest.h>

namespace stage::output {
namespace {

using test::Rgba8;
using test::TempDir;
namespace fs = std::filesystem;

void paint(const fs::path& path, int red) {
    fs::create_directories(path.parent_path());
    test::writePicture(path, {32, 32}, [&](int x, int y) { return Rgba8{red, 8 * x, 8 * y, 255}; });
}

scene::LayerPtr clip(std::int64_t id, const fs::path& pattern) {
    auto layer = std::make_shared<scene::Layer>();
    layer->id = id, layer->name = "clip", layer->pixels = {32, 32}, layer->metresPerPixel = 0.1;
    layer->placement.position = {-1.5, 0, -8};
    scene::Footage footage;
    footage.media.path = pattern.string();
    footage.rate = Rational(24), footage.frames = 3, footage.number = 8;
    layer->content = footage;
    return layer;
}

/// Two files of one name, a sequence, a look, a text.
scene::Scene gathered(const TempDir& dir) {
    scene::Scene scene = scene::emptyScene();
    scene.output.frame = {64, 36}, scene.output.frames = 3;
    paint(dir / "one/a.png", 200), paint(dir / "two/A.png", 20);
    for (const char* name : {"s/f.08.png", "s/f.09.png", "s/f.10.png"})
        paint(dir / name, 100);
    test::writeAll(dir / "looks/dark.cube",
                   "LUT_3D_SIZE 2\n0 0 0\n.5 0 0\n0 .5 0\n.5 .5 0\n0 0 .5\n.5 0 .5\n0 .5 .5\n.5 .5 .5\n");
    scene.layers = {test::pictureLayer(1, "one", dir / "one/a.png", {32, 32}, 4, {-1, 0, -10}),
                    test::pictureLayer(2, "two", dir / "two/A.png", {32, 32}, 4, {2, 0, -9}),
                    clip(3, dir / "s/f.##.png")};
    scene.grade.look.path = (dir / "looks/dark.cube").string();
    auto text = std::make_shared<scene::Layer>();
    text->id = 4, text->name = "text", text->pixels = {40, 20}, text->metresPerPixel = 0.02;
    scene::Text content;
    content.text = "Quay", content.font = "B612 Bold";
    text->content = content;
    text->placement.position = {0, 0, -5};
    scene.layers.push_back(text);
    return scene;
}

render::Samples<std::uint8_t> shown(const scene::Scene& scene) {
    media::PixelCache sources;
    const auto picture = render::render(motion::evaluate(scene, 0, {64, 36}), {}, sources);
    EXPECT_TRUE(picture) << picture.error().sentence;
    return picture ? render::encoded<std::uint8_t>(*picture) : render::Samples<std::uint8_t>();
}

TEST(Archive, HoldsAllThatASceneUses) {
    const TempDir dir, away;
    fs::create_directory(dir / "looks");
    const scene::Scene before = gathered(dir);
    const auto pixels = shown(before);
    const auto archived = writeArchive(before, away / "quay.zip");
    ASSERT_TRUE(archived) << archived.error().sentence;
    EXPECT_EQ(archived->files, 6u);
    EXPECT_EQ(archived->fonts, std::set<std::string>{"B612 Bold"});
    // An independent reader finds it in order.
    const auto listed =
        test::run("python3 -c \"import "
                  "zipfile,sys;z=zipfile.ZipFile(sys.argv[1]);print(z.testzip(),*sorted(z.namelist()))\" " +
                  (away / "quay.zip").string());
    EXPECT_EQ(listed.printed,
              "None fonts.txt media/A-2.png media/a.png media/dark.cube media/f.sequence/f.08.png "
              "media/f.sequence/f.09.png media/f.sequence/f.10.png scene.ostage\n");
    for (const char* folder : {"one", "two", "s", "looks"})
        fs::remove_all(dir / folder);
    const auto file = unpackArchive(away / "quay.zip", away / "quay");
    ASSERT_TRUE(file) << file.error().sentence;
    EXPECT_EQ(*file, away / "quay/quay.ostage"); // called as the archive
    const auto after = scene::load(*file);
    ASSERT_TRUE(after);
    EXPECT_EQ(shown(*after), pixels);
    // It can be moved as it is.
    fs::rename(away / "quay", away / "moved");
    EXPECT_EQ(shown(*scene::load(away / "moved/quay.ostage")), pixels);
}

TEST(Archive, IsWholeOrNotAtAll) {
    const TempDir dir;
    scene::Scene scene = scene::emptyScene();
    scene.layers = {test::pictureLayer(1, "gone", dir / "gone.png", {32, 32}, 4, {0, 0, -10})};
    const auto refused = writeArchive(scene, dir / "a.zip");
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().sentence.find("gone.png"), std::string::npos);
    scene.layers.clear();
    EXPECT_FALSE(writeArchive(scene, dir / "none/a.zip"));
    paint(dir / "a.png", 5);
    scene.layers = {test::pictureLayer(1, "a", dir / "a.png", {32, 32}, 4, {0, 0, -10})};
    std::stop_source stop;
    stop.request_stop();
    const auto stopped = writeArchive(scene, dir / "a.zip", {{}, stop.get_token()});
    ASSERT_FALSE(stopped);
    EXPECT_TRUE(stopped.error().cancelled);
    EXPECT_EQ(filesIn(dir.path()), 1u);
}

TEST(Archive, WhatWouldGetOutOfTheFolderIsRefused) {
    const TempDir dir;
    const std::string empty = scene::toJson(scene::emptyScene()).dump();
    const auto refused = [&](const std::vector<test::Member>& members, const char* says) {
        test::writeZip(dir / "a.zip", members);
        const auto result = unpackArchive(dir / "a.zip", dir / "out");
        EXPECT_FALSE(result) << says;
        if (!result) {
            EXPECT_NE(result.error().sentence.find(says), std::string::npos) << result.error().sentence;
        }
        EXPECT_EQ(filesIn(dir.path()), 1u) << says;
    };
    refused({{"scene.ostage", empty}, {"../evil", "x"}}, "outside of the folder");
    refused({{"scene.ostage", empty}, {"media/../../evil", "x"}}, "outside of the folder");
    refused({{"scene.ostage", empty}, {"/tmp/evil", "x"}}, "outside of the folder");
    refused({{"scene.ostage", empty}, {"media\\..\\..\\evil", "x"}}, "outside of the folder");
    refused({{"scene.ostage", empty}, {"a", "x"}, {"a", "y"}}, "twice");
    refused({{"scene.ostage", empty}, {"a", "x"}, {"a/b", "y"}}, "cannot be written there");
    refused({{"media/a", "x"}}, "no scene.ostage");
    refused({{"scene.ostage", "{"}}, "scene.ostage");
    test::writeAll(dir / "a.zip", "no zip at all");
    EXPECT_FALSE(unpackArchive(dir / "a.zip", dir / "out"));
    test::writeZip(dir / "a.zip", {{"scene.ostage", empty}});
    const std::string bytes = test::readAll(dir / "a.zip");
    test::writeAll(dir / "a.zip", bytes.substr(0, bytes.size() / 2));
    EXPECT_FALSE(unpackArchive(dir / "a.zip", dir / "out"));
    fs::create_directory(dir / "out");
    test::writeZip(dir / "a.zip", {{"scene.ostage", empty}});
    const auto there = unpackArchive(dir / "a.zip", dir / "out");
    ASSERT_FALSE(there);
    EXPECT_NE(there.error().sentence.find("already"), std::string::npos);
    EXPECT_TRUE(unpackArchive(dir / "a.zip", dir / "new/"));
}

}
}
