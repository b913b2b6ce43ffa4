#include "desk/look/theme.h"

#include <QApplication>
#include <QSettings>
#include <QTemporaryDir>
#include <gtest/gtest.h>

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    // Nobody's own settings, and none that a test before has left.
    const QTemporaryDir settings, queue;
    qputenv("XDG_STATE_HOME", queue.path().toUtf8());
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings.path());
    stage::desk::theme::apply(application);
    ::testing::InitGoogleTest(&argc, argv);
    return RUN_ALL_TESTS();
}
