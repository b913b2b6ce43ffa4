// The camera's move on the desk: ready moves, aims, focus pulls, holds, paces, and undoing it all.
#include "scene/scene_json.h"
#include "staged_fixture.h"

#include <QComboBox>
#include <QDialog>
#include <QTimer>

namespace stage::desk {
namespace {

class MovesDesk : public Staged {
protected:
    /// A command whose dialog has a number filled in.
    void runWith(const char* command, const char* name, const char* text) {
        run(command, [=](QDialog* dialog) {
            for (NumberField* f : dialog->findChildren<NumberField*>())
                if (f->accessibleName() == QLatin1String(name)) f->setText(QLatin1String(text));
            dialog->accept();
        });
    }
};

TEST_F(MovesDesk, AReadyMoveThenAimFocusAndPaceAndAllUndone) {
    const auto before = scene::toJson(scene());
    const auto steps = session().document.history().step();
    session().selection.select({front});
    run("ready-move", [](QDialog* dialog) {
        auto* move = dialog->findChild<QComboBox*>(QStringLiteral("readyMove"));
        ASSERT_TRUE(move);
        move->setCurrentText(QStringLiteral("arc"));
        for (NumberField* f : dialog->findChildren<NumberField*>())
            f->setText(f->accessibleName() == QStringLiteral("Amount") ? QStringLiteral("60")
                                                                       : QStringLiteral("2+1"));
        dialog->accept();
    });
    ASSERT_EQ(scene().camera.marks.size(), 3u);
    EXPECT_EQ(scene().camera.marks.back().time, Rational(3));
    EXPECT_NEAR(scene().camera.marks.back().pose.pan, -60, 1e-9);

    session().playhead.setFrame(72);
    ASSERT_EQ(session().camera.markHere(), 2);
    runWith("hold-mark", "Stay for", "0.5");
    ASSERT_EQ(scene().camera.marks.size(), 4u);
    EXPECT_EQ(scene().camera.marks.back().time, Rational(7, 2));

    session().selection.select({back});
    run("aim-layer");
    for (const scene::Mark& mark : scene().camera.marks)
        EXPECT_EQ(mark.aim.layer, back);
    run("focus-here"); // at the last mark: a pull from where the focus was
    EXPECT_EQ(scene().camera.marks[0].focusOn, 0);
    run("whole-pace");
    EXPECT_TRUE(scene().camera.pace);
    run("aim-pose");
    EXPECT_EQ(scene().camera.marks[0].aim, scene::Aim{});
    runWith("retime", "Takes", "7");
    EXPECT_EQ(scene().camera.marks.back().time, Rational(7));
    runWith("hand-held", "Amount", "50 %");
    EXPECT_EQ(scene().camera.tracks.size(), 6u);

    EXPECT_EQ(session().document.history().step(), steps + 8);
    for (int i = 0; i < 8; ++i)
        run("undo");
    EXPECT_EQ(scene::toJson(scene()), before);
}

}
}
