// Scene files as the user opens and saves them: with questions about unsaved work, recovery after a crash,
// autosave, and the list of recent ones. Interface thread.
#pragma once

#include "desk/session/session.h"

#include <QTimer>

class QMenu;

namespace stage::desk {

class SceneFiles : public QObject {
    Q_OBJECT
public:
    /// window: the parent of dialogs. journals: the folder for journals of scenes without a file.
    SceneFiles(QWidget* window, Session& session, std::filesystem::path journals);

    /// Opens a scene file, offering what its journal has kept. False when it could not be opened.
    bool open(const std::filesystem::path& path);
    bool opening() const { return m_opening; } ///< a scene file is being read
    /// The same, after asking about unsaved work.
    void openAfterLeaving(const QString& file);
    /// The demo as a scene without a file.
    void openDemo();
    /// Asks for a scene file and opens it.
    void chooseAndOpen();
    /// Asks for a zip file, and collects the scene with all files that it uses in it.
    void chooseAndArchive();
    /// Asks for such a file, unpacks it into a folder beside it, and opens its scene.
    void chooseAndUnpack();
    /// An empty scene.
    void startNew();
    /// False when it was not saved: the user was told why, or stopped.
    bool save();
    bool saveAs();
    /// Asks about unsaved work; false to stay in the scene.
    bool leave();

    /// Offers work that a crash left without a file.
    void offerRecovery();
    /// The same as a command: asks to leave the scene first, and says so when there is nothing.
    void recoverWork();
    /// Journals of scenes without a file that no window uses.
    std::vector<std::filesystem::path> leftBehind() const;

    /// Asks after how many minutes the scene's own file is written again.
    void askAutosave();
    /// The scenes worked on last, those that are still there.
    void fillRecent(QMenu* menu);

Q_SIGNALS:
    void openingChanged();

private:
    bool opened(const std::filesystem::path& path);
    void remember(const std::filesystem::path& scene);
    /// The journal keeps every edit at once; this also writes the scene's own file, where it was asked for.
    void autosave();
    /// Offers what the journal of a file has kept: whether its scene is open now. Nothing: the file itself is
    /// to be opened.
    std::optional<bool> recovered(const std::filesystem::path& path, const QString& name);
    bool m_opening = false;

    QWidget* m_window;
    Session& m_session;
    std::filesystem::path m_journals;
    QTimer m_saveTimer;
};

}
