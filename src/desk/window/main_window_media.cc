// The desk's files beside the scene: media that are missing or have changed, recent scenes, saving by itself.
#include "desk/jobs/background.h"
#include "desk/kit/number_field.h"
#include "desk/kit/settings.h"
#include "desk/window/main_window.h"
#include "edit/bring_in.h"
#include "edit/clipboard.h"
#include "edit/relink.h"
#include "media/content.h"
#include "media/probe.h"

#include <QClipboard>
#include <QFileDialog>
#include <QFileSystemWatcher>
#include <QMenu>
#include <QMimeData>
#include <QPointer>
#include <QSet>

namespace stage::desk {
namespace {

constexpr int mostRecent = 10, mostWatched = 2000;
constexpr char layersType[] = "application/x-open-stage-layers",
               originType[] = "application/x-open-stage-origin";

/// Tells one open scene from all others, also those of other windows.
QByteArray originOf(const Session& session) {
    return QByteArray::number(QCoreApplication::applicationPid()) + ' ' +
           QByteArray::number(session.document.generation());
}

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
            if (!found->edit.is_null()) m_session.document.apply(found->edit);
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

void MainWindow::lookForMedia() {
    // Asks the disk, which may be a slow one, for every layer; a newer question replaces this one.
    m_looking = m_session.scene();
    workers().start([self = QPointer(this), scene = m_looking, watched = m_watcher->files()] {
        Media found;
        QSet<QString> wanted;
        scene::forEach(*scene, [&](const scene::LayerPtr& layer, const auto&) {
            if (!media::isThere(*layer)) found.missing.push_back(layer->id);
            const scene::Media* media = scene::mediaOf(*layer);
            if (media && media->path.find('#') == std::string::npos && wanted.size() < mostWatched)
                wanted.insert(QString::fromStdString(media->path));
        });
        for (const QString& file : watched)
            if (!wanted.contains(file)) found.gone << file;
        const QSet<QString> already(watched.begin(), watched.end());
        for (const QString& file : wanted)
            if (!already.contains(file) && QFile::exists(file)) found.come << file;
        QMetaObject::invokeMethod(qApp, [self, scene, found = std::move(found)] {
            if (self && self->m_looking == scene) self->showMedia(found);
        });
    });
}

void MainWindow::showMedia(const Media& found) {
    m_looking.reset();
    if (!found.gone.isEmpty()) m_watcher->removePaths(found.gone);
    if (!found.come.isEmpty()) m_watcher->addPaths(found.come);
    m_missing = static_cast<int>(found.missing.size());
    m_camera->setMissing(found.missing);
    refreshStatus();
}

void MainWindow::mediaChanged(const QString& path) {
    // Programs write in several steps, or put another file in the old one's place: look when it has settled.
    QTimer::singleShot(400, this, [this, path] {
        if (QFile::exists(path) && !m_watcher->files().contains(path)) m_watcher->addPath(path);
        const std::string file = path.toStdString();
        m_session.sources().forgetProblems();
        m_session.swatches().forget();
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
                std::vector<std::pair<std::int64_t, std::string>> others;
                scene::forEach(*m_session.scene(), [&](const scene::LayerPtr& layer, const auto&) {
                    const auto* picture = std::get_if<scene::Picture>(&layer->content);
                    if (picture && picture->part.empty() && picture->media.path == file && !contents->stack &&
                        contents->size != layer->pixels)
                        others.emplace_back(layer->id, file);
                });
                if (!others.empty())
                    replaceWith(others, "Read " + name.toStdString() + " again");
                else
                    Q_EMIT m_session.document.sceneChanged(); // the same scene shows other pixels now
                say(tr("%1 has changed and is read again.").arg(name));
            });
    });
}

