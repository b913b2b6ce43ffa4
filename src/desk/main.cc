#include "desk/main_window.h"
#include "desk/theme.h"

#include <QApplication>
#include <QStandardPaths>
#include <QTimer>

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    QApplication::setApplicationName(QStringLiteral("open-stage"));
    QApplication::setApplicationDisplayName(QStringLiteral("Open Stage"));
    stage::desk::theme::apply(application);
    const std::filesystem::path journals =
        QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation).toStdString();
    stage::desk::MainWindow window(journals / "journals");
    window.show();
    const QStringList arguments = QApplication::arguments();
    QTimer::singleShot(0, &window, [&] {
        window.offerRecovery();
        if (arguments.size() > 1) window.openFile(arguments.at(1).toStdString());
    });
    return QApplication::exec();
}
