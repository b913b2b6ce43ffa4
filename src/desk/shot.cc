// open-stage-shot VIEW SCENE OUT.png: opens the desk, brings it into a state worth showing, and saves its
// picture. For docs/screenshots and for machines without a display.
#include "desk/main_window.h"
#include "desk/plan_view.h"
#include "desk/theme.h"
#include "desk/timeline.h"

#include <QAction>
#include <QApplication>
#include <QDialog>
#include <QMenuBar>
#include <QMouseEvent>
#include <QPlainTextEdit>
#include <QScreen>
#include <QTemporaryDir>
#include <QTest>
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
void shootDialog(desk::MainWindow& window, const QString& action, const QString& out) {
    QTimer::singleShot(900, &window, [&window, out] {
        if (auto* text = window.findChild<QPlainTextEdit*>(QStringLiteral("newText")))
            text->setPlainText(QStringLiteral("Until the last light"));
        QTest::qWait(200);
        QGuiApplication::primaryScreen()->grabWindow(0).save(out);
        if (QWidget* dialog = QApplication::activeModalWidget()) dialog->close();
    });
    for (QAction* each : window.findChildren<QAction*>())
        if (each->text() == action) each->trigger();
}

bool shoot(desk::MainWindow& window, const QString& view, const QString& out) {
    desk::Session& session = window.session();
    const auto save = [&] { return QGuiApplication::primaryScreen()->grabWindow(0).save(out); };
    if (view == QLatin1String("desk")) {
        session.setFrame(77);
        session.select({layerNamed(session, "Boatman")});
        QTest::qWait(1500);
        return save();
    }
    if (view == QLatin1String("playing")) {
        window.timeline().setPlaying(true);
        QTest::qWait(7000); // once through fills the cache
        const bool ok = save();
        window.timeline().setPlaying(false);
        return ok;
    }
    if (view == QLatin1String("push")) {
        const QPointF rung = window.plan().rungRect(layerNamed(session, "Bridge")).center();
        send(&window.plan(), QEvent::MouseButtonPress, rung);
        for (int i = 1; i <= 10; ++i)
            send(&window.plan(), QEvent::MouseMove, rung + QPointF(0, 4 * i));
        QTest::qWait(1000);
        const bool ok = save();
        send(&window.plan(), QEvent::MouseButtonRelease, rung + QPointF(0, 40));
        return ok;
    }
    if (view == QLatin1String("off-the-move")) {
        session.setFrame(40);
        window.camera().setTool(desk::CameraView::Tool::Walk);
        const QPointF from = window.camera().frameRect().center();
        send(&window.camera(), QEvent::MouseButtonPress, from, Qt::ShiftModifier);
        for (int i = 1; i <= 10; ++i)
            send(&window.camera(), QEvent::MouseMove, from + QPointF(-4 * i, 2 * i), Qt::ShiftModifier);
        QTest::qWait(1000);
        const bool ok = save();
        send(&window.camera(), QEvent::MouseButtonRelease, from + QPointF(-40, 20), Qt::ShiftModifier);
        return ok;
    }
    if (view == QLatin1String("text")) {
        session.select({layerNamed(session, "Title")});
        QTest::qWait(1500);
        return save();
    }
    if (view == QLatin1String("output")) {
        QTest::qWait(1000);
        shootDialog(window, QStringLiteral("Write movie or pictures…"), out);
        return true;
    }
    if (view == QLatin1String("settings")) {
        QTest::qWait(1000);
        shootDialog(window, QStringLiteral("Settings…"), out);
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
    const QTemporaryDir journals;
    desk::MainWindow window(journals.path().toStdString());
    window.move(0, 0);
    window.show();
    if (!window.openFile(arguments[2].toStdString())) return 3;
    // Until the first picture is there.
    for (int i = 0; i < 300 && window.camera().cachedFrames() == 0; ++i)
        QTest::qWait(100);
    QTest::qWait(500);
    const bool ok = shoot(window, arguments[1], arguments[3]);
    window.session().close();
    return ok ? 0 : 4;
}
