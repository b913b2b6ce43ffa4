// What a newcomer meets first: keys that arrive, dialogs that begin where one types, windows that share a
// scene, help, and work that is not lost. The real program is walked by tests/walk.
#include "desk/cutting/cut_view.h"
#include "desk/dialogs/guide_window.h"
#include "desk/jobs/background.h"
#include "desk/jobs/view_renderer.h"
#include "desk/kit/number_field.h"
#include "desk/kit/shipped.h"
#include "desk/set/draft_view.h"
#include "desk/set/ladder.h"
#include "desk/set/model_view.h"
#include "desk/time/curve_view.h"
#include "desk/time/pace_view.h"
#include "desk/time/timeline.h"
#include "desk_fixture.h"
#include "edit/bring_in.h"
#include "edit/journal.h"
#include "motion/measure.h"

#include <QAbstractButton>
#include <QClipboard>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSemaphore>
#include <QSpinBox>
#include <QTextBlock>
#include <QTextBrowser>

namespace stage::desk {
namespace {

using test::Rgba8;

/// Runs hand(dialog) as soon as a dialog is open, once.
class Answer : public QObject {
public:
    explicit Answer(std::function<void(QDialog*)> hand) : m_hand(std::move(hand)) {
        connect(&m_timer, &QTimer::timeout, this, [this] {
            auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
            if (!dialog || !dialog->isVisible()) return;
            m_timer.stop();
            given = true;
            m_hand(dialog);
        });
        m_timer.start(20);
    }
    bool given = false;

private:
    std::function<void(QDialog*)> m_hand;
    QTimer m_timer;
};

void press(QDialog* dialog, const QString& text) {
    for (QAbstractButton* button : dialog->findChildren<QAbstractButton*>())
        if (QString(button->text()).remove(QLatin1Char('&')) == text) return button->click();
    ADD_FAILURE() << "no button " << text.toStdString();
    dialog->reject();
}

class FirstMile : public Desk {
protected:
    void bringPicture() {
        test::writePicture(dir / "p.png", {320, 180}, [](int x, int y) { return Rgba8{x % 200, y, 90}; });
        ASSERT_TRUE(drop({"p.png"}));
    }
    void key(Qt::Key key, Qt::KeyboardModifiers with = Qt::NoModifier) {
        QWidget* to = QApplication::focusWidget();
        QTest::keyClick(to ? to : &window, key, with);
    }
    bool focusComesTo(QWidget& widget) {
        return QTest::qWaitFor([&] { return QApplication::focusWidget() == &widget; }, 2000);
    }
    void trigger(const char* command) { window.commands().find(QLatin1String(command))->trigger(); }
};

TEST_F(FirstMile, KeysGoToTheViewThatIsLeftWhenAnotherIsHidden) {
    bringPicture();
    window.views().camera->setFocus();
    key(Qt::Key_C);
    ASSERT_TRUE(window.views().cutting());
    EXPECT_EQ(QApplication::focusWidget(), window.views().cut);
    key(Qt::Key_C);
    ASSERT_FALSE(window.views().cutting());
    EXPECT_TRUE(focusComesTo(*window.views().camera));
    key(Qt::Key_End);
    EXPECT_EQ(session().playhead.frame(), scene().output.frames - 1);
    key(Qt::Key_W);
    EXPECT_EQ(window.views().camera->tool(), CameraView::Tool::Walk);
}

TEST_F(FirstMile, FieldsForFiguresLeaveLettersToCommandsAndGiveTheKeysBack) {
    bringPicture();
    NumberField* focal = nullptr;
    for (NumberField* field : window.findChildren<NumberField*>())
        if (field->accessibleName() == QStringLiteral("Focal length") && field->isVisible()) focal = field;
    ASSERT_TRUE(focal);
    window.views().camera->setFocus();
    focal->setFocus();
    key(Qt::Key_End);
    EXPECT_EQ(session().playhead.frame(), scene().output.frames - 1);
    key(Qt::Key_P);
    EXPECT_EQ(window.views().camera->tool(), CameraView::Tool::Push);
    focal->setFocus();
    focal->selectAll();
    QTest::keyClicks(focal, "50");
    key(Qt::Key_Return);
    EXPECT_EQ(session().camera.pose().focal, 50);
    EXPECT_TRUE(focusComesTo(*window.views().camera));
    focal->setFocus();
    QTest::keyClicks(focal, "7");
    key(Qt::Key_Escape);
    EXPECT_EQ(session().camera.pose().focal, 50);
    EXPECT_TRUE(focusComesTo(*window.views().camera));
}

TEST_F(FirstMile, TheTextDialogBeginsInItsTextAndTakesNoEmptyOne) {
    bool complained = false;
    Answer answer([&](QDialog* dialog) {
        auto* text = dialog->findChild<QPlainTextEdit*>(QStringLiteral("newText"));
        ASSERT_TRUE(text);
        EXPECT_TRUE(focusComesTo(*text));
        press(dialog, QStringLiteral("Add text"));
        complained = dialog->isVisible();
        QTest::keyClicks(text, "To the quay");
        EXPECT_TRUE(dialog->isVisible());
        press(dialog, QStringLiteral("Add text"));
    });
    trigger("add-text");
    EXPECT_TRUE(complained);
    ASSERT_EQ(scene().layers.size(), 1u);
    EXPECT_EQ(std::get<scene::Text>(scene().layers[0]->content).text, "To the quay");
}

TEST_F(FirstMile, ASecondWindowIsToldAndNeitherLosesWork) {
    bringPicture();
    const auto file = dir / "s.ostage";
    ASSERT_TRUE(session().document.save(file));
    ASSERT_TRUE(session().document.apply({{"edit", "rename"}, {"layer", 1}, {"name", "Mine"}}));
    {
        MainWindow second(dir / "journals");
        second.show();
        Answer leave([](QDialog* dialog) { press(dialog, QStringLiteral("Leave it")); });
        EXPECT_FALSE(second.scenes().open(file));
        EXPECT_TRUE(leave.given);
        Answer copy([](QDialog* dialog) { press(dialog, QStringLiteral("Open a copy")); });
        EXPECT_TRUE(second.scenes().open(file));
        EXPECT_TRUE(copy.given);
        EXPECT_TRUE(second.session().document.path().empty());
        const auto saved = second.session().document.save(file);
        ASSERT_FALSE(saved);
        EXPECT_NE(saved.error().sentence.find("open in another window"), std::string::npos);
        second.session().document.close();
    }
    // Were the first to be killed now, its edit would be there.
    std::filesystem::copy_file(edit::journalOf(file), dir / "as-left.journal");
    const auto recovered = edit::recover(dir / "as-left.journal");
    ASSERT_TRUE(recovered);
    EXPECT_EQ(recovered->history.scene()->layers[0]->name, "Mine");
}

TEST_F(FirstMile, DialogsShowWhatTheyWillDoUntilCancelled) {
    bringPicture();
    session().selection.select({1});
    const auto before = session().scene();
    Answer answer([&](QDialog* dialog) {
        const auto boxes = dialog->findChildren<QSpinBox*>();
        ASSERT_FALSE(boxes.isEmpty());
        boxes.first()->setValue(boxes.first()->value() + 3);
        EXPECT_TRUE(QTest::qWaitFor([&] { return session().document.previewing(); }, 3000));
        EXPECT_NE(session().scene(), before);
        EXPECT_TRUE(session().scene()->layers[0]->group());
        dialog->reject();
    });
    trigger("scatter");
    EXPECT_TRUE(answer.given);
    EXPECT_FALSE(session().document.previewing());
    EXPECT_EQ(session().scene(), before);
}

TEST_F(FirstMile, LayersAreCopiedCutAndPasted) {
    bringPicture();
    session().selection.select({1});
    trigger("copy");
    trigger("paste");
    ASSERT_EQ(scene().layers.size(), 2u);
    EXPECT_EQ(scene().layers[1]->name, "p 2");
    EXPECT_EQ(session().selection.layers(), std::vector<std::int64_t>{2});
    trigger("cut");
    EXPECT_EQ(scene().layers.size(), 1u);
    session().document.newScene();
    trigger("paste");
    ASSERT_EQ(scene().layers.size(), 1u);
    EXPECT_EQ(scene().layers[0]->pixels, V2i(320, 180));
    session().document.undo();
    EXPECT_TRUE(scene().layers.empty());
}

TEST_F(FirstMile, AnEmptyDeskOffersBeginningsAndTheDemoIsACopy) {
    auto* demo = window.findChild<QPushButton*>(QStringLiteral("startDemo"));
    ASSERT_TRUE(demo && demo->isVisible());
    EXPECT_TRUE(window.findChild<QPushButton*>(QStringLiteral("startPicture"))->isVisible());
    demo->click();
    ASSERT_TRUE(QTest::qWaitFor([&] { return scene().layers.size() > 8; }, 20000));
    EXPECT_FALSE(demo->isVisible());
    EXPECT_TRUE(session().document.path().empty());
    EXPECT_FALSE(session().document.modified());
    for (const scene::LayerPtr& layer : scene().layers)
        if (const scene::Media* media = scene::mediaOf(*layer)) {
            EXPECT_TRUE(std::filesystem::exists(media->path)) << media->path;
        }
}

TEST_F(FirstMile, TheGuideIsInTheProgramAndIsSearched) {
    GuideWindow guide(shipped("docs/guide.md"), &window);
    guide.show();
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return guide.page().toPlainText().contains(QStringLiteral("camera move")); }, 20000));
    int pictures = 0;
    const QTextDocument& document = *guide.page().document();
    for (QTextBlock block = document.begin(); block.isValid(); block = block.next())
        for (auto part = block.begin(); !part.atEnd(); ++part)
            if (part.fragment().charFormat().isImageFormat()) {
                ++pictures;
                const QTextImageFormat image = part.fragment().charFormat().toImageFormat();
                EXPECT_FALSE(
                    qvariant_cast<QImage>(document.resource(QTextDocument::ImageResource, QUrl(image.name())))
                        .isNull())
                    << image.name().toStdString();
                EXPECT_LE(image.width(), guide.page().viewport()->width());
            }
    EXPECT_GT(pictures, 4);
    guide.search().setText(QStringLiteral("parallax"));
    EXPECT_EQ(guide.page().textCursor().selectedText().toLower(), QStringLiteral("parallax"));
    guide.search().setText(QStringLiteral("no such word here"));
    EXPECT_TRUE(guide.page().extraSelections().isEmpty());
}

