// Pictures and footage that come into the scene, take another's place, or are looked for. All are read off
// the interface thread, with progress and cancel. Interface thread.
#pragma once

#include "desk/session/session.h"
#include "edit/bring_in.h"

namespace stage::desk {

class MediaFiles : public QObject {
    Q_OBJECT
public:
    /// window: the parent of dialogs.
    MediaFiles(QWidget* window, Session& session);

    /// Asks for files and offers them.
    void choose();
    /// Brings files in after asking what to take where there is a choice.
    void offer(const std::vector<std::filesystem::path>& files);
    /// Brings files in and selects the new layers.
    void bringIn(const std::vector<std::filesystem::path>& files, const edit::BringInOptions& options = {});
    /// Asks for a folder and looks there, and in those inside it, for files that layers show.
    void chooseAndFind();
    void find(const std::filesystem::path& folder);
    /// Asks for another file in the place of the selected layer's.
    void replaceSelected();
    /// Other files in layers' places, as one step of that name (empty: of the edit's own).
    void replace(const std::vector<std::pair<std::int64_t, std::string>>& files, const std::string& name);

Q_SIGNALS:
    void broughtIn(bool ok);
    void found(bool all); ///< what find() has ended with; false also when it could not look

private:
    QWidget* m_window;
    Session& m_session;
};

}
