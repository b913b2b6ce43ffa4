// Rows of the details: what each shows and sets.
#include "desk/cutting/cut_overlay.h"
#include "desk/details/rows.h"
#include "support/support.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QSignalSpy>
#include <QTest>
#include <gtest/gtest.h>

namespace stage::desk {
namespace {

struct DetailRows : ::testing::Test {
    test::TempDir dir;
    Session session{dir / "journals"};
    QWidget part;
    Rows rows{session, &part};
    double value = 0.25;
};

TEST_F(DetailRows, ANumberIsShownWhenRefreshedAndSetWhenEntered) {
    NumberField* field = rows.number(
        QStringLiteral("Depth"), metres(0.5), {}, [this] { return value; }, [this](double v) { value = v; });
    EXPECT_EQ(field->value(), 0); // nothing is asked before it is shown
    rows.refresh();
    EXPECT_EQ(field->value(), 0.25);
    EXPECT_EQ(field->accessibleName(), QStringLiteral("Depth"));
    field->selectAll();
    QTest::keyClicks(field, QStringLiteral("1m + 50cm"));
    QTest::keyClick(field, Qt::Key_Return);
    EXPECT_EQ(value, 1.5);
    QTest::keyClick(field, Qt::Key_Up);
    EXPECT_EQ(value, 2);
    QSignalSpy told(&session, &Session::problem);
    field->selectAll();
    QTest::keyClicks(field, QStringLiteral("some"));
    QTest::keyClick(field, Qt::Key_Return);
    EXPECT_EQ(told.count(), 1);
    EXPECT_EQ(value, 2);
}

TEST_F(DetailRows, SharesAreShownInPercent) {
    NumberField* field = rows.share(
        QStringLiteral("Opacity"), percent(5), {}, [this] { return value; }, [this](double v) { value = v; });
    rows.refresh();
    EXPECT_EQ(field->value(), 25);
    field->selectAll();
    QTest::keyClicks(field, QStringLiteral("40"));
    QTest::keyClick(field, Qt::Key_Return);
    EXPECT_DOUBLE_EQ(value, 0.4);
}

TEST_F(DetailRows, ChoicesAndTicksFollowAndSet) {
    int chosen = 1;
    bool on = true;
    QComboBox* box = rows.choice(
        QStringLiteral("Ends"), {QStringLiteral("hold"), QStringLiteral("loop"), QStringLiteral("vanish")},
        {}, [&] { return chosen; }, [&](int i) { chosen = i; });
    QCheckBox* tick = rows.tick(
        QStringLiteral("Mix"), {}, [&] { return on; }, [&](bool now) { on = now; });
    rows.refresh();
    EXPECT_EQ(box->currentIndex(), 1);
    EXPECT_TRUE(tick->isChecked());
    Q_EMIT box->activated(2);
    tick->click();
    EXPECT_EQ(chosen, 2);
    EXPECT_FALSE(on);
    chosen = -1; // they differ
    rows.refresh();
    EXPECT_EQ(box->currentIndex(), -1);
}

TEST_F(DetailRows, ANoteWithoutTextTakesNoRoom) {
    QString text = QStringLiteral("Tags: near");
    QLabel* note = rows.note("dim", [&] { return text; });
    rows.refresh();
    EXPECT_FALSE(note->isHidden());
    EXPECT_EQ(note->text(), text);
    text.clear();
    rows.refresh();
    EXPECT_TRUE(note->isHidden());
}

TEST(CutOverlays, LinesGoThroughThePlacesInTheView) {
    QImage picture(64, 64, QImage::Format_ARGB32);
    QPainter painter(&picture);
    const CutOverlay overlay(painter, [](const V2d& place) { return QPointF(place.x * 2, place.y * 2 + 1); });
    const QPainterPath triangle = overlay.polygon({{0, 0}, {10, 0}, {10, 10}}, true);
    EXPECT_EQ(triangle.boundingRect(), QRectF(0, 1, 20, 20));
    EXPECT_TRUE(triangle.contains(QPointF(18, 5)));
    EXPECT_FALSE(triangle.contains(QPointF(4, 18)));
    EXPECT_EQ(overlay.polygon({{0, 0}, {10, 0}}, false).currentPosition(), QPointF(20, 1));
    // A curve's handles are offsets from its points; half way it is an eighth of the ends and three of the
    // handles.
    std::vector<scene::PathPoint> points{scene::PathPoint(V2d(0, 0)), scene::PathPoint(V2d(8, 0))};
    points[0].out = {0, 8};
    points[1].in = {0, 8};
    const QPainterPath curve = overlay.curve(points, false);
    EXPECT_NEAR(curve.pointAtPercent(0.5).x(), 8, 1e-6);
    EXPECT_NEAR(curve.pointAtPercent(0.5).y(), 1 + 2 * 6, 1e-6);
    EXPECT_EQ(overlay.curve(points, true).currentPosition(), QPointF(0, 1)); // closed: back where it began
}

}
}
