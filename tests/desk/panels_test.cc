// What the panels and dialogs do to the scene, and what the README promises of them.
#include "desk/kit/number_field.h"
#include "desk/set/draft_view.h"
#include "desk/set/ladder.h"
#include "desk/time/marks_strip.h"
#include "desk/time/pace_view.h"
#include "desk/time/timeline.h"
#include "desk_fixture.h"
#include "optics/placing.h"

#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QToolButton>
#include <QWheelEvent>

namespace stage::desk {
namespace {

using test::Rgba8;

class Panels : public Desk {
protected:
    void SetUp() override {
        test::writePicture(dir / "a.png", {192, 108}, [](int, int) { return Rgba8{200, 100, 50}; });
        ASSERT_TRUE(drop({"a.png"}));
        session().selection.select({});
    }
    NumberField* field(const char* name) {
        for (NumberField* f : window.findChildren<NumberField*>())
            if (f->isVisible() && f->accessibleName() == QLatin1String(name)) return f;
        return nullptr;
    }
    void trigger(const char* text) {
        for (QAction* action : window.findChildren<QAction*>())
            if (action->text() == QString::fromUtf8(text)) return action->trigger();
        FAIL() << text;
    }
    /// Runs act in the dialog that opens next.
    template <class Act> void inDialog(Act act) {
        QTimer::singleShot(200, &window, [act] {
            auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
            ASSERT_TRUE(dialog);
            act(dialog);
        });
    }
};

TEST_F(Panels, WheelDolliesAndARowOfTurnsIsOneStep) {
    window.views().camera->setTool(CameraView::Tool::Walk);
    const auto steps = session().document.history().step();
    for (int i = 0; i < 3; ++i) {
        QWheelEvent wheel(inCamera(96, 54), window.views().camera->mapToGlobal(inCamera(96, 54)), {},
                          {0, 120}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(window.views().camera, &wheel);
    }
    EXPECT_LT(scene().camera.marks[0].pose.position.z, -0.4); // thrice two percent of ten metres, ahead
    ASSERT_TRUE(QTest::qWaitFor([&] { return !session().document.previewing(); }, 20000));
    EXPECT_EQ(session().document.history().step(), steps + 1);
}

TEST_F(Panels, AWheelOverAChoiceScrollsThePanel) {
    session().selection.select({1});
    int choices = 0;
    for (QComboBox* box : window.findChildren<QComboBox*>()) {
        if (!box->isVisible() || box->count() < 2) continue;
        ++choices;
        const int before = box->currentIndex();
        const auto turn = [&](int by) {
            QWheelEvent wheel({5, 5}, box->mapToGlobal(QPointF(5, 5)), {}, {0, by}, Qt::NoButton,
                              Qt::NoModifier, Qt::NoScrollPhase, false);
            QApplication::sendEvent(box, &wheel);
        };
        window.views().camera->setFocus();
        turn(before == 0 ? -120 : 120);
        EXPECT_EQ(box->currentIndex(), before) << box->accessibleName().toStdString();
        EXPECT_FALSE(box->hasFocus());
    }
    EXPECT_GE(choices, 2);
}

TEST_F(Panels, AMarkIsDraggedInThePlan) {
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", "5"}, {"position", {2, 1, -3}}}));
    DraftView& plan = *window.views().plan;
    const QPointF mark = plan.placeOf({2, 1, -3}) + QPointF(0, 4); // on its T
    drag(&plan, mark, {mark.x(), plan.placeOfDepth(5).y()});
    EXPECT_EQ(session().camera.markHere(), 1);
    const V3d& position = scene().camera.marks[1].pose.position;
    EXPECT_NEAR(position.z, -5, 0.3);
    EXPECT_NEAR(position.y, 1, 1e-12); // the plan does not know heights
    EXPECT_EQ(scene().camera.marks[0].pose.position, V3d(0));
}

TEST_F(Panels, ThePlanTintsWhatTheMoveSweepsOver) {
    const auto tinted = [&] {
        // Paper with 6 % of the sight lines' blue.
        constexpr int red = 230, green = 227, blue = 218;
        const QImage image = window.views().plan->grab().toImage().convertToFormat(QImage::Format_RGB32);
        int count = 0;
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x) {
                const QRgb at = image.pixel(x, y);
                count += std::abs(qRed(at) - red) <= 1 && std::abs(qGreen(at) - green) <= 1 &&
                         std::abs(qBlue(at) - blue) <= 1;
            }
        return count;
    };
    const int before = tinted(); // edges of lines
    EXPECT_LT(before, 200);
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", "5"}, {"position", {4, 0, 0}}}));
    session().playhead.setFrame(0);
    doPosted();
    EXPECT_GT(tinted(), before + 1000); // what the camera passes over later
}

TEST_F(Panels, PaceIsChosenOnTheBarBetweenTwoMarks) {
    ASSERT_TRUE(session().document.apply({{"edit", "set-mark"}, {"time", "5"}, {"position", {2, 0, 0}}}));
    auto* pace = window.findChild<PaceView*>();
    EXPECT_NEAR(pace->peak(), 2 / 5.0, 1e-6); // even
    QTimer::singleShot(200, &window, [] {
        auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
        ASSERT_TRUE(menu);
        for (QAction* action : menu->actions())
            if (action->text() == QStringLiteral("soft both")) action->trigger();
        menu->close();
    });
    Timeline& timeline = *window.views().timeline;
    QTest::mouseClick(&timeline, Qt::LeftButton, Qt::NoModifier,
                      QPointF(timeline.map().xOfFrame(60), timeline.map().rowRect(0).center().y()).toPoint());
    EXPECT_EQ(scene().camera.marks[0].pace, (scene::Pace{.42, 0, .58, 1}));
    // the steepest place of cubic-bezier(.42,0,.58,1) is its middle: dy/dx = 1.5 / (1.5 (1 - .42) + ... )
    // = 1.7241
    EXPECT_NEAR(pace->peak(), 2 / 5.0 * 1.7241, 2e-3);
}

TEST_F(Panels, OneAndManyHaveFormsOfTheirOwn) {
    const auto says = [this](const char* text) {
        const auto labels = window.findChildren<QLabel*>();
        return std::any_of(labels.begin(), labels.end(), [&](const QLabel* label) {
            return label->isVisible() && label->text().contains(QString::fromUtf8(text));
        });
    };
    ASSERT_EQ(scene().layers.size(), 1u);
    session().selection.select({});
    EXPECT_TRUE(QTest::qWaitFor([&] { return says("1 layer, all media present"); }, 15000));
    ASSERT_TRUE(session().document.apply({{"edit", "add-card"}}));
    session().selection.select({});
    EXPECT_TRUE(QTest::qWaitFor([&] { return says("2 layers, all media present"); }, 15000));
}

TEST_F(Panels, FieldsStepWithTheArrowKeys) {
    session().selection.select({scene().layers[0]->id});
    NumberField* depth = field("Depth");
    depth->setFocus();
    QTest::keyClick(depth, Qt::Key_Up);
    QTest::keyClick(depth, Qt::Key_Up, Qt::ShiftModifier);
    EXPECT_NEAR(optics::depthOf(scene(), scene::find(scene(), scene().layers[0]->id)), 11.1, 1e-9);
    QTest::keyClick(depth, Qt::Key_Down, Qt::ControlModifier);
    EXPECT_NEAR(depth->value(), 11.09, 1e-9);
    // What was entered is undone in the scene; what is being typed, in the field.
    const scene::ScenePtr before = session().document.scene();
    QTest::keyClicks(depth, "7");
    QTest::keyClick(depth, Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(session().document.scene(), before);
    depth->clearFocus();
    depth->setFocus();
    QTest::keyClick(depth, Qt::Key_Z, Qt::ControlModifier);
    EXPECT_NE(session().document.scene(), before);
    EXPECT_GT(std::abs(depth->value() - 11.09), 0.005);
}

TEST_F(Panels, CameraNumbersMoveTheMark) {
    NumberField* pan = field("Pan");
    ASSERT_TRUE(pan);
    pan->setFocus();
    pan->selectAll();
    QTest::keyClicks(pan, "90/6");
    QTest::keyClick(pan, Qt::Key_Return);
    EXPECT_NEAR(scene().camera.marks[0].pose.pan, 15, 1e-9);
    EXPECT_EQ(scene().camera.marks.size(), 1u);
    // Entered, the number keeps the focus, and the space bar plays.
    Timeline* timeline = window.findChild<Timeline*>();
    QTest::keyClick(pan, Qt::Key_Space);
    EXPECT_TRUE(timeline->playing());
    QTest::keyClick(pan, Qt::Key_Space);
    EXPECT_FALSE(timeline->playing());
    pan->selectAll();
    QTest::keyClicks(pan, "16 °");
    EXPECT_FALSE(timeline->playing());
    EXPECT_EQ(pan->text(), QStringLiteral("16 °"));
    pan->undo();
}

TEST_F(Panels, TextIsAddedAndChanged) {
    inDialog([](QDialog* dialog) {
        dialog->findChild<QPlainTextEdit*>(QStringLiteral("newText"))->setPlainText(QStringLiteral("Night"));
        dialog->accept();
    });
    for (QToolButton* button : window.findChildren<QToolButton*>())
        if (button->text() == QStringLiteral("Text")) button->click();
    ASSERT_EQ(scene().layers.size(), 2u);
    EXPECT_EQ(std::get<scene::Text>(scene().layers[1]->content).text, "Night");
    session().selection.select({scene().layers[1]->id});
    QPlainTextEdit* text = nullptr;
    for (QPlainTextEdit* each : window.findChildren<QPlainTextEdit*>())
        if (each->isVisible()) text = each;
    ASSERT_TRUE(text);
    EXPECT_EQ(text->toPlainText(), QStringLiteral("Night"));
    text->setFocus();
    text->moveCursor(QTextCursor::End);
    QTest::keyClicks(text, "fall");
    EXPECT_EQ(std::get<scene::Text>(scene().layers[1]->content).text, "Nightfall");
}

TEST_F(Panels, SettingsSayWhatTheyDoNotUnderstand) {
    bool complained = false;
    QTimer::singleShot(200, &window, [&] {
        auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
        ASSERT_TRUE(dialog);
        QLineEdit* duration = nullptr;
        for (QLineEdit* edit : dialog->findChildren<QLineEdit*>())
            if (edit->text() == QStringLiteral("00:06:00")) duration = edit;
        ASSERT_TRUE(duration);
        duration->setText(QStringLiteral("long"));
        QTimer::singleShot(200, dialog, [&complained, dialog, duration] {
            for (QLabel* label : dialog->findChildren<QLabel*>(QStringLiteral("warning")))
                complained =
                    label->isVisible() && label->text().contains(QStringLiteral("minutes, seconds, frames"));
            duration->setText(QStringLiteral("4s"));
            dialog->accept();
        });
        dialog->accept();
    });
    trigger("Settings…");
    EXPECT_TRUE(complained);
    EXPECT_EQ(scene().output.frames, 96);
    EXPECT_EQ(scene().output.frame, V2i(192, 108));
}

TEST_F(Panels, OutputDialogWritesTheMovieAskedFor) {
    const QString path = QString::fromStdString((dir / "chosen.mkv").string());
    inDialog([path](QDialog* dialog) {
        auto* format = dialog->findChild<QComboBox*>(QStringLiteral("outputFormat"));
        format->setCurrentIndex(format->findData(static_cast<int>(output::Format::Ffv1)));
        dialog->findChild<QSpinBox*>(QStringLiteral("outputWidth"))->setValue(96);
        dialog->findChild<QSpinBox*>(QStringLiteral("outputLast"))->setValue(4);
        dialog->findChild<QLineEdit*>(QStringLiteral("outputPath"))->setText(path);
        dialog->accept();
    });
    QSignalSpy written(&window.writer(), &OutputWriter::written);
    trigger("Write movie or pictures…");
    ASSERT_TRUE(!written.isEmpty() || written.wait(30000));
    const auto ran = test::run("ffprobe -v error -count_frames -select_streams v -show_entries "
                               "stream=width,height,nb_read_frames -of csv=p=0 " +
                               path.toStdString());
    EXPECT_EQ(ran.printed, "96,54,5\n");
}

TEST_F(Panels, SizeVariantsAreMadeSeenAndWritten) {
    inDialog([](QDialog* dialog) {
        auto* add = dialog->findChild<QPushButton*>(QStringLiteral("addVariant"));
        for (QAction* each : add->menu()->actions())
            if (each->text().startsWith(QStringLiteral("vertical"))) each->trigger();
        auto* table = dialog->findChild<QTableWidget*>(QStringLiteral("variants"));
        ASSERT_EQ(table->rowCount(), 1);
        qobject_cast<QSpinBox*>(table->cellWidget(0, 1))->setValue(54);
        qobject_cast<QSpinBox*>(table->cellWidget(0, 2))->setValue(96);
        qobject_cast<QLineEdit*>(table->cellWidget(0, 0))->setText(QStringLiteral("upright"));
        dialog->accept();
    });
    trigger("Size variants…");
    ASSERT_EQ(scene().output.variants.size(), 1u);
    EXPECT_EQ(scene().output.variants[0], (scene::Variant{"upright", {54, 96}, scene::Keep::Height, V2d(0)}));
    // Both are written, each into a file of its own.
    const QString path = QString::fromStdString((dir / "both.mkv").string());
    inDialog([path](QDialog* dialog) {
        auto* list = dialog->findChild<QListWidget*>(QStringLiteral("outputVariants"));
        ASSERT_TRUE(list);
        ASSERT_EQ(list->count(), 2);
        EXPECT_TRUE(list->item(1)->text().contains(QStringLiteral("54 × 96")));
        auto* format = dialog->findChild<QComboBox*>(QStringLiteral("outputFormat"));
        format->setCurrentIndex(format->findData(static_cast<int>(output::Format::Ffv1)));
        dialog->findChild<QSpinBox*>(QStringLiteral("outputWidth"))->setValue(96);
        dialog->findChild<QSpinBox*>(QStringLiteral("outputLast"))->setValue(1);
        dialog->findChild<QLineEdit*>(QStringLiteral("outputPath"))->setText(path);
        dialog->accept();
    });
    QSignalSpy written(&window.writer(), &OutputWriter::written);
    trigger("Write movie or pictures…");
    while (written.size() < 2)
        ASSERT_TRUE(written.wait(30000));
    const auto sizeOf = [&](const std::string& name) {
        return test::run("ffprobe -v error -show_entries stream=width,height -of csv=p=0 " +
                         (dir / name).string())
            .printed;
    };
    EXPECT_EQ(sizeOf("both.mkv"), "96,54\n");
    EXPECT_EQ(sizeOf("both-upright.mkv"), "27,48\n"); // as much smaller as the scene's own
    session().document.undo();
    EXPECT_TRUE(scene().output.variants.empty());
}

TEST_F(Panels, MissingMediaIsTold) {
    auto edit = edit::Edit{{"edit", "add"},
                           {"layers",
                            {{{"id", 1},
                              {"name", "Gone"},
                              {"kind", "picture"},
                              {"pixels", {4, 4}},
                              {"metresPerPixel", 1},
                              {"media", {{"path", "/nowhere/x.png"}}}}}}};
    ASSERT_TRUE(session().document.apply(edit));
    const auto told = [&] {
        for (QLabel* label : window.findChildren<QLabel*>())
            if (label->text().contains(QStringLiteral("1 layer without media"))) return true;
        return false;
    };
    EXPECT_TRUE(QTest::qWaitFor(told, 20000));
    // and over its hatched card
    EXPECT_EQ(window.views().camera->missing(), std::vector{scene().layers.back()->id});
}

TEST_F(Panels, SwatchesAreTheLayersColour) {
    const auto swatchNow = [&] { return session().swatches().of(scene(), scene().layers[0]); };
    ASSERT_TRUE(QTest::qWaitFor([&] { return !swatchNow().picture.isNull(); }, 20000));
    const auto swatch = swatchNow();
    EXPECT_NEAR(swatch.colour.red(), 200, 1);
    EXPECT_NEAR(swatch.colour.blue(), 50, 1);
    EXPECT_LE(std::max(swatch.picture.width(), swatch.picture.height()), 64);
}

TEST_F(Panels, HundredsOfLayersAllHaveARung) {
    edit::Edit add = {{"edit", "add"}, {"layers", edit::Edit::array()}};
    for (int i = 0; i < 25; ++i)
        add["layers"].push_back({{"id", 1},
                                 {"name", "L" + std::to_string(i)},
                                 {"kind", "picture"},
                                 {"position", {0, 0, -2.0 - i}},
                                 {"pixels", {4, 4}},
                                 {"metresPerPixel", 0.1},
                                 {"media", {{"path", (dir / "a.png").string()}}}});
    ASSERT_TRUE(session().document.apply(add));
    // farther ones above nearer ones, none over another, all inside
    QRectF last;
    for (auto it = scene().layers.rbegin(); it != scene().layers.rend() - 1; ++it) {
        const QRectF rung = window.views().ladder->rungs().rungRect((*it)->id);
        ASSERT_FALSE(rung.isEmpty());
        EXPECT_TRUE(QRectF(window.views().ladder->rungs().rect()).contains(rung));
        if (!last.isNull()) {
            EXPECT_GE(rung.top(), last.bottom() - 0.01);
        }
        last = rung;
    }
}

}
}
