// Particles, clouds, veils and displaced pixels at the desk: added, set by numbers and curves, dragged in the
// views, taken back.
#include "desk/details/point_curve.h"
#include "desk/set/draft_view.h"
#include "interaction/box_handles.h"
#include "staged_fixture.h"

#include <QComboBox>

namespace stage::desk {
namespace {

class AirAtTheDesk : public Staged {
protected:
    const scene::Layer& added() { return *scene().layers.back(); }
    const scene::Particles& particles() { return std::get<scene::Particles>(added().content); }
    PointCurve* curve(const char* name) {
        for (PointCurve* each : window.findChildren<PointCurve*>())
            if (each->isVisible() && each->accessibleName() == QLatin1String(name)) return each;
        return nullptr;
    }
};

TEST_F(AirAtTheDesk, SnowIsAddedSetByNumbersAndTakenBack) {
    const std::size_t before = scene().layers.size();
    run("add-snow");
    ASSERT_EQ(scene().layers.size(), before + 1);
    EXPECT_EQ(added().name, "Snow");
    EXPECT_TRUE(session().selection.contains(added().id));
    doPosted();
    type("Count", "321");
    EXPECT_EQ(particles().count, 321);
    type("Turbulence", "0.4");
    EXPECT_EQ(particles().turbulence.amount, 0.4);
    EXPECT_EQ(particles().turbulence.size, 1.5); // as it was
    type("Wind right", "-2");
    EXPECT_EQ(particles().wind, V3d(-2, 0, 0));
    type("Box width", "5");
    EXPECT_EQ(added().natural().x, 5);
    for (int i = 0; i < 5; ++i)
        session().document.undo();
    EXPECT_EQ(scene().layers.size(), before);
}

TEST_F(AirAtTheDesk, EveryReadyKindAndTheCloudCanBeAdded) {
    for (const char* name : {"snow", "rain", "dust", "embers", "fireflies", "leaves", "bubbles", "sparks"}) {
        run((std::string("add-") + name).c_str());
        EXPECT_TRUE(std::holds_alternative<scene::Particles>(added().content)) << name;
    }
    run("add-cloud");
    EXPECT_TRUE(std::holds_alternative<scene::Cloud>(added().content));
    type("Coverage", "80");
    EXPECT_DOUBLE_EQ(std::get<scene::Cloud>(added().content).coverage, 0.8);
}

TEST_F(AirAtTheDesk, ALifeCurveIsDraggedAndPointsAreAddedAndTakenOff) {
    run("add-snow");
    doPosted();
    PointCurve* opacity = curve("Opacity");
    ASSERT_TRUE(opacity);
    const QSizeF size = opacity->size();
    const auto place = [&](double at, double value) {
        return QPointF(7 + (size.width() - 14) * at, 7 + (size.height() - 14) * (1 - value));
    };
    const auto before = particles().opacities;
    ASSERT_EQ(before.size(), 4u);
    drag(opacity, place(0.15, 1), place(0.4, 0.5));
    EXPECT_NEAR(particles().opacities[1].at, 0.4, 0.02);
    EXPECT_NEAR(particles().opacities[1].value, 0.5, 0.03);
    session().document.undo(); // one step
    EXPECT_EQ(particles().opacities, before);
    QTest::mouseDClick(opacity, Qt::LeftButton, Qt::NoModifier, place(0.6, 0.2).toPoint());
    QTest::mouseRelease(opacity, Qt::LeftButton, Qt::NoModifier, place(0.6, 0.2).toPoint());
    EXPECT_EQ(particles().opacities.size(), 5u);
    drag(opacity, place(0.6, 0.2), QPointF(40, 140));
    EXPECT_EQ(particles().opacities.size(), 4u);
}

TEST_F(AirAtTheDesk, ASideOfABoxIsDraggedInThePlan) {
    run("add-cloud");
    doPosted();
    DraftView* plan = window.views().plan;
    const V3d box = std::get<scene::Cloud>(added().content).box;
    const auto sides = interaction::boxSides(scene::find(scene(), added().id));
    const auto right =
        std::find_if(sides.begin(), sides.end(), [](const auto& s) { return s.axis == 0 && s.way == 1; });
    const auto left =
        std::find_if(sides.begin(), sides.end(), [](const auto& s) { return s.axis == 0 && s.way == -1; });
    const QPointF from = plan->placeOf(right->middle);
    drag(plan, from, from + QPointF(30, 0));
    const V3d after = std::get<scene::Cloud>(added().content).box;
    EXPECT_GT(after.x, box.x + 0.1);
    EXPECT_EQ(after.z, box.z);
    const auto moved = interaction::boxSides(scene::find(scene(), added().id));
    EXPECT_LT((moved[static_cast<std::size_t>(left - sides.begin())].middle - left->middle).length(), 1e-9);
    session().document.undo();
    EXPECT_EQ(std::get<scene::Cloud>(added().content).box, box);
}

TEST_F(AirAtTheDesk, BoxesLetThePointerThrough) {
    run("add-snow"); // in front of everything
    session().selection.select({});
    EXPECT_EQ(session().layerAt(session().now().view, V2d(scene().output.frame) / 2), front);
}

TEST_F(AirAtTheDesk, PixelsAreMovedAndStill) {
    session().selection.select({front});
    doPosted();
    QComboBox* kind = nullptr;
    for (QComboBox* each : window.findChildren<QComboBox*>())
        if (each->isVisible() && each->accessibleName() == QLatin1String("Kind")) kind = each;
    ASSERT_TRUE(kind);
    kind->setCurrentIndex(5 - 1); // sway
    Q_EMIT kind->activated(4);
    ASSERT_EQ(layer(front).displacements.size(), 1u);
    EXPECT_EQ(layer(front).displacements[0].kind, scene::DisplacementKind::Sway);
    type("Amount", "12");
    EXPECT_EQ(layer(front).displacements[0].amount, 12);
    EXPECT_TRUE(field("Foot")->isEnabled());
    EXPECT_FALSE(field("Fades over")->isEnabled()); // which is of rings
    kind->setCurrentIndex(0);
    Q_EMIT kind->activated(0);
    EXPECT_TRUE(layer(front).displacements.empty());
}

TEST_F(AirAtTheDesk, AVeilIsAddedByItsDialog) {
    run("add-veil", [](QDialog* dialog) {
        for (NumberField* each : dialog->findChildren<NumberField*>())
            if (each->accessibleName() == QLatin1String("Depth")) {
                each->setFocus();
                each->selectAll();
                QTest::keyClicks(each, QStringLiteral("15"));
            }
        dialog->accept();
    });
    EXPECT_EQ(added().name, "Veil");
    EXPECT_NEAR(depth(added().id), 15, 1e-9);
    EXPECT_DOUBLE_EQ(added().opacity, 0.3);
}

}
}
