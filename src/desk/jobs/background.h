// Long work with progress and cancel, while the window goes on living.
#pragma once

#include "desk/jobs/workers.h"
#include "scene/error.h"
#include "scene/progress.h"

#include <QCoreApplication>
#include <QPointer>
#include <QString>
#include <QWidget>
#include <functional>
#include <memory>
#include <optional>

namespace stage::desk {

/// The dialog of one piece of work: the share done, the time left, Cancel. It shows up when the work takes
/// longer than a moment and is gone for good with end(), whatever runs meanwhile. It belongs to its owner.
class WorkDialog {
public:
    WorkDialog(QWidget* owner, const QString& title);
    /// For the thread that works. Stops when Cancel is pressed or the owner goes.
    Progress progress() const;
    void end();

private:
    class Dialog;
    struct Shared;
    std::shared_ptr<Shared> m_shared;
    QPointer<QWidget> m_dialog;
};

/// Runs work(progress) on another thread and done(result) on this one, unless `owner` is gone by then.
/// What the work throws comes as a sentence.
template <class T>
void inBackground(QWidget* owner, const QString& title, std::function<Result<T>(const Progress&)> work,
                  std::function<void(Result<T>)> done) {
    onWorker([owner = QPointer(owner), dialog = WorkDialog(owner, title), work = std::move(work),
              done = std::move(done)]() mutable {
        auto result = std::make_shared<Result<T>>(guarded([&] { return work(dialog.progress()); }));
        onInterface([owner, dialog, result, done = std::move(done)]() mutable {
            dialog.end();
            if (owner) done(std::move(*result));
        });
    });
}

/// Lets the window live until `ready` says so; nothing but the dialog of the work takes input.
void waitUntil(const std::function<bool()>& ready);

/// The same work for a caller that cannot go on without its result.
template <class T>
Result<T> awaited(QWidget* owner, const QString& title, std::function<Result<T>(const Progress&)> work) {
    auto result = std::make_shared<std::optional<Result<T>>>();
    inBackground<T>(owner, title, std::move(work),
                    [result](Result<T> made) { result->emplace(std::move(made)); });
    const QPointer<QWidget> still(owner);
    waitUntil([&] { return result->has_value() || !still; });
    if (!result->has_value()) return cancelled();
    return std::move(**result);
}

}
