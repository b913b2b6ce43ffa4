// Media that are looked for in a folder.
#include "edit/bring_in.h"
#include "edit/relink.h"
#include "scene/scene_json.h"
#include "support/support.h"

#include <gtest/gtest.h>

namespace stage::edit {
namespace {

using test::Rgba8;

struct Relink : ::testing::Test {
    test::TempDir dir;
    scene::Scene scene = scene::emptyScene();

    void picture(const std::string& name, int shade) {
        std::filesystem::create_directories((dir / name).parent_path());
        test::writePicture(dir / name, {24, 16}, [shade](int x, int) { return Rgba8{shade, 9 * x, 40}; });
    }
    void bring(const std::vector<std::filesystem::path>& files) {
        const auto brought = bringIn(scene, files);
        ASSERT_TRUE(brought) << brought.error().sentence;
        scene = *edit::apply(scene, brought->edit);
    }
    std::string pathOf(std::size_t layer) const { return scene::mediaOf(*scene.layers[layer])->path; }
    void relink() {
        const auto found = findMissing(scene, dir.path());
        ASSERT_TRUE(found) << found.error().sentence;
        ASSERT_FALSE(found->edit.is_null());
        const auto made = edit::apply(scene, found->edit);
        ASSERT_TRUE(made) << made.error().sentence;
        scene = *made;
    }
};

TEST_F(Relink, OfSeveralOfOneNameTheSameContentsAreTaken) {
    picture("old/sky.png", 10);
    bring({dir / "old/sky.png"});
    picture("a/sky.png", 90); // another picture of that name, and first by its path
    std::filesystem::create_directories(dir / "z");
    std::filesystem::rename(dir / "old/sky.png", dir / "z/sky.png");
    relink();
    EXPECT_EQ(pathOf(0), (dir / "z/sky.png").string());
}

TEST_F(Relink, ElseTheFirstByItsPath) {
    picture("old/sky.png", 10);
    bring({dir / "old/sky.png"});
    std::filesystem::remove(dir / "old/sky.png");
    picture("b/sky.png", 90);
    picture("a/sky.png", 120);
    relink();
    EXPECT_EQ(pathOf(0), (dir / "a/sky.png").string());
}

TEST_F(Relink, WhatIsThereStaysAndWhatIsNotFoundIsNamed) {
    picture("one.png", 10);
    picture("two.png", 20);
    picture("three.png", 30);
    bring({dir / "one.png", dir / "two.png", dir / "three.png"});
    std::filesystem::create_directories(dir / "moved");
    std::filesystem::rename(dir / "two.png", dir / "moved/two.png");
    std::filesystem::remove(dir / "three.png");
    const auto found = findMissing(scene, dir.path());
    ASSERT_TRUE(found);
    EXPECT_EQ(found->missing, std::vector<std::string>{"three.png"});
    scene = *edit::apply(scene, found->edit);
    EXPECT_EQ(pathOf(0), (dir / "one.png").string());
    EXPECT_EQ(pathOf(1), (dir / "moved/two.png").string());
    EXPECT_EQ(pathOf(2), (dir / "three.png").string());
}

TEST_F(Relink, ASequenceIsFoundByItsFirstPicture) {
    for (const char* name : {"in/rain.0003.png", "in/rain.0004.png", "in/rain.0005.png"})
        picture(name, 60);
    bring({dir / "in/rain.####.png"});
    std::filesystem::create_directories(dir / "else");
    std::filesystem::rename(dir / "in", dir / "else/in");
    relink();
    EXPECT_EQ(pathOf(0), (dir / "else/in/rain.####.png").string());
}

TEST_F(Relink, SaysWhyItCannotLook) {
    picture("one.png", 10);
    bring({dir / "one.png"});
    EXPECT_EQ(findMissing(scene, dir.path()).error().sentence, "No media are missing.");
    std::filesystem::remove(dir / "one.png");
    const auto nowhere = findMissing(scene, dir / "no such folder");
    ASSERT_FALSE(nowhere);
    EXPECT_NE(nowhere.error().sentence.find("no such folder"), std::string::npos);
    picture("another.png", 10);
    std::stop_source stop;
    stop.request_stop();
    const auto stopped = findMissing(scene, dir.path(), {{}, stop.get_token()});
    ASSERT_FALSE(stopped);
    EXPECT_TRUE(stopped.error().cancelled);
    const auto found = findMissing(scene, dir.path());
    ASSERT_TRUE(found);
    EXPECT_TRUE(found->edit.is_null());
}

}
}
