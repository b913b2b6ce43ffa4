#include "desk/camera/camera_hands.h"

#include "desk/kit/number_field.h"
#include "motion/walking.h"
#include "optics/lens.h"
#include "scene/scene_json.h"

#include <QCoreApplication>
#include <cmath>

namespace stage::desk {
namespace {

QString tr(const char* text) {
    return QCoreApplication::translate("CameraHands", text);
}

/// The handles that a mark's path has, its own or those that follow from its neighbours.
std::optional<V3d> arrivingOf(const Session& session, std::size_t mark) {
    if (mark == 0) return {};
    const auto& points = session.move().path(mark - 1).points();
    return points[2] - points[3];
}
std::optional<V3d> leavingOf(const Session& session, std::size_t mark) {
    if (mark + 1 >= session.scene()->camera.marks.size()) return {};
    const auto& points = session.move().path(mark).points();
    return points[1] - points[0];
}

/// The aim that the marks around the playhead agree on.
scene::Aim aimHere(const Session& session) {
    const auto& marks = session.scene()->camera.marks;
    const Rational now = session.time();
    std::size_t i = 0;
    while (i + 1 < marks.size() && marks[i + 1].time <= now)
        ++i;
    if (marks[i].time < now && i + 1 < marks.size() && !(marks[i].aim == marks[i + 1].aim)) return {};
    return marks[i].aim;
}

}

std::vector<CameraHand> cameraHands(const Session& session) {
    using enum CameraHand::Kind;
    std::vector<CameraHand> hands;
    const auto& marks = session.scene()->camera.marks;
    for (std::size_t i = 0; i < marks.size(); ++i)
        hands.push_back({Mark, static_cast<int>(i), marks[i].pose.position});
    if (const int here = session.markHere(); here >= 0) {
        const auto mark = static_cast<std::size_t>(here);
        const V3d at = marks[mark].pose.position;
        if (const auto by = arrivingOf(session, mark)) hands.push_back({Arriving, here, at + *by});
        if (const auto by = leavingOf(session, mark)) hands.push_back({Leaving, here, at + *by});
    }
    hands.push_back({Body, -1, session.pose().position});
    if (const scene::Aim aim = aimHere(session); aim.at == scene::Aim::At::Point)
        hands.push_back({Target, -1, aim.point});
    return hands;
}

CameraDrag::CameraDrag(Session& session, const CameraHand& hand)
    : m_session(session), m_hand(hand), m_from(session.pose()), m_wasOff(session.offHere()) {
    const auto mark = static_cast<std::size_t>(std::max(0, hand.mark));
    if (hand.kind == CameraHand::Kind::Arriving) m_other = leavingOf(session, mark);
    if (hand.kind == CameraHand::Kind::Leaving) m_other = arrivingOf(session, mark);
}

void CameraDrag::drop() {
    m_session.dropWalk(m_wasOff ? std::optional(m_from) : std::nullopt);
}

QString CameraDrag::to(const V3d& place, Qt::KeyboardModifiers keys) {
    using enum CameraHand::Kind;
    const scene::Scene& before = *m_session.history().scene();
    const double gate = before.camera.gate;
    switch (m_hand.kind) {
    case Mark: {
        m_session.preview({{"edit", "mark"}, {"mark", m_hand.mark + 1}, {"position", scene::toJson(place)}});
        const V3d by = place - m_hand.at;
        return tr("mark %1: across %2 m, height %3 m, along %4 m · by %5 m")
            .arg(m_hand.mark + 1)
            .arg(figure(place.x, 2), figure(place.y, 2), figure(-place.z, 2), figure(by.length(), 2));
    }
    case Arriving:
    case Leaving: {
        const scene::Mark& mark = before.camera.marks[static_cast<std::size_t>(m_hand.mark)];
        const V3d handle = place - mark.pose.position;
        const char* mine = m_hand.kind == Arriving ? "arriving" : "leaving";
        const char* other = m_hand.kind == Arriving ? "leaving" : "arriving";
        edit::Edit edit = {{"edit", "mark"}, {"mark", m_hand.mark + 1}, {mine, scene::toJson(handle)}};
        // The way goes straight through the mark, unless it is a corner.
        if (!mark.corner && !(keys & Qt::ControlModifier) && m_other && handle.length() > 1e-9)
            edit[other] = scene::toJson(handle.normalized() * -m_other->length());
        m_session.preview(edit);
        return (m_hand.kind == Arriving ? tr("arrives over %1 m") : tr("leaves over %1 m"))
            .arg(figure(handle.length(), 2));
    }
    case Body: {
        scene::Pose pose = m_from;
        pose.position = place;
        m_session.walk(pose);
        const motion::Step by = motion::stepBetween(m_from, pose);
        return tr("truck %1 m · pedestal %2 m · dolly %3 m")
            .arg(figure(by.truck, 2), figure(by.pedestal, 2), figure(by.dolly, 2));
    }
    case Look: {
        // By as much as the hand turns about the camera: in the Plan that is all pan, in the Section all
        // tilt.
        const scene::Pose was = motion::lookingAt(m_from, m_hand.at), is = motion::lookingAt(m_from, place);
        const scene::Pose pose = motion::stepped(m_from, {.pan = m_hand.pans ? is.pan - was.pan : 0,
                                                          .tilt = m_hand.tilts ? is.tilt - was.tilt : 0});
        m_session.walk(pose);
        return tr("pan %1° · tilt %2°").arg(figure(pose.pan, 1), figure(pose.tilt, 1));
    }
    case Target: {
        const auto& marks = before.camera.marks;
        edit::Edit numbers = edit::Edit::array();
        for (std::size_t i = 0; i < marks.size(); ++i)
            if (marks[i].aim.at == scene::Aim::At::Point && marks[i].aim.point == m_hand.at)
                numbers.push_back(i + 1);
        if (numbers.empty()) return {};
        m_session.preview({{"edit", "mark"}, {"marks", numbers}, {"aim", {{"point", scene::toJson(place)}}}});
        return tr("aimed at across %1 m, height %2 m, along %3 m")
            .arg(figure(place.x, 2), figure(place.y, 2), figure(-place.z, 2));
    }
    case Across:
    case Up: {
        const V2i frame = before.output.frame;
        const optics::View lens = optics::viewOf(m_from, gate, frame);
        const V3d off = place - lens.eye;
        const V3d side = m_hand.kind == Across ? lens.right : lens.up;
        const double aside = std::abs(off.dot(side)), ahead = (off - side * off.dot(side)).length();
        if (!(off.dot(lens.forward) > 1e-6) || !(aside > 1e-6)) return {};
        const double half = gate / 2 * (m_hand.kind == Across ? 1.0 : static_cast<double>(frame.y) / frame.x);
        scene::Pose pose = m_from;
        pose.focal = std::clamp(half * ahead / aside, 1.0, 2000.0);
        m_session.walk(pose);
        return tr("%1 mm · sees %2° across")
            .arg(figure(pose.focal, 1), figure(optics::angleOfView(pose.focal, gate), 1));
    }
    }
    return {};
}

std::int64_t frameNearest(const Session& session, const std::function<double(const V3d&)>& distance) {
    const scene::Scene& scene = *session.scene();
    const std::int64_t first = frameAt(scene.camera.marks.front().time, scene.output.rate),
                       last = std::min(scene.output.frames - 1,
                                       frameAt(scene.camera.marks.back().time, scene.output.rate));
    // Coarsely first, then closer and closer about the best.
    std::int64_t low = first, high = std::max(first, last), best = first;
    for (;;) {
        const std::int64_t step = std::max<std::int64_t>(1, (high - low) / 500);
        double least = 1e300;
        for (std::int64_t f = low; f <= high; f += step) {
            const double d =
                distance(session.move().posed(timeOfFrame(f, scene.output.rate).toDouble()).position);
            if (d < least) least = d, best = f;
        }
        if (step == 1) return best;
        low = std::max(first, best - step);
        high = std::min(last, best + step);
    }
}

Ticks ticksOf(const Session& session) {
    const scene::Scene& scene = *session.scene();
    const auto& marks = scene.camera.marks;
    const double rate = scene.output.rate.toDouble(), begin = marks.front().time.toDouble(),
                 seconds = marks.back().time.toDouble() - begin;
    Ticks ticks;
    // Every frame of a short move; of a longer one every second one, quarter, half of a second, or more.
    double step = 1 / rate;
    for (const double each : {1 / rate, 2 / rate, 0.125, 0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 60.0, 600.0})
        if (step = each; seconds / step <= 150) break;
    for (double t = 0; t <= seconds + 1e-9 && ticks.places.size() < 2000; t += step) {
        ticks.places.push_back(session.move().posed(begin + t).position);
        ticks.seconds.push_back(std::abs(std::remainder(begin + t, 1.0)) < step * 0.49);
    }
    return ticks;
}

}
