// What the desk works on: the open scene with its history and journal, selection, playhead, and the camera as
// it is walked. Views hold nothing of this themselves; they ask and listen. Lives on the interface thread.
#pragma once

#include "desk/jobs/beat.h"
#include "desk/jobs/swatch.h"
#include "edit/journal.h"
#include "interaction/key_edits.h"
#include "interaction/picking.h"
#include "media/pixel_cache.h"
#include "motion/camera_move.h"
#include "motion/resolved_scene.h"

#include <QObject>
#include <algorithm>
#include <functional>
#include <memory>
#include <optional>

namespace stage::desk {

class Session : public QObject {
    Q_OBJECT
public:
    /// journals: folder for the journals of scenes that have no file yet.
    explicit Session(std::filesystem::path journals, QObject* parent = nullptr);
    ~Session() override;

    // ---- the scene and its changes

    /// The scene as shown: with the change being dragged, if there is one.
    const scene::ScenePtr& scene() const { return m_shown; }
    const motion::CameraMove& move() const { return m_move; }
    /// The scene as it stands at the playhead for the camera shown. Views measure and draw this. The
    /// reference is valid until something changes.
    const motion::ResolvedScene& now() const;
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
    const std::filesystem::path& document() const { return m_document; }
    bool modified() const { return m_history->step() != m_savedStep || m_savedLost; }
    /// The work is saved or given up on purpose: nothing to recover.
    void close();

    // ---- where one is

    std::int64_t frame() const { return m_frame; }
    Rational time() const { return timeOfFrame(m_frame, scene()->output.rate); }
    void setFrame(std::int64_t frame);
    /// What is played again and again, first and last frame; all of the scene unless it is set.
    std::pair<std::int64_t, std::int64_t> playRange() const;
    bool playsAll() const { return !m_playRange; }
    void setPlayRange(std::optional<std::pair<std::int64_t, std::int64_t>> range);
    const std::vector<std::int64_t>& selection() const { return m_selection; }
    bool isSelected(std::int64_t layer) const {
        return std::find(m_selection.begin(), m_selection.end(), layer) != m_selection.end();
    }
    /// It, or a group that holds it.
    bool isSelected(const scene::LayerPath& found) const {
        return any(found, [this](const scene::Layer& layer) { return isSelected(layer.id); });
    }
    void select(std::vector<std::int64_t> layers);
    /// As a click on a layer does (0: on none): selects it, or with `also` adds or removes it. One that is
    /// selected with others stays so, for they may be about to be dragged together.
    void click(std::int64_t layer, bool also);
    /// Keys of tracks that are chosen; those that go are chosen no longer.
    const interaction::KeyRefs& keys() const { return m_keys; }
    void chooseKeys(interaction::KeyRefs keys);
    /// A change of the chosen keys being dragged: `then` is where they are by it.
    void previewKeys(const edit::Edit& edit, interaction::KeyRefs then);
    /// As a click on a key does: chooses it, or with `also` adds or removes it; chosen keys stay, for they
    /// may be about to be dragged together. Whether it is chosen then.
    bool clickKey(const interaction::KeyRef& key, bool also);
    void removeKeys(); ///< the chosen ones
    /// The one selected layer; layer is null when there is none or several.
    scene::LayerPath selected() const;
    /// Where a layer hangs at the playhead, not turned to the camera; relative to what carries it.
    scene::Placement placementNow(std::int64_t id) const;
    /// An edit that gives a property a value at the playhead: of its keys where it has a track with some,
    /// else as `otherwise` does.
    edit::Edit setting(std::int64_t layer, std::string_view property, double value,
                       edit::Edit otherwise) const;
    /// The selected layers that may be moved: without locked ones and what is in locked groups.
    std::vector<std::int64_t> movable() const;
    /// It, or a group that holds it.
    static bool locked(const scene::LayerPath& found) { return interaction::isLocked(found); }
    /// It and all groups that hold it.
    static bool visible(const scene::LayerPath& found) { return interaction::isVisible(found); }
    /// Whether a layer shows something at a place of its picture; true while that is not known.
    interaction::Covers covers();
    /// The nearest layer that shows something at a place of a view, and is not locked. 0: none.
    std::int64_t layerAt(const optics::View& view, const V2d& place);
    /// What bounds all flat layers, or the selected ones.
    std::vector<V3d> outlines(bool selectedOnly) const;
    bool holdFraming() const { return m_holdFraming; }
    void setHoldFraming(bool hold);
    /// The mark, from 0, for which framing is held.
    std::size_t referenceMark() const;
    void setReferenceMark(std::size_t mark);
    bool scaleAboutAxis() const { return m_aboutAxis; }
    void setScaleAboutAxis(bool on) { m_aboutAxis = on; }

