// What the checks find, on the desk: their list, what is set aside, slip of a foot, the map of gaps, and the
// flat picture that the staged one is compared with.
#include "desk/camera/camera_view.h"
#include "desk/camera/flat_picture.h"
#include "desk/session/findings.h"
#include "desk/time/findings_sheet.h"
#include "staged_fixture.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QToolButton>

namespace stage::desk {
namespace {

class FindingsDesk : public Staged {
protected:
    FindingsSheet& sheet() { return *window.findChild<FindingsSheet*>(); }
    void showSheet() {
        run("findings");
        ASSERT_TRUE(sheet().isVisible());
    }
    const checks::Finding* found(checks::Kind kind) {
        for (const auto& finding : window.findings().report().findings)
            if (finding.kind == kind) return &finding;
        return nullptr;
    }
    /// Waits until the checks say so of the scene as it is.
    bool comes(const std::function<bool()>& so) {
        return QTest::qWaitFor([&] { return window.findings().known() && so(); }, 20000);
    }
    /// A button of the list that is shown, by its name and the begin of its words.
    QPushButton* button(const char* name, const QString& words = {}) {
        for (QPushButton* each : sheet().findChildren<QPushButton*>(QString::fromLatin1(name)))
            if (each->isVisible() && each->text().startsWith(words)) return each;
        return nullptr;
    }
    CameraView& camera() { return *window.views().camera; }
    QPointF inFrame(double across, double down) {
        const QRectF frame = camera().frameRect();
        return {frame.left() + across * frame.width(), frame.top() + down * frame.height()};
    }
    QColor pixelAt(double across, double down) {
        return camera().grab().toImage().pixelColor(inFrame(across, down).toPoint());
    }
};

TEST_F(FindingsDesk, WhatStandsInTheWayIsSaidAndMended) {
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", 1}, {"position", {0, 1.5, -8}}}));
    const auto speed = [&] { return found(checks::Kind::Speed); };
    ASSERT_TRUE(QTest::qWaitFor([&] { return speed() != nullptr; }, 10000));
    showSheet();
    session().playhead.setFrame(100);
    QPushButton* mend = nullptr;
    for (QPushButton* button : sheet().findChildren<QPushButton*>())
        if (button->objectName() == QStringLiteral("fix") &&
            button->text().contains(QStringLiteral("as long"))) {
            mend = button;
            break;
        }
    ASSERT_TRUE(mend);
    auto* go = sheet().findChild<QPushButton*>(QStringLiteral("goThere"));
    QTest::mouseClick(go, Qt::LeftButton);
    EXPECT_LT(session().playhead.frame(), 30);
    QTest::mouseClick(mend, Qt::LeftButton);
    EXPECT_GT(scene().camera.marks.back().time, Rational(3));
    EXPECT_TRUE(QTest::qWaitFor([&] { return window.findings().known() && !speed(); }, 10000));
    sheet().hide();
    session().document.undo();
    EXPECT_EQ(scene().camera.marks.back().time, Rational(1));
}

TEST_F(FindingsDesk, AGapIsTriedOutAndClosedFromTheList) {
    // Everything at half its size: the frame is open all around.
    scene::Json all = scene::Json::array();
    for (const auto& each : scene().layers)
        all.push_back(each->id);
    ASSERT_TRUE(
        session().document.apply({{"edit", "scale"}, {"layers", all}, {"by", 0.5}, {"about", "axis"}}));
    const auto gap = [&] { return found(checks::Kind::Gap); };
    ASSERT_TRUE(QTest::qWaitFor([&] { return window.findings().known() && gap(); }, 20000));
    const std::int64_t closes = gap()->layer;
    EXPECT_NE(closes, 0);
    showSheet();
    QPushButton* grow = nullptr;
    for (QPushButton* button : sheet().findChildren<QPushButton*>())
        if (button->text().startsWith(QStringLiteral("Grow"))) grow = button;
    ASSERT_TRUE(grow);
    const auto scale = [&] { return layer(closes).placement.scale.x; };
    const double before = scale();
    const std::size_t step = session().document.history().step();
    QEnterEvent enter(QPointF(4, 4), QPointF(4, 4), grow->mapToGlobal(QPointF(4, 4)));
    QApplication::sendEvent(grow, &enter);
    EXPECT_GT(scale(), 1.3 * before); // tried out
    EXPECT_EQ(session().document.history().step(), step);
    QEvent leave(QEvent::Leave);
    QApplication::sendEvent(grow, &leave);
    EXPECT_EQ(scale(), before);
    QTest::mouseClick(grow, Qt::LeftButton);
    EXPECT_GT(scale(), 1.3 * before);
    EXPECT_EQ(session().document.history().step(), step + 1);
    EXPECT_TRUE(QTest::qWaitFor([&] { return window.findings().known() && !gap(); }, 20000));
    sheet().hide();
    session().document.undo();
    EXPECT_EQ(scale(), before);
    EXPECT_TRUE(QTest::qWaitFor([&] { return window.findings().known() && gap(); }, 20000));
}

TEST_F(FindingsDesk, AGapIsToldWhileTheHandStillDrags) {
    scene::Json all = scene::Json::array();
    for (const auto& each : scene().layers)
        all.push_back(each->id);
    ASSERT_TRUE(comes([] { return true; }));
    const bool before = found(checks::Kind::Gap) != nullptr;
    ASSERT_FALSE(before);
    const auto drag = [&](double by) {
        // Step after step, faster than it is waited for the hand to rest.
        for (int i = 0; i < 40; ++i) {
            EXPECT_TRUE(session().document.preview(
                {{"edit", "scale"}, {"layers", all}, {"by", by + 1e-4 * i}, {"about", "axis"}}));
            QTest::qWait(25);
        }
    };
    drag(0.5);
    EXPECT_TRUE(session().document.previewing());
    EXPECT_FALSE(window.findings().known());
    EXPECT_TRUE(found(checks::Kind::Gap));
    drag(1.5);
    EXPECT_FALSE(found(checks::Kind::Gap));
    session().document.dropPreview();
    EXPECT_TRUE(comes([&] { return !found(checks::Kind::Gap); }));
}

TEST_F(FindingsDesk, SetAsideWithAReasonAndToldAgain) {
    // Looked at so closely that it is enlarged beyond its pixels.
    ASSERT_TRUE(session().document.apply({{"edit", "settings"}, {"frame", {1920, 1080}}}));
    const auto enlarged = [&] { return found(checks::Kind::Enlarged) != nullptr; };
    ASSERT_TRUE(comes(enlarged));
    showSheet();
    auto* leave = button("setAside");
    ASSERT_TRUE(leave);
    QTest::mouseClick(leave, Qt::LeftButton);
    auto* reason = sheet().findChild<QLineEdit*>(QStringLiteral("reason"));
    ASSERT_TRUE(reason && reason->isVisible());
    QTest::keyClicks(reason, "a small sketch");
    QTest::keyClick(reason, Qt::Key_Return);
    ASSERT_FALSE(scene().setAside.empty());
    EXPECT_EQ(scene().setAside.front().reason, "a small sketch");
    const std::size_t all = scene().setAside.size();
    ASSERT_TRUE(comes([&] { return window.findings().report().setAside.size() == all; }));
    QApplication::processEvents();
    auto* shown = button("opener");
    ASSERT_TRUE(shown);
    EXPECT_TRUE(shown->text().contains(QStringLiteral("set aside")));
    QTest::mouseClick(shown, Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return button("tellAgain") != nullptr; }, 5000));
    QTest::mouseClick(button("tellAgain"), Qt::LeftButton);
    EXPECT_EQ(scene().setAside.size(), all - 1);
    EXPECT_TRUE(comes([&] { return window.findings().report().setAside.size() == all - 1 && enlarged(); }));
}

