#include "desk/files/scene_files.h"
#include "desk/look/theme.h"
#include "desk/window/handover.h"
#include "desk/window/main_window.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QFileInfo>
#include <QSocketNotifier>
#include <QStandardPaths>
#include <QTimer>
#include <QUrl>
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

struct Asked {
    QStringList files; ///< absolute paths
    bool separate = false;
};
/// Ends the program where it only tells something, or where it is not understood.
Asked readCommandLine() {
    QCommandLineParser parser;
    parser.setApplicationDescription(QCoreApplication::translate(
        "main", "Stages pictures at measured depths and moves a camera through them."));
    parser.addHelpOption();
    parser.addVersionOption();
    const QCommandLineOption separate(
        QStringLiteral("separate"),
        QCoreApplication::translate("main", "Do not hand files over to the program that runs already."));
    parser.addOption(separate);
    parser.addPositionalArgument(QStringLiteral("FILE"),
                                 QCoreApplication::translate("main", "Scenes to open, media to bring in."),
                                 QStringLiteral("[FILE...]"));
    parser.process(*QCoreApplication::instance());
    Asked asked;
    asked.separate = parser.isSet(separate);
    const QStringList named = parser.positionalArguments();
    for (const QString& each : named) {
        const QUrl url(each);
        asked.files << QFileInfo(url.isLocalFile() ? url.toLocalFile() : each).absoluteFilePath();
    }
    return asked;
}

std::vector<std::filesystem::path> pathsOf(const QStringList& files) {
    std::vector<std::filesystem::path> paths;
    for (const QString& file : files)
        paths.emplace_back(file.toStdString());
    return paths;
}

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
        QApplication::setApplicationVersion(QStringLiteral(STAGE_VERSION));
        QApplication::setDesktopFileName(QStringLiteral("open-stage"));
        QApplication::setApplicationDisplayName(QStringLiteral("Open Stage"));
        const Asked asked = readCommandLine();
        if (!asked.separate && !asked.files.isEmpty() && stage::desk::handedOver(asked.files)) return 0;
        stage::desk::theme::apply(application);
        const std::filesystem::path journals =
            QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation).toStdString();
        stage::desk::MainWindow window(journals / "journals");
        endInOrder(window);
        window.show();
        stage::desk::FileReceiver receiver(&window);
        QObject::connect(&receiver, &stage::desk::FileReceiver::received, &window,
                         [&window](const QStringList& files) {
                             window.raise();
                             window.activateWindow();
                             window.take(pathsOf(files));
                         });
        QTimer::singleShot(0, &window, [&] {
            // Recovered work and a file cannot both be open here; a file that was asked for goes first.
            if (!asked.files.isEmpty())
                window.take(pathsOf(asked.files));
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
