// The desk's files beside the scene: media that are missing or have changed, recent scenes, saving by itself.
#include "desk/background.h"
#include "desk/main_window.h"
#include "desk/number_field.h"
#include "desk/settings.h"
#include "edit/relink.h"
#include "media/content.h"
#include "media/probe.h"

#include <QClipboard>
#include <QFileDialog>
#include <QFileSystemWatcher>
#include <QMenu>
#include <QMimeData>

namespace stage::desk {
namespace {

constexpr int mostRecent = 10, mostWatched = 2000;

}

void MainWindow::findMedia(const std::filesystem::path& folder) {
    inBackground<edit::Relinked>(
        this, tr("Looking for media"),
        [scene = m_session.scene(), folder](const Progress& progress) {
            return edit::findMissing(*scene, folder, progress);
        },
        [this](Result<edit::Relinked> found) {
            if (!found) {
                if (!found.error().cancelled) say(QString::fromStdString(found.error().sentence), true);
                Q_EMIT mediaFound(false);
                return;
            }
            if (!found->edit.is_null()) m_session.apply(found->edit);
            const auto missing = found->missing.size();
            if (missing > 0)
                say(tr("%1 still missing, such as %2.")
                        .arg(counted(static_cast<qint64>(missing), tr("file is"), tr("files are")),
                             QString::fromStdString(found->missing.front())),
                    true);
            else
                say(tr("All media are found."));
            lookForMedia();
            Q_EMIT mediaFound(missing == 0);
        });
}

void MainWindow::watchMedia() {
    QStringList wanted;
    scene::forEach(*m_session.scene(), [&](const scene::LayerPtr& layer, const auto&) {
        const scene::Media* media = scene::mediaOf(*layer);
        if (media && media->path.find('#') == std::string::npos && wanted.size() < mostWatched)
            wanted << QString::fromStdString(media->path);
    });
    wanted.removeDuplicates();
    const QStringList watched = m_watcher->files();
    QStringList gone, come;
    for (const QString& file : watched)
        if (!wanted.contains(file)) gone << file;
    for (const QString& file : wanted)
        if (!watched.contains(file) && QFile::exists(file)) come << file;
    if (!gone.isEmpty()) m_watcher->removePaths(gone);
    if (!come.isEmpty()) m_watcher->addPaths(come);
}

void MainWindow::mediaChanged(const QString& path) {
    // Programs write in several steps, or put another file in the old one's place: look when it has settled.
    QTimer::singleShot(400, this, [this, path] {
        if (QFile::exists(path) && !m_watcher->files().contains(path)) m_watcher->addPath(path);
        const std::string file = path.toStdString();
        m_session.sources().forgetProblems();
        inBackground<media::Contents>(
            this, tr("Reading what has changed"),
            [file](const Progress& progress) { return media::probe(file, progress); },
            [this, file](Result<media::Contents> contents) {
                const QString name = QString::fromStdString(std::filesystem::path(file).filename().string());
                if (!contents) {
                    lookForMedia();
                    if (!contents.error().cancelled)
                        say(QString::fromStdString(contents.error().sentence), true);
                    return;
                }
                // A picture of another size keeps its place and width.
                std::vector<edit::Edit> edits;
                scene::forEach(*m_session.scene(), [&](const scene::LayerPtr& layer, const auto&) {
                    const auto* picture = std::get_if<scene::Picture>(&layer->content);
                    if (picture && picture->part.empty() && picture->media.path == file && !contents->stack &&
                        contents->size != layer->pixels)
                        edits.push_back({{"edit", "replace"}, {"layer", layer->id}, {"file", file}});
                });
                if (!edits.empty())
                    m_session.apply(edit::several("Read " + name.toStdString() + " again", edits));
                else
                    Q_EMIT m_session.sceneChanged(); // the same scene shows other pixels now
                say(tr("%1 has changed and is read again.").arg(name));
            });
    });
}

void MainWindow::replaceMedia() {
    const auto found = m_session.selected();
    if (!found.layer || found.layer->group())
        return say(tr("Select one layer whose media are to be replaced."));
    const scene::Media* media = scene::mediaOf(*found.layer);
    const QString file = QFileDialog::getOpenFileName(
        this, tr("Replace media of %1").arg(QString::fromStdString(found.layer->name)),
        media ? QString::fromStdString(std::filesystem::path(media->path).parent_path().string())
              : QString());
    if (!file.isEmpty())
        m_session.apply({{"edit", "replace"}, {"layer", found.layer->id}, {"file", file.toStdString()}});
}

void MainWindow::remember(const std::filesystem::path& scene) {
    QSettings kept = settings();
    QStringList recent = kept.value(QStringLiteral("recent")).toStringList();
    const QString name = QString::fromStdString(scene.string());
    recent.removeAll(name);
    recent.prepend(name);
    while (recent.size() > mostRecent)
        recent.removeLast();
    kept.setValue(QStringLiteral("recent"), recent);
}

void MainWindow::fillRecent(QMenu* menu) {
    menu->clear();
    for (const QString& name : settings().value(QStringLiteral("recent")).toStringList()) {
        if (!QFile::exists(name)) continue;
        QAction* action = menu->addAction(QFileInfo(name).completeBaseName(), this, [this, name] {
            if (leave()) openFile(name.toStdString());
        });
        action->setToolTip(name);
    }
    if (menu->isEmpty()) menu->addAction(tr("None yet"))->setEnabled(false);
}

/// The journal keeps every edit at once; this also writes the scene's own file, where that is wished for.
void MainWindow::saveByItself() {
    const int minutes = settings().value(QStringLiteral("saveByItself"), 0).toInt();
    if (minutes <= 0 || m_session.document().empty() || !m_session.modified() || m_session.previewing())
        return;
    std::error_code code;
    const auto last = std::filesystem::last_write_time(m_session.document(), code);
    if (!code && std::filesystem::file_time_type::clock::now() - last < std::chrono::minutes(minutes)) return;
    if (const auto saved = m_session.save(m_session.document()); !saved)
        say(QString::fromStdString(saved.error().sentence), true);
    else
        say(tr("Saved by itself."));
}

void MainWindow::paste() {
    const QMimeData* held = QGuiApplication::clipboard()->mimeData();
    std::vector<std::filesystem::path> files;
    if (!held) return say(tr("There is no picture to paste."));
    for (const QUrl& url : held->urls())
        if (url.isLocalFile()) files.emplace_back(url.toLocalFile().toStdString());
    if (!files.empty()) return offerIn(files);
    const QImage image = qvariant_cast<QImage>(held->imageData());
    if (image.isNull()) return say(tr("There is no picture to paste."));
    const std::filesystem::path folder =
        m_session.document().empty() ? m_journals / "pasted" : m_session.document().parent_path();
    std::error_code code;
    std::filesystem::create_directories(folder, code);
    std::filesystem::path file;
    for (int n = 1; file.empty() || std::filesystem::exists(file, code); ++n)
        file = folder / ("pasted-" + std::to_string(n) + ".png");
    if (!image.save(QString::fromStdString(file.string()), "PNG"))
        return say(tr("The picture could not be kept in %1.").arg(QString::fromStdString(folder.string())),
                   true);
    bringIn({file});
}

}
