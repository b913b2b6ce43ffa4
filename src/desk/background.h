// Long work with progress and cancel, while the window goes on living.
#pragma once

#include "scene/error.h"
#include "scene/progress.h"

#include <QElapsedTimer>
#include <QPointer>
#include <QProgressDialog>
#include <QThreadPool>
#include <QTimer>
#include <atomic>
#include <functional>
#include <memory>

namespace stage::desk {

/// Runs work(progress) on another thread and done(result) on this one, unless `owner` is gone by then. A
/// dialog with the share done, the time left and Cancel shows up when it takes longer than a moment.
template <class T>
void inBackground(QWidget* owner, const QString& title, std::function<Result<T>(const Progress&)> work,
                  std::function<void(Result<T>)> done) {
    struct Shared {
        std::atomic<double> share = 0;
        std::stop_source stop;
    };
    auto shared = std::make_shared<Shared>();
    auto* dialog = new QProgressDialog(title, QObject::tr("Cancel"), 0, 1000, owner);
    dialog->setObjectName(QStringLiteral("progress"));
    dialog->setWindowTitle(title);
    dialog->setWindowModality(Qt::WindowModal);
    dialog->setMinimumDuration(300);
    dialog->setAutoClose(false);
    dialog->setAutoReset(false);
    dialog->setMinimumWidth(360);
    dialog->setValue(0);
    QObject::connect(dialog, &QProgressDialog::canceled, dialog, [shared] { shared->stop.request_stop(); });
    auto* tick = new QTimer(dialog);
    auto since = std::make_shared<QElapsedTimer>();
    since->start();
    QObject::connect(tick, &QTimer::timeout, dialog, [dialog, shared, title, since] {
        const double share = shared->share;
        if (shared->stop.stop_requested()) return;
        dialog->setValue(static_cast<int>(share * 1000));
        const double seconds = static_cast<double>(since->elapsed()) / 1000;
        if (share > 0.01 && seconds > 1) {
            const int left = static_cast<int>(seconds / share - seconds + 0.5);
            dialog->setLabelText(QObject::tr("%1\n%2:%3 left")
                                     .arg(title)
                                     .arg(left / 60)
                                     .arg(left % 60, 2, 10, QLatin1Char('0')));
        }
    });
    tick->start(100);
    QThreadPool::globalInstance()->start([owner = QPointer(owner), dialog = QPointer(dialog), shared,
                                          work = std::move(work), done = std::move(done)] {
        auto result = std::make_shared<Result<T>>(
            work({[shared](double share) { shared->share = share; }, shared->stop.get_token()}));
        QMetaObject::invokeMethod(qApp, [owner, dialog, result, done] {
            if (dialog) {
                dialog->hide();
                dialog->deleteLater();
            }
            if (owner) done(std::move(*result));
        });
    });
}

}
