#include "desk/main_window.h"
#include "desk/theme.h"

#include <QApplication>
#include <QSocketNotifier>
#include <QStandardPaths>
#include <QTimer>
#include <csignal>
#include <iostream>
#include <sys/socket.h>
#include <unistd.h>

namespace {

int told[2] = {-1, -1};
extern "C" void onSignal(int) {
    const char one = 1;
    [[maybe_unused]] const auto wrote = ::write(told[0], &one, 1);
}

/// Asked to end from outside (logging out): what is not saved stays in the journal, and is offered next time.
void endInOrder(stage::desk::MainWindow& window) {
    if (::socketpair(AF_UNIX, SOCK_STREAM, 0, told) != 0) return;
    auto* notifier = new QSocketNotifier(told[1], QSocketNotifier::Read, &window);
    QObject::connect(notifier, &QSocketNotifier::activated, &window, [&window] {
        if (!window.session().modified()) window.session().close();
        // At once, past any dialog: nobody is there to answer it.
        ::_exit(0);
    });
    for (const int each : {SIGTERM, SIGHUP, SIGINT})
        std::signal(each, onSignal);
}

}

int main(int argc, char** argv) {
    try {
        QApplication application(argc, argv);
        QApplication::setApplicationName(QStringLiteral("open-stage"));
        QApplication::setApplicationDisplayName(QStringLiteral("Open Stage"));
        stage::desk::theme::apply(application);
        const std::filesystem::path journals =
            QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation).toStdString();
        stage::desk::MainWindow window(journals / "journals");
        endInOrder(window);
        window.show();
        const QStringList arguments = QApplication::arguments();
        QTimer::singleShot(0, &window, [&] {
            // Recovered work and a file cannot both be open here; a file that was asked for goes first.
            if (arguments.size() > 1)
                window.openFile(arguments.at(1).toStdString());
            else
                window.offerRecovery();
        });
        return QApplication::exec();
    } catch (const std::exception& problem) {
        std::cerr << "Open Stage had to end: " << problem.what()
                  << ". What was not saved is kept and offered next time.\n";
        return 1;
    }
}
