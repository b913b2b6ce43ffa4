#include "desk/camera/camera_handle_drag.h"

#include "desk/kit/number_field.h"
#include "motion/walking.h"
#include "optics/lens.h"

#include <QCoreApplication>

namespace stage::desk {
std::vector<CameraHandle> cameraHandles(const Session& session) {
    return interaction::cameraHandles(*session.scene(), session.move(), session.playhead.time(),
                                      session.camera.pose());
}

CameraHandleDrag::CameraHandleDrag(Session& session, const CameraHandle& handle)
    : m_session(session), m_drag(interaction::beginDrag(session.move(), session.scene()->camera.marks.size(),
                                                        handle, session.camera.pose())),
      m_wasOff(session.camera.offHere()) {}

void CameraHandleDrag::cancel() {
    m_session.camera.cancelWalk(m_wasOff ? std::optional(m_drag.from) : std::nullopt);
}

QString CameraHandleDrag::to(const V3d& place, Qt::KeyboardModifiers keys) {
    const auto change = interaction::dragged(*m_session.document.history().scene(), m_drag, place,
                                             keys & Qt::ControlModifier);
    if (const auto* edit = std::get_if<edit::Edit>(&change)) m_session.document.preview(*edit);
    if (const auto* pose = std::get_if<scene::Pose>(&change)) m_session.camera.walk(*pose);
    return std::holds_alternative<std::monostate>(change) ? QString() : describe(place, change);
}

QString CameraHandleDrag::describe(const V3d& place, const interaction::CameraChange& change) const {
    using enum CameraHandle::Kind;
    const scene::Scene& before = *m_session.document.history().scene();
    const auto length = [&](const V3d& from) { return figure((place - from).length(), 2); };
    switch (m_drag.handle.kind) {
    case Mark:
        return tr("mark %1: across %2 m, up %3 m, along %4 m · by %5 m")
            .arg(m_drag.handle.mark + 1)
            .arg(figure(place.x, 2), figure(place.y, 2), figure(-place.z, 2), length(m_drag.handle.at));
    case Arriving:
    case Leaving:
        return (m_drag.handle.kind == Arriving ? tr("arrives over %1 m") : tr("leaves over %1 m"))
            .arg(length(before.camera.marks[static_cast<std::size_t>(m_drag.handle.mark)].pose.position));
    case Body: {
        const motion::Step by = motion::stepBetween(m_drag.from, std::get<scene::Pose>(change));
        return tr("truck %1 m · pedestal %2 m · dolly %3 m")
            .arg(figure(by.truck, 2), figure(by.pedestal, 2), figure(by.dolly, 2));
    }
    case Ahead: {
        const auto& pose = std::get<scene::Pose>(change);
        return tr("pan %1° · tilt %2°").arg(figure(pose.pan, 1), figure(pose.tilt, 1));
    }
    case Target:
        return tr("aimed at across %1 m, up %2 m, along %3 m")
            .arg(figure(place.x, 2), figure(place.y, 2), figure(-place.z, 2));
    case SideRay:
    case TopRay: {
        const double focal = std::get<scene::Pose>(change).focal;
        return tr("%1 mm · sees %2° across")
            .arg(figure(focal, 1), figure(optics::angleOfView(focal, before.camera.gate), 1));
    }
    }
    return {};
}

}
