#include "desk/files/media_files.h"

#include "desk/dialogs/bring_in_dialog.h"
#include "desk/jobs/background.h"
#include "edit/relink.h"
#include "media/probe.h"

#include <QFileDialog>

namespace stage::desk {

MediaFiles::MediaFiles(QWidget* window, Session& session)
    : QObject(window), m_window(window), m_session(session) {}

void MediaFiles::choose() {
    const QStringList files = QFileDialog::getOpenFileNames(
        m_window, tr("Bring in"), {},
        tr("Pictures, layered files and footage (*.ora *.svg *.svgz *.png *.jpg *.jpeg *.tif *.tiff *.webp "
           "*.exr *.mp4 *.mov *.mkv *.webm *.avi *.mpg);;All files (*)"));
    std::vector<std::filesystem::path> paths;
    for (const QString& file : files)
        paths.emplace_back(file.toStdString());
    if (!paths.empty()) offer(paths);
}

void MediaFiles::offer(const std::vector<std::filesystem::path>& files) {
    inBackground<std::vector<Offered>>(
        m_window, tr("Looking into the files"),
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
            if (!offered) return m_session.tell(offered.error());
            if (!BringInDialog::needed(*offered)) return bringIn(files);
            BringInDialog dialog(std::move(*offered), m_session.sharedSources(), m_window);
            if (dialog.exec() == QDialog::Accepted) bringIn(dialog.files(), dialog.options());
        });
}

void MediaFiles::bringIn(const std::vector<std::filesystem::path>& files,
                         const edit::BringInOptions& options) {
    inBackground<edit::BroughtIn>(
        m_window, tr("Bringing in"),
        [scene = m_session.scene(), files, options](const Progress& progress) {
            return edit::bringIn(*scene, files, options, progress);
        },
        [this](Result<edit::BroughtIn> brought) {
            bool ok = brought.has_value();
            if (ok) {
                ok = m_session.addLayers(brought->edit);
                if (!brought->notes.empty())
                    Q_EMIT m_session.problem(QString::fromStdString(brought->notes.front()));
            } else {
                m_session.tell(brought.error());
            }
            Q_EMIT broughtIn(ok);
        });
}

void MediaFiles::chooseAndFind() {
    const QString folder = QFileDialog::getExistingDirectory(m_window, tr("Look for media in"));
    if (!folder.isEmpty()) find(folder.toStdString());
}

void MediaFiles::find(const std::filesystem::path& folder) {
    inBackground<edit::Relinked>(
        m_window, tr("Looking for media"),
        [scene = m_session.scene(), folder](const Progress& progress) {
            return edit::findMissing(*scene, folder, progress);
        },
        [this](Result<edit::Relinked> relinked) {
            if (!relinked) {
                m_session.tell(relinked.error());
                Q_EMIT found(false);
                return;
            }
            if (!relinked->edit.is_null()) m_session.document.apply(relinked->edit);
            const auto missing = relinked->missing.size();
            if (missing > 0)
                Q_EMIT m_session.problem(
                    tr("%n file(s) still missing, such as %1.", nullptr, static_cast<int>(missing))
                        .arg(QString::fromStdString(relinked->missing.front())));
            else
                Q_EMIT m_session.said(tr("All media are found."));
            Q_EMIT found(missing == 0);
        });
}

void MediaFiles::replaceSelected() {
    const auto chosen = m_session.selection.only();
    if (!chosen.layer || chosen.layer->group() || chosen.layer->box()) {
        Q_EMIT m_session.said(tr("Select one layer whose media are to be replaced."));
        return;
    }
    const scene::Media* media = scene::mediaOf(*chosen.layer);
    const QString file = QFileDialog::getOpenFileName(
        m_window, tr("Replace media of %1").arg(QString::fromStdString(chosen.layer->name)),
        media ? QString::fromStdString(std::filesystem::path(media->path).parent_path().string())
              : QString());
    if (!file.isEmpty()) replace({{chosen.layer->id, file.toStdString()}}, {});
}

void MediaFiles::replace(const std::vector<std::pair<std::int64_t, std::string>>& files,
                         const std::string& name) {
    inBackground<std::vector<edit::Edit>>(
        m_window, tr("Looking into the files"),
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
            if (!edits) return m_session.tell(edits.error());
            m_session.document.apply(edits->size() == 1 && name.empty() ? edits->front()
                                                                        : edit::several(name, *edits));
        });
}

}
