// The desk's files: scenes opened, saved and recovered, pictures brought in, movies written.
#include "desk/window/main_window.h"

#include "desk/dialogs/bring_in_dialog.h"
#include "desk/jobs/background.h"
#include "desk/kit/number_field.h"
#include "desk/kit/question.h"
#include "desk/kit/shipped.h"
#include "media/probe.h"
#include "scene/file.h"

#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QMessageBox>
#include <QMimeData>

namespace stage::desk {
namespace {

enum class Recovery { Recover, Discard, Later };

Recovery askRecovery(QWidget* parent, const QString& what) {
    switch (ask(parent, QObject::tr("Recover work"), what,
                {QObject::tr("Recover"), QObject::tr("Discard"), QObject::tr("Ask me later")})) {
    case 0:
        return Recovery::Recover;
    case 1:
        return Recovery::Discard;
    default:
        return Recovery::Later;
    }
}

}

bool MainWindow::openFile(const std::filesystem::path& path) {
    const QString name = QString::fromStdString(path.filename().string());
    const bool elsewhere = m_session.document.openElsewhere(path);
    if (elsewhere && ask(this, tr("Open in another window"),
                         tr("%1 is open in another window. What is changed here could not be saved under its "
                            "name; a copy can.")
                             .arg(name),
                         {tr("Open a copy"), tr("Leave it")}) != 0)
        return false;
    const auto journal = edit::journalOf(path);
    auto kept = awaited<std::optional<edit::Recovered>>(
        this, tr("Opening %1").arg(name),
        [journal, elsewhere](const Progress&) -> Result<std::optional<edit::Recovered>> {
            if (elsewhere) return std::optional<edit::Recovered>();
            return edit::recover(journal);
        });
    // Stopped, or not read: to open the file would begin its journal anew, over work that may be in it.
    if (!kept) {
        if (!kept.error().cancelled) say(QString::fromStdString(kept.error().sentence), true);
        return false;
    }
    if (*kept) {
        edit::Recovered& recovered = **kept;
        const QString count = counted(static_cast<qint64>(recovered.steps), tr("edit"), tr("edits"));
        const Recovery answer = askRecovery(
            this, tr("%1 was not saved when the program ended: %2 can be recovered.").arg(name, count));
        if (answer == Recovery::Later) return false;
        if (answer == Recovery::Recover) {
            if (!recovered.problem.empty())
                say(QString::fromStdString("Recovered up to a damaged edit: " + recovered.problem), true);
            m_session.document.adopt(std::move(recovered));
            return true;
        }
    }
    auto opened = awaited<scene::Scene>(this, tr("Opening %1").arg(name),
                                        [path](const Progress&) { return scene::load(path); });
    if (!opened) {
        if (!opened.error().cancelled) say(QString::fromStdString(opened.error().sentence), true);
        return false;
    }
    m_session.document.begin(std::move(*opened), path, elsewhere);
    return true;
}

std::vector<std::filesystem::path> MainWindow::leftBehind() const {
    std::vector<std::filesystem::path> journals;
    std::error_code code;
    for (const auto& entry : std::filesystem::directory_iterator(m_journals, code)) {
        const std::string name = entry.path().filename().string();
        if (name.starts_with("untitled-") && name.ends_with(".journal") &&
            !edit::Journal::inUse(entry.path()))
            journals.push_back(entry.path());
    }
    return journals;
}

void MainWindow::offerRecovery() {
    const auto journals = leftBehind();
    if (journals.empty()) return;
    struct Work {
        std::filesystem::path journal;
        edit::Recovered recovered;
    };
    auto found =
        awaited<std::vector<Work>>(this, tr("Looking for unsaved work"),
                                   [journals](const Progress& progress) -> Result<std::vector<Work>> {
                                       std::vector<Work> works;
                                       for (const auto& journal : journals) {
                                           if (progress.stopped()) return cancelled();
                                           edit::discardEmpty(journal);
                                           if (auto recovered = edit::recover(journal))
                                               works.push_back({journal, std::move(*recovered)});
                                       }
                                       return works;
                                   });
    if (!found) return;
    for (Work& work : *found) {
        const QString count = counted(static_cast<qint64>(work.recovered.steps), tr("edit"), tr("edits"));
        const Recovery answer = askRecovery(
            this,
            tr("A scene without a file was being worked on when the program ended: %1 can be recovered.")
                .arg(count));
        std::error_code code;
        // Its journal goes once another has all of it.
        if (answer == Recovery::Discard ||
            (answer == Recovery::Recover && m_session.document.adopt(std::move(work.recovered))))
            std::filesystem::remove(work.journal, code);
        if (answer == Recovery::Recover) return;
    }
}

bool MainWindow::saveAs() {
    QString file = QFileDialog::getSaveFileName(this, tr("Save the scene"),
                                                QString::fromStdString(m_session.document.path().string()),
                                                tr(sceneFilter));
    if (file.isEmpty()) return false;
    if (!file.endsWith(QStringLiteral(".ostage"))) file += QStringLiteral(".ostage");
    const auto saved = m_session.document.save(file.toStdString());
    if (!saved) QMessageBox::warning(this, tr("Not saved"), QString::fromStdString(saved.error().sentence));
    return saved.has_value();
}

bool MainWindow::save() {
    if (m_session.document.path().empty()) return saveAs();
    const auto saved = m_session.document.save(m_session.document.path());
    if (!saved)
        QMessageBox::warning(this, tr("Not saved"), QString::fromStdString(saved.error().sentence));
    else
        say(tr("Saved."));
    return saved.has_value();
}

bool MainWindow::leave() {
    if (!m_session.document.modified()) return true;
    switch (ask(this, tr("Unsaved changes"), tr("The scene has changes that are not saved."),
                {tr("Save"), tr("Discard them"), tr("Go on working")})) {
    case 0:
        return save();
    case 1:
        return true;
    default:
        return false;
    }
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (!leave()) return event->ignore();
    keepLayout();
    m_session.document.close();
    event->accept();
}

void MainWindow::offerIn(const std::vector<std::filesystem::path>& files) {
    inBackground<std::vector<Offered>>(
        this, tr("Looking into the files"),
        [files](const Progress& progress) -> Result<std::vector<Offered>> {
            std::vector<Offered> offered;
            for (const auto& file : files) {
                auto contents = media::probe(file, progress);
                if (!contents) return tl::unexpected(contents.error());
                const bool single = !contents->stack && !contents->footage;
                offered.push_back(
                    {file, std::move(*contents), single ? media::sequenceOf(file) : std::nullopt});
            }
            return offered;
        },
        [this, files](Result<std::vector<Offered>> offered) {
            if (!offered) {
                if (!offered.error().cancelled) say(QString::fromStdString(offered.error().sentence), true);
                return;
            }
            if (!BringInDialog::needed(*offered)) return bringIn(files);
            BringInDialog dialog(std::move(*offered), m_session.sharedSources(), this);
            if (dialog.exec() == QDialog::Accepted) bringIn(dialog.files(), dialog.options());
        });
}

void MainWindow::bringIn(const std::vector<std::filesystem::path>& files,
                         const edit::BringInOptions& options) {
    inBackground<edit::BroughtIn>(
        this, tr("Bringing in"),
        [scene = m_session.scene(), files, options](const Progress& progress) {
            return edit::bringIn(*scene, files, options, progress);
        },
        [this](Result<edit::BroughtIn> brought) {
            bool ok = brought.has_value();
            if (ok) {
                const std::int64_t before = scene::highestId(*m_session.scene());
                ok = m_session.document.apply(brought->edit);
                std::vector<std::int64_t> added;
                for (const scene::LayerPtr& layer : m_session.scene()->layers)
                    if (layer->id > before) added.push_back(layer->id);
                m_session.selection.select(std::move(added));
                if (!brought->notes.empty()) say(QString::fromStdString(brought->notes.front()), true);
            } else if (!brought.error().cancelled) {
                say(QString::fromStdString(brought.error().sentence), true);
            }
            Q_EMIT broughtIn(ok);
        });
}

void MainWindow::write(const output::Job& job) {
    inBackground<void>(
        this, tr("Writing %1").arg(QString::fromStdString(job.path.filename().string())),
        [scene = m_session.scene(), sources = m_session.sharedSources(), job](const Progress& progress) {
            return output::write(*scene, job, *sources, progress);
        },
        [this, job](Result<void> result) {
            if (result)
                say(tr("Wrote %1.").arg(QString::fromStdString(job.path.string())));
            else
                say(result.error().cancelled ? tr("Cancelled; nothing half remains.")
                                             : QString::fromStdString(result.error().sentence),
                    !result.error().cancelled);
            Q_EMIT written(result.has_value());
        });
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    std::vector<std::filesystem::path> files;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) files.emplace_back(url.toLocalFile().toStdString());
    event->acceptProposedAction();
    if (files.size() == 1 && files.front().extension() == ".ostage") {
        if (leave()) openFile(files.front());
    } else if (!files.empty()) {
        offerIn(files);
    }
}

