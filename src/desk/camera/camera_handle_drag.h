// A drag of the camera in a view from outside: what it changes is shown at once and told in units. Interface
// thread.
#pragma once

#include "desk/session/session.h"
#include "interaction/camera_handles.h"

#include <QCoreApplication>

namespace stage::desk {

using interaction::CameraHandle;

/// Those of the scene shown, at the playhead.
std::vector<CameraHandle> cameraHandles(const Session& session);

/// One drag of a handle. What it changes is previewed, and becomes a step of history with commit(), or is the
/// pose off the move.
class CameraHandleDrag {
    Q_DECLARE_TR_FUNCTIONS(stage::desk::CameraHandleDrag)
public:
    CameraHandleDrag(Session& session, const CameraHandle& handle);
    /// The handle's place in the world is now there. keys: Ctrl moves a handle of the path on its own. Gives
    /// what to say, in units.
    QString to(const V3d& place, Qt::KeyboardModifiers keys);
    const CameraHandle& handle() const { return m_drag.handle; }
    /// As it was before.
    void cancel();

private:
    QString describe(const V3d& place, const interaction::CameraChange& change) const;

    Session& m_session;
    interaction::CameraDrag m_drag;
    bool m_wasOff; ///< the move, as the drag began
};

}