TEST_F(FirstMile, EveryPanelSaysWhatItIsAndEveryToolIsInAMenu) {
    for (QWidget* panel :
         std::initializer_list<QWidget*>{window.views().camera, window.views().plan, window.views().section,
                                         window.views().model, window.views().ladder, window.views().timeline,
                                         window.views().cut, window.views().curves, window.views().pace})
        EXPECT_GT(panel->whatsThis().size(), 30) << panel->accessibleName().toStdString();
    for (const char* name :
         {"bring-in", "add-text", "copy", "cut", "paste", "guide", "demo", "whats-this", "recover"})
        EXPECT_TRUE(window.commands().find(QLatin1String(name))) << name;
}

TEST_F(FirstMile, TheHintIsWholeOnUprightFramesAndZoomedIn) {
    session().document.apply({{"edit", "settings"}, {"frame", {1080, 1920}}});
    window.views().camera->setTool(CameraView::Tool::Walk);
    const auto whole = [&] {
        const QRectF hint = window.views().camera->hintRect();
        return hint.width() > 50 && QRectF(window.views().camera->rect()).contains(hint);
    };
    EXPECT_TRUE(whole());
    bringPicture();
    session().selection.select({1});
    window.views().camera->setTool(CameraView::Tool::Walk);
    window.views().camera->fitSelection();
    for (int i = 0; i < 6; ++i) {
        QWheelEvent zoom(QPointF(100, 100), window.views().camera->mapToGlobal(QPointF(100, 100)), {},
                         {0, 120}, Qt::NoButton, Qt::ControlModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(window.views().camera, &zoom);
        EXPECT_TRUE(whole());
    }
}

TEST_F(FirstMile, TheSplitGuideLiesBelowThePicture) {
    bringPicture();
    session().selection.select({1});
    trigger("split");
    auto* bar = window.findChild<QWidget*>(QStringLiteral("guide"));
    ASSERT_TRUE(bar);
    ASSERT_TRUE(QTest::qWaitFor([&] { return bar->isVisible(); }));
    EXPECT_LE(window.views().cut->toView({0, 180}).y(), bar->geometry().top());
    key(Qt::Key_Escape);
}

/// Long work of ours leaves alone the threads with which Qt paints: else the window stands still meanwhile.
TEST_F(FirstMile, LongWorkDoesNotTakeTheThreadsThatPaint) {
    bringPicture();
    QSemaphore started, end;
    constexpr int jobs = 6;
    int done = 0;
    for (int i = 0; i < jobs; ++i)
        inBackground<int>(
            &window, QStringLiteral("work"),
            [&](const Progress&) -> Result<int> {
                started.release();
                end.acquire();
                return 1;
            },
            [&](const Result<int>&) { ++done; });
    started.acquire(jobs);
    EXPECT_EQ(QThreadPool::globalInstance()->activeThreadCount(), 0);
    EXPECT_FALSE(window.grab().isNull());
    end.release(jobs);
    EXPECT_TRUE(QTest::qWaitFor([&] { return done == jobs; }));
    EXPECT_EQ(QApplication::activeModalWidget(), nullptr);
}

/// What a worker throws is a sentence, and so is a picture that does not come.
TEST_F(FirstMile, FailuresAreToldInSentences) {
    const auto thrown = awaited<int>(&window, QStringLiteral("work"), [](const Progress&) -> Result<int> {
        throw std::runtime_error("the shelf fell");
    });
    ASSERT_FALSE(thrown);
    EXPECT_EQ(thrown.error().sentence, "This cannot be done: the shelf fell.");
    bringPicture();
    std::filesystem::remove(dir / "p.png");
    session().sources().forgetProblems();
    ViewRenderer renderer(std::make_shared<media::PixelCache>());
    QSignalSpy failed(&renderer, &ViewRenderer::failed);
    RenderRequest request{.frame = motion::evaluate(scene(), Rational(0), {64, 36})};
    request.quality.placeholders = false;
    renderer.ask(std::move(request));
    ASSERT_TRUE(failed.wait(10000));
    EXPECT_NE(failed.at(0).at(0).toString().indexOf(QStringLiteral("p.png")), -1);
}

/// A file that stands in another's place is read away from the interface thread, and by the journal not
/// again.
TEST_F(FirstMile, ReplacedMediaAreInTheEdit) {
    bringPicture();
    test::writePicture(dir / "q.png", {100, 100}, [](int, int) { return Rgba8{1, 2, 3}; });
    const auto edit =
        edit::withContents({{"edit", "replace"}, {"layer", 1}, {"file", (dir / "q.png").string()}});
    ASSERT_TRUE(edit) << edit.error().sentence;
    std::filesystem::remove(dir / "q.png");
    ASSERT_TRUE(session().document.apply(*edit));
    EXPECT_EQ(scene().layers[0]->pixels, V2i(100, 100));
}

TEST_F(FirstMile, WorkWithoutAFileIsRecoveredByACommandToo) {
    {
        edit::Journal journal;
        ASSERT_TRUE(journal.begin(dir / "journals" / "untitled-1-1.ostage.journal", scene::emptyScene(), {}));
        ASSERT_TRUE(journal.applied({{"edit", "add-card"}, {"name", "Left behind"}}));
    }
    ASSERT_EQ(window.scenes().leftBehind().size(), 1u);
    Answer later([](QDialog* dialog) { press(dialog, QStringLiteral("Ask me later")); });
    trigger("recover");
    EXPECT_TRUE(later.given);
    EXPECT_TRUE(scene().layers.empty());
    EXPECT_EQ(window.scenes().leftBehind().size(), 1u);
    Answer recover([](QDialog* dialog) { press(dialog, QStringLiteral("Recover")); });
    trigger("recover");
    ASSERT_EQ(scene().layers.size(), 1u);
    EXPECT_EQ(scene().layers[0]->name, "Left behind");
    EXPECT_TRUE(session().document.modified());
    EXPECT_TRUE(window.scenes().leftBehind().empty());
}

TEST_F(FirstMile, AnotherLensKeepsTheSelectedLayer) {
    bringPicture();
    session().selection.select({1});
    const auto corners = [this] {
        return *motion::measureAt(session().now(), session().now().find(1)).corners;
    };
    const auto before = corners();
    Answer answer([](QDialog* dialog) {
        NumberField* focal = dialog->findChild<NumberField*>();
        ASSERT_TRUE(focal);
        focal->selectAll();
        QTest::keyClicks(focal, "70");
        press(dialog, QStringLiteral("Change"));
    });
    trigger("lens-refit");
    ASSERT_TRUE(answer.given);
    EXPECT_EQ(scene().camera.marks[0].pose.focal, 70);
    EXPECT_NEAR(scene().camera.marks[0].pose.position.z, 10, 1e-9); // 20 m away at twice the focal length
    for (std::size_t i = 0; i < 4; ++i)
        EXPECT_NEAR((corners()[i] - before[i]).length(), 0, 1e-6);
}

/// What a dialog or a still hand shows is drawn again at its full size once it stays.
TEST_F(FirstMile, APreviewThatStaysIsShownAtItsFullSize) {
    bringPicture();
    // So much out of focus that a draft of it takes longer than a drag allows.
    for (int i = 0; i < 40; ++i)
        ASSERT_TRUE(session().document.apply({{"edit", "duplicate"}, {"layers", {1}}}));
    ASSERT_TRUE(session().document.apply({{"edit", "lens"}, {"fstop", 1.0}, {"focus", 0.4}}));
    const CameraPicture& picture = window.views().camera->picture();
    QSignalSpy shown(&picture, &CameraPicture::shown);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 0; }, 10000));
    const int full = picture.image().width();
    for (int i = 0; i < 20 && picture.image().width() == full; ++i) {
        shown.clear();
        ASSERT_TRUE(
            session().document.preview({{"edit", "look"}, {"layers", {1}}, {"opacity", 0.5 + 0.01 * i}}));
        ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 0; }, 10000));
    }
    EXPECT_LT(picture.image().width(), full) << "a draft took no longer than a drag allows";
    EXPECT_TRUE(QTest::qWaitFor([&] { return picture.image().width() == full; }, 10000));
    EXPECT_TRUE(session().document.previewing());
    session().document.dropPreview();
}

TEST_F(FirstMile, RecoveryThatIsOffIsToldOf) {
    bringPicture();
    EXPECT_TRUE(session().document.recoveryOff().empty());
    // The journals' folder becomes a file: nothing can be written there.
    std::filesystem::remove_all(dir / "journals");
    test::writeAll(dir / "journals", "");
    session().document.newScene();
    EXPECT_FALSE(session().document.recoveryOff().empty());
    bool shown = false;
    for (QLabel* label : window.findChildren<QLabel*>())
        shown = shown || (label->isVisible() && label->text().contains(QStringLiteral("Recovery is off")));
    EXPECT_TRUE(shown);
    std::filesystem::remove(dir / "journals");
    session().document.newScene();
    EXPECT_TRUE(session().document.recoveryOff().empty());
}

}
}
