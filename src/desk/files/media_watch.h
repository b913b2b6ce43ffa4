// Watches the files that layers show: which are missing, and which another program has changed; those are
// read again. Interface thread; the disk is asked on another one.
#pragma once

#include "desk/files/media_files.h"

#include <QTimer>

class QFileSystemWatcher;

namespace stage::desk {

class MediaWatch : public QObject {
    Q_OBJECT
public:
    /// window: the parent of the dialog that shows progress.
    MediaWatch(QWidget* window, Session& session, MediaFiles& files);
    /// Layers without their file, as it was found last.
    const std::vector<std::int64_t>& missing() const { return m_missing; }
    /// Asks the disk now; it is also asked a moment after the scene has changed.
    void look();

Q_SIGNALS:
    void looked(); ///< missing() is of the scene as it is

private:
    struct Answer {
        std::vector<std::int64_t> missing;
        QStringList gone, come; ///< files to watch no longer, and from now on
    };
    void take(Answer answer);
    void changed(const QString& path);
    void readAgain(const std::string& file);

    QWidget* m_window;
    Session& m_session;
    MediaFiles& m_files;
    QFileSystemWatcher* m_watcher;
    QTimer m_settled;
    scene::ScenePtr m_looking; ///< whose media are being looked for
    std::vector<std::int64_t> m_missing;
};

}