void MainWindow::chooseFiles() {
    const QStringList files = QFileDialog::getOpenFileNames(
        this, tr("Bring in"), {},
        tr("Pictures, layered files and footage (*.ora *.svg *.svgz *.png *.jpg "
           "*.jpeg *.tif *.tiff *.webp *.exr "
           "*.mp4 *.mov *.mkv *.webm *.avi *.mpg);;All files (*)"));
    std::vector<std::filesystem::path> paths;
    for (const QString& file : files)
        paths.emplace_back(file.toStdString());
    if (!paths.empty()) offerIn(paths);
}

void MainWindow::openDemo() {
    if (!leave()) return;
    const std::filesystem::path demo = shipped("demo/lantern-quay.ostage");
    auto opened = demo.empty()
                      ? Result<scene::Scene>(fail("The demo is not where the program looks for it: in "
                                                  "share/open-stage/demo beside the program's folder."))
                      : awaited<scene::Scene>(this, tr("Opening the demo"),
                                              [demo](const Progress&) { return scene::load(demo); });
    if (!opened) {
        if (!opened.error().cancelled) say(QString::fromStdString(opened.error().sentence), true);
        return;
    }
    m_session.document.begin(std::move(*opened), {});
    say(tr("This is a copy of the demo; it is saved where you choose."));
}

}
