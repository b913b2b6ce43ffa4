#include "desk/files/media_watch.h"

#include "desk/jobs/background.h"
#include "media/content.h"
#include "media/probe.h"

#include <QFile>
#include <QFileSystemWatcher>
#include <QPointer>
#include <QSet>

namespace stage::desk {
namespace {

constexpr int mostWatched = 2000;

}

MediaWatch::MediaWatch(QWidget* window, Session& session, MediaFiles& files)
    : QObject(window), m_window(window), m_session(session), m_files(files),
      m_watcher(new QFileSystemWatcher(this)) {
    connect(m_watcher, &QFileSystemWatcher::fileChanged, this, &MediaWatch::changed);
    // Asks the disk, so not at every step of a drag.
    m_settled.setSingleShot(true);
    m_settled.setInterval(300);
    connect(&m_settled, &QTimer::timeout, this, &MediaWatch::look);
    connect(&m_session.document, &Document::sceneChanged, &m_settled, qOverload<>(&QTimer::start));
    connect(&m_files, &MediaFiles::found, this, &MediaWatch::look);
}

void MediaWatch::look() {
    // The disk may be a slow one, and is asked for every layer; a newer question replaces this one.
    m_looking = m_session.scene();
    onWorker([self = QPointer(this), scene = m_looking, watched = m_watcher->files()] {
        Answer answer;
        QSet<QString> wanted;
        scene::forEach(*scene, [&](const scene::LayerPtr& layer, const auto&) {
            if (!media::isThere(*layer)) answer.missing.push_back(layer->id);
            const scene::Media* media = scene::mediaOf(*layer);
            if (media && media->path.find('#') == std::string::npos && wanted.size() < mostWatched)
                wanted.insert(QString::fromStdString(media->path));
        });
        for (const QString& file : watched)
            if (!wanted.contains(file)) answer.gone << file;
        const QSet<QString> already(watched.begin(), watched.end());
        for (const QString& file : wanted)
            if (!already.contains(file) && QFile::exists(file)) answer.come << file;
        onInterface([self, scene, answer = std::move(answer)] {
            if (self && self->m_looking == scene) self->take(answer);
        });
    });
}

void MediaWatch::take(Answer answer) {
    m_looking.reset();
    if (!answer.gone.isEmpty()) m_watcher->removePaths(answer.gone);
    if (!answer.come.isEmpty()) m_watcher->addPaths(answer.come);
    m_missing = std::move(answer.missing);
    Q_EMIT looked();
}

void MediaWatch::changed(const QString& path) {
    // Programs write in several steps, or put another file in the old one's place: look when it has settled.
    QTimer::singleShot(400, this, [this, path] {
        if (QFile::exists(path) && !m_watcher->files().contains(path)) m_watcher->addPath(path);
        readAgain(path.toStdString());
    });
}

void MediaWatch::readAgain(const std::string& file) {
    m_session.sources().forgetProblems();
    m_session.swatches().forget();
    inBackground<media::Contents>(
        m_window, tr("Reading what has changed"),
        [file](const Progress& progress) { return media::probe(file, progress); },
        [this, file](Result<media::Contents> contents) {
            if (!contents) {
                look();
                return m_session.tell(contents.error());
            }
            const std::string name = std::filesystem::path(file).filename().string();
            // A picture of another size keeps its place and width.
            std::vector<std::pair<std::int64_t, std::string>> others;
            scene::forEach(*m_session.scene(), [&](const scene::LayerPtr& layer, const auto&) {
                const auto* picture = std::get_if<scene::Picture>(&layer->content);
                if (picture && picture->part.empty() && picture->media.path == file && !contents->stack &&
                    contents->size != layer->pixels)
                    others.emplace_back(layer->id, file);
            });
            if (!others.empty())
                m_files.replace(others, "Read " + name + " again");
            else
                Q_EMIT m_session.document.sceneChanged(); // the same scene shows other pixels now
            Q_EMIT m_session.said(tr("%1 has changed and is read again.").arg(QString::fromStdString(name)));
        });
}

}
