// The picture in the Camera view: draft while something moves, refined where it stands still, and how it is
// shown.
#include "desk/camera/camera_view.h"
#include "desk/jobs/last_picture.h"
#include "desk/jobs/view_renderer.h"
#include "desk/time/timeline.h"
#include "output/write.h"
#include "render/render.h"
#include "staged_fixture.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QPainter>
#include <QRegularExpression>
#include <QSignalSpy>
#include <QStatusBar>
#include <QToolButton>
#include <QWheelEvent>

namespace stage::desk {
namespace {

class Pictures : public Staged {
protected:
    void SetUp() override {
        Staged::SetUp();
        ASSERT_TRUE(
            session().document.apply({{"edit", "lens"}, {"focus", 10.0}, {"fstop", 1.0}, {"focal", 50.0}}));
    }
    CameraView& camera() { return *window.views().camera; }
    bool refined() {
        return QTest::qWaitFor([&] { return camera().picture().refined(); }, 30000);
    }
    /// The middle of what is shown, without lines over it.
    QImage shown() {
        camera().setThirds(false);
        session().selection.select({});
        QImage image = camera().grab().toImage();
        return image;
    }
    QColor at(double x, double y) {
        const QRectF frame = camera().frameRect();
        return shown().pixelColor(static_cast<int>(frame.left() + frame.width() * x),
                                  static_cast<int>(frame.top() + frame.height() * y));
    }
};

TEST_F(Pictures, WhatStandsStillIsRefinedToWhatIsWritten) {
    ASSERT_TRUE(refined());
    const QRectF frame = camera().frameRect();
    // The view is larger than twice the small frame: it is rendered at that, and enlarged.
    const V2i size = scene().output.frame * 2;
    ASSERT_LT(size.x, frame.width());
    media::PixelCache cache;
    const auto expected = render::encoded<std::uint8_t>(*render::render(
        motion::evaluate(scene(), session().playhead.time(), size, true), output::Job{}.quality, cache));
    // Laid into the view as the view lays it.
    const QImage image = shown();
    QImage wanted(image.size(), QImage::Format_ARGB32_Premultiplied);
    wanted.fill(Qt::black);
    QPainter painter(&wanted);
    painter.setRenderHints(QPainter::SmoothPixmapTransform | QPainter::Antialiasing);
    painter.drawImage(frame, QImage(expected.data(), size.x, size.y, 4 * size.x, QImage::Format_RGBA8888)
                                 .convertToFormat(QImage::Format_ARGB32_Premultiplied));
    painter.end();
    int worst = 0, looked = 0;
    for (int y = static_cast<int>(frame.top()) + 20; y < static_cast<int>(frame.bottom()) - 20; y += 7)
        for (int x = static_cast<int>(frame.left()) + 20; x < static_cast<int>(frame.right()) - 20; x += 7) {
            const QColor got = image.pixelColor(x, y), e = wanted.pixelColor(x, y);
            worst = std::max({worst, std::abs(got.red() - e.red()), std::abs(got.green() - e.green()),
                              std::abs(got.blue() - e.blue())});
            ++looked;
        }
    EXPECT_GT(looked, 500);
    EXPECT_LE(worst, 1); // rounded twice
}

TEST_F(Pictures, AChangeGoesBackToTheDraftAndIsRefinedAgain) {
    ASSERT_TRUE(refined());
    QSignalSpy pictures(&camera().picture(), &CameraPicture::shown);
    ASSERT_TRUE(session().document.apply({{"edit", "lens"}, {"focus", 24.0}}));
    EXPECT_FALSE(camera().picture().refined());
    EXPECT_TRUE(QTest::qWaitFor([&] { return pictures.count() > 0; }, 20000));
    EXPECT_TRUE(refined());
    // Not asked for: it stays a draft.
    run("refine");
    ASSERT_TRUE(session().document.apply({{"edit", "lens"}, {"focus", 10.0}}));
    EXPECT_TRUE(QTest::qWaitFor([&] { return pictures.count() > 1; }, 20000));
    QSignalSpy finals(&camera().picture(), &CameraPicture::refinedAll);
    ASSERT_TRUE(session().document.apply({{"edit", "lens"}, {"focus", 12.0}}));
    EXPECT_TRUE(QTest::qWaitFor([&] { return pictures.count() > 2; }, 20000));
    EXPECT_EQ(finals.count(), 0);
    EXPECT_FALSE(camera().picture().refined());
    run("refine");
    EXPECT_TRUE(refined());
}

TEST_F(Pictures, TheIrisTheShutterAndTheAirAreSetAtTheSide) {
    session().selection.select({});
    auto* iris = window.findChild<QComboBox*>(QStringLiteral("iris"));
    ASSERT_TRUE(iris);
    iris->setCurrentIndex(iris->findData(6));
    Q_EMIT iris->activated(iris->currentIndex());
    type("Iris rotation", "15");
    EXPECT_EQ(scene().camera.iris, (scene::Iris{6, 15}));
    // A number of blades that the list does not offer stays when they are turned.
    ASSERT_TRUE(session().document.apply({{"edit", "lens"}, {"iris", {{"blades", 11}}}}));
    type("Iris rotation", "20");
    EXPECT_EQ(scene().camera.iris, (scene::Iris{11, 20}));
    session().document.undo();
    session().document.undo();
    type("Shutter", "90");
    EXPECT_EQ(scene().camera.shutter, 90);
    type("Haze", "0.2");
    type("Clear up to", "12 m");
    EXPECT_EQ(scene().haze.density, 0.2);
    EXPECT_EQ(scene().haze.start, 12);
    // What is far is tinted: the back at 24 m, where the front does not cover it.
    ASSERT_TRUE(refined());
    const QColor hazy = at(0.2, 0.5);
    ASSERT_TRUE(session().document.apply({{"edit", "haze"}, {"density", 0.0}}));
    ASSERT_TRUE(refined());
    const QColor clear = at(0.2, 0.5);
    EXPECT_GT(hazy.red() - clear.red(), 40);
    for (int i = 0; i < 6; ++i)
        session().document.undo();
    EXPECT_EQ(scene().camera.iris, scene::Iris{});
    EXPECT_EQ(scene().camera.shutter, 180);
}

TEST_F(Pictures, ViewExposureAndWarningsChangeOnlyWhatIsShown) {
    ASSERT_TRUE(refined());
    const auto before = session().scene();
    const QColor plain = at(0.2, 0.5);
    auto* stops = window.findChild<NumberField*>(QStringLiteral("viewExposure"));
    ASSERT_TRUE(stops);
    stops->setFocus();
    stops->selectAll();
    QTest::keyClicks(stops, "1");
    QTest::keyClick(stops, Qt::Key_Return);
    ASSERT_TRUE(refined());
    // Twice the light: 80/255 encoded is 0.0802 linear, 0.1604 encodes to 0.4373.
    EXPECT_NEAR(plain.green(), 80, 2);
    EXPECT_NEAR(at(0.2, 0.5).green(), 112, 2);
    stops->setFocus();
    stops->selectAll();
    QTest::keyClicks(stops, "0");
    QTest::keyClick(stops, Qt::Key_Return);
    // Nothing behind the front: a gap that is hatched in teal.
    ASSERT_TRUE(session().document.apply({{"edit", "look"}, {"layers", {"back"}}, {"visible", false}}));
    QToolButton* warn = nullptr;
    for (QToolButton* button : window.findChildren<QToolButton*>())
        if (button->text() == QStringLiteral("Warn")) warn = button;
    ASSERT_TRUE(warn);
    const auto teal = [&] {
        const QImage image = shown();
        int count = 0;
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x)
                count += image.pixelColor(x, y) == QColor(0x2E, 0x9E, 0x93);
        return count;
    };
    ASSERT_TRUE(refined());
    EXPECT_EQ(teal(), 0);
    warn->click();
    ASSERT_TRUE(refined());
    EXPECT_GT(teal(), 5000);
    warn->click();
    ASSERT_TRUE(refined());
    session().document.undo();
    EXPECT_EQ(session().scene()->layers, before->layers);
}

TEST_F(Pictures, ZoomedInOnlyWhatIsInViewIsRendered) {
    const QPointF middle(camera().width() / 2.0, camera().height() / 2.0);
    QWheelEvent wheel(middle, camera().mapToGlobal(middle), {}, {0, 600}, Qt::NoButton, Qt::NoModifier,
                      Qt::NoScrollPhase, false);
    QApplication::sendEvent(&camera(), &wheel);
    ASSERT_GT(camera().frameRect().width(), 2 * camera().width());
    ASSERT_TRUE(refined());
    // What is in view is there, up to its edges.
    session().selection.select({});
    camera().setThirds(false);
    const QImage image = camera().grab().toImage();
    const auto lit = [&](int x, int y) { return image.pixelColor(x, y).green() > 60; };
    EXPECT_TRUE(lit(camera().width() / 2, camera().height() / 2));
    EXPECT_TRUE(lit(4, camera().height() / 2));
    EXPECT_TRUE(lit(camera().width() - 5, camera().height() / 2));
}

TEST_F(Pictures, AGroupIsMixedFirstOrInItsDepths) {
    ASSERT_TRUE(
        session().document.apply({{"edit", "group"}, {"layers", {"front", "back"}}, {"name", "both"}}));
    const std::int64_t group = scene().layers.back()->id;
    session().selection.select({group});
    auto* tick = window.findChild<QCheckBox*>(QStringLiteral("inDepth"));
    ASSERT_TRUE(tick && tick->isVisible());
    EXPECT_FALSE(tick->isChecked());
    QObject::connect(&session(), &Session::problem,
                     [](const QString& sentence) { ADD_FAILURE() << sentence.toStdString(); });
    tick->click();
    ASSERT_TRUE(scene::find(scene(), group).layer->group()->inDepth);
    session().document.undo();
    EXPECT_FALSE(scene::find(scene(), group).layer->group()->inDepth);
}

/// Kept once a saved scene is refined at its first frame; what is not saved is not kept.
TEST_F(Pictures, OfLastTimeIsThereAtOnceWhenASceneIsOpened) {
    const auto path = dir / "scene.ostage";
    const auto last = [&] {
        QImage found;
        QObject receiver;
        findLastPicture(path, &receiver, [&](const QImage& picture) { found = picture; });
        (void)QTest::qWaitFor([&] { return !found.isNull(); }, 400);
        return found;
    };
    ASSERT_TRUE(refined());
    EXPECT_TRUE(last().isNull());
    ASSERT_TRUE(session().document.save(path));
    ASSERT_TRUE(window.scenes().open(path));
    ASSERT_TRUE(refined());
    ASSERT_TRUE(QTest::qWaitFor([&] { return !last().isNull(); }, 10000));
    const QImage image = camera().picture().image(), kept = last();
    ASSERT_EQ(kept.size(), image.size());
    const auto near = [](const QImage& a, const QImage& b) {
        double sum = 0;
        for (int y = 0; y < a.height(); ++y)
            for (int x = 0; x < a.width(); ++x)
                sum += std::abs(QColor(a.pixel(x, y)).green() - QColor(b.pixel(x, y)).green());
        return sum / (static_cast<double>(a.width()) * a.height());
    };
    EXPECT_LT(near(kept, image), 3);
    ASSERT_TRUE(session().document.apply({{"edit", "lens"}, {"focal", 90.0}}));
    ASSERT_TRUE(refined());
    EXPECT_LT(near(last(), image), 3);
    // Before any picture of its own, the kept one is shown.
    session().document.undo();
    QImage red(image.size(), QImage::Format_RGB32);
    red.fill(Qt::red);
    keepLastPicture(path, red);
    ASSERT_TRUE(QTest::qWaitFor([&] { return near(last(), red) < 3; }, 10000));
    std::vector<QImage> seen;
    QObject::connect(&camera().picture(), &CameraPicture::changed, &camera(), [&] {
        if (!camera().picture().image().isNull()) seen.push_back(camera().picture().image());
    });
    ASSERT_TRUE(window.scenes().open(path));
    ASSERT_TRUE(refined());
    ASSERT_FALSE(seen.empty());
    EXPECT_LT(near(seen.back(), image), 1) << "refined all the same";
}

/// While a movie is written, the frames to be played are not rendered beside it.
TEST_F(Pictures, NothingIsRenderedAheadWhileAMovieIsWritten) {
    ASSERT_TRUE(refined());
    const CameraPicture& picture = camera().picture();
    session().setWriting(true);
    ASSERT_TRUE(session().document.apply({{"edit", "lens"}, {"focal", 60.0}}));
    ASSERT_TRUE(refined());
    QTest::qWait(400);
    EXPECT_LE(picture.cache().count(), 1);
    session().setWriting(false);
    EXPECT_TRUE(QTest::qWaitFor([&] { return picture.cache().count() > 3; }, 20000));
}

TEST_F(Pictures, WhatTheChecksLetPassLeavesThemAsTheyAre) {
    ASSERT_TRUE(refined());
    const CameraPicture& picture = camera().picture();
    ASSERT_TRUE(QTest::qWaitFor([&] { return picture.cache().count() > 3; }, 20000));
    const int count = picture.cache().count();
    ASSERT_TRUE(session().document.apply({{"edit", "set-aside"}, {"kind", "speed"}, {"reason", "a chase"}}));
    EXPECT_GE(picture.cache().count(), count);
    session().document.undo();
    EXPECT_GE(picture.cache().count(), count);
    ASSERT_TRUE(session().document.apply({{"edit", "lens"}, {"focal", 60.0}}));
    EXPECT_LE(picture.cache().count(), 1);
}

TEST_F(Pictures, APreviewThatChangesNothingLeavesThemAsTheyAre) {
    ASSERT_TRUE(refined());
    const CameraPicture& picture = camera().picture();
    ASSERT_TRUE(QTest::qWaitFor([&] { return picture.cache().count() > 3; }, 20000));
    const int count = picture.cache().count();
    const double focal = session().scene()->camera.marks.front().pose.focal;
    Document& document = session().document;
    EXPECT_TRUE(document.preview({{"edit", "lens"}, {"focal", focal}}));
    EXPECT_GE(picture.cache().count(), count);
    document.dropPreview();
    EXPECT_GE(picture.cache().count(), count);
    EXPECT_TRUE(refined());
    EXPECT_TRUE(document.preview({{"edit", "lens"}, {"focal", focal + 10}}));
    EXPECT_LE(picture.cache().count(), 1);
    document.dropPreview();
    EXPECT_TRUE(refined());
    EXPECT_EQ(picture.share(), 1);
    EXPECT_FALSE(picture.coarse());
}

TEST_F(Pictures, FramesToBePlayedAreOnTheMoveThoughTheCameraIsNot) {
    ASSERT_TRUE(refined());
    CameraPicture& picture = camera().picture();
    constexpr std::int64_t frame = 5;
    const auto kept = [&] { return QTest::qWaitFor([&] { return picture.cache().find(frame); }, 20000); };
    session().playhead.setFrame(frame);
    ASSERT_TRUE(kept());
    const QImage onMove = *picture.cache().find(frame);
    scene::Pose pose = session().camera.pose();
    pose.position.x += 3;
    session().camera.walk(pose);
    session().camera.endWalk();
    ASSERT_TRUE(session().camera.offHere());
    picture.forget();
    ASSERT_TRUE(kept());
    EXPECT_EQ(*picture.cache().find(frame), onMove);
}

/// Pictures are made before their frame's time comes; what is shown never runs ahead of it nor goes back.
TEST_F(Pictures, WhatIsPlayedComesInOrderAndNotBeforeItsTime) {
    // Both where whole pictures come in time, and where none does.
    for (const char* rate : {"10", "240"}) {
        ASSERT_TRUE(session().document.apply({{"edit", "settings"}, {"rate", rate}, {"frames", 9000}}));
        ASSERT_TRUE(refined());
        CameraPicture& picture = camera().picture();
        session().playhead.setFrame(0);
        picture.forget();
        std::int64_t last = 0, ahead = 0, back = 0;
        int pictures = 0, coarse = 0;
        const auto connection = QObject::connect(&picture, &CameraPicture::changed, &picture, [&] {
            if (picture.frame() == last) return;
            ahead += picture.frame() > session().playhead.frame(), back += picture.frame() < last;
            last = picture.frame();
            ++pictures, coarse += picture.coarse();
        });
        window.views().timeline->setPlaying(true);
        EXPECT_TRUE(QTest::qWaitFor([&] { return pictures >= 8; }, 20000));
        window.views().timeline->setPlaying(false);
        QObject::disconnect(connection);
        EXPECT_EQ(ahead, 0) << rate;
        EXPECT_EQ(back, 0) << rate;
        EXPECT_LT(session().playhead.frame(), 8999) << "it has not begun again";
        if (std::string(rate) == "240") {
            EXPECT_GT(coarse, 0);
        }
        // What stands still is whole again.
        EXPECT_TRUE(refined());
        EXPECT_FALSE(picture.coarse());
        EXPECT_EQ(picture.share(), 1);
        EXPECT_EQ(picture.frame(), session().playhead.frame());
    }
}

TEST_F(Pictures, WhereTimeGoesIsTold) {
    auto* times = window.findChild<QAction*>(QStringLiteral("times"));
    ASSERT_TRUE(times);
    const auto told = [&] {
        for (const QLabel* label : window.statusBar()->findChildren<QLabel*>())
            if (label->text().startsWith(QStringLiteral("Last second: "))) return label->text();
        return QString();
    };
    EXPECT_TRUE(told().isEmpty());
    times->trigger();
    double focus = 5;
    EXPECT_TRUE(QTest::qWaitFor(
        [&] {
            EXPECT_TRUE(session().document.apply({{"edit", "lens"}, {"focus", focus += 0.1}}));
            return told().contains(QRegularExpression(QStringLiteral("(lens|sample|mix) \\d+ ms")));
        },
        10000))
        << told().toStdString();
    times->trigger();
    EXPECT_TRUE(told().isEmpty());
}

}
}
