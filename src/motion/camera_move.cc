#include "motion/camera_move.h"

#include "optics/view.h"

#include <algorithm>
#include <cmath>

namespace stage::motion {
namespace {

constexpr int arcSteps = 512;

double bezier(double a, double b, double t) {
    return 3 * a * t * (1 - t) * (1 - t) + 3 * b * t * t * (1 - t) + t * t * t;
}
double bezierSlope(double a, double b, double t) {
    return 3 * a * (1 - t) * (1 - t) + 6 * (b - a) * t * (1 - t) + 3 * (1 - b) * t * t;
}

/// The parameter at which the curve's x is reached; x is monotonous because x1, x2 are within 0..1.
double parameterAt(const scene::Pace& pace, double x) {
    double low = 0, high = 1, t = x;
    for (int i = 0; i < 60; ++i) {
        const double error = bezier(pace.x1, pace.x2, t) - x;
        if (std::abs(error) < 1e-12) break;
        (error > 0 ? high : low) = t;
        const double slope = bezierSlope(pace.x1, pace.x2, t);
        const double next = slope > 1e-9 ? t - error / slope : -1;
        t = next > low && next < high ? next : (low + high) / 2;
    }
    return t;
}

/// Barry and Goldman's pyramid.
V3d onCurve(const V3d (&p)[4], const double (&k)[4], double t) {
    const auto mix = [t](const V3d& a, const V3d& b, double ta, double tb) {
        return a * ((tb - t) / (tb - ta)) + b * ((t - ta) / (tb - ta));
    };
    const V3d a = mix(p[0], p[1], k[0], k[1]), b = mix(p[1], p[2], k[1], k[2]),
              c = mix(p[2], p[3], k[2], k[3]);
    return mix(mix(a, b, k[0], k[2]), mix(b, c, k[1], k[3]), k[1], k[2]);
}

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

}

double paceAt(const scene::Pace& pace, double x) {
    if (x <= 0) return 0;
    if (x >= 1) return 1;
    if (pace.x1 == pace.y1 && pace.x2 == pace.y2) return x;
    return bezier(pace.y1, pace.y2, parameterAt(pace, x));
}

double paceSlope(const scene::Pace& pace, double x) {
    // At an end whose handle lies on it the curve's own derivative is 0/0; a little inside it is not.
    const double t = std::clamp(parameterAt(pace, std::clamp(x, 0.0, 1.0)), 1e-5, 1 - 1e-5);
    const double dx = bezierSlope(pace.x1, pace.x2, t), dy = bezierSlope(pace.y1, pace.y2, t);
    return dx > 1e-9 ? dy / dx : 0;
}

CameraMove::CameraMove(const scene::Camera& camera) : m_marks(camera.marks) {
    const std::size_t count = m_marks.size();
    for (std::size_t i = 0; i + 1 < count; ++i) {
        Move move;
        const V3d start = m_marks[i].pose.position, end = m_marks[i + 1].pose.position;
        // Where there is no neighbour, or it stands at the same place, the path is continued by reflection.
        V3d before = i > 0 ? m_marks[i - 1].pose.position : start;
        V3d after = i + 2 < count ? m_marks[i + 2].pose.position : end;
        if ((before - start).length() < 1e-9) before = start * 2 - end;
        if ((after - end).length() < 1e-9) after = end * 2 - start;
        const V3d knots[4] = {before, start, end, after};
        std::copy(std::begin(knots), std::end(knots), move.knots);
        move.times[0] = 0;
        for (int k = 1; k < 4; ++k)
            move.times[k] = move.times[k - 1] + std::sqrt((knots[k] - knots[k - 1]).length());
        move.lengths.assign(1, 0.0);
        if ((end - start).length() > 1e-9) {
            V3d last = start;
            for (int step = 1; step <= arcSteps; ++step) {
                const double t = move.times[1] + (move.times[2] - move.times[1]) * step / arcSteps;
                const V3d next = onCurve(move.knots, move.times, t);
                move.lengths.push_back(move.lengths.back() + (next - last).length());
                last = next;
            }
        }
        const scene::Pose& from = m_marks[i].pose;
        const scene::Pose& to = m_marks[i + 1].pose;
        move.aims[1] = aimOf(from);
        move.aims[2] = closer(aimOf(to), move.aims[1]);
        // Reflected at the ends like the path, so that two marks alone turn at one speed.
        const Quatd from12 = move.aims[2] * move.aims[1].inverse();
        const auto same = [](const Quatd& a, const Quatd& b) { return std::abs(a ^ b) > 1 - 1e-14; };
        move.aims[0] = i > 0 ? closer(aimOf(m_marks[i - 1].pose), move.aims[1]) : move.aims[1];
        if (same(move.aims[0], move.aims[1]))
            move.aims[0] = closer(from12.inverse() * move.aims[1], move.aims[1]);
        move.aims[3] = i + 2 < count ? closer(aimOf(m_marks[i + 2].pose), move.aims[2]) : move.aims[2];
        if (same(move.aims[3], move.aims[2])) move.aims[3] = closer(from12 * move.aims[2], move.aims[2]);
        move.turns = std::abs(move.aims[1] ^ move.aims[2]) < 1 - 1e-14;
        m_moves.push_back(std::move(move));
    }
}

CameraMove::Moment CameraMove::momentAt(double seconds) const {
    if (m_moves.empty() || seconds <= m_marks.front().time.toDouble()) return {0, 0, true};
    if (seconds >= m_marks.back().time.toDouble()) return {m_moves.size() - 1, 1, true};
    const auto next =
        std::upper_bound(m_marks.begin(), m_marks.end(), seconds,
                         [](double t, const scene::Mark& mark) { return t < mark.time.toDouble(); });
    const auto move = static_cast<std::size_t>(next - m_marks.begin()) - 1;
    const double start = m_marks[move].time.toDouble(), end = m_marks[move + 1].time.toDouble();
    return {move, (seconds - start) / (end - start), false};
}

V3d CameraMove::point(std::size_t index, double fraction) const {
    const Move& move = m_moves[index];
    const auto& lengths = move.lengths;
    if (lengths.size() < 2) return move.knots[1];
    const double wanted = lengths.back() * fraction;
    // A pace that overshoots runs straight on beyond its marks.
    if (fraction < 0 || fraction > 1) {
        const V3d end = fraction < 0 ? move.knots[1] : move.knots[2];
        const double inside = fraction < 0 ? 1e-3 : 1 - 1e-3;
        const V3d outward = (end - point(index, inside)).normalized();
        return end + outward * (fraction < 0 ? -wanted : wanted - lengths.back());
    }
    const auto above = std::lower_bound(lengths.begin() + 1, lengths.end() - 1, wanted);
    const double low = *(above - 1), high = *above;
    const double step =
        static_cast<double>(above - lengths.begin()) - 1 + (high > low ? (wanted - low) / (high - low) : 0);
    return onCurve(move.knots, move.times, move.times[1] + (move.times[2] - move.times[1]) * step / arcSteps);
}

V3d CameraMove::direction(const Move& move, double fraction) const {
    Quatd aim = move.aims[1];
    if (move.turns) {
        // Inside the marks a smooth spline; beyond them, where a pace overshoots, the plain great circle.
        aim = fraction >= 0 && fraction <= 1
                  ? Imath::spline(move.aims[0], move.aims[1], move.aims[2], move.aims[3], fraction)
                  : Imath::slerp(move.aims[1], move.aims[2], fraction);
    }
    return aim.rotateVector(V3d(0, 0, -1)).normalized();
}

scene::Pose CameraMove::at(double seconds) const {
    const Moment moment = momentAt(seconds);
    if (moment.standing) return (moment.fraction == 0 ? m_marks.front() : m_marks.back()).pose;
    const scene::Pose& from = m_marks[moment.move].pose;
    const scene::Pose& to = m_marks[moment.move + 1].pose;
    if (moment.fraction == 0) return from;
    const double f = paceAt(m_marks[moment.move].pace, moment.fraction);
    scene::Pose pose;
    pose.position = point(moment.move, f);
    const V3d d = direction(m_moves[moment.move], f);
    pose.tilt = degrees(std::asin(std::clamp(d.y, -1.0, 1.0)));
    pose.pan = degrees(std::atan2(d.x, -d.z));
    pose.pan += 360 * std::round((from.pan - pose.pan) / 360); // stay near the mark's own count of turns
    pose.roll = from.roll + (to.roll - from.roll) * f;
    pose.focal = std::max(0.1, from.focal + (to.focal - from.focal) * f);
    pose.focus = std::max(1e-3, from.focus + (to.focus - from.focus) * f);
    pose.fstop = std::max(0.1, from.fstop + (to.fstop - from.fstop) * f);
    return pose;
}

double CameraMove::speed(double seconds) const {
    const Moment moment = momentAt(seconds);
    if (moment.standing) return 0;
    const double duration = (m_marks[moment.move + 1].time - m_marks[moment.move].time).toDouble();
    return m_moves[moment.move].lengths.back() *
           std::abs(paceSlope(m_marks[moment.move].pace, moment.fraction)) / duration;
}

double CameraMove::turning(double seconds) const {
    const Moment moment = momentAt(seconds);
    if (moment.standing || !m_moves[moment.move].turns) return 0;
    const double duration = (m_marks[moment.move + 1].time - m_marks[moment.move].time).toDouble();
    constexpr double h = 1e-4;
    const Move& move = m_moves[moment.move];
    const scene::Pace& pace = m_marks[moment.move].pace;
    const double a = std::max(0.0, moment.fraction - h), b = std::min(1.0, moment.fraction + h);
    const V3d u = direction(move, paceAt(pace, a)), v = direction(move, paceAt(pace, b));
    return degrees(std::atan2(u.cross(v).length(), u.dot(v))) / ((b - a) * duration);
}

}
