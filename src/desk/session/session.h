// What the desk works on: the open scene, where one is in it, what is selected, the camera shown, and what
// views of it share. Views hold nothing of this themselves; they ask and listen. Interface thread.
#pragma once

#include "desk/jobs/swatch.h"
#include "desk/session/document.h"
#include "desk/session/foot_slip.h"
#include "desk/session/playhead.h"
#include "desk/session/selection.h"
#include "desk/session/shown_camera.h"
#include "interaction/picking.h"
#include "media/pixel_cache.h"
#include "motion/resolved_scene.h"

#include <memory>

namespace stage::desk {

class Session : public QObject {
    Q_OBJECT
public:
    /// journals: folder for the journals of scenes that have no file yet.
    explicit Session(std::filesystem::path journals);
    ~Session() override;

    Document document;
    Playhead playhead;
    Selection selection;
    ShownCamera camera;

    /// Of the document.
    const scene::ScenePtr& scene() const { return document.scene(); }
    const motion::CameraMove& move() const { return document.move(); }

    /// The scene as it stands at the playhead for the camera shown. Views measure and draw this. The
    /// reference is valid until something changes.
    const motion::ResolvedScene& now() const;
    /// Where a layer hangs at the playhead, not turned to the camera; relative to what carries it.
    scene::Placement placementNow(std::int64_t id) const;
    /// The selected layers that may be moved: without locked ones and what is in locked groups.
    std::vector<std::int64_t> movable() const;
    /// Whether a layer shows something at a place of its picture; true while that is not known.
    interaction::Covers covers();
    /// The nearest layer that shows something at a place of a view, and is not locked. 0: none.
    std::int64_t layerAt(const optics::View& view, const V2d& place);
    /// What bounds all flat layers, or the selected ones.
    std::vector<V3d> outlines(bool selectedOnly) const;

    /// A movie is being written: nothing is rendered ahead beside it.
    bool writing() const { return m_writing > 0; }
    void setWriting(bool writing); ///< once each, as it begins and ends; several may be written

    // ---- how layers are pushed and scaled

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
    /// An edit that gives a property a value at the playhead: of its keys where it has a track with some,
    /// else as `otherwise` does.
    edit::Edit setting(std::int64_t layer, std::string_view property, double value,
                       edit::Edit otherwise) const;

    /// Applies an edit that adds layers and selects the outermost of them. False when it was refused.
    bool addLayers(const edit::Edit& edit);

    /// What failed, as a problem; nothing for what the user stopped.
    void tell(const Error& error);

    media::PixelCache& sources() { return *m_sources; }
    std::shared_ptr<media::PixelCache> sharedSources() const { return m_sources; }
    Swatches& swatches() { return m_swatches; }
    FootSlip& footSlip() { return m_footSlip; }

Q_SIGNALS:
    void writingChanged();
    void holdChanged(); ///< hold framing, or its mark
    void problem(const QString& sentence);
    void said(const QString& sentence); ///< what has been done, or why nothing was; not a problem

private:
    int m_writing = 0;
    bool m_holdFraming = true, m_aboutAxis = false;
    std::int64_t m_reference = 0; ///< id of a mark; one that is not there: the first
    mutable std::optional<motion::ResolvedScene> m_now;
    mutable scene::ScenePtr m_nowOf; ///< the scene that m_now is made of
    std::shared_ptr<media::PixelCache> m_sources;
    Swatches m_swatches;
    FootSlip m_footSlip;
};

}
