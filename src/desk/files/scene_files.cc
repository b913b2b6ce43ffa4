#include "desk/files/scene_files.h"

#include "desk/jobs/background.h"
#include "desk/kit/question.h"
#include "desk/kit/settings.h"
#include "desk/kit/shipped.h"
#include "output/archive.h"
#include "scene/file.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QLocale>
#include <QMenu>
#include <QMessageBox>

namespace stage::desk {
namespace {

constexpr int mostRecent = 10;
constexpr const char* sceneFilter = QT_TRANSLATE_NOOP("stage::desk::SceneFiles", "Scenes (*.ostage)");

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

SceneFiles::SceneFiles(QWidget* window, Session& session, std::filesystem::path journals)
    : QObject(window), m_window(window), m_session(session), m_journals(std::move(journals)) {
    connect(&m_session.document, &Document::pathChanged, this, [this] {
        if (!m_session.document.path().empty()) remember(m_session.document.path());
    });
    connect(&m_saveTimer, &QTimer::timeout, this, &SceneFiles::autosave);
    m_saveTimer.start(30'000);
}

bool SceneFiles::open(const std::filesystem::path& path) {
    m_opening = true;
    Q_EMIT openingChanged();
    const bool done = opened(path);
    m_opening = false;
    Q_EMIT openingChanged();
    return done;
}

bool SceneFiles::opened(const std::filesystem::path& path) {
    const QString name = QString::fromStdString(path.filename().string());
    const bool elsewhere = m_session.document.openElsewhere(path);
    if (elsewhere && ask(m_window, tr("Open in another window"),
                         tr("%1 is open in another window. What is changed here could not be saved under its "
                            "name; a copy can.")
                             .arg(name),
                         {tr("Open a copy"), tr("Leave it")}) != 0)
        return false;
    if (!elsewhere)
        if (const auto opened = recovered(path, name)) return *opened;
    auto read = awaited<scene::Scene>(m_window, tr("Opening %1").arg(name),
                                      [path](const Progress&) { return scene::load(path); });
    if (!read) {
        m_session.tell(read.error());
        return false;
    }
    m_session.document.begin(std::move(*read), path, elsewhere);
    return true;
}

std::optional<bool> SceneFiles::recovered(const std::filesystem::path& path, const QString& name) {
    const auto journal = edit::journalOf(path);
    auto kept = awaited<std::optional<edit::Recovered>>(
        m_window, tr("Opening %1").arg(name),
        [journal](const Progress&) -> Result<std::optional<edit::Recovered>> {
            return edit::recover(journal);
        });
    // Stopped, or not read: to open the file would begin its journal anew, over work that may be in it.
    if (!kept) {
        m_session.tell(kept.error());
        return false;
    }
    if (!*kept) return std::nullopt;
    edit::Recovered& work = **kept;
    const Recovery answer =
        askRecovery(m_window, tr("%1 was not saved when the program ended: %n edit(s) can be recovered.",
                                 nullptr, static_cast<int>(work.steps))
                                  .arg(name));
    if (answer == Recovery::Discard) return std::nullopt;
    if (answer == Recovery::Later) return false;
    if (!work.problem.empty())
        Q_EMIT m_session.problem(
            tr("Recovered up to a damaged edit: %1").arg(QString::fromStdString(work.problem)));
    m_session.document.adopt(std::move(work));
    return true;
}

std::vector<std::filesystem::path> SceneFiles::leftBehind() const {
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

void SceneFiles::offerRecovery() {
    const auto journals = leftBehind();
    if (journals.empty()) return;
    struct Work {
        std::filesystem::path journal;
        edit::Recovered recovered;
    };
    auto found =
        awaited<std::vector<Work>>(m_window, tr("Looking for unsaved work"),
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
        const Recovery answer = askRecovery(m_window, tr("A scene without a file was being worked on when "
                                                         "the program ended: %n edit(s) can be recovered.",
                                                         nullptr, static_cast<int>(work.recovered.steps)));
        std::error_code code;
        // Its journal goes once another has all of it.
        if (answer == Recovery::Discard ||
            (answer == Recovery::Recover && m_session.document.adopt(std::move(work.recovered))))
            std::filesystem::remove(work.journal, code);
        if (answer == Recovery::Recover) return;
    }
}

bool SceneFiles::saveAs() {
    QString file = QFileDialog::getSaveFileName(m_window, tr("Save the scene"),
                                                QString::fromStdString(m_session.document.path().string()),
                                                tr(sceneFilter));
    if (file.isEmpty()) return false;
    if (!file.endsWith(QStringLiteral(".ostage"))) file += QStringLiteral(".ostage");
    const auto saved = m_session.document.save(file.toStdString());
    if (!saved)
        QMessageBox::warning(m_window, tr("Not saved"), QString::fromStdString(saved.error().sentence));
    return saved.has_value();
}

bool SceneFiles::save() {
    if (m_session.document.path().empty()) return saveAs();
    const auto saved = m_session.document.save(m_session.document.path());
    if (!saved)
        QMessageBox::warning(m_window, tr("Not saved"), QString::fromStdString(saved.error().sentence));
    else
        Q_EMIT m_session.said(tr("Saved."));
    return saved.has_value();
}

bool SceneFiles::leave() {
    if (!m_session.document.modified()) return true;
    switch (ask(m_window, tr("Unsaved changes"), tr("The scene has changes that are not saved."),
                {tr("Save"), tr("Discard them"), tr("Go on working")})) {
    case 0:
        return save();
    case 1:
        return true;
    default:
        return false;
    }
}

void SceneFiles::openDemo() {
    if (!leave()) return;
    const std::filesystem::path demo = shipped("demo/lantern-quay.ostage");
    auto opened = demo.empty()
                      ? Result<scene::Scene>(fail("The demo is not where the program looks for it: in "
                                                  "share/open-stage/demo beside the program's folder."))
                      : awaited<scene::Scene>(m_window, tr("Opening the demo"),
                                              [demo](const Progress&) { return scene::load(demo); });
    if (!opened) {
        m_session.tell(opened.error());
        return;
    }
    m_session.document.begin(std::move(*opened), {});
    Q_EMIT m_session.said(tr("This is a copy of the demo; it is saved where you choose."));
}

void SceneFiles::remember(const std::filesystem::path& scene) {
    QSettings kept = settings();
    QStringList recent = kept.value(QStringLiteral("recent")).toStringList();
    const QString name = QString::fromStdString(scene.string());
    recent.removeAll(name);
    recent.prepend(name);
    while (recent.size() > mostRecent)
        recent.removeLast();
    kept.setValue(QStringLiteral("recent"), recent);
}

void SceneFiles::fillRecent(QMenu* menu) {
    menu->clear();
    for (const QString& name : settings().value(QStringLiteral("recent")).toStringList()) {
        if (!QFile::exists(name)) continue;
        QAction* action = menu->addAction(QFileInfo(name).completeBaseName(), this,
                                          [this, name] { openAfterLeaving(name); });
        action->setToolTip(name);
    }
    if (menu->isEmpty()) menu->addAction(tr("None yet"))->setEnabled(false);
}

void SceneFiles::autosave() {
    const int minutes = settings().value(QStringLiteral("autosave"), 0).toInt();
    if (minutes <= 0 || m_session.document.path().empty() || !m_session.document.modified() ||
        m_session.document.previewing())
        return;
    std::error_code code;
    const auto last = std::filesystem::last_write_time(m_session.document.path(), code);
    if (!code && std::filesystem::file_time_type::clock::now() - last < std::chrono::minutes(minutes)) return;
    if (const auto saved = m_session.document.save(m_session.document.path()); !saved)
        m_session.tell(saved.error());
    else
        Q_EMIT m_session.said(tr("Autosaved."));
}

void SceneFiles::openAfterLeaving(const QString& file) {
    if (leave()) open(file.toStdString());
}

void SceneFiles::chooseAndOpen() {
    if (!leave()) return;
    const QString file = QFileDialog::getOpenFileName(m_window, tr("Open a scene"), {}, tr(sceneFilter));
    if (!file.isEmpty()) open(file.toStdString());
}

void SceneFiles::chooseAndArchive() {
    const std::filesystem::path document = m_session.document.path();
    const QString base = document.empty()
                             ? QDir::homePath() + QStringLiteral("/scene")
                             : QString::fromStdString((document.parent_path() / document.stem()).string());
    QString chosen = QFileDialog::getSaveFileName(m_window, tr("Collect into an archive"),
                                                  base + QStringLiteral(".zip"), tr("Zip files (*.zip)"));
    if (chosen.isEmpty()) return;
    if (QFileInfo(chosen).suffix().isEmpty()) chosen += QStringLiteral(".zip");
    const std::filesystem::path path = chosen.toStdString();
    inBackground<output::Archived>(
        m_window, tr("Collecting %1").arg(QFileInfo(chosen).fileName()),
        [scene = m_session.scene(), path](const Progress& progress) {
            return output::writeArchive(*scene, path, progress);
        },
        [this, chosen](Result<output::Archived> archived) {
            if (!archived) {
                if (!archived.error().cancelled) m_session.tell(archived.error());
                return;
            }
            QStringList fonts;
            for (const std::string& font : archived->fonts)
                fonts << QString::fromStdString(font);
            QString said =
                tr("Wrote %1: %n file(s), %2.", nullptr, static_cast<int>(archived->files))
                    .arg(chosen, QLocale().formattedDataSize(archived->bytes, 0, QLocale::DataSizeSIFormat));
            if (!fonts.isEmpty())
                said +=
                    QLatin1Char(' ') + tr("Fonts are not in it: %1.").arg(fonts.join(QStringLiteral(", ")));
            Q_EMIT m_session.said(said);
        });
}

void SceneFiles::chooseAndUnpack() {
    const QString chosen = QFileDialog::getOpenFileName(m_window, tr("Open an archive"), QDir::homePath(),
                                                        tr("Zip files (*.zip)"));
    if (chosen.isEmpty()) return;
    const std::filesystem::path archive = chosen.toStdString();
    std::filesystem::path folder = archive.parent_path() / archive.stem();
    std::error_code code;
    for (int n = 2; std::filesystem::exists(folder, code); ++n)
        folder = archive.parent_path() / (archive.stem().string() + "-" + std::to_string(n));
    inBackground<std::filesystem::path>(
        m_window, tr("Unpacking %1").arg(QFileInfo(chosen).fileName()),
        [archive, folder](const Progress& progress) {
            return output::unpackArchive(archive, folder, progress);
        },
        [this](Result<std::filesystem::path> scene) {
            if (scene)
                openAfterLeaving(QString::fromStdString(scene->string()));
            else if (!scene.error().cancelled)
                m_session.tell(scene.error());
        });
}

void SceneFiles::startNew() {
    if (leave()) m_session.document.newScene();
}

void SceneFiles::recoverWork() {
    if (leftBehind().empty()) {
        Q_EMIT m_session.said(tr("There is no work to recover."));
        return;
    }
    if (leave()) offerRecovery();
}

void SceneFiles::askAutosave() {
    QSettings kept = settings();
    const auto minutes = askForNumber(m_window, tr("Autosave"),
                                      tr("Minutes after which the scene's file is written again.\n0: never."),
                                      kept.value(QStringLiteral("autosave"), 0).toInt(), {0, 240, 1});
    if (minutes) kept.setValue(QStringLiteral("autosave"), *minutes);
}

}
