#include "motion/ready_moves.h"

#include "motion/camera_move.h"
#include "motion/resolved_scene.h"
#include "optics/placing.h"
#include "optics/view.h"

#include <algorithm>
#include <cmath>

namespace stage::motion {
namespace {

/// Round an upright axis through a point, anticlockwise seen from above.
V3d round(const V3d& v, double angle) {
    return {v.x * std::cos(angle) + v.z * std::sin(angle), v.y,
            v.z * std::cos(angle) - v.x * std::sin(angle)};
}

/// What a move starts from.
struct Start {
    scene::Mark first;
    optics::View view;
    double depth = 0; ///< of the subject, along the axis
    V3d subject{0};   ///< on the axis, so that nothing jumps as the move begins
};

void aim(scene::Mark& mark, const V3d& subject) {
    mark.aim = {scene::Aim::At::Point, subject, 0};
}

Result<Start> startOf(const scene::Scene& scene, const ReadyMove& move, const ResolvedScene& resolved) {
    Start start;
    start.first.time = move.start;
    start.first.pose = resolved.pose;
    start.first.pace = move.pace;
    start.view = optics::viewOf(resolved.pose, scene.camera, scene.output.frame);
    start.depth = resolved.pose.focus;
    if (move.subject != 0) {
        const scene::LayerPath& found = resolved.find(move.subject);
        if (!found.layer) return fail("The subject of the move is not there.");
        start.depth = optics::depthOf(start.view, optics::pivotOf(found));
        if (!(start.depth > 1e-3)) return fail("'" + found.layer->name + "' is not in front of the camera.");
    }
    start.subject = start.view.eye + start.view.forward * start.depth;
    return start;
}

/// Of an arc or an orbit: marks on a circle around the subject.
Result<std::vector<scene::Mark>> arcMarks(const Start& start, const ReadyMove& move) {
    const bool loop = move.kind == Ready::OrbitLoop;
    const double whole = radians(loop               ? (move.amount < 0 ? -360.0 : 360.0)
                                 : move.amount != 0 ? move.amount
                                                    : 40.0);
    const V3d subject = start.subject, eye = start.view.eye;
    const V3d arm(eye.x - subject.x, 0, eye.z - subject.z);
    if (!(arm.length() > 1e-3)) return fail("The subject is straight above or below the camera.");
    // Bezier curves over at most 45 degrees are off the circle by less than a hundred-thousandth.
    const int count = std::max(1, static_cast<int>(std::ceil(std::abs(whole) / radians(45.0) - 1e-9)));
    const double each = whole / count, handle = 4.0 / 3 * std::tan(each / 4);
    std::vector<double> times;
    for (int i = 0; i <= count; ++i)
        times.push_back(paceTime(move.pace, i / static_cast<double>(count)));
    std::vector<scene::Mark> marks;
    for (int i = 0; i <= count; ++i) {
        scene::Mark mark = start.first;
        const V3d out = round(arm, each * i), along(out.z, 0, -out.x); // anticlockwise
        mark.pose.position = V3d(subject.x, eye.y, subject.z) + out;
        mark.pose.pan = start.first.pose.pan - degrees(each * i);
        const double share = times[static_cast<std::size_t>(i)];
        mark.time = i == 0       ? move.start
                    : i == count ? move.start + move.duration
                                 : move.start + Rational::nearest(share * move.duration.toDouble());
        if (i > 0) mark.arriving = along * -handle;
        if (i < count) mark.leaving = along * handle;
        mark.pace =
            i < count ? partOf(move.pace, share, times[static_cast<std::size_t>(i) + 1]) : scene::Pace{};
        aim(mark, subject);
        marks.push_back(std::move(mark));
    }
    if (loop) marks.back().pose.position = start.first.pose.position;
    return marks;
}

/// Depth of the last visible layer; 0: none is in front.
double farthestDepth(const ResolvedScene& resolved, const optics::View& view) {
    double farthest = 0;
    for (const scene::LayerPath& found : resolved.all)
        if (!found.layer->group() && found.layer->visible)
            farthest = std::max(farthest, optics::depthOf(view, optics::pivotOf(found)));
    return farthest;
}

}

Result<std::vector<scene::Mark>> marksOf(const scene::Scene& scene, const ReadyMove& move) {
    const ResolvedScene resolved(scene, move.start, CameraMove(scene).at(move.start.toDouble()));
    const auto begun = startOf(scene, move, resolved);
    if (!begun) return tl::unexpected(begun.error());
    const optics::View& view = begun->view;
    scene::Mark first = begun->first, last = first;
    last.time = move.start + move.duration;
    last.pace = scene::Pace{};
    const double depth = begun->depth;
    // How far it goes, m: as asked for, else in proportion to the depth.
    const auto way = [&](double share) { return move.amount != 0 ? move.amount : depth * share; };
    V3d& place = last.pose.position;
    switch (move.kind) {
    case Ready::PushIn:
        place += view.forward * way(0.25);
        break;
    case Ready::PullBack:
        place -= view.forward * way(0.25);
        break;
    case Ready::Truck:
        place += view.right * way(0.15);
        break;
    case Ready::Rise:
        place.y += way(0.15);
        aim(first, begun->subject), aim(last, begun->subject);
        break;
    case Ready::Drift:
        place += (view.right * 0.8 + view.forward * 0.6) * way(0.06);
        break;
    case Ready::FlyThrough: {
        // Past all that stands clear of the last, and to a tenth before that.
        const double farthest = farthestDepth(resolved, view);
        if (move.amount == 0 && !(farthest > 1e-3))
            return fail("There is nothing in front of the camera to fly through.");
        place += view.forward * (move.amount != 0 ? move.amount : farthest * 0.9);
        break;
    }
    case Ready::DollyZoom:
        if (!(depth - way(0.4) > depth * 1e-3)) return fail("The camera would go through the subject.");
        place += view.forward * way(0.4);
        // As wide in the frame as before: in proportion to its depth, all along, since both run evenly.
        last.pose.focal = first.pose.focal * (depth - way(0.4)) / depth;
        if (last.pose.focal < 0.1 || last.pose.focal > 10'000) return fail("No lens is that long or short.");
        last.pose.focus = std::max(1e-3, first.pose.focus - way(0.4));
        break;
    case Ready::Arc:
    case Ready::OrbitLoop:
        return arcMarks(*begun, move);
    }
    // Straight, whatever comes before and after it.
    const V3d gone = last.pose.position - first.pose.position;
    if (gone.length() > 0) first.leaving = gone / 3, last.arriving = gone / -3;
    return std::vector{first, last};
}

}
