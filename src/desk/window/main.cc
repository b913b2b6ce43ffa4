#include "desk/files/scene_files.h"
#include "desk/look/theme.h"
#include "desk/window/main_window.h"

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

/// What a library throws while an event is handled ends that event, not the program.
class Application : public QApplication {
    Q_DECLARE_TR_FUNCTIONS(Application)
public:
    using QApplication::QApplication;
    bool notify(QObject* receiver, QEvent* event) override {
        try {
            return QApplication::notify(receiver, event);
        } catch (const std::exception& problem) {
            const auto windows = topLevelWidgets();
            for (QWidget* widget : windows)
                if (auto* window = qobject_cast<stage::desk::MainWindow*>(widget))
                    Q_EMIT window->session().problem(
                        tr("This could not be done: %1.").arg(QString::fromLocal8Bit(problem.what())));
            return true;
        }
    }
};

/// Asked to end from outside (logging out): what is not saved stays in the journal, and is offered next time.
void endInOrder(stage::desk::MainWindow& window) {
    if (::socketpair(AF_UNIX, SOCK_STREAM, 0, told) != 0) return;
    auto* notifier = new QSocketNotifier(told[1], QSocketNotifier::Read, &window);
    QObject::connect(notifier, &QSocketNotifier::activated, &window, [&window] {
        if (!window.session().document.modified()) window.session().document.close();
        // At once, past any dialog: nobody is there to answer it.
        ::_exit(0);
    });
    for (const int each : {SIGTERM, SIGHUP, SIGINT})
        std::signal(each, onSignal);
}

}

int main(int argc, char** argv) {
    try {
        Application application(argc, argv);
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
                window.scenes().open(arguments.at(1).toStdString());
            else
                window.scenes().offerRecovery();
        });
        return QApplication::exec();
    } catch (const std::exception& problem) {
        std::cerr << "Open Stage had to end: " << problem.what()
                  << ". What was not saved is kept and offered next time.\n";
        return 1;
    }
}
