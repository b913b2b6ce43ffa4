// Scene files, media and movies as the desk handles them, without its views.
#include "desk/files/media_files.h"
#include "desk/files/media_watch.h"
#include "desk/files/output_writer.h"
#include "desk/files/scene_files.h"
#include "desk/kit/settings.h"
#include "support/support.h"

#include <QMenu>
#include <QSignalSpy>
#include <QTest>
#include <QWidget>
#include <gtest/gtest.h>

namespace stage::desk {
namespace {

struct Files : ::testing::Test {
    Files() { settings().clear(); }
    ~Files() override { session.document.close(); }

    test::TempDir dir;
    QWidget window;
    Session session{dir / "journals"};
    SceneFiles scenes{&window, session, dir / "journals"};
    MediaFiles media{&window, session};
    MediaWatch watch{&window, session, media};
    OutputWriter writer{&window, session};

    QStringList recent() {
        QMenu menu;
        scenes.fillRecent(&menu);
        QStringList names;
        for (const QAction* action : menu.actions())
            names << action->text();
        return names;
    }
    void save(const std::string& name) { ASSERT_TRUE(session.document.save(dir / (name + ".ostage"))); }
    void addPicture(const char* name) {
        test::writePicture(dir / name, {64, 36}, [](int x, int) { return test::Rgba8{x, 90, 40}; });
        QSignalSpy in(&media, &MediaFiles::broughtIn);
        media.bringIn({dir / name});
        ASSERT_TRUE(in.wait(10000));
        ASSERT_TRUE(in[0][0].toBool());
    }
    const scene::Scene& scene() { return *session.scene(); }
};

// ---- scenes

TEST_F(Files, ASavedSceneOpensAgain) {
    ASSERT_TRUE(session.document.apply({{"edit", "add-card"}, {"name", "Sky"}}));
    save("a");
    scenes.startNew();
    EXPECT_TRUE(scene().layers.empty());
    ASSERT_TRUE(scenes.open(dir / "a.ostage"));
    ASSERT_EQ(scene().layers.size(), 1u);
    EXPECT_EQ(scene().layers[0]->name, "Sky");
    EXPECT_EQ(session.document.path(), dir / "a.ostage");
    EXPECT_FALSE(session.document.modified());
}

TEST_F(Files, WhatCannotBeReadIsToldAndTheSceneStays) {
    ASSERT_TRUE(session.document.apply({{"edit", "add-card"}, {"name", "Sky"}}));
    test::writeAll(dir / "bad.ostage", "{\"layers\": 7");
    QSignalSpy told(&session, &Session::problem);
    EXPECT_FALSE(scenes.open(dir / "bad.ostage"));
    EXPECT_FALSE(scenes.open(dir / "none.ostage"));
    EXPECT_EQ(told.count(), 2);
    ASSERT_EQ(scene().layers.size(), 1u);
}

TEST_F(Files, TheLatestScenesAreListedFirstOnceEachAndThoseThatAreThere) {
    EXPECT_EQ(recent(), QStringList{QStringLiteral("None yet")});
    for (const char* name : {"a", "b", "c"})
        save(name);
    EXPECT_EQ(recent(), (QStringList{QStringLiteral("c"), QStringLiteral("b"), QStringLiteral("a")}));
    save("a");
    EXPECT_EQ(recent(), (QStringList{QStringLiteral("a"), QStringLiteral("c"), QStringLiteral("b")}));
    std::filesystem::remove(dir / "c.ostage");
    EXPECT_EQ(recent(), (QStringList{QStringLiteral("a"), QStringLiteral("b")}));
    for (int i = 0; i < 12; ++i)
        save("many" + std::to_string(i));
    EXPECT_EQ(recent().size(), 10);
    EXPECT_EQ(recent().front(), QStringLiteral("many11"));
}

TEST_F(Files, WorkThatIsSavedMayBeLeftUnasked) {
    EXPECT_TRUE(scenes.leave());
    ASSERT_TRUE(session.document.apply({{"edit", "add-card"}}));
    save("a");
    EXPECT_TRUE(scenes.leave());
}

TEST_F(Files, OnlyJournalsWithoutAFileThatNobodyUsesAreLeftBehind) {
    ASSERT_TRUE(session.document.apply({{"edit", "add-card"}})); // its own is in use
    EXPECT_TRUE(scenes.leftBehind().empty());
    test::writeAll(dir / "journals" / "untitled-9-9.journal", "");
    test::writeAll(dir / "journals" / "another.journal", "");
    test::writeAll(dir / "journals" / "untitled-9-9.txt", "");
    ASSERT_EQ(scenes.leftBehind().size(), 1u);
    EXPECT_EQ(scenes.leftBehind()[0].filename(), "untitled-9-9.journal");
    QSignalSpy said(&session, &Session::said);
    std::filesystem::remove(dir / "journals" / "untitled-9-9.journal");
    scenes.recoverWork();
    EXPECT_EQ(said.count(), 1); // there is none
}

// ---- media

TEST_F(Files, PicturesComeInSelected) {
    addPicture("a.png");
    ASSERT_EQ(session.selection.layers(), std::vector{scene().layers[0]->id});
    addPicture("b.png");
    ASSERT_EQ(scene().layers.size(), 2u);
    EXPECT_EQ(session.selection.only().layer->name, "b");
}

TEST_F(Files, WhatIsNoPictureIsToldInASentence) {
    test::writeAll(dir / "no.png", "nothing of the kind");
    QSignalSpy in(&media, &MediaFiles::broughtIn), told(&session, &Session::problem);
    media.bringIn({dir / "no.png"});
    ASSERT_TRUE(in.wait(10000));
    EXPECT_FALSE(in[0][0].toBool());
    ASSERT_EQ(told.count(), 1);
    EXPECT_TRUE(told[0][0].toString().contains(QStringLiteral("no.png")));
    EXPECT_TRUE(scene().layers.empty());
}

TEST_F(Files, ALayerWithoutItsFileIsMissingUntilItIsThereAgain) {
    addPicture("a.png");
    const std::int64_t id = scene().layers[0]->id;
    QSignalSpy looked(&watch, &MediaWatch::looked);
    watch.look();
    ASSERT_TRUE(looked.wait(10000));
    EXPECT_TRUE(watch.missing().empty());
    std::filesystem::create_directories(dir / "elsewhere");
    std::filesystem::rename(dir / "a.png", dir / "elsewhere" / "a.png");
    watch.look();
    ASSERT_TRUE(QTest::qWaitFor([&] { return watch.missing() == std::vector{id}; }, 10000));
    QSignalSpy found(&media, &MediaFiles::found);
    media.find(dir / "elsewhere");
    ASSERT_TRUE(found.wait(10000));
    EXPECT_TRUE(found[0][0].toBool());
    EXPECT_TRUE(QTest::qWaitFor([&] { return watch.missing().empty(); }, 10000));
}

TEST_F(Files, AnotherFileTakesTheLayersPlaceAndWidth) {
    addPicture("a.png");
    const auto before = scene().layers[0];
    test::writePicture(dir / "b.png", {128, 128}, [](int, int) { return test::Rgba8{1, 2, 3}; });
    media.replace({{before->id, (dir / "b.png").string()}}, {});
    ASSERT_TRUE(QTest::qWaitFor([&] { return scene().layers[0]->pixels == V2i(128, 128); }, 10000));
    EXPECT_NEAR(scene().layers[0]->size().x, before->size().x, 1e-9);
    EXPECT_EQ(scene().layers[0]->placement.position, before->placement.position);
    session.selection.select({});
    QSignalSpy said(&session, &Session::said);
    media.replaceSelected(); // nothing selected: says so and asks for nothing
    EXPECT_EQ(said.count(), 1);
}

// ---- movies

TEST_F(Files, WhatIsWrittenIsThereAndWhatIsNotIsTold) {
    ASSERT_TRUE(session.document.apply({{"edit", "add-card"}}));
    output::Job job = output::wholeScene(scene(), dir / "f.####.png", output::Format::Png);
    job.size = {64, 36};
    job.last = 1;
    job.quality.method = render::Method::Pinhole;
    QSignalSpy written(&writer, &OutputWriter::written), said(&session, &Session::said),
        told(&session, &Session::problem);
    writer.write(job);
    ASSERT_TRUE(written.wait(20000));
    EXPECT_TRUE(written[0][0].toBool());
    ASSERT_EQ(said.count(), 2); // that it is queued, and that it is written
    EXPECT_NE(said[1][0].toString().indexOf(QStringLiteral("f.####.png")), -1);
    EXPECT_TRUE(std::filesystem::exists(dir / "f.0000.png"));
    EXPECT_TRUE(std::filesystem::exists(dir / "f.0001.png"));
    test::writeAll(dir / "file", "");
    job.path = dir / "file" / "f.####.png"; // a file is no folder
    writer.write(job);
    ASSERT_TRUE(written.wait(20000));
    EXPECT_FALSE(written[1][0].toBool());
    EXPECT_EQ(told.count(), 1);
}

}
}
