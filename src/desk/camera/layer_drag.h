// One drag of the selected layers in the Camera view: slid in their plane, scaled, turned or moved about
// their pivot by a handle, pushed in depth. What it changes is previewed; the view commits it. Places are px
// of the scene's frame. Interface thread.
#pragma once

#include "desk/session/session.h"
#include "interaction/handles.h"
#include "interaction/snapping.h"

#include <QCoreApplication>

namespace stage::desk {

class LayerDrag {
    Q_DECLARE_TR_FUNCTIONS(stage::desk::LayerDrag)
public:
    /// The plane in which the handles of a layer lie; nothing where it has none.
    static std::optional<interaction::HandlePlane> planeOf(const Session& session,
                                                           const scene::LayerPath& found);

    explicit LayerDrag(Session& session) : m_session(session) {}
    /// A drag of a handle of the one selected layer. False where its plane does not meet the place.
    bool begin(const interaction::Handle& handle, const V2d& place);
    /// A drag of the selection, held by a layer of it.
    void begin(std::int64_t layer, const V2d& place);
    void end();
    bool byHandle() const { return m_handle.has_value(); }
    std::int64_t layer() const { return m_layer; } ///< 0: none is held

    // Each gives what to say, in units; empty: it could not be done. pixel: px of the frame for one of the
    // view, in which things are caught from 6 away. Shift and Ctrl do as the tool's tooltip says.

    QString handleTo(const V2d& place, Qt::KeyboardModifiers keys);
    QString slideTo(const V2d& place, Qt::KeyboardModifiers keys, double pixel);
    QString pushBy(double ratio); ///< of depth
    /// by: px of the view, to the right and down.
    QString turnBy(const V2d& by, Qt::KeyboardModifiers keys);

    /// Lines that are caught on now.
    const std::vector<interaction::SnapLine>& uprightLines() const { return m_upright; }
    const std::vector<interaction::SnapLine>& levelLines() const { return m_level; }

private:
    struct Lines {
        std::vector<interaction::SnapLine> upright, level;
    };
    Lines linesToCatch() const;
    /// The shift, in the world, that catches a layer's box on lines of the frame or on the ground.
    V3d caught(const scene::LayerPath& moved, double reach);
    QString movePivot(V2d share, Qt::KeyboardModifiers keys);
    QString moveFoot(const V2d& share);
    QString turnTo(const V2d& share, Qt::KeyboardModifiers keys);
    QString scaleTo(const V2d& share, Qt::KeyboardModifiers keys);
    /// The one selected layer as it was before the drag.
    scene::LayerPath before() const;
    optics::View view() const { return m_session.now().view; }

    Session& m_session;
    std::optional<interaction::Handle> m_handle;
    std::optional<interaction::HandlePlane> m_plane; ///< of the layer as the drag began
    V2d m_shareFrom{0};
    std::int64_t m_layer = 0;
    V3d m_grip{0}; ///< the point of it that is held
    double m_depthFrom = 0;
    std::vector<interaction::SnapLine> m_upright, m_level;
};

}