void MainWindow::replaceMedia() {
    const auto found = m_session.selection.only();
    if (!found.layer || found.layer->group())
        return say(tr("Select one layer whose media are to be replaced."));
    const scene::Media* media = scene::mediaOf(*found.layer);
    const QString file = QFileDialog::getOpenFileName(
        this, tr("Replace media of %1").arg(QString::fromStdString(found.layer->name)),
        media ? QString::fromStdString(std::filesystem::path(media->path).parent_path().string())
              : QString());
    if (!file.isEmpty()) replaceWith({{found.layer->id, file.toStdString()}}, {});
}

void MainWindow::replaceWith(const std::vector<std::pair<std::int64_t, std::string>>& files,
                             const std::string& name) {
    inBackground<std::vector<edit::Edit>>(
        this, tr("Looking into the files"),
        [files](const Progress& progress) -> Result<std::vector<edit::Edit>> {
            std::vector<edit::Edit> edits;
            for (const auto& [layer, file] : files) {
                auto edit =
                    edit::withContents({{"edit", "replace"}, {"layer", layer}, {"file", file}}, progress);
                if (!edit) return tl::unexpected(edit.error());
                edits.push_back(std::move(*edit));
            }
            return edits;
        },
        [this, name](Result<std::vector<edit::Edit>> edits) {
            if (edits)
                m_session.document.apply(edits->size() == 1 && name.empty() ? edits->front()
                                                                            : edit::several(name, *edits));
            else if (!edits.error().cancelled)
                say(QString::fromStdString(edits.error().sentence), true);
        });
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
void MainWindow::autosave() {
    const int minutes = settings().value(QStringLiteral("autosave"), 0).toInt();
    if (minutes <= 0 || m_session.document.path().empty() || !m_session.document.modified() ||
        m_session.document.previewing())
        return;
    std::error_code code;
    const auto last = std::filesystem::last_write_time(m_session.document.path(), code);
    if (!code && std::filesystem::file_time_type::clock::now() - last < std::chrono::minutes(minutes)) return;
    if (const auto saved = m_session.document.save(m_session.document.path()); !saved)
        say(QString::fromStdString(saved.error().sentence), true);
    else
        say(tr("Autosaved."));
}

void MainWindow::copyLayers() {
    if (m_session.selection.layers().empty()) return say(tr("Select a layer first."));
    const auto text = edit::copied(*m_session.scene(), m_session.selection.layers());
    if (!text) return say(QString::fromStdString(text.error().sentence), true);
    auto* layers = new QMimeData;
    layers->setData(QLatin1String(layersType), QByteArray::fromStdString(*text));
    layers->setData(QLatin1String(originType), originOf(m_session));
    QGuiApplication::clipboard()->setMimeData(layers);
    say(tr("Copied %1.")
            .arg(counted(static_cast<qint64>(m_session.selection.layers().size()), tr("layer"),
                         tr("layers"))));
}

void MainWindow::paste() {
    const QMimeData* held = QGuiApplication::clipboard()->mimeData();
    std::vector<std::filesystem::path> files;
    if (!held) return say(tr("There is nothing to paste."));
    if (held->hasFormat(QLatin1String(layersType))) {
        const auto edit =
            edit::pasted(*m_session.scene(), held->data(QLatin1String(layersType)).toStdString(),
                         held->data(QLatin1String(originType)) == originOf(m_session));
        if (!edit) return say(QString::fromStdString(edit.error().sentence), true);
        const std::int64_t before = scene::highestId(*m_session.scene());
        if (!m_session.document.apply(*edit)) return;
        std::vector<std::int64_t> added;
        for (const scene::LayerPtr& layer : m_session.scene()->layers)
            if (layer->id > before) added.push_back(layer->id);
        return m_session.selection.select(std::move(added));
    }
    for (const QUrl& url : held->urls())
        if (url.isLocalFile()) files.emplace_back(url.toLocalFile().toStdString());
    if (!files.empty()) return offerIn(files);
    const QImage image = qvariant_cast<QImage>(held->imageData());
    if (image.isNull()) return say(tr("There is nothing to paste."));
    const std::filesystem::path folder =
        m_session.document.path().empty() ? m_journals / "pasted" : m_session.document.path().parent_path();
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
