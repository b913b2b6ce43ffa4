#include "motion/camera_move.h"

#include "motion/resolved_scene.h"
#include "optics/placing.h"
#include "optics/view.h"

#include <algorithm>
#include <cmath>

namespace stage::motion {
namespace {

/// The turn that takes the untilted, unpanned axis onto the pose's; pan first about Y, then tilt.
Quatd aimOf(const scene::Pose& pose) {
    const Quatd pan = Quatd().setAxisAngle(V3d(0, 1, 0), -radians(pose.pan));
    const Quatd tilt = Quatd().setAxisAngle(V3d(1, 0, 0), radians(pose.tilt));
    return pan * tilt;
}

/// Turns q into the half of the sphere where near is, so that interpolation takes the shorter way.
Quatd closer(Quatd q, const Quatd& near) {
    return (q ^ near) < 0 ? -q : q;
}

V3d lerp(const V3d& a, const V3d& b, double share) {
    return a + (b - a) * share;
}

/// Along the great circle from one unit vector to another.
V3d turned(const V3d& a, const V3d& b, double share) {
    const double angle = std::atan2(a.cross(b).length(), a.dot(b));
    if (angle < 1e-9) return b;
    V3d across = b - a * a.dot(b);
    if (!(across.length() > 1e-9)) across = a.cross(std::abs(a.y) < 0.9 ? V3d(0, 1, 0) : V3d(1, 0, 0));
    return a * std::cos(angle * share) + across.normalized() * std::sin(angle * share);
}

}

CameraMove::CameraMove(const scene::Scene& scene) : m_scene(scene) {
    const std::vector<scene::Mark>& marks = m_scene.camera.marks;
    std::vector<PathPoint> points;
    for (const scene::Mark& mark : marks) {
        points.push_back({mark.pose.position, mark.corner, mark.arriving, mark.leaving});
        m_aims = m_aims || mark.aim.at != scene::Aim::At::Pose;
        m_focuses = m_focuses || mark.focusOn != 0;
    }
    const std::vector<Path> paths = pathsThrough(points);
    for (std::size_t i = 0; i < paths.size(); ++i) {
        Move move;
        move.path = paths[i];
        move.run = noRun;
        m_moves.push_back(std::move(move));
    }
    turn();
    for (const scene::Mark& mark : marks)
        for (const std::int64_t id :
             {mark.focusOn, mark.aim.at == scene::Aim::At::Layer ? mark.aim.layer : 0})
            if (id != 0 && !m_targets.contains(id))
                if (scene::LayerPath found = scene::find(m_scene, id); found.layer) {
                    const auto still = [](const scene::LayerPtr& each) {
                        return each->tracks.empty() && each->places.empty();
                    };
                    Target target{std::move(found), {}};
                    const auto& carriers = target.found.carriers;
                    if (still(target.found.layer) &&
                        std::all_of(carriers.begin(), carriers.end(), [&](const auto& each) {
                            return still(each) && each->hanging.facing == scene::Facing::Fixed;
                        }))
                        target.fixed = optics::pivotOf(target.found);
                    m_targets.emplace(id, std::move(target));
                }
    if (!m_scene.camera.pace) return;
    for (std::size_t i = 0; i < m_moves.size(); ++i) {
        if (!(m_moves[i].path.length() > 0)) continue;
        if (i == 0 || m_moves[i - 1].run == noRun)
            m_runs.push_back({i, i, {0.0}, marks[i].time.toDouble(), 0});
        Run& run = m_runs.back();
        run.last = i + 1;
        run.ways.push_back(run.ways.back() + m_moves[i].path.length());
        run.end = marks[i + 1].time.toDouble();
        m_moves[i].run = m_runs.size() - 1;
    }
}

/// Directions as a Bezier curve of turns between marks, by de Casteljau's construction (Shoemake 1985),
/// through which the camera turns on smoothly at a mark, however unlike the ways before and after it are: its
/// rate there is the mean of both moves', each weighed by the other's way. With no neighbour that turns, it
/// is the great circle's.
void CameraMove::turn() {
    const std::vector<scene::Mark>& marks = m_scene.camera.marks;
    struct Turn {
        Quatd from, to;
        V3d vector; ///< axis times radians, in the world
        double way; ///< metres, or seconds where the camera stands
        bool is;
    };
    std::vector<Turn> turns;
    for (std::size_t i = 0; i < m_moves.size(); ++i) {
        const Quatd from = aimOf(marks[i].pose), to = closer(aimOf(marks[i + 1].pose), from);
        const Quatd by = to * from.inverse();
        const double sine = by.v.length();
        const V3d vector = sine > 1e-14 ? by.v * (2 * std::atan2(sine, by.r) / sine) : V3d(0);
        const double metres = m_moves[i].path.length();
        turns.push_back({from, to, vector,
                         metres > 0 ? metres : (marks[i + 1].time - marks[i].time).toDouble(),
                         std::abs(from ^ to) < 1 - 1e-14});
    }
    const auto rate = [&](std::size_t mark) -> V3d { // at a mark, for the move that ends or begins there
        const Turn *before = mark > 0 ? &turns[mark - 1] : nullptr,
                   *after = mark < turns.size() ? &turns[mark] : nullptr;
        if (before && !before->is) before = nullptr;
        if (after && !after->is) after = nullptr;
        if (!before || !after) {
            const Turn* only = before ? before : after;
            return only ? only->vector / only->way : V3d(0);
        }
        return (before->vector * (after->way / before->way) + after->vector * (before->way / after->way)) /
               (before->way + after->way);
    };
    const auto turned = [](const V3d& by, const Quatd& q) {
        const double angle = by.length();
        return angle > 0 ? Quatd().setAxisAngle(by / angle, angle) * q : q;
    };
    for (std::size_t i = 0; i < m_moves.size(); ++i) {
        const Turn& t = turns[i];
        m_moves[i].turns = t.is;
        m_moves[i].aims = {t.from, turned(rate(i) * (t.way / 3), t.from),
                           turned(rate(i + 1) * (-t.way / 3), t.to), t.to};
    }
}

CameraMove::Moment CameraMove::momentAt(double seconds) const {
    const std::vector<scene::Mark>& marks = m_scene.camera.marks;
    if (m_moves.empty() || seconds <= marks.front().time.toDouble()) return {0, 0, true};
    if (seconds >= marks.back().time.toDouble()) return {m_moves.size() - 1, 1, true};
    for (const Run& run : m_runs) {
        if (seconds < run.begin || seconds >= run.end) continue;
        const double done = paceAt(*m_scene.camera.pace, (seconds - run.begin) / (run.end - run.begin));
        const double way = done * run.ways.back();
        const auto next = std::upper_bound(run.ways.begin() + 1, run.ways.end() - 1, way);
        const auto at = static_cast<std::size_t>(next - run.ways.begin()) - 1;
        return {run.first + at, (way - run.ways[at]) / (run.ways[at + 1] - run.ways[at]), false};
    }
    const auto next =
        std::upper_bound(marks.begin(), marks.end(), seconds,
                         [](double t, const scene::Mark& mark) { return t < mark.time.toDouble(); });
    const auto move = static_cast<std::size_t>(next - marks.begin()) - 1;
    const double start = marks[move].time.toDouble(), end = marks[move + 1].time.toDouble();
    return {move, paceAt(marks[move].pace, (seconds - start) / (end - start)), false};
}

std::optional<CameraMove::Place> CameraMove::placeIn(double seconds) const {
    const Moment moment = momentAt(seconds);
    if (moment.standing) return {};
    return Place{moment.move, moment.done};
}

double CameraMove::arrival(std::size_t mark) const {
    for (const Run& run : m_runs)
        if (mark > run.first && mark < run.last)
            return run.begin + (run.end - run.begin) * paceTime(*m_scene.camera.pace,
                                                                run.ways[mark - run.first] / run.ways.back());
    return m_scene.camera.marks[mark].time.toDouble();
}

V3d CameraMove::ownDirection(const Moment& moment) const {
    const Move& move = m_moves[moment.move];
    Quatd aim = move.aims[0];
    if (move.turns) {
        const double done = moment.done;
        const auto slerp = [&](const Quatd& a, const Quatd& b) {
            return Imath::slerpShortestArc(a, b, done);
        };
        if (done >= 0 && done <= 1) {
            const Quatd a = slerp(move.aims[0], move.aims[1]), b = slerp(move.aims[1], move.aims[2]),
                        c = slerp(move.aims[2], move.aims[3]);
            aim = slerp(slerp(a, b), slerp(b, c));
        } else { // beyond them, where a pace overshoots, the plain great circle
            aim = slerp(move.aims[0], move.aims[3]);
        }
    }
    return aim.rotateVector(V3d(0, 0, -1)).normalized();
}

scene::Pose CameraMove::posed(double seconds) const {
    const std::vector<scene::Mark>& marks = m_scene.camera.marks;
    const Moment moment = momentAt(seconds);
    if (moment.standing) return (moment.done == 0 ? marks.front() : marks.back()).pose;
    const scene::Pose &from = marks[moment.move].pose, &to = marks[moment.move + 1].pose;
    if (moment.done == 0) return from;
    const double f = moment.done;
    scene::Pose pose;
    pose.position = m_moves[moment.move].path.at(f);
    const V3d d = ownDirection(moment);
    pose.tilt = degrees(std::asin(std::clamp(d.y, -1.0, 1.0)));
    pose.pan = degrees(std::atan2(d.x, -d.z));
    pose.pan += 360 * std::round((from.pan - pose.pan) / 360); // stay near the mark's own count of turns
    pose.roll = from.roll + (to.roll - from.roll) * f;
    pose.focal = std::max(0.1, from.focal + (to.focal - from.focal) * f);
    pose.focus = std::max(1e-3, 1 / std::max(1e-9, 1 / from.focus + (1 / to.focus - 1 / from.focus) * f));
    pose.fstop = std::max(0.1, from.fstop + (to.fstop - from.fstop) * f);
    return pose;
}

std::optional<V3d> CameraMove::pivot(std::int64_t layer, double seconds, const V3d& eye) const {
    const auto target = m_targets.find(layer);
    if (target == m_targets.end()) return {};
    const scene::LayerPath& found = target->second.found;
    if (target->second.fixed) return target->second.fixed;
    const Values values(m_scene, [this](double t) { return posed(t); });
    return pivotAt(m_scene, values, found, Rational::nearest(seconds), eye);
}

std::optional<V3d> CameraMove::targetOf(const scene::Aim& aim, double seconds, const V3d& eye) const {
    switch (aim.at) {
    case scene::Aim::At::Point:
        return aim.point;
    case scene::Aim::At::Layer:
        return pivot(aim.layer, seconds, eye);
    case scene::Aim::At::Pose:
    case scene::Aim::At::Path:
        break;
    }
    return {};
}

std::optional<V3d> CameraMove::direction(const Moment& moment, double seconds, const V3d& eye) const {
    const std::vector<scene::Mark>& marks = m_scene.camera.marks;
    const auto towards = [&](const V3d& target) -> std::optional<V3d> {
        const V3d to = target - eye;
        if (!(to.length() > 1e-9)) return {};
        return to.normalized();
    };
    // The way in which one mark alone would have it look here; nothing: as its pose says.
    const auto aimed = [&](const scene::Mark& mark) -> std::optional<V3d> {
        if (mark.aim.at == scene::Aim::At::Path)
            return m_moves.empty() ? std::nullopt : m_moves[moment.move].path.direction(moment.done);
        const auto target = targetOf(mark.aim, seconds, eye);
        return target ? towards(*target) : std::nullopt;
    };
    if (moment.standing || m_moves.empty()) return aimed(moment.done == 0 ? marks.front() : marks.back());
    const scene::Mark &from = marks[moment.move], &to = marks[moment.move + 1];
    if (from.aim == to.aim) return aimed(from);
    const auto first = targetOf(from.aim, seconds, eye), last = targetOf(to.aim, seconds, eye);
    if (first && last) return towards(lerp(*first, *last, moment.done));
    const auto a = aimed(from), b = aimed(to);
    if (!a && !b) return {};
    const V3d own = ownDirection(moment);
    return turned(a.value_or(own), b.value_or(own), std::clamp(moment.done, 0.0, 1.0));
}

double CameraMove::focus(const Moment& moment, double seconds, const scene::Pose& pose) const {
    const std::vector<scene::Mark>& marks = m_scene.camera.marks;
    const V3d axis = optics::forwardOf(pose.pan, pose.tilt);
    const auto focused = [&](const scene::Mark& mark) {
        if (mark.focusOn == 0) return mark.pose.focus;
        const auto at = pivot(mark.focusOn, seconds, pose.position);
        const double depth = at ? (*at - pose.position).dot(axis) : 0;
        return depth > 1e-3 ? depth : mark.pose.focus;
    };
    if (moment.standing || m_moves.empty()) return focused(moment.done == 0 ? marks.front() : marks.back());
    const scene::Mark &from = marks[moment.move], &to = marks[moment.move + 1];
    if (from.focusOn == 0 && to.focusOn == 0) return pose.focus;
    const double a = 1 / focused(from), b = 1 / focused(to);
    return std::clamp(1 / std::max(1e-9, a + (b - a) * moment.done), 1e-3, scene::Limits::metres);
}

scene::Pose CameraMove::tracked(const scene::Pose& pose, double seconds) const {
    if (m_scene.camera.tracks.empty()) return pose;
    return Values(m_scene, [this](double t) { return posed(t); }).tracked(pose, seconds);
}

V3d CameraMove::place(double seconds) const {
    return tracked(posed(seconds), seconds).position;
}

scene::Pose CameraMove::at(double seconds) const {
    scene::Pose pose = posed(seconds);
    if (!m_aims && !m_focuses) return tracked(pose, seconds);
    // It aims from where its tracks have it; what they say of the rest comes on top of its aims.
    const V3d position = tracked(pose, seconds).position;
    pose.position = position;
    const Moment moment = momentAt(seconds);
    if (const auto d = m_aims ? direction(moment, seconds, pose.position) : std::nullopt) {
        const double before = pose.pan;
        pose.tilt = degrees(std::asin(std::clamp(d->y, -1.0, 1.0)));
        pose.pan = degrees(std::atan2(d->x, -d->z));
        pose.pan += 360 * std::round((before - pose.pan) / 360);
    }
    if (m_focuses) pose.focus = focus(moment, seconds, pose);
    pose = tracked(pose, seconds);
    pose.position = position; // its noise is in it already
    return pose;
}

double CameraMove::speed(double seconds) const {
    const std::vector<scene::Mark>& marks = m_scene.camera.marks;
    // At its ends the move is told from within.
    const double begin = marks.front().time.toDouble(), end = marks.back().time.toDouble();
    if (seconds >= begin && seconds <= end) {
        const double within = 1e-9 * (end - begin);
        seconds = std::clamp(seconds, begin + within, end - within);
    }
    const auto moved = [](const scene::Track& track) {
        return track.property == "across" || track.property == "up" || track.property == "along";
    };
    const auto& tracks = m_scene.camera.tracks;
    if (std::any_of(tracks.begin(), tracks.end(), moved)) {
        constexpr double h = 1e-3;
        return (place(seconds + h) - place(seconds - h)).length() / (2 * h);
    }
    const Moment moment = momentAt(seconds);
    if (moment.standing) return 0;
    const Move& move = m_moves[moment.move];
    if (move.run != noRun) {
        const Run& run = m_runs[move.run];
        const double duration = run.end - run.begin;
        return run.ways.back() * std::abs(paceSlope(*m_scene.camera.pace, (seconds - run.begin) / duration)) /
               duration;
    }
    const double start = marks[moment.move].time.toDouble(),
                 duration = marks[moment.move + 1].time.toDouble() - start;
    return move.path.length() * std::abs(paceSlope(marks[moment.move].pace, (seconds - start) / duration)) /
           duration;
}

double CameraMove::turning(double seconds) const {
    const std::vector<scene::Mark>& marks = m_scene.camera.marks;
    if (m_moves.empty()) return 0;
    // Within the move, so that what a pace does at a mark is told from its own side.
    constexpr double h = 1e-4;
    double low = seconds - h, high = seconds + h;
    for (const scene::Mark& mark : marks) {
        const double t = mark.time.toDouble();
        if (t > low && t <= seconds) low = t;
        if (t > seconds && t < high) high = t;
    }
    const auto axis = [&](double t) {
        const scene::Pose pose = at(t);
        return optics::forwardOf(pose.pan, pose.tilt);
    };
    const V3d u = axis(low), v = axis(high);
    return degrees(std::atan2(u.cross(v).length(), u.dot(v))) / (high - low);
}

}
