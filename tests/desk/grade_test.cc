// Grades at the desk: set by numbers and a curve, a look, shown before and after, taken back.
#include "desk/details/point_curve.h"
#include "staged_fixture.h"

#include <QCheckBox>
#include <QComboBox>
#include <QPushButton>

namespace stage::desk {
namespace {

class GradesAtTheDesk : public Staged {
protected:
    const scene::Grade& grade() {
        static const scene::Grade none;
        const auto layer = scene::find(scene(), front).layer;
        return layer->grade ? *layer->grade : none;
    }
    template <class Widget> Widget* shownNamed(const char* text) {
        for (Widget* each : window.findChildren<Widget*>())
            if (each->isVisible() && each->text() == QLatin1String(text)) return each;
        return nullptr;
    }
};

TEST_F(GradesAtTheDesk, NumbersAreSetAndTakenBack) {
    session().selection.select({front});
    doPosted();
    type("Exposure", "1.5");
    type("Slope, blue", "0.8");
    type("Saturation", "0.7");
    EXPECT_EQ(grade().exposure, 1.5);
    EXPECT_EQ(grade().slope, V3d(1, 1, 0.8));
    EXPECT_EQ(grade().saturation, 0.7);
    session().document.undo();
    EXPECT_EQ(grade().saturation, 1);
    auto* off = shownNamed<QPushButton>("Take the grade off");
    ASSERT_TRUE(off);
    off->click();
    EXPECT_EQ(grade(), scene::Grade());
    session().document.undo();
    EXPECT_EQ(grade().exposure, 1.5);
}

TEST_F(GradesAtTheDesk, TheWholePictureIsGradedWhileNothingIsSelected) {
    session().selection.select({});
    doPosted();
    type("Contrast", "1.3");
    EXPECT_EQ(scene().grade.contrast, 1.3);
    EXPECT_EQ(grade(), scene::Grade());
}

TEST_F(GradesAtTheDesk, ACurveIsDrawnInOneStep) {
    session().selection.select({front});
    doPosted();
    PointCurve* curve = nullptr;
    for (PointCurve* each : window.findChildren<PointCurve*>())
        if (each->isVisible() && each->accessibleName() == QLatin1String("Curve of the layer")) curve = each;
    ASSERT_TRUE(curve);
    const QSizeF size = curve->size();
    const auto place = [&](double in, double out) {
        return QPointF(7 + (size.width() - 14) * in, 7 + (size.height() - 14) * (1 - out));
    };
    QTest::mouseDClick(curve, Qt::LeftButton, Qt::NoModifier, place(0.5, 0.7).toPoint());
    QTest::mouseRelease(curve, Qt::LeftButton, Qt::NoModifier, place(0.5, 0.7).toPoint());
    ASSERT_EQ(grade().curves[0].size(), 3u);
    EXPECT_NEAR(grade().curves[0][1].in, 0.5, 0.02);
    EXPECT_NEAR(grade().curves[0][1].out, 0.7, 0.02);
    drag(curve, place(0.5, 0.7), place(0.3, 0.6));
    EXPECT_NEAR(grade().curves[0][1].in, 0.3, 0.02);
    session().document.undo();
    EXPECT_NEAR(grade().curves[0][1].in, 0.5, 0.02);
}

}
}
