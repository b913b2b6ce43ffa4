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

}

Result<std::vector<scene::Mark>> marksOf(const scene::Scene& scene, const ReadyMove& move) {
    const CameraMove before(scene);
    scene::Mark first;
    first.time = move.start;
    first.pose = before.at(move.start.toDouble());
    first.pace = move.pace;
    scene::Mark last = first;
    last.time = move.start + move.duration;
    last.pace = scene::Pace{};
    const optics::View view = optics::viewOf(first.pose, scene.camera.gate, scene.output.frame);
    const ResolvedScene resolved(scene, move.start, first.pose);

    double depth = first.pose.focus;
    if (move.subject != 0) {
        const scene::LayerPath& found = resolved.find(move.subject);
        if (!found.layer) return fail("The subject of the move is not there.");
        depth = optics::depthOf(view, optics::pivotOf(found));
        if (!(depth > 1e-3)) return fail("'" + found.layer->name + "' is not in front of the camera.");
    }
    const V3d subject = view.eye + view.forward * depth; // on the axis, so that nothing jumps as it begins
    const auto aimed = [&](scene::Mark& mark) { mark.aim = {scene::Aim::At::Point, subject, 0}; };
    const double amount = move.amount;
    V3d& place = last.pose.position;

    switch (move.kind) {
    case Ready::PushIn:
        place += view.forward * (amount != 0 ? amount : depth * 0.25);
        break;
    case Ready::PullBack:
        place -= view.forward * (amount != 0 ? amount : depth * 0.25);
        break;
    case Ready::Truck:
        place += view.right * (amount != 0 ? amount : depth * 0.15);
        break;
    case Ready::Rise:
        place.y += amount != 0 ? amount : depth * 0.15;
        aimed(first), aimed(last);
        break;
    case Ready::Drift: {
        const double way = amount != 0 ? amount : depth * 0.06;
        place += (view.right * 0.8 + view.forward * 0.6) * way;
        break;
    }
    case Ready::FlyThrough: {
        // Past all that stands clear of the last, and to a tenth before that.
        double farthest = 0;
        for (const scene::LayerPath& found : resolved.all)
            if (!found.layer->group() && found.layer->visible)
                farthest = std::max(farthest, optics::depthOf(view, optics::pivotOf(found)));
        if (amount == 0 && !(farthest > 1e-3))
            return fail("There is nothing in front of the camera to fly through.");
        place += view.forward * (amount != 0 ? amount : farthest * 0.9);
        break;
    }
    case Ready::DollyZoom: {
        const double way = amount != 0 ? amount : depth * 0.4;
        if (!(depth - way > depth * 1e-3)) return fail("The camera would go through the subject.");
        place += view.forward * way;
        // As wide in the frame as before: in proportion to its depth, all along, since both run evenly.
        last.pose.focal = first.pose.focal * (depth - way) / depth;
        if (last.pose.focal < 0.1 || last.pose.focal > 10'000) return fail("No lens is that long or short.");
        last.pose.focus = std::max(1e-3, first.pose.focus - way);
        break;
    }
    case Ready::Arc:
    case Ready::OrbitLoop: {
        const bool loop = move.kind == Ready::OrbitLoop;
        const double whole = radians(loop ? (amount < 0 ? -360.0 : 360.0) : amount != 0 ? amount : 40.0);
        const V3d arm(view.eye.x - subject.x, 0, view.eye.z - subject.z);
        if (!(arm.length() > 1e-3)) return fail("The subject is straight above or below the camera.");
        // Bezier curves over at most 45 degrees are off the circle by less than a hundred-thousandth.
        const int count = std::max(1, static_cast<int>(std::ceil(std::abs(whole) / radians(45.0) - 1e-9)));
        const double each = whole / count, handle = 4.0 / 3 * std::tan(each / 4);
        std::vector<scene::Mark> marks;
        std::vector<double> times;
        for (int i = 0; i <= count; ++i)
            times.push_back(paceTime(move.pace, i / static_cast<double>(count)));
        for (int i = 0; i <= count; ++i) {
            scene::Mark mark = first;
            const V3d out = round(arm, each * i), along(out.z, 0, -out.x); // anticlockwise
            mark.pose.position = V3d(subject.x, view.eye.y, subject.z) + out;
            mark.pose.pan = first.pose.pan - degrees(each * i);
            const double share = times[static_cast<std::size_t>(i)];
            mark.time = i == 0       ? first.time
                        : i == count ? last.time
                                     : move.start + Rational::nearest(share * move.duration.toDouble());
            if (i > 0) mark.arriving = along * -handle;
            if (i < count) {
                mark.leaving = along * handle;
                mark.pace = partOf(move.pace, share, times[static_cast<std::size_t>(i) + 1]);
            } else {
                mark.pace = scene::Pace{};
            }
            aimed(mark);
            marks.push_back(std::move(mark));
        }
        if (loop) marks.back().pose.position = first.pose.position;
        return marks;
    }
    }
    // Straight, whatever comes before and after it.
    const V3d way = last.pose.position - first.pose.position;
    if (way.length() > 0) first.leaving = way / 3, last.arriving = way / -3;
    return std::vector{first, last};
}

}
