// The whole task in the real window: drop a file, drag a rung, walk the camera, set a mark, play, write,
// reopen.
#include "desk/set/draft_view.h"
#include "desk/set/ladder.h"
#include "desk/time/timeline.h"
#include "desk_fixture.h"
#include "optics/placing.h"
#include "output/write.h"
#include "scene/scene_json.h"

#include <QElapsedTimer>
#include <QLineEdit>
#include <QPushButton>

namespace stage::desk {
namespace {

using test::Rgba8;

TEST_F(Desk, FromALayeredPictureToAMovie) {
    const auto sky = [](int x, int y) { return Rgba8{40 + x / 4, 60 + y / 3, 140, 255}; };
    const auto boat = [](int x, int y) { return Rgba8{220, 120 + y, 30 + x, 255}; };
    test::writeOra(
        dir / "quay.ora",
        R"(<image w="640" h="360"><stack><layer name="Boat" src="data/boat.png" x="240" y="150"/><layer name="Sky" src="data/sky.png"/></stack></image>)",
        {test::pngMember("data/sky.png", {640, 360}, sky),
         test::pngMember("data/boat.png", {120, 90}, boat)});

    // Drop.
    ASSERT_TRUE(drop({"quay.ora"}));
    ASSERT_EQ(scene().layers.size(), 2u);
    EXPECT_EQ(scene().output.frame, V2i(640, 360));
    session().selection.select({});
    const std::int64_t skyId = scene().layers[0]->id, boatId = scene().layers[1]->id;

    // Drag the sky's rung up: it goes away from the camera, its framing held.
    Rungs& plan = window.views().ladder->rungs();
    const QRectF rung = plan.rungRect(skyId);
    const double before = optics::depthOf(scene(), scene::find(scene(), skyId));
    const double wanted = 20;
    drag(&plan, rung.center(),
         rung.center() + window.views().plan->placeOfDepth(wanted) -
             window.views().plan->placeOfDepth(before));
    const scene::LayerPath pushed = scene::find(scene(), skyId);
    const double depth = optics::depthOf(scene(), pushed);
    EXPECT_NEAR(depth, wanted, 1.0); // a pixel is some centimetres
    EXPECT_NEAR(pushed.layer->placement.scale.x, depth / before, 1e-9);
    EXPECT_EQ(session().document.history().undoName(), "Push Sky");

    // The boat comes nearer by a number typed on its rung.
    QTest::mouseDClick(&plan, Qt::LeftButton, Qt::NoModifier, plan.rungRect(boatId).center().toPoint());
    QWidget* entry = QApplication::focusWidget();
    ASSERT_TRUE(qobject_cast<QLineEdit*>(entry));
    QTest::keyClicks(entry, "4m + 50cm");
    QTest::keyClick(entry, Qt::Key_Return);
    EXPECT_NEAR(optics::depthOf(scene(), scene::find(scene(), boatId)), 4.5, 1e-9);

    // At the end of the scene, walk: the camera leaves the move, and the banner says so.
    session().selection.select({});
    QTest::keyClick(&window, Qt::Key_End);
    EXPECT_EQ(session().playhead.frame(), scene().output.frames - 1);
    window.views().camera->setTool(CameraView::Tool::Walk);
    drag(window.views().camera, inCamera(320, 180), inCamera(250, 180), Qt::ShiftModifier);
    ASSERT_TRUE(session().camera.offMove());
    EXPECT_GT(session().camera.pose().position.x, 0.3);
    EXPECT_EQ(scene().camera.marks.size(), 1u); // nothing was keyed
    auto* set = window.findChild<QPushButton*>(QStringLiteral("bannerSet"));
    ASSERT_TRUE(set && set->isVisible());
    QTest::mouseClick(set, Qt::LeftButton);
    ASSERT_EQ(scene().camera.marks.size(), 2u);
    EXPECT_FALSE(session().camera.offMove());
    EXPECT_FALSE(set->isVisible());

    // Play: the playhead runs.
    session().playhead.setFrame(0);
    QElapsedTimer since;
    since.start();
    window.views().timeline->setPlaying(true);
    ASSERT_TRUE(QTest::qWaitFor([&] { return session().playhead.frame() > 6; }, 20000));
    window.views().timeline->setPlaying(false);
    EXPECT_LE(session().playhead.frame(), since.elapsed() * 24 / 1000); // never ahead of time

    // Write, from the desk; the command line must give the same.
    ASSERT_TRUE(session().document.save(dir / "quay.ostage"));
    EXPECT_FALSE(session().document.modified());
    QSignalSpy written(&window.writer(), &OutputWriter::written);
    output::Job job = output::wholeScene(scene(), dir / "desk/f.####.png", output::Format::Png);
    job.first = 70;
    job.last = 74;
    window.writer().write(job);
    ASSERT_TRUE(written.wait(30000));
    ASSERT_TRUE(written.at(0).at(0).toBool());
    const auto ran = test::run(test::cli() + " render " + (dir / "quay.ostage").string() + " -o '" +
                               (dir / "line/f.####.png").string() + "' --frames 70-74 --quiet");
    ASSERT_EQ(ran.code, 0) << ran.printed;
    for (int n = 70; n <= 74; ++n) {
        const std::string name = "/f.00" + std::to_string(n) + ".png";
        EXPECT_EQ(test::readAll(dir.path().string() + "/desk" + name),
                  test::readAll(dir.path().string() + "/line" + name))
            << n;
    }

    // Reopen: the same scene.
    const scene::Json saved = scene::toJson(scene());
    session().document.newScene();
    EXPECT_TRUE(scene().layers.empty());
    ASSERT_TRUE(window.scenes().open(dir / "quay.ostage"));
    EXPECT_EQ(scene::toJson(scene()), saved);
    EXPECT_FALSE(session().document.history().canUndo());
}

}
}
