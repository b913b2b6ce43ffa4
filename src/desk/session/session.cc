#include "desk/session/session.h"

#include "interaction/camera_handles.h"
#include "motion/measure.h"
#include "motion/values.h"
#include "scene/file.h"
#include "scene/scene_json.h"

#include <algorithm>
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

Session::Session(std::filesystem::path journals, QObject* parent)
    : QObject(parent), m_untitled(freeJournal(journals)),
      m_history(std::make_unique<edit::History>(scene::emptyScene())), m_shown(m_history->scene()),
      m_move(*m_shown), m_sources(std::make_shared<media::PixelCache>()), m_swatches(m_sources) {
    beginJournal();
}

Session::~Session() = default;

// ---- the scene and its changes

void Session::show(scene::ScenePtr scene) {
    m_shown = std::move(scene);
    m_move = motion::CameraMove(*m_shown);
    std::erase_if(m_selection, [&](std::int64_t id) { return !scene::find(*m_shown, id).layer; });
    m_keys = interaction::existingKeys(*m_shown, std::move(m_keys));
    m_frame = std::clamp<std::int64_t>(m_frame, 0, m_shown->output.frames - 1);
    Q_EMIT sceneChanged();
}

bool Session::apply(const edit::Edit& edit) {
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

bool Session::preview(const edit::Edit& edit) {
    const bool first = !m_preview;
    std::string why; // out of bounds while dragging: the last good place stays
    if (tried(edit, why)) return true;
    if (first) Q_EMIT problem(QString::fromStdString(why));
    return false;
}

bool Session::tryOut(const edit::Edit& edit) {
    std::string why;
    return tried(edit, why);
}

bool Session::tried(const edit::Edit& edit, std::string& why) {
    auto next = edit::apply(*m_history->scene(), edit);
    if (!next) {
        why = next.error().sentence;
        return false;
    }
    m_preview = edit;
    show(std::make_shared<const scene::Scene>(std::move(*next)));
    return true;
}

void Session::commit() {
    if (!m_preview) return;
    const edit::Edit edit = *std::exchange(m_preview, std::nullopt);
    apply(edit);
}

void Session::dropPreview() {
    if (!m_preview) return;
    m_preview.reset();
    show(m_history->scene());
}

void Session::undo() {
    dropPreview();
    if (!m_history->canUndo()) return;
    m_history->undo();
    journal([](edit::Journal& to) { return to.undone(); });
    show(m_history->scene());
}

void Session::redo() {
    dropPreview();
    if (!m_history->canRedo()) return;
    m_history->redo();
    journal([](edit::Journal& to) { return to.redone(); });
    show(m_history->scene());
}

void Session::goTo(std::size_t step) {
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

std::filesystem::path Session::journalPlace() const {
    return m_document.empty() ? m_untitled : edit::journalOf(m_document);
}

bool Session::beginJournal() {
    const std::filesystem::path place = journalPlace();
    // The program's own folder may have been cleared away; a scene's folder is not ours to make. What fails
    // then is told by the journal.
    std::error_code code;
    if (m_document.empty()) std::filesystem::create_directories(place.parent_path(), code);
    const auto begun = m_journal.begin(place, *m_history->scene(), {m_document, modified()});
    setRecoveryOff(begun ? std::string() : begun.error().sentence);
    return begun.has_value();
}

void Session::journal(const std::function<Result<void>(edit::Journal&)>& step) {
    if (m_recoveryOff.empty() && step(m_journal)) return;
    beginJournal(); // with the scene as it stands now, so nothing is missing in it
}

void Session::setRecoveryOff(std::string why) {
    if (why == m_recoveryOff) return;
    m_recoveryOff = std::move(why);
    Q_EMIT recoveryChanged();
}

void Session::startHistory(edit::History history, std::filesystem::path document, bool unsaved) {
    m_preview.reset();
    m_offMove.reset();
    ++m_generation;
    *m_history = std::move(history);
    m_document = std::move(document);
    m_savedStep = m_history->step();
    m_savedLost = unsaved;
    m_frame = 0;
    m_playRange.reset();
    m_selection.clear();
    m_reference = 0;
    m_sources->forgetProblems();
    m_journal.end(); // that of the scene before, which was saved or given up
    beginJournal();
    show(m_history->scene());
    Q_EMIT selectionChanged();
    Q_EMIT frameChanged();
    m_beat.tick();
    Q_EMIT cameraChanged();
    Q_EMIT documentChanged();
}

void Session::newScene() {
    startHistory(edit::History(scene::emptyScene()), {}, false);
}

Result<void> Session::open(const std::filesystem::path& path) {
    auto scene = scene::load(path);
    if (!scene) return tl::unexpected(scene.error());
    begin(std::move(*scene), path);
    return {};
}

void Session::begin(scene::Scene scene, const std::filesystem::path& path, bool copy) {
    startHistory(edit::History(std::move(scene)),
                 copy || path.empty() ? std::filesystem::path() : std::filesystem::absolute(path), copy);
}

bool Session::openElsewhere(const std::filesystem::path& path) const {
    const auto place = edit::journalOf(path);
    return (m_document.empty() || place != edit::journalOf(m_document)) && edit::Journal::inUse(place);
}

Result<void> Session::save(const std::filesystem::path& path) {
    dropPreview();
    if (openElsewhere(path))
        return fail(path.filename().string() +
                    " is open in another window. Save under another name, or close it there first.");
    if (auto saved = scene::save(*m_history->scene(), path); !saved) return saved;
    m_document = std::filesystem::absolute(path);
    m_savedStep = m_history->step();
    m_savedLost = false;
    beginJournal();
    Q_EMIT documentChanged();
    return {};
}

bool Session::adopt(edit::Recovered recovered) {
    // The file on disk does not have it yet.
    startHistory(std::move(recovered.history), recovered.document, true);
    return m_recoveryOff.empty();
}

void Session::close() {
    m_journal.end();
}

// ---- where one is

void Session::setFrame(std::int64_t frame) {
    frame = std::clamp<std::int64_t>(frame, 0, m_shown->output.frames - 1);
    if (frame == m_frame) return;
    m_frame = frame;
    Q_EMIT frameChanged();
    m_beat.tick();
}

std::pair<std::int64_t, std::int64_t> Session::playRange() const {
    const std::int64_t end = m_shown->output.frames - 1;
    if (!m_playRange) return {0, end};
    const std::int64_t first = std::min(m_playRange->first, end);
    return {first, std::clamp(m_playRange->second, first, end)};
}

void Session::setPlayRange(std::optional<std::pair<std::int64_t, std::int64_t>> range) {
    if (range && range->first > range->second) std::swap(range->first, range->second);
    m_playRange = range;
    Q_EMIT playRangeChanged();
}

void Session::select(std::vector<std::int64_t> layers) {
    if (layers == m_selection) return;
    m_selection = std::move(layers);
    Q_EMIT selectionChanged();
}

void Session::chooseKeys(interaction::KeyRefs keys) {
    if (keys == m_keys) return;
    m_keys = std::move(keys);
    Q_EMIT keysChosen();
}

void Session::previewKeys(const edit::Edit& edit, interaction::KeyRefs then) {
    const interaction::KeyRefs before = m_keys;
    m_keys = std::move(then); // before the scene is shown, which drops those that are not there
    if (!preview(edit)) m_keys = before;
}

bool Session::clickKey(const interaction::KeyRef& key, bool also) {
    interaction::KeyRefs keys = m_keys;
    if (!also && !interaction::contains(keys, key))
        keys = {key};
    else if (also && std::erase(keys, key) == 0)
        keys.push_back(key);
    chooseKeys(std::move(keys));
    return interaction::contains(m_keys, key);
}

void Session::removeKeys() {
    if (m_keys.empty()) return;
    interaction::KeyChange change;
    change.more["remove"] = true;
    apply(interaction::changeOfKeys(m_keys, change, "Remove keys"));
}

void Session::click(std::int64_t layer, bool also) {
    auto chosen = m_selection;
    const bool was = std::find(chosen.begin(), chosen.end(), layer) != chosen.end();
    if (!also && was) return;
    if (!also) chosen.clear();
    if (was)
        std::erase(chosen, layer);
    else if (layer)
        chosen.push_back(layer);
    select(std::move(chosen));
}

const motion::ResolvedScene& Session::now() const {
    const scene::Pose camera = pose();
    if (!m_now || m_nowOf != m_shown || m_now->time != time() || !(m_now->pose == camera)) {
        m_now.emplace(*m_shown, time(), camera);
        m_nowOf = m_shown;
    }
    return *m_now;
}

interaction::Covers Session::covers() {
    return [this](const scene::LayerPath& found, double s, double t) {
        return m_swatches.covers(*m_shown, found.layer, s, t);
    };
}

std::int64_t Session::layerAt(const optics::View& view, const V2d& place) {
    return interaction::layerAt(now(), view, place, covers());
}

std::vector<V3d> Session::outlines(bool selectedOnly) const {
    std::vector<V3d> points;
    for (const scene::LayerPath& found : now().all) {
        if (found.layer->group() || (selectedOnly && !isSelected(found))) continue;
        const auto outline = motion::outlineOf(now(), found);
        points.insert(points.end(), outline.begin(), outline.end());
    }
    return points;
}

scene::Placement Session::placementNow(std::int64_t id) const {
    // As it stood before the drag that goes on.
    const scene::Scene& scene = *m_history->scene();
    const scene::LayerPath found = scene::find(scene, id);
    return found.layer ? motion::Values(scene).placement(*found.layer, time()) : scene::Placement{};
}

edit::Edit Session::setting(std::int64_t layer, std::string_view property, double value,
                            edit::Edit otherwise) const {
    const scene::Track* track = interaction::trackOf(*m_shown, layer, property);
    if (!track || track->keys.empty() || track->link) return otherwise;
    edit::Edit edit = {{"edit", "key"}, {"property", property}, {"time", time().text()}, {"value", value}};
    if (layer != 0) edit["layers"] = {layer};
    return edit;
}

std::vector<std::int64_t> Session::movable() const {
    std::vector<std::int64_t> layers = m_selection;
    std::erase_if(layers, [this](std::int64_t id) { return locked(now().find(id)); });
    return layers;
}

std::size_t Session::referenceMark() const {
    const auto& marks = m_shown->camera.marks;
    const auto mark = std::find_if(marks.begin(), marks.end(),
                                   [this](const scene::Mark& each) { return each.id == m_reference; });
    return mark == marks.end() ? 0 : static_cast<std::size_t>(mark - marks.begin());
}

void Session::setReferenceMark(std::size_t mark) {
    m_reference = m_shown->camera.marks.at(mark).id;
    Q_EMIT holdChanged();
}

edit::Edit Session::onSelection(std::string_view kind, const edit::Edit& more) const {
    edit::Edit edit = edit::onLayers(kind, movable(), more);
    edit["time"] = time().text();
    return edit;
}

edit::Edit Session::push(const edit::Edit& how) const {
    return push(movable(), how);
}

edit::Edit Session::push(const std::vector<std::int64_t>& layers, const edit::Edit& how) const {
    edit::Edit edit = edit::onLayers("push", layers, how);
    edit["holdFraming"] = m_holdFraming;
    edit["mark"] = referenceMark() + 1;
    edit["time"] = time().text();
    return edit;
}

scene::LayerPath Session::selected() const {
    return m_selection.size() == 1 ? scene::find(*m_shown, m_selection.front()) : scene::LayerPath{};
}

void Session::setHoldFraming(bool hold) {
    m_holdFraming = hold;
    Q_EMIT holdChanged();
}

// ---- the camera

scene::Pose Session::pose() const {
    if (offHere()) return m_offMove->pose;
    return m_move.at(time().toDouble());
}

int Session::markHere() const {
    return interaction::markAtFrame(*m_shown, m_frame);
}

void Session::walk(const scene::Pose& pose) {
    const scene::Scene& base = *m_history->scene();
    const auto numberOf = [](const scene::Scene& scene, std::int64_t id) {
        const auto& marks = scene.camera.marks;
        return std::find_if(marks.begin(), marks.end(), [&](const scene::Mark& m) { return m.id == id; });
    };
    if (!m_preview) { // a walk begins: at a mark it stays with that mark, whenever that comes to be
        const int here = markHere();
        m_walked = here < 0 ? 0 : base.camera.marks[static_cast<std::size_t>(here)].id;
        m_walkSeen = motion::CameraMove(base).at(time().toDouble());
    }
    if (const auto mark = numberOf(base, m_walked); m_walked != 0 && mark != base.camera.marks.end()) {
        preview(edit::walked(base, mark->time, m_walkSeen, pose));
        followMark(m_walked);
        return;
    }
    const edit::Edit edit = edit::walked(base, time(), m_walkSeen, pose);
    const auto next = edit::apply(base, edit);
    if (!next) return; // out of bounds: the last good pose stays
    m_offMove = OffMove{time(), pose, edit};
    // As it would be seen, were it a mark: what aims goes on aiming.
    if (const auto& marks = next->camera.marks; marks.size() > base.camera.marks.size())
        for (const scene::Mark& made : marks)
            if (numberOf(base, made.id) == base.camera.marks.end())
                m_offMove->pose = motion::CameraMove(*next).at(made.time.toDouble());
    Q_EMIT cameraChanged();
}

/// Under one pace over the whole move the time of a mark follows from the path.
void Session::followMark(std::int64_t id) {
    for (const scene::Mark& mark : m_shown->camera.marks)
        if (mark.id == id) return setFrame(frameAt(mark.time, m_shown->output.rate));
}

void Session::dropWalk(const std::optional<scene::Pose>& off) {
    dropPreview();
    if (!offHere()) return;
    if (off)
        walk(*off);
    else
        backToMove();
}

void Session::endWalk() {
    commit();
}

void Session::setMarkHere() {
    if (offHere())
        setMarkOffMove();
    else if (markHere() < 0)
        makeMark({{"edit", "set-mark"}, {"time", time().text()}});
}

void Session::setMarkOffMove() {
    if (!m_offMove) return;
    if (makeMark(m_offMove->edit)) backToMove();
}

bool Session::makeMark(const edit::Edit& edit) {
    std::int64_t last = 0;
    for (const scene::Mark& mark : m_shown->camera.marks)
        last = std::max(last, mark.id);
    if (!apply(edit)) return false;
    for (const scene::Mark& mark : m_shown->camera.marks)
        if (mark.id > last) {
            followMark(mark.id);
            break;
        }
    return true;
}

void Session::backToMove() {
    if (!m_offMove) return;
    m_offMove.reset();
    Q_EMIT cameraChanged();
}

}
