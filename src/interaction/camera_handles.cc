#include "interaction/camera_handles.h"

#include "motion/walking.h"
#include "optics/view.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <cmath>

namespace stage::interaction {
namespace {

/// The handles of the path at a mark, from it: its own, or those that follow from its neighbours.
std::optional<V3d> arrivingOf(const motion::CameraMove& move, std::size_t mark) {
    if (mark == 0) return {};
    const auto& points = move.path(mark - 1).points();
    return points[2] - points[3];
}
std::optional<V3d> leavingOf(const motion::CameraMove& move, std::size_t mark, std::size_t marks) {
    if (mark + 1 >= marks) return {};
    const auto& points = move.path(mark).points();
    return points[1] - points[0];
}

/// The aim that the marks around a time agree on.
scene::Aim aimAt(const std::vector<scene::Mark>& marks, Rational time) {
    std::size_t i = 0;
    while (i + 1 < marks.size() && marks[i + 1].time <= time)
        ++i;
    if (marks[i].time < time && i + 1 < marks.size() && !(marks[i].aim == marks[i + 1].aim)) return {};
    return marks[i].aim;
}

CameraChange focalDragged(const scene::Scene& before, const CameraDrag& drag, const V3d& place) {
    const V2i frame = before.output.frame;
    const optics::View lens = optics::viewOf(drag.from, before.camera, frame);
    const bool across = drag.handle.kind == CameraHandle::Kind::SideRay;
    const V3d off = place - lens.eye, side = across ? lens.right : lens.up;
    const double aside = std::abs(off.dot(side)), ahead = (off - side * off.dot(side)).length();
    if (!(off.dot(lens.forward) > 1e-6) || !(aside > 1e-6)) return {};
    const double half = before.camera.gate / 2 * (across ? 1.0 : static_cast<double>(frame.y) / frame.x);
    scene::Pose pose = drag.from;
    pose.focal = std::clamp(half * ahead / aside, 1.0, 2000.0);
    return pose;
}

}

int markAtFrame(const scene::Scene& scene, std::int64_t frame) {
    const auto& marks = scene.camera.marks;
    for (std::size_t i = 0; i < marks.size(); ++i)
        if (frameAt(marks[i].time, scene.output.rate) == frame) return static_cast<int>(i);
    return -1;
}

std::vector<CameraHandle> cameraHandles(const scene::Scene& scene, const motion::CameraMove& move,
                                        Rational time, const scene::Pose& shown) {
    using enum CameraHandle::Kind;
    std::vector<CameraHandle> handles;
    const auto& marks = scene.camera.marks;
    for (std::size_t i = 0; i < marks.size(); ++i)
        handles.push_back({Mark, static_cast<int>(i), marks[i].pose.position});
    if (const int here = markAtFrame(scene, frameAt(time, scene.output.rate)); here >= 0) {
        const auto mark = static_cast<std::size_t>(here);
        const V3d at = marks[mark].pose.position;
        if (const auto by = arrivingOf(move, mark)) handles.push_back({Arriving, here, at + *by});
        if (const auto by = leavingOf(move, mark, marks.size())) handles.push_back({Leaving, here, at + *by});
    }
    handles.push_back({Body, -1, shown.position});
    if (const scene::Aim aim = aimAt(marks, time); aim.at == scene::Aim::At::Point)
        handles.push_back({Target, -1, aim.point});
    return handles;
}

CameraDrag beginDrag(const motion::CameraMove& move, std::size_t marks, const CameraHandle& handle,
                     const scene::Pose& shown) {
    CameraDrag drag{handle, shown, {}};
    const auto mark = static_cast<std::size_t>(std::max(0, handle.mark));
    if (handle.kind == CameraHandle::Kind::Arriving) drag.opposite = leavingOf(move, mark, marks);
    if (handle.kind == CameraHandle::Kind::Leaving) drag.opposite = arrivingOf(move, mark);
    return drag;
}

CameraChange dragged(const scene::Scene& before, const CameraDrag& drag, const V3d& place, bool alone) {
    using enum CameraHandle::Kind;
    const CameraHandle& handle = drag.handle;
    switch (handle.kind) {
    case Mark:
        return edit::Edit{{"edit", "mark"}, {"mark", handle.mark + 1}, {"position", scene::toJson(place)}};
    case Arriving:
    case Leaving: {
        const scene::Mark& mark = before.camera.marks[static_cast<std::size_t>(handle.mark)];
        const V3d by = place - mark.pose.position;
        const char* mine = handle.kind == Arriving ? "arriving" : "leaving";
        const char* other = handle.kind == Arriving ? "leaving" : "arriving";
        edit::Edit edit = {{"edit", "mark"}, {"mark", handle.mark + 1}, {mine, scene::toJson(by)}};
        if (!mark.corner && !alone && drag.opposite && by.length() > 1e-9)
            edit[other] = scene::toJson(by.normalized() * -drag.opposite->length());
        return edit;
    }
    case Body: {
        scene::Pose pose = drag.from;
        pose.position = place;
        return pose;
    }
    case Ahead: {
        // By as much as the handle turns about the camera.
        const scene::Pose was = motion::lookingAt(drag.from, handle.at),
                          is = motion::lookingAt(drag.from, place);
        return motion::stepped(drag.from, {.pan = handle.pans ? is.pan - was.pan : 0,
                                           .tilt = handle.tilts ? is.tilt - was.tilt : 0});
    }
    case Target: {
        const auto& marks = before.camera.marks;
        edit::Edit numbers = edit::Edit::array();
        for (std::size_t i = 0; i < marks.size(); ++i)
            if (marks[i].aim.at == scene::Aim::At::Point && marks[i].aim.point == handle.at)
                numbers.push_back(i + 1);
        if (numbers.empty()) return {};
        return edit::Edit{{"edit", "mark"}, {"marks", numbers}, {"aim", {{"point", scene::toJson(place)}}}};
    }
    case SideRay:
    case TopRay:
        return focalDragged(before, drag, place);
    }
    return {};
}

WayTime wayTime(const scene::Scene& scene) {
    const scene::Camera& camera = scene.camera;
    const bool byTracks =
        std::any_of(camera.tracks.begin(), camera.tracks.end(), [](const scene::Track& track) {
            return (!track.keys.empty() || track.link) &&
                   (track.property == "across" || track.property == "up" || track.property == "along");
        });
    if (byTracks) return {0, scene::lastTime(scene), true};
    return {camera.marks.front().time, camera.marks.back().time};
}

namespace {

V3d placeAt(const motion::CameraMove& move, const WayTime& way, double seconds) {
    return way.byTracks ? move.place(seconds) : move.posed(seconds).position;
}

}

std::vector<V3d> wayOf(const scene::Scene& scene, const motion::CameraMove& move) {
    std::vector<V3d> places;
    const WayTime way = wayTime(scene);
    if (!way.byTracks) {
        for (std::size_t i = 0; i + 1 < scene.camera.marks.size(); ++i)
            for (int k = 0; k <= 48; ++k)
                places.push_back(move.point(i, k / 48.0));
        return places;
    }
    constexpr std::int64_t most = 240;
    const std::int64_t steps = std::min(scene.output.frames - 1, most);
    for (std::int64_t i = 0; i <= steps && steps > 0; ++i)
        places.push_back(
            move.place(way.end.toDouble() * static_cast<double>(i) / static_cast<double>(steps)));
    return places;
}

std::int64_t frameNearest(const scene::Scene& scene, const motion::CameraMove& move,
                          const std::function<double(const V3d&)>& distance) {
    const Rational rate = scene.output.rate;
    const WayTime way = wayTime(scene);
    const std::int64_t first = frameAt(way.begin, rate),
                       last = std::min(scene.output.frames - 1, frameAt(way.end, rate));
    // Coarsely first, then closer and closer about the best.
    std::int64_t low = first, high = std::max(first, last), best = first;
    for (;;) {
        const std::int64_t step = std::max<std::int64_t>(1, (high - low) / 500);
        double least = 1e300;
        for (std::int64_t f = low; f <= high; f += step) {
            const double d = distance(placeAt(move, way, timeOfFrame(f, rate).toDouble()));
            if (d < least) least = d, best = f;
        }
        if (step == 1) return best;
        low = std::max(first, best - step);
        high = std::min(last, best + step);
    }
}

PathTicks pathTicks(const scene::Scene& scene, const motion::CameraMove& move) {
    const WayTime way = wayTime(scene);
    const double rate = scene.output.rate.toDouble(), begin = way.begin.toDouble(),
                 seconds = way.end.toDouble() - begin;
    PathTicks ticks;
    // Every frame of a short move; of a longer one every second one, quarter, half of a second, or more.
    double step = 1 / rate;
    for (const double each : {1 / rate, 2 / rate, 0.125, 0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 60.0, 600.0})
        if (step = each; seconds / step <= 150) break;
    for (double t = 0; t <= seconds + 1e-9 && ticks.places.size() < 2000; t += step) {
        ticks.places.push_back(placeAt(move, way, begin + t));
        ticks.wholeSeconds.push_back(std::abs(std::remainder(begin + t, 1.0)) < step * 0.49);
    }
    return ticks;
}

}
