#include "motion/path.h"

#include <algorithm>
#include <cmath>

namespace stage::motion {
namespace {

constexpr int pieces = 64;

/// Gauss and Legendre's rule of five points on -1..1.
constexpr double gaussAt[5] = {0, -0.5384693101056831, 0.5384693101056831, -0.9061798459386640,
                               0.9061798459386640};
constexpr double gaussBy[5] = {0.5688888888888889, 0.4786286704993665, 0.4786286704993665, 0.2369268850561891,
                               0.2369268850561891};

constexpr double samePlace = 1e-9;

}

Path::Path(const V3d& from, const V3d& leaving, const V3d& arriving, const V3d& to)
    : m_points{from, leaving, arriving, to} {
    double extent = 0;
    for (const V3d& point : m_points)
        extent = std::max(extent, (point - from).length());
    if (!(extent > samePlace)) return;
    m_lengths.push_back(0);
    for (int i = 0; i < pieces; ++i)
        m_lengths.push_back(m_lengths.back() +
                            lengthTo(i / static_cast<double>(pieces), (i + 1) / static_cast<double>(pieces)));
}

V3d Path::place(double t) const {
    const double s = 1 - t;
    return m_points[0] * (s * s * s) + m_points[1] * (3 * s * s * t) + m_points[2] * (3 * s * t * t) +
           m_points[3] * (t * t * t);
}

V3d Path::change(double t) const {
    const double s = 1 - t;
    return ((m_points[1] - m_points[0]) * (s * s) + (m_points[2] - m_points[1]) * (2 * s * t) +
            (m_points[3] - m_points[2]) * (t * t)) *
           3;
}

double Path::lengthTo(double from, double to) const {
    const double half = (to - from) / 2, middle = (from + to) / 2;
    double sum = 0;
    for (int i = 0; i < 5; ++i)
        sum += gaussBy[i] * change(middle + half * gaussAt[i]).length();
    return sum * half;
}

double Path::parameterAt(double length) const {
    const auto above = std::upper_bound(m_lengths.begin() + 1, m_lengths.end() - 1, length);
    const auto piece = static_cast<int>(above - m_lengths.begin()) - 1;
    const double start = piece / static_cast<double>(pieces), end = (piece + 1) / static_cast<double>(pieces);
    const double before = *(above - 1), here = *above - before;
    double low = start, high = end, t = here > 0 ? start + (end - start) * (length - before) / here : start;
    for (int i = 0; i < 40; ++i) {
        const double error = before + lengthTo(start, t) - length;
        if (std::abs(error) < 1e-12 * (1 + m_lengths.back())) break;
        (error > 0 ? high : low) = t;
        const double speed = change(t).length();
        const double next = speed > 1e-12 ? t - error / speed : -1;
        t = next > low && next < high ? next : (low + high) / 2;
    }
    return t;
}

V3d Path::at(double share) const {
    if (m_lengths.empty()) return m_points[0];
    if (share < 0 || share > 1) {
        const auto along = direction(share);
        const double beyond = (share < 0 ? share : share - 1) * length();
        return (share < 0 ? m_points[0] : m_points[3]) + (along ? *along * beyond : V3d(0));
    }
    return place(parameterAt(share * length()));
}

std::pair<Path, Path> Path::split(double share) const {
    if (m_lengths.empty()) return {*this, *this};
    const double t = parameterAt(std::clamp(share, 0.0, 1.0) * length());
    const auto lerp = [t](const V3d& a, const V3d& b) { return a + (b - a) * t; };
    const V3d a = lerp(m_points[0], m_points[1]), b = lerp(m_points[1], m_points[2]),
              c = lerp(m_points[2], m_points[3]);
    const V3d d = lerp(a, b), e = lerp(b, c), middle = lerp(d, e);
    return {Path(m_points[0], a, d, middle), Path(middle, e, c, m_points[3])};
}

std::optional<V3d> Path::direction(double share) const {
    if (m_lengths.empty()) return {};
    double t = parameterAt(std::clamp(share, 0.0, 1.0) * length());
    // Where a handle lies on its own end the curve stands still for an instant.
    for (const double inside : {0.0, 1e-4, 1e-2}) {
        const V3d along = change(std::clamp(t, inside, 1 - inside));
        if (along.length() > 1e-9 * length()) return along.normalized();
    }
    return {};
}

std::vector<Path> pathsThrough(const std::vector<PathPoint>& points) {
    std::vector<Path> paths;
    for (std::size_t i = 0; i + 1 < points.size(); ++i) {
        const PathPoint &from = points[i], &to = points[i + 1];
        const V3d way = to.at - from.at;
        V3d leaving = from.at, arriving = to.at;
        if (way.length() > samePlace) {
            const auto beyond = [&](bool exists, std::size_t other, const PathPoint& end,
                                    const V3d& reflected) {
                const bool smooth = exists && !end.corner && (points[other].at - end.at).length() > samePlace;
                return smooth ? points[other].at : reflected;
            };
            const V3d knots[4] = {beyond(i > 0, i - 1, from, from.at - way), from.at, to.at,
                                  beyond(i + 2 < points.size(), i + 2, to, to.at + way)};
            double times[4] = {0, 0, 0, 0};
            for (int k = 1; k < 4; ++k)
                times[k] = times[k - 1] + std::sqrt((knots[k] - knots[k - 1]).length());
            // What Barry and Goldman's pyramid changes by at a knot.
            const auto change = [&](int a, int b, int c) {
                const auto mean = [&](int p, int q) { return (knots[q] - knots[p]) / (times[q] - times[p]); };
                return mean(a, b) - mean(a, c) + mean(b, c);
            };
            const double third = (times[2] - times[1]) / 3;
            leaving = from.corner ? from.at + way / 3 : from.at + change(0, 1, 2) * third;
            arriving = to.corner ? to.at - way / 3 : to.at - change(1, 2, 3) * third;
        }
        if (from.leaving) leaving = from.at + *from.leaving;
        if (to.arriving) arriving = to.at + *to.arriving;
        paths.emplace_back(from.at, leaving, arriving, to.at);
    }
    return paths;
}

}
