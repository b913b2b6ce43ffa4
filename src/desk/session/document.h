// The open scene: its changes with their history, the journal that keeps them, and its file. Interface
// thread.
#pragma once

#include "edit/journal.h"
#include "motion/camera_move.h"

#include <QObject>
#include <functional>
#include <memory>
#include <optional>

namespace stage::desk {

class Document : public QObject {
    Q_OBJECT
public:
    /// journals: folder for the journals of scenes that have no file yet.
    explicit Document(std::filesystem::path journals);

    // ---- the scene and its changes

    /// The scene as shown: with the change being dragged, if there is one.
    const scene::ScenePtr& scene() const { return m_shown; }
    const motion::CameraMove& move() const { return m_move; }
    /// One step of history. Reports a problem and gives false when the edit is refused.
    bool apply(const edit::Edit& edit);
    /// A change while it is being dragged: replaces the one before, becomes a step with commit().
    /// One that is refused as the drag begins is told of; later on the last good one stays.
    bool preview(const edit::Edit& edit);
    /// A change while a dialog asks about it: where it is refused, the last good one stays, without a word.
    bool tryOut(const edit::Edit& edit);
    void commit();
    void dropPreview();
    bool previewing() const { return m_preview.has_value(); }
    void undo();
    void redo();
    void goTo(std::size_t step); ///< undoes or redoes up to there
    const edit::History& history() const { return *m_history; }

    // ---- files

    void newScene();
    /// Reads a scene file and goes on with it. Blocks; the window reads it elsewhere and begins it.
    Result<void> open(const std::filesystem::path& path);
    /// How many scenes have been worked on, this one included.
    int generation() const { return m_generation; }
    /// Goes on with what a file held; without a path it has none. As a copy: without that file, and unsaved.
    void begin(scene::Scene scene, const std::filesystem::path& path, bool copy = false);
    /// Errors: those of writing; another window has a scene of that name open.
    Result<void> save(const std::filesystem::path& path);
    /// Whether another window has a scene file open.
    bool openElsewhere(const std::filesystem::path& path) const;
    /// Goes on with recovered work. False: a journal of it could not be begun, so the old one is still
    /// needed.
    bool adopt(edit::Recovered recovered);
    /// Why edits are not being journalled; empty while they are.
    const std::string& recoveryOff() const { return m_recoveryOff; }
    /// Its file; empty while it has none.
    const std::filesystem::path& path() const { return m_path; }
    bool modified() const { return m_history->step() != m_savedStep || m_savedLost; }
    /// The work is saved or discarded on purpose: nothing to recover.
    void close();

Q_SIGNALS:
    void sceneChanged();
    void beginning();       ///< another scene comes: what is about the one before is of no account
    void begun();           ///< it is shown; before pathChanged
    void pathChanged();     ///< another scene, or another file of it, or it has been saved
    void recoveryChanged(); ///< edits are journalled again, or not any more
    void problem(const QString& sentence);

private:
    bool tried(const edit::Edit& edit, std::string& why);
    void show(scene::ScenePtr scene);
    void startHistory(edit::History history, std::filesystem::path path, bool unsaved);
    std::filesystem::path journalPlace() const;
    bool beginJournal();
    /// Hands a step to the journal; what it could not take is in the one that is begun anew then.
    void journal(const std::function<Result<void>(edit::Journal&)>& step);
    void setRecoveryOff(std::string why);

    int m_generation = 0;
    std::filesystem::path m_untitled; ///< the journal of a scene without a file
    std::filesystem::path m_path;
    std::string m_recoveryOff;
    std::unique_ptr<edit::History> m_history;
    edit::Journal m_journal;
    std::optional<edit::Edit> m_preview;
    scene::ScenePtr m_shown;
    motion::CameraMove m_move;
    std::size_t m_savedStep = 0;
    bool m_savedLost = false;
};

}