    // ---- edits as the desk makes them: of the movable selection, at the playhead

    /// Any edit of places, with its members.
    edit::Edit onSelection(std::string_view kind, const edit::Edit& more = edit::Edit::object()) const;
    /// A push, with framing held or not as is set, for the reference mark.
    edit::Edit push(const edit::Edit& how) const;
    edit::Edit push(const std::vector<std::int64_t>& layers, const edit::Edit& how) const;

    // ---- the camera

    /// What the Camera view shows at the playhead: the move, or the pose off it.
    scene::Pose pose() const;
    /// Index of the mark under the playhead, or -1.
    int markHere() const;
    /// Walks the camera to a pose: on a mark it changes the mark, elsewhere it leaves the move.
    void walk(const scene::Pose& pose);
    void endWalk();
    /// Back to where the camera was before: off the move at that pose, or on it.
    void dropWalk(const std::optional<scene::Pose>& off);
    struct OffMove {
        Rational time;
        scene::Pose pose; ///< as it would be seen, were it a mark
        edit::Edit edit;  ///< that makes it one
    };
    const std::optional<OffMove>& offMove() const { return m_offMove; }
    /// The pose shown is off the move.
    bool offHere() const { return m_offMove && m_offMove->time == time(); }
    /// A mark at the playhead with the pose shown.
    void setMarkHere();
    void setMarkOffMove(); ///< makes the pose off the move a mark at its time
    void backToMove();     ///< gives the pose up

    /// Tells views that follow the playhead without being what is played.
    Beat& beat() { return m_beat; }
    media::PixelCache& sources() { return *m_sources; }
    Swatches& swatches() { return m_swatches; }
    std::shared_ptr<media::PixelCache> sharedSources() const { return m_sources; }

Q_SIGNALS:
    void sceneChanged();
    void selectionChanged();
    void keysChosen();
    void frameChanged(); ///< for what is played; all else follows the beat
    void playRangeChanged();
    void holdChanged();   ///< hold framing, or its mark
    void cameraChanged(); ///< the pose shown changed without the scene
    void documentChanged();
    void recoveryChanged(); ///< edits are journalled again, or not any more
    void problem(const QString& sentence);

private:
    template <class Test> static bool any(const scene::LayerPath& found, const Test& test) {
        return found.layer && (test(*found.layer) || std::any_of(found.holders.begin(), found.holders.end(),
                                                                 [&](const auto& h) { return test(*h); }));
    }
    bool tried(const edit::Edit& edit, std::string& why);
    void followMark(std::int64_t id);
    bool makeMark(const edit::Edit& edit);
    void show(scene::ScenePtr scene);
    void startHistory(edit::History history, std::filesystem::path document, bool unsaved);
    std::filesystem::path journalPlace() const;
    bool beginJournal();
    /// Hands a step to the journal; what it could not take is in the one that is begun anew then.
    void journal(const std::function<Result<void>(edit::Journal&)>& step);
    void setRecoveryOff(std::string why);

    Beat m_beat;
    int m_generation = 0;
    std::filesystem::path m_untitled; ///< the journal of a scene without a file
    std::filesystem::path m_document;
    std::string m_recoveryOff;
    std::unique_ptr<edit::History> m_history;
    edit::Journal m_journal;
    std::optional<edit::Edit> m_preview;
    scene::ScenePtr m_shown;
    motion::CameraMove m_move;
    std::size_t m_savedStep = 0;
    bool m_savedLost = false;
    std::int64_t m_frame = 0;
    std::optional<std::pair<std::int64_t, std::int64_t>> m_playRange;
    std::vector<std::int64_t> m_selection;
    interaction::KeyRefs m_keys;
    bool m_holdFraming = true, m_aboutAxis = false;
    std::int64_t m_reference = 0; ///< id of a mark; one that is not there: the first
    mutable std::optional<motion::ResolvedScene> m_now;
    mutable scene::ScenePtr m_nowOf; ///< the scene that m_now is made of
    std::optional<OffMove> m_offMove;
    std::int64_t m_walked = 0; ///< the mark that is being walked; 0: none
    scene::Pose m_walkSeen;    ///< what was seen as the walk began
    std::shared_ptr<media::PixelCache> m_sources;
    Swatches m_swatches;
};

}