TEST_F(FindingsDesk, ManyOfAKindOpenIntoEachOfThem) {
    ASSERT_TRUE(session().document.apply({{"edit", "duplicate"}, {"layers", {front}}}));
    ASSERT_TRUE(session().document.apply({{"edit", "duplicate"}, {"layers", {front}}}));
    ASSERT_TRUE(session().document.apply({{"edit", "settings"}, {"frame", {1920, 1080}}}));
    ASSERT_TRUE(comes([&] {
        const auto* one = found(checks::Kind::Enlarged);
        return one && one->members.size() == 4;
    }));
    showSheet();
    const auto rows = [&] {
        int count = 0;
        for (QPushButton* each : sheet().findChildren<QPushButton*>(QStringLiteral("goThere")))
            count += each->isVisible();
        return count;
    };
    const int before = rows();
    auto* each = button("opener");
    ASSERT_TRUE(each);
    EXPECT_TRUE(each->text().endsWith(QStringLiteral("Each of 4")));
    QTest::mouseClick(each, Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return rows() == before + 4; }, 5000));
    // Going there selects all of them.
    auto* row = button("opener")->parentWidget();
    QTest::mouseClick(row->findChild<QPushButton*>(QStringLiteral("goThere")), Qt::LeftButton);
    EXPECT_EQ(session().selection.layers().size(), 4u);
}

