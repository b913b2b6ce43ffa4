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

}
}
