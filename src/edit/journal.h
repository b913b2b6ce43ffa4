// The edit journal: a file that holds the scene as it was last saved or begun, and each step since then.
// A step is handed to the system before the window shows it, so a killed program loses at most the edit
// being made. One JSON value a line; a torn last line is ignored.
#pragma once

#include "edit/history.h"

#include <filesystem>
#include <optional>

namespace stage::edit {

/// A journal, once it has begun; its file stays until it is ended, and then goes. Not thread-safe. Other
/// windows see it as in use, which also tells that its scene is open.
class Journal {
public:
    Journal() = default;
    ~Journal();
    Journal(Journal&& other) noexcept;
    Journal& operator=(Journal&& other) noexcept;

    struct Start {
        std::filesystem::path document; ///< the scene file it belongs to; may be empty
        bool unsaved = false; ///< the scene itself is nowhere else, so it is worth recovering without a step
    };
    /// Starts a new journal in place of whatever the path holds and of the one before, whose file goes. On
    /// error all stays as it was. Errors: the path is in use by another journal; it cannot be written.
    Result<void> begin(const std::filesystem::path& path, const scene::Scene& base, const Start& start);
    /// Whether a journal, of this or another program, is open there.
    static bool inUse(const std::filesystem::path& path);
    /// Handed to the system before it returns. Errors: the file cannot be written.
    Result<void> applied(const Edit& edit);
    /// As applied().
    Result<void> undone();
    /// As applied().
    Result<void> redone();
    /// Closes the journal and removes its file: everything is saved or was given up on purpose.
    void end();

private:
    Result<void> append(const scene::Json& line);
    int m_fd = -1;
    std::filesystem::path m_path;
};

/// What a journal that nobody uses has kept.
struct Recovered {
    History history;
    std::filesystem::path document;
    std::size_t steps = 0; ///< lines replayed
    std::string problem;   ///< why replaying stopped early; else empty
};
/// Nothing when there is no journal, a running program owns it, or it holds nothing that is not saved.
std::optional<Recovered> recover(const std::filesystem::path& path);

/// Removes a journal that nobody uses and that has nothing to recover.
void discardEmpty(const std::filesystem::path& path);

/// Where the journal of a scene file lies.
std::filesystem::path journalOf(const std::filesystem::path& document);

}
