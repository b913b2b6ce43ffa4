// open-stage-shot VIEW SCENE OUT.png: opens the desk, brings it into a state worth showing, and saves its
// picture. For docs/screenshots and for machines without a display.
#include "desk/camera/camera_view.h"
#include "desk/cutting/cut_view.h"
#include "desk/files/media_files.h"
#include "desk/files/output_writer.h"
#include "desk/files/scene_files.h"
#include "desk/kit/panes.h"
#include "desk/look/theme.h"
#include "desk/session/findings.h"
#include "desk/set/draft_view.h"
#include "desk/set/ladder.h"
#include "desk/set/model_view.h"
#include "desk/time/curve_view.h"
#include "desk/time/pace_view.h"
#include "desk/time/timeline.h"
#include "desk/window/main_window.h"

#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDialog>
#include <QDir>
#include <QLineEdit>
#include <QMenuBar>
#include <QMouseEvent>
#include <QPlainTextEdit>
#include <QProcess>
#include <QPushButton>
#include <QScreen>
#include <QSettings>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>
#include <QWheelEvent>
#include <cmath>
#include <cstdio>

namespace {

using namespace stage;

std::int64_t layerNamed(desk::Session& session, const std::string& name) {
    std::int64_t id = 0;
    scene::forEach(*session.scene(), [&](const scene::LayerPtr& layer, const auto&) {
        if (layer->name == name) id = layer->id;
    });
    return id;
}

void send(QWidget* widget, QEvent::Type type, QPointF at, Qt::KeyboardModifiers keys = Qt::NoModifier) {
    const bool moves = type == QEvent::MouseMove;
    QMouseEvent event(type, at, widget->mapToGlobal(at), moves ? Qt::NoButton : Qt::LeftButton,
                      type == QEvent::MouseButtonRelease ? Qt::NoButton : Qt::LeftButton, keys);
    QApplication::sendEvent(widget, &event);
    QTest::qWait(60);
}

/// A dialog runs its own loop: its picture is taken from a timer.
void shootDialog(desk::MainWindow& window, QAction& action, const QString& out) {
    QTimer::singleShot(900, &window, [&window, out] {
        if (auto* text = window.findChild<QPlainTextEdit*>(QStringLiteral("newText")))
            text->setPlainText(QStringLiteral("Until the last light"));
        QTest::qWait(200);
        QGuiApplication::primaryScreen()->grabWindow(0).save(out);
        if (QWidget* dialog = QApplication::activeModalWidget()) dialog->close();
    });
    action.trigger();
}

/// Draws with the mouse through places of the layer's picture.
void draw(desk::CutView& cut, const std::vector<V2d>& places, Qt::KeyboardModifiers keys = Qt::NoModifier) {
    send(&cut, QEvent::MouseButtonPress, cut.toView(places.front()), keys);
    for (std::size_t i = 1; i < places.size(); ++i)
        for (int k = 1; k <= 6; ++k)
            send(&cut, QEvent::MouseMove, cut.toView(places[i - 1] + (places[i] - places[i - 1]) * (k / 6.0)),
                 keys);
    send(&cut, QEvent::MouseButtonRelease, cut.toView(places.back()), keys);
}

void settle(desk::CutView& cut) {
    for (int i = 0; i < 900; ++i) {
        QTest::qWait(100);
        if (!cut.working()) break;
    }
    QTest::qWait(1500);
}

// Rough outlines in demo/art/flat-quay.jpg, 1600 x 900 px.
const std::vector<V2d> boatLoop = {{480, 640},  {570, 655},  {700, 645},  {715, 470},  {720, 420},
                                   {790, 405},  {855, 415},  {870, 380},  {912, 440},  {955, 520},
                                   {1010, 670}, {1100, 645}, {1120, 600}, {1150, 610}, {1110, 705},
                                   {1045, 800}, {990, 785},  {770, 797},  {615, 770},  {540, 715}};
const std::vector<V2d> leftHouses = {{2, 80},    {120, 165}, {230, 140}, {305, 240},
                                     {415, 315}, {420, 840}, {2, 850}};
const std::vector<V2d> rightHouses = {{1598, 80},  {1540, 95},  {1475, 230}, {1285, 240},
                                      {1190, 385}, {1190, 840}, {1598, 850}};

/// Views of cutting out start from one flat picture or clip instead of the demo.
bool shootCutting(desk::MainWindow& window, const QString& view, const std::filesystem::path& art,
                  const QString& out) {
    desk::Session& session = window.session();
    const auto save = [&] { return QGuiApplication::primaryScreen()->grabWindow(0).save(out); };
    session.document.newScene();
    const bool keying = view == QLatin1String("keying");
    QSignalSpy in(&window.media(), &desk::MediaFiles::broughtIn);
    window.media().bringIn({art / (keying ? "screen-boatman.mp4" : "flat-quay.jpg")});
    if (!in.wait(60000)) return false;
    desk::CutView& cut = *window.views().cut;
    window.views().setCutting(true);
    QTest::qWait(500);
    settle(cut);
    if (keying) {
        session.document.apply({{"edit", "cut-out"},
                                {"layers", session.selection.layers()},
                                {"key", {{"kind", "colour"}, {"screen", {0.045, 0.39, 0.065, 1}}}}});
        cut.setShow(desk::CutView::Show::Cut);
        settle(cut);
        return save();
    }
    if (view == QLatin1String("cut-out")) {
        draw(cut, boatLoop);
        settle(cut);
        cut.setTool(desk::CutView::Tool::Brush);
        cut.setBrushSize(14);
        // what belongs to it: body, arms and pole; what does not: the water between them
        draw(cut, {{790, 480}, {800, 560}, {770, 640}, {820, 640}, {830, 530}, {900, 520}, {925, 525}});
        draw(cut, {{880, 395}, {905, 465}, {930, 530}, {985, 680}});
        draw(cut, {{905, 570}, {935, 650}, {880, 650}, {875, 580}, {900, 560}}, Qt::AltModifier);
        draw(cut, {{722, 470}, {716, 560}, {712, 620}}, Qt::AltModifier);
        draw(cut, {{862, 440}, {875, 480}}, Qt::AltModifier);
        settle(cut);
        return save();
    }
    cut.startSplit();
    draw(cut, boatLoop);
    if (view == QLatin1String("split")) {
        QTest::keyClick(&cut, Qt::Key_Return);
        draw(cut, leftHouses);
        draw(cut, rightHouses);
        settle(cut);
        return save();
    }
    if (view == QLatin1String("filled")) {
        QTest::keyClick(&cut, Qt::Key_Return);
        QTest::keyClick(&cut, Qt::Key_Return);
        cut.setShow(desk::CutView::Show::Cut);
        settle(cut);
        settle(cut);
        return save();
    }
    return false;
}

/// The guide's second chapter: five loose pictures become a scene, by the mouse and the keyboard.
bool stageLoose(desk::MainWindow& window, const std::filesystem::path& art, const QString& out) {
    desk::Session& session = window.session();
    const auto save = [&] {
        QTest::qWait(1500);
        return QGuiApplication::primaryScreen()->grabWindow(0).save(out);
    };
    const QTemporaryDir loose;
    std::vector<std::filesystem::path> files;
    for (const char* name :
         {"night-sky.jpg", "hill-town.webp", "bridge.webp", "boatman.webp", "lantern-string.webp"}) {
        files.push_back(std::filesystem::path(loose.path().toStdString()) /
                        std::filesystem::path(name).replace_extension(".png"));
        if (QProcess::execute(QStringLiteral("oiiotool"),
                              {QString::fromStdString((art / name).string()), QStringLiteral("-o"),
                               QString::fromStdString(files.back().string())}) != 0)
            return false;
    }
    session.document.newScene();
    // 1: dropped
    QSignalSpy in(&window.media(), &desk::MediaFiles::broughtIn);
    window.media().bringIn(files);
    if (!in.wait(60000)) return false;
    QTest::qWait(3000);
    const auto type = [&](const char* name, const char* text) {
        auto* field = window.findChild<QLineEdit*>(QString::fromLatin1(name));
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, QString::fromLatin1(text));
        QTest::keyClick(field, Qt::Key_Return);
    };
    // 2 to 5: spread in depth
    type("manyFrom", "5");
    type("manyTo", "60");
    for (QComboBox* box : window.findChildren<QComboBox*>())
        if (box->accessibleName() == QStringLiteral("Steps")) box->setCurrentIndex(1);
    window.findChild<QPushButton*>(QStringLiteral("spread"))->click();
    desk::CameraView& camera = *window.views().camera;
    const auto place = [&](double x, double y) {
        const QRectF frame = camera.frameRect();
        return QPointF(frame.left() + frame.width() * x, frame.top() + frame.height() * y);
    };
    const auto pick = [&](const char* name) {
        desk::Rungs& rungs = window.views().ladder->rungs();
        QTest::mouseClick(&rungs, Qt::LeftButton, Qt::NoModifier,
                          rungs.rungRect(layerNamed(session, name)).center().toPoint());
    };
    const auto drag = [&](QPointF from, QPointF to) {
        send(&camera, QEvent::MouseButtonPress, from);
        for (int i = 1; i <= 10; ++i)
            send(&camera, QEvent::MouseMove, from + (to - from) * (i / 10.0));
        send(&camera, QEvent::MouseButtonRelease, to);
    };
    const auto width = [&](const char* metres) {
        for (QLineEdit* field : window.findChildren<QLineEdit*>())
            if (field->isVisible() && field->accessibleName() == QStringLiteral("Width")) {
                field->setFocus();
                field->selectAll();
                QTest::keyClicks(field, QString::fromLatin1(metres));
                QTest::keyClick(field, Qt::Key_Return);
            }
    };
    // 6 to 15: each is picked on its rung, given its width, and put where it belongs
    pick("boatman");
    width("3.4m");
    drag(place(0.5, 0.55), place(0.46, 0.58));
    pick("lantern-string");
    drag(place(0.18, 0.65), place(0.18, 0.24));
    pick("bridge");
    width("8m");
    drag(place(0.2, 0.52), place(0.2, 0.58));
    pick("hill-town");
    drag(place(0.06, 0.5), place(0.06, 0.54));
    // 16 to 20: the end of the scene, walk in, mark, play
    session.playhead.setFrame(session.scene()->output.frames - 1);
    camera.setTool(desk::CameraView::Tool::Walk);
    for (int i = 0; i < 6; ++i) {
        QWheelEvent wheel(place(0.5, 0.5), camera.mapToGlobal(place(0.5, 0.5)), {}, {0, 120}, Qt::NoButton,
                          Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(&camera, &wheel);
    }
    QTest::qWait(900);
    session.camera.setMarkHere();
    return save();
}

void stageDesk(desk::MainWindow& window) {
    desk::Session& session = window.session();
    session.playhead.setFrame(77);
    session.selection.select({layerNamed(session, "Boatman")});
    QTest::qWait(1500);
}

void stageFourPanes(desk::MainWindow& window) {
    desk::Session& session = window.session();
    window.views().panes->setCount(4);
    session.playhead.setFrame(30);
    session.selection.select({layerNamed(session, "Houses left")});
    QTest::qWait(2500);
}

void stageModel(desk::MainWindow& window) {
    desk::Session& session = window.session();
    window.views().panes->setCount(2);
    window.views().panes->show(1, desk::Panes::View::Model);
    session.selection.select({layerNamed(session, "Bridge")});
    QTest::qWait(2500);
}

void stageFolded(desk::MainWindow& window) {
    desk::Session& session = window.session();
    window.views().panes->setCount(3);
    window.views().panes->show(1, desk::Panes::View::Plan);
    window.views().panes->show(2, desk::Panes::View::Section);
    session.selection.select({layerNamed(session, "Hill town")});
    QTest::qWait(2500);
}

void stageMany(desk::MainWindow& window) {
    desk::Session& session = window.session();
    session.selection.select({layerNamed(session, "Night sky"), layerNamed(session, "Bridge"),
                              layerNamed(session, "Houses left"), layerNamed(session, "Houses right")});
    QTest::qWait(1500);
}

void stageList(desk::MainWindow& window) {
    desk::Session& session = window.session();
    session.document.apply({{"edit", "scatter"},
                            {"layer", layerNamed(session, "Lantern string")},
                            {"count", 300},
                            {"seed", 7},
                            {"box", {30, 9, 26}},
                            {"turn", 8},
                            {"sizes", 0.5}});
    session.document.apply(
        {{"edit", "group"}, {"layers", {"Houses left", "Houses right"}}, {"name", "Houses"}});
    session.document.apply({{"edit", "lock"}, {"layers", {"Night sky"}}});
    session.document.apply({{"edit", "look"}, {"layers", {"Mist"}}, {"visible", false}});
    window.views().ladder->setListing(true);
    session.selection.select({layerNamed(session, "Houses")});
    QTest::qWait(4000);
}

void stagePlaying(desk::MainWindow& window) {
    window.views().timeline->setPlaying(true);
    QTest::qWait(7000); // once through fills the cache
}

void stagePush(desk::MainWindow& window) {
    desk::Session& session = window.session();
    desk::Rungs& rungs = window.views().ladder->rungs();
    const QPointF rung = rungs.rungRect(layerNamed(session, "Bridge")).center();
    send(&rungs, QEvent::MouseButtonPress, rung);
    for (int i = 1; i <= 10; ++i)
        send(&rungs, QEvent::MouseMove, rung + QPointF(0, 4 * i));
    QTest::qWait(1000);
}

void stageCurves(desk::MainWindow& window) {
    desk::Session& session = window.session();
    window.views().panes->show(1, desk::Panes::View::Curves);
    const std::int64_t reeds = layerNamed(session, "Reeds left"), title = layerNamed(session, "Title");
    session.document.apply({{"edit", "key"},
                            {"layers", {title}},
                            {"property", "turn"},
                            {"time", 4},
                            {"value", -25},
                            {"pace", "soft stop"}});
    session.document.apply(
        {{"edit", "key"}, {"layers", {title}}, {"property", "turn"}, {"time", 6}, {"value", 0}});
    window.views().timeline->open(reeds, true);
    window.views().timeline->open(title, true);
    window.views().timeline->open(0, false);
    session.playhead.setFrame(118);
    session.selection.select({title});
    session.selection.chooseKeys({{title, "height", Rational(4)}, {title, "height", Rational(7)}});
    window.views().curves->setProperty("height");
    QTest::qWait(3000);
}

void stagePace(desk::MainWindow& window) {
    desk::Session& session = window.session();
    // The path bent by its handle at a mark, the pace drawn.
    session.selection.select({});
    desk::PacePaper& paper = window.views().pace->paper();
    QTest::qWait(500);
    send(&paper, QEvent::MouseButtonPress, paper.placeOf(0.05, 0));
    for (int i = 0; i <= 30; ++i)
        send(&paper, QEvent::MouseMove,
             paper.placeOf(0.05 + 6.95 * i / 30.0, 0.65 * std::pow(std::sin(i / 30.0 * 3.1416), 0.8)));
    send(&paper, QEvent::MouseButtonRelease, paper.placeOf(6.7, 0.2));
    session.document.apply({{"edit", "mark"}, {"mark", 3}, {"leaving", {-0.35, 0.05, -0.1}}});
    session.playhead.setFrame(frameAt(session.scene()->camera.marks[2].time, session.scene()->output.rate));
    for (int i = 0; i < 5; ++i) { // nearer
        QWheelEvent wheel(window.views().plan->placeOf(session.camera.pose().position), QPointF(), QPoint(),
                          QPoint(0, 240), Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(window.views().plan, &wheel);
    }
    QTest::qWait(2500);
}

void stageCheck(desk::MainWindow& window) {
    desk::Session& session = window.session();
    session.document.apply({{"edit", "retime"}, {"seconds", 2}});
    session.document.apply(
        {{"edit", "push"}, {"layers", {"Lantern string"}}, {"depth", 2.4}, {"holdFraming", false}});
    session.document.apply({{"edit", "slide"}, {"layers", {"Lantern string"}}, {"by", {0, -0.6, 0}}});
    session.document.apply({{"edit", "scale"}, {"layers", {"Night sky"}}, {"by", 0.75}, {"about", "pivot"}});
    session.playhead.setFrame(24);
    for (int i = 0; i < 200 && !window.findings().known(); ++i)
        QTest::qWait(50);
    QTest::qWait(1500);
    if (QAction* action = window.commands().find(QStringLiteral("findings"))) action->trigger();
    QTest::qWait(800);
}

void stageCompare(desk::MainWindow& window) {
    desk::Session& session = window.session();
    session.document.apply({{"edit", "stand"}, {"layers", {"Boatman"}}, {"on", "Water"}});
    session.selection.select({layerNamed(session, "Boatman")});
    session.playhead.setFrame(40);
    window.views().camera->flat().setShow(desk::FlatPicture::Show::Wipe);
    QTest::qWait(4000);
}

void stageVariants(desk::MainWindow& window) {
    desk::Session& session = window.session();
    session.document.apply(
        {{"edit", "variants"},
         {"variants",
          {{{"name", "upright"}, {"frame", {1080, 1920}}, {"keep", "height"}, {"shift", {0.1, 0}}},
           {{"name", "square"}, {"frame", {1080, 1080}}, {"keep", "shorter"}}}}});
    session.playhead.setFrame(77);
    QTest::qWait(4000);
}

void stageOffTheMove(desk::MainWindow& window) {
    desk::Session& session = window.session();
    session.playhead.setFrame(40);
    window.views().camera->setTool(desk::CameraView::Tool::Walk);
    const QPointF from = window.views().camera->frameRect().center();
    send(window.views().camera, QEvent::MouseButtonPress, from, Qt::ShiftModifier);
    for (int i = 1; i <= 10; ++i)
        send(window.views().camera, QEvent::MouseMove, from + QPointF(-4 * i, 2 * i), Qt::ShiftModifier);
    QTest::qWait(1000);
}

void stageText(desk::MainWindow& window) {
    desk::Session& session = window.session();
    session.selection.select({layerNamed(session, "Title")});
    QTest::qWait(1500);
}

void stageQueue(desk::MainWindow& window) {
    desk::OutputWriter& writer = window.writer();
    const std::filesystem::path folder = QDir::homePath().toStdString();
    for (const auto& [name, format] :
         {std::pair{"lantern-quay.mp4", output::Format::H264},
          std::pair{"lantern-quay-for-editing.mov", output::Format::Intermediate},
          std::pair{"lantern-quay.####.exr", output::Format::Exr}}) {
        output::Job job = output::wholeScene(*window.session().scene(), folder / name, format);
        job.size = {640, 360}, job.first = 60;
        writer.write(job);
        QTest::qWait(300);
    }
    const auto under = [&] {
        const auto& jobs = writer.queue().jobs();
        return jobs.size() == 3 && jobs.front().share > 0.15;
    };
    [[maybe_unused]] const bool begun = QTest::qWaitFor(under, 60000);
    writer.showQueue();
    QTest::qWait(2500);
}

struct View {
    const char* name;
    void (*stage)(desk::MainWindow& window); ///< until it is as it shall be shown
};
const View views[] = {{"desk", stageDesk},       {"four-panes", stageFourPanes},
                      {"model", stageModel},     {"folded", stageFolded},
                      {"many", stageMany},       {"list", stageList},
                      {"playing", stagePlaying}, {"push", stagePush},
                      {"curves", stageCurves},   {"pace", stagePace},
                      {"check", stageCheck},     {"off-the-move", stageOffTheMove},
                      {"text", stageText},       {"compare", stageCompare},
                      {"queue", stageQueue},     {"variants", stageVariants}};

bool shoot(desk::MainWindow& window, const QString& view, const QString& out) {
    for (const View& each : views)
        if (view == QLatin1String(each.name)) {
            each.stage(window);
            const bool saved = QGuiApplication::primaryScreen()->grabWindow(0).save(out);
            for (const output::QueuedJob& job : window.writer().queue().jobs())
                [[maybe_unused]] const auto cancelled = output::Queue().cancel(job.id);
            return saved;
        }
    // The dialog of any command.
    if (QAction* action =
            window.commands().find(view == QLatin1String("output") ? QStringLiteral("write") : view)) {
        QTest::qWait(1000);
        shootDialog(window, *action, out);
        return true;
    }
    return false;
}

}

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    desk::theme::apply(application);
    const QStringList arguments = QApplication::arguments();
    if (arguments.size() != 4) {
        std::fputs("usage: open-stage-shot VIEW SCENE OUT.png\n", stderr);
        return 2;
    }
    const QTemporaryDir journals, settings;
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings.path());
    desk::MainWindow window(journals.path().toStdString());
    window.resize(1280, 800); // all of the screen that it is made on
    window.move(0, 0);
    window.show();
    if (!window.scenes().open(arguments[2].toStdString())) return 3;
    // Until the first picture is there.
    for (int i = 0; i < 300 && window.views().camera->picture().cache().count() == 0; ++i)
        QTest::qWait(100);
    QTest::qWait(500);
    const QStringList cutting = {QStringLiteral("cut-out"), QStringLiteral("split"), QStringLiteral("filled"),
                                 QStringLiteral("keying")};
    const auto art = std::filesystem::path(arguments[2].toStdString()).parent_path() / "art";
    const bool loose = arguments[1].startsWith(QStringLiteral("loose"));
    const bool ok = loose                            ? stageLoose(window, art, arguments[3])
                    : cutting.contains(arguments[1]) ? shootCutting(window, arguments[1], art, arguments[3])
                                                     : shoot(window, arguments[1], arguments[3]);
    window.session().document.close();
    return ok ? 0 : 4;
}