TEST_F(FindingsDesk, AFootThatStandsTellsItsSlipAndIsDragged) {
    // A truck to the right before a figure at 10 m, whose ground lies lower.
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", 2}, {"position", {1, 0, 0}}}));
    ASSERT_TRUE(session().document.apply({{"edit", "settings"}, {"ground", -3}}));
    session().selection.select({front});
    QApplication::processEvents();
    auto* on = window.findChild<QComboBox*>(QStringLiteral("standsOn"));
    ASSERT_TRUE(on);
    EXPECT_EQ(on->currentIndex(), 0);
    on->setCurrentIndex(1);
    Q_EMIT on->activated(1);
    ASSERT_TRUE(layer(front).standing);
    const auto slip = [&] { return session().footSlip().slip(); };
    ASSERT_TRUE(QTest::qWaitFor([&] { return slip() && slip()->grounded && slip()->most > 1; }, 10000));
    auto* told = window.findChild<QLabel*>(QStringLiteral("slip"));
    EXPECT_EQ(told->text(), QStringLiteral("%1 px").arg(QString::number(slip()->most, 'f', 1)));
    ASSERT_TRUE(comes([&] { return found(checks::Kind::Slip) != nullptr; }));

    // Its foot: the lowest of the thing, of which columns 61 to 129 down to row 79 are opaque.
    EXPECT_NEAR(slip()->foot.x, 95.5 / 192, 0.01);
    EXPECT_NEAR(slip()->foot.y, 80.0 / 108, 0.01);
    camera().setTool(CameraView::Tool::Move);
    const auto handles = camera().handles();
    const auto foot = std::find_if(handles.begin(), handles.end(), [](const auto& each) {
        return each.first.kind == interaction::Handle::Kind::Foot;
    });
    ASSERT_NE(foot, handles.end());
    const double was = slip()->foot.x;
    drag(&camera(), foot->second, foot->second + QPointF(20, 0));
    ASSERT_TRUE(layer(front).standing->foot);
    EXPECT_GT(layer(front).standing->foot->x, was + 0.02);
    session().document.undo();
    EXPECT_FALSE(layer(front).standing->foot);
}

TEST_F(FindingsDesk, GapsOfTheWholeMoveAreShownAsAMap) {
    // Both pictures at a tenth of their size: empty at the edges all the time.
    ASSERT_TRUE(session().document.apply(
        {{"edit", "scale"}, {"layers", {back, front}}, {"by", 0.1}, {"about", "axis"}}));
    ASSERT_TRUE(comes([&] { return found(checks::Kind::Gap) != nullptr; }));
    const auto* gap = found(checks::Kind::Gap);
    ASSERT_TRUE(gap->map);
    const double seconds = static_cast<double>(scene().output.frames) / scene().output.rate.toDouble();
    EXPECT_NEAR(static_cast<double>(gap->map->seconds.front()), seconds, 0.01);
    const auto middle =
        static_cast<std::size_t>(gap->map->cells.y / 2 * gap->map->cells.x + gap->map->cells.x / 2);
    EXPECT_EQ(gap->map->seconds[middle], 0);
    const QColor plain = pixelAt(0.2, 0.8);
    camera().setGapMap(true);
    const QColor mapped = pixelAt(0.2, 0.8);
    EXPECT_GT(mapped.green(), plain.green() + 40); // teal
    camera().setGapMap(false);
    EXPECT_EQ(pixelAt(0.2, 0.8), plain);
}

TEST_F(FindingsDesk, TheFlatPictureIsWipedSwappedAndSubtracted) {
    // At the second mark the camera has panned away: staged is background, flat is the picture.
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", 2}, {"pan", 90}}));
    session().playhead.setFrame(48);
    ASSERT_TRUE(QTest::qWaitFor([&] { return camera().picture().refined(); }, 20000));
    const QColor staged = pixelAt(0.2, 0.8);
    run("compare-wipe");
    ASSERT_TRUE(QTest::qWaitFor([&] { return !camera().flat().image().isNull(); }, 10000));
    const QColor flat = pixelAt(0.2, 0.8);
    EXPECT_NE(flat, staged);
    EXPECT_EQ(pixelAt(0.8, 0.8), staged); // right of the line
    // The line is dragged to the left, past it.
    drag(&camera(), inFrame(0.5, 0.7), inFrame(0.1, 0.7));
    EXPECT_NEAR(camera().flat().line(), 0.1, 0.02);
    EXPECT_EQ(pixelAt(0.2, 0.8), staged);
    run("compare-swap");
    EXPECT_EQ(camera().flat().show(), FlatPicture::Show::Flat);
    EXPECT_EQ(pixelAt(0.2, 0.8), flat);
    run("compare-difference");
    const QColor apart = pixelAt(0.2, 0.8);
    EXPECT_EQ(apart.red(), std::min(255, 4 * std::abs(flat.red() - staged.red())));
    EXPECT_EQ(apart.blue(), std::min(255, 4 * std::abs(flat.blue() - staged.blue())));
    run("compare-off");
    EXPECT_EQ(pixelAt(0.2, 0.8), staged);
    // Against a picture of choice.
    test::writePicture(dir / "photo.png", {192, 108}, [](int, int) { return Rgba8{10, 220, 10}; });
    camera().flat().setPicture(dir / "photo.png");
    camera().flat().setShow(FlatPicture::Show::Flat);
    EXPECT_TRUE(QTest::qWaitFor([&] { return pixelAt(0.2, 0.8).green() > 200; }, 10000));
    camera().flat().setPicture(dir / "no.png");
    EXPECT_TRUE(QTest::qWaitFor([&] { return camera().flat().picture().empty(); }, 10000));
}

}
}
