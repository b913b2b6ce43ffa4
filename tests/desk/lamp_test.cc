// Lamps at the desk: added, set, dragged in the Plan, and layers that take their light; all taken back.
#include "desk/set/draft_view.h"
#include "staged_fixture.h"

#include <QCheckBox>

namespace stage::desk {
namespace {

class LampsAtTheDesk : public Staged {
protected:
    const scene::Layer& added() { return *scene().layers.back(); }
    const scene::Lamp& lamp() { return std::get<scene::Lamp>(added().content); }
};

TEST_F(LampsAtTheDesk, ALampIsAddedSetAndTakenBack) {
    const std::size_t before = scene().layers.size();
    run("add-lamp");
    ASSERT_EQ(scene().layers.size(), before + 1);
    EXPECT_TRUE(session().selection.contains(added().id));
    doPosted();
    type("Strength", "6.5");
    EXPECT_EQ(lamp().strength, 6.5);
    type("Radius", "0.25");
    EXPECT_DOUBLE_EQ(lamp().radius(), 0.25);
    type("Reach", "12");
    EXPECT_EQ(lamp().reach, 12);
    EXPECT_DOUBLE_EQ(lamp().radius(), 0.25);
    for (int i = 0; i < 4; ++i)
        session().document.undo();
    EXPECT_EQ(scene().layers.size(), before);
}

TEST_F(LampsAtTheDesk, ALampIsDraggedInThePlan) {
    run("add-lamp");
    doPosted();
    DraftView* plan = window.views().plan;
    const V3d before = added().placement.position;
    const QPointF from = plan->barMiddle(added().id);
    drag(plan, from, from + QPointF(0, -40));
    const V3d after = added().placement.position;
    EXPECT_LT(after.z, before.z - 0.3) << "upwards in the Plan is away";
    session().document.undo();
    EXPECT_EQ(added().placement.position, before);
}

TEST_F(LampsAtTheDesk, LayersTakeLightWhereTheyAreTicked) {
    session().selection.select({front});
    doPosted();
    QCheckBox* takes = nullptr;
    for (QCheckBox* each : window.findChildren<QCheckBox*>())
        if (each->isVisible() && each->text() == QLatin1String("Takes light")) takes = each;
    ASSERT_TRUE(takes);
    takes->click();
    const auto shading = [&] { return scene::find(scene(), front).layer->shading; };
    ASSERT_TRUE(shading());
    type("Edge light", "150");
    type("Its width", "9");
    EXPECT_EQ(shading()->edge.strength, 1.5);
    EXPECT_EQ(shading()->edge.width, 9);
    takes->click();
    EXPECT_FALSE(shading());
}

TEST_F(LampsAtTheDesk, ALayerThrowsAShadowOfTheNearestLamp) {
    run("add-lamp");
    doPosted();
    const std::int64_t nearest = added().id;
    session().selection.select({front});
    doPosted();
    run("throws-shadow");
    const auto shadows = [&] { return scene::find(scene(), front).layer->shadows; };
    ASSERT_EQ(shadows().size(), 1u);
    EXPECT_EQ(shadows()[0].from, nearest);
    EXPECT_EQ(shadows()[0].on, 0);
    EXPECT_GT(shadows()[0].contact, 0);
    doPosted();
    type("Darkness", "35");
    EXPECT_DOUBLE_EQ(shadows()[0].darkness, 0.35);
    type("Contact reach", "1.5");
    EXPECT_EQ(shadows()[0].contactReach, 1.5);
    for (int i = 0; i < 3; ++i)
        session().document.undo();
    EXPECT_TRUE(shadows().empty());
}

TEST_F(LampsAtTheDesk, GlowAndDropShadowAreSetByNumbers) {
    session().selection.select({front});
    doPosted();
    type("Glow", "80");
    type("Glow reach", "25");
    type("Drop shadow", "40");
    type("Soft focus", "3");
    const auto finish = scene::find(scene(), front).layer->finish;
    ASSERT_TRUE(finish);
    EXPECT_EQ(finish->glow.strength, 0.8);
    EXPECT_EQ(finish->glow.reach, 25);
    EXPECT_EQ(finish->shadow.strength, 0.4);
    EXPECT_EQ(finish->soft.radius, 3);
}

TEST_F(LampsAtTheDesk, GlareAndGradesByDepthAreSetWithNothingSelected) {
    session().selection.select({});
    doPosted();
    type("Glare", "25");
    EXPECT_EQ(scene().glare.strength, 0.25);
    type("From depth", "20");
    type("To depth", "60");
    type("Range exposure", "-1");
    ASSERT_EQ(scene().depthGrades.size(), 1u);
    EXPECT_EQ(scene().depthGrades[0].from, 20);
    EXPECT_EQ(scene().depthGrades[0].to, 60);
    EXPECT_EQ(scene().depthGrades[0].grade.exposure, -1);
    EXPECT_EQ(scene().grade.exposure, 0) << "that of the whole picture is another row";
}

}
}
