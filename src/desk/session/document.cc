#include "desk/session/document.h"

#include "scene/file.h"

#include <chrono>
#include <unistd.h>

namespace stage::desk {
namespace {

/// A name that no journal has, also none of a process that had this one's number.
std::filesystem::path freeJournal(const std::filesystem::path& folder) {
    std::error_code code;
    std::filesystem::create_directories(folder, code);
    const auto now = std::chrono::system_clock::now().time_since_epoch().count();
    for (int n = 0;; ++n) {
        auto path = folder / ("untitled-" + std::to_string(::getpid()) + "-" + std::to_string(now + n) +
                              ".ostage.journal");
        if (!std::filesystem::exists(path, code)) return path;
    }
}

}

Document::Document(std::filesystem::path journals)
    : m_untitled(freeJournal(journals)), m_history(std::make_unique<edit::History>(scene::emptyScene())),
      m_shown(m_history->scene()), m_move(*m_shown) {
    beginJournal();
}

// ---- the scene and its changes

void Document::show(scene::ScenePtr scene) {
    m_shown = std::move(scene);
    m_move = motion::CameraMove(*m_shown);
    Q_EMIT sceneChanged();
}

bool Document::apply(const edit::Edit& edit) {
    dropPreview();
    const std::size_t step = m_history->step();
    if (auto done = m_history->apply(edit); !done) {
        Q_EMIT problem(QString::fromStdString(done.error().sentence));
        return false;
    }
    if (m_savedStep > step) m_savedLost = true; // the saved state was undone and is now gone
    journal([&](edit::Journal& to) { return to.applied(edit); }); // before the window shows it
    show(m_history->scene());
    return true;
}

bool Document::preview(const edit::Edit& edit) {
    const bool first = !m_preview;
    std::string why; // out of bounds while dragging: the last good place stays
    if (tried(edit, why)) return true;
    if (first) Q_EMIT problem(QString::fromStdString(why));
    return false;
}

bool Document::tryOut(const edit::Edit& edit) {
    std::string why;
    return tried(edit, why);
}

bool Document::tried(const edit::Edit& edit, std::string& why) {
    auto next = edit::apply(*m_history->scene(), edit);
    if (!next) {
        why = next.error().sentence;
        return false;
    }
    m_preview = edit;
    show(std::make_shared<const scene::Scene>(std::move(*next)));
    return true;
}

void Document::commit() {
    if (!m_preview) return;
    const edit::Edit edit = *std::exchange(m_preview, std::nullopt);
    apply(edit);
}

void Document::dropPreview() {
    if (!m_preview) return;
    m_preview.reset();
    show(m_history->scene());
}

void Document::undo() {
    dropPreview();
    if (!m_history->canUndo()) return;
    m_history->undo();
    journal([](edit::Journal& to) { return to.undone(); });
    show(m_history->scene());
}

void Document::redo() {
    dropPreview();
    if (!m_history->canRedo()) return;
    m_history->redo();
    journal([](edit::Journal& to) { return to.redone(); });
    show(m_history->scene());
}

void Document::goTo(std::size_t step) {
    dropPreview();
    if (step == m_history->step()) return;
    while (m_history->step() > step && m_history->canUndo()) {
        m_history->undo();
        journal([](edit::Journal& to) { return to.undone(); });
    }
    while (m_history->step() < step && m_history->canRedo()) {
        m_history->redo();
        journal([](edit::Journal& to) { return to.redone(); });
    }
    show(m_history->scene());
}

// ---- files

std::filesystem::path Document::journalPlace() const {
    return m_path.empty() ? m_untitled : edit::journalOf(m_path);
}

bool Document::beginJournal() {
    const std::filesystem::path place = journalPlace();
    // The program's own folder may have been cleared away; a scene's folder is not ours to make. What fails
    // then is told by the journal.
    std::error_code code;
    if (m_path.empty()) std::filesystem::create_directories(place.parent_path(), code);
    const auto begun = m_journal.begin(place, *m_history->scene(), {m_path, modified()});
    setRecoveryOff(begun ? std::string() : begun.error().sentence);
    return begun.has_value();
}

void Document::journal(const std::function<Result<void>(edit::Journal&)>& step) {
    if (m_recoveryOff.empty() && step(m_journal)) return;
    beginJournal(); // with the scene as it stands now, so nothing is missing in it
}

void Document::setRecoveryOff(std::string why) {
    if (why == m_recoveryOff) return;
    m_recoveryOff = std::move(why);
    Q_EMIT recoveryChanged();
}

void Document::startHistory(edit::History history, std::filesystem::path path, bool unsaved) {
    m_preview.reset();
    ++m_generation;
    *m_history = std::move(history);
    m_path = std::move(path);
    m_savedStep = m_history->step();
    m_savedLost = unsaved;
    Q_EMIT beginning();
    m_journal.end(); // that of the scene before, which was saved or discarded
    beginJournal();
    show(m_history->scene());
    Q_EMIT begun();
    Q_EMIT pathChanged();
}

void Document::newScene() {
    startHistory(edit::History(scene::emptyScene()), {}, false);
}

Result<void> Document::open(const std::filesystem::path& path) {
    auto scene = scene::load(path);
    if (!scene) return tl::unexpected(scene.error());
    begin(std::move(*scene), path);
    return {};
}

void Document::begin(scene::Scene scene, const std::filesystem::path& path, bool copy) {
    startHistory(edit::History(std::move(scene)),
                 copy || path.empty() ? std::filesystem::path() : std::filesystem::absolute(path), copy);
}

bool Document::openElsewhere(const std::filesystem::path& path) const {
    const auto place = edit::journalOf(path);
    return (m_path.empty() || place != edit::journalOf(m_path)) && edit::Journal::inUse(place);
}

Result<void> Document::save(const std::filesystem::path& path) {
    dropPreview();
    if (openElsewhere(path))
        return fail(path.filename().string() +
                    " is open in another window. Save under another name, or close it there first.");
    if (auto saved = scene::save(*m_history->scene(), path); !saved) return saved;
    m_path = std::filesystem::absolute(path);
    m_savedStep = m_history->step();
    m_savedLost = false;
    beginJournal();
    Q_EMIT pathChanged();
    return {};
}

bool Document::adopt(edit::Recovered recovered) {
    // The file on disk does not have it yet.
    startHistory(std::move(recovered.history), recovered.document, true);
    return m_recoveryOff.empty();
}

void Document::close() {
    m_journal.end();
}

}
