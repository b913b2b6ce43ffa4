// A desk in a real window, and hands for it.
#pragma once

#include "desk/camera/camera_view.h"
#include "desk/dialogs/bring_in_dialog.h"
#include "desk/files/layer_clipboard.h"
#include "desk/files/media_files.h"
#include "desk/files/output_writer.h"
#include "desk/files/scene_files.h"
#include "desk/kit/panes.h"
#include "desk/kit/settings.h"
#include "desk/window/main_window.h"
#include "support/support.h"

#include <QDropEvent>
#include <QMimeData>
#include <QSignalSpy>
#include <QTest>
#include <gtest/gtest.h>

namespace stage::desk {

class Desk : public ::testing::Test {
protected:
    Desk() : window(dir / "journals") {
        window.resize(1280, 800);
        window.show();
        window.activateWindow(); // or its shortcuts do nothing
        EXPECT_TRUE(QTest::qWaitForWindowActive(&window));
    }
    ~Desk() override { window.session().document.close(); }

    Session& session() { return window.session(); }
    const scene::Scene& scene() { return *window.session().scene(); }

    /// Drops files on the window, as a file manager does, and waits until they are in. A question of what to
    /// take is answered with what it offers.
    bool drop(const std::vector<std::string>& names) {
        QList<QUrl> urls;
        for (const std::string& name : names)
            urls << QUrl::fromLocalFile(QString::fromStdString((dir / name).string()));
        QMimeData data;
        data.setUrls(urls);
        QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&window, &enter);
        if (!enter.isAccepted()) return false;
        QSignalSpy in(&window.media(), &MediaFiles::broughtIn);
        QTimer answer;
        QObject::connect(&answer, &QTimer::timeout, &window, [] {
            if (auto* dialog = qobject_cast<BringInDialog*>(QApplication::activeModalWidget()))
                dialog->accept();
        });
        answer.start(20);
        QDropEvent drop(QPointF(300, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&window, &drop);
        const bool done = (!in.isEmpty() || in.wait(20000)) && in.at(0).at(0).toBool();
        window.activateWindow();
        return done && QTest::qWaitForWindowActive(&window);
    }

    /// What has been asked for, such as a new layout, is done.
    static void doPosted() {
        for (int round = 0; round < 5; ++round)
            QApplication::processEvents();
    }

    static void drag(QWidget* widget, QPointF from, QPointF to, Qt::KeyboardModifiers keys = Qt::NoModifier,
                     bool release = true) {
        QTest::mousePress(widget, Qt::LeftButton, keys, from.toPoint());
        for (int i = 1; i <= 8; ++i) {
            const QPointF at = from + (to - from) * i / 8.0;
            QMouseEvent move(QEvent::MouseMove, at, widget->mapToGlobal(at), Qt::NoButton, Qt::LeftButton,
                             keys);
            QApplication::sendEvent(widget, &move);
            QApplication::processEvents();
        }
        if (release) QTest::mouseRelease(widget, Qt::LeftButton, keys, to.toPoint());
    }

    /// Place in the Camera view of a place in the frame, px of the frame.
    QPointF inCamera(double x, double y) {
        const QRectF frame = window.views().camera->frameRect();
        const double scale = frame.width() / scene().output.frame.x;
        return {frame.left() + x * scale, frame.top() + y * scale};
    }

    test::TempDir dir;
    /// What the test before has left is forgotten before the window reads it.
    struct NoSettings {
        NoSettings() { settings().clear(); }
    } noSettings;
    MainWindow window;
};

}
