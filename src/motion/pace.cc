#include "motion/pace.h"

#include <algorithm>
#include <cmath>

namespace stage::motion {
namespace {

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

/// Speeds drawn at even steps, straight lines between: the way is a run of parabolas.
struct Drawn {
    const std::vector<double>& speeds;
    double steps, whole = 0;

    explicit Drawn(const std::vector<double>& drawn)
        : speeds(drawn), steps(static_cast<double>(drawn.size()) - 1) {
        for (std::size_t i = 0; i + 1 < speeds.size(); ++i)
            whole += (speeds[i] + speeds[i + 1]) / 2;
    }
    double speed(double x) const {
        const double at = std::clamp(x, 0.0, 1.0) * steps;
        const auto i = std::min(static_cast<std::size_t>(at), speeds.size() - 2);
        const double f = at - static_cast<double>(i);
        return speeds[i] + (speeds[i + 1] - speeds[i]) * f;
    }
    double way(double x) const {
        const double at = std::clamp(x, 0.0, 1.0) * steps;
        const auto last = std::min(static_cast<std::size_t>(at), speeds.size() - 2);
        double sum = 0;
        for (std::size_t i = 0; i < last; ++i)
            sum += (speeds[i] + speeds[i + 1]) / 2;
        const double f = at - static_cast<double>(last);
        return sum + speeds[last] * f + (speeds[last + 1] - speeds[last]) * f * f / 2;
    }
};

/// Fewer than two speeds, or none above 0, say nothing.
bool counts(const std::vector<double>& drawn) {
    return drawn.size() > 1 && std::any_of(drawn.begin(), drawn.end(), [](double v) { return v > 0; });
}

}

double paceAt(const scene::Pace& pace, double x) {
    if (x <= 0) return 0;
    if (x >= 1) return 1;
    if (counts(pace.drawn)) {
        const Drawn drawn(pace.drawn);
        return drawn.way(x) / drawn.whole;
    }
    if (pace.x1 == pace.y1 && pace.x2 == pace.y2) return x;
    return bezier(pace.y1, pace.y2, parameterAt(pace, x));
}

double paceSlope(const scene::Pace& pace, double x) {
    if (counts(pace.drawn)) {
        const Drawn drawn(pace.drawn);
        return drawn.speed(x) * drawn.steps / drawn.whole;
    }
    // At an end whose handle lies on it the curve's own derivative is 0/0; a little inside it is not.
    const double t = std::clamp(parameterAt(pace, std::clamp(x, 0.0, 1.0)), 1e-5, 1 - 1e-5);
    const double dx = bezierSlope(pace.x1, pace.x2, t), dy = bezierSlope(pace.y1, pace.y2, t);
    return dx > 1e-9 ? dy / dx : 0;
}

scene::Pace partOf(const scene::Pace& pace, double from, double to) {
    scene::Pace part;
    if (pace.drawn.empty() && pace.x1 == pace.y1 && pace.x2 == pace.y2) return part; // even
    if (counts(pace.drawn)) {
        constexpr int steps = 24;
        for (int i = 0; i <= steps; ++i)
            part.drawn.push_back(paceSlope(pace, from + (to - from) * i / steps));
        return part;
    }
    // A part of a Bezier curve is one again: its control points are values of the blossom.
    const double a = parameterAt(pace, from), b = parameterAt(pace, to);
    const auto cut = [&](double p1, double p2, double& c1, double& c2) {
        const auto blossom = [&](double u, double v, double w) {
            const auto mix = [](double p, double q, double t) { return p + (q - p) * t; };
            const double q0 = mix(0, p1, u), q1 = mix(p1, p2, u), q2 = mix(p2, 1, u);
            return mix(mix(q0, q1, v), mix(q1, q2, v), w);
        };
        const double begin = blossom(a, a, a), size = blossom(b, b, b) - begin;
        if (std::abs(size) > 1e-12)
            c1 = (blossom(a, a, b) - begin) / size, c2 = (blossom(a, b, b) - begin) / size;
    };
    cut(pace.x1, pace.x2, part.x1, part.x2);
    cut(pace.y1, pace.y2, part.y1, part.y2);
    part.x1 = std::clamp(part.x1, 0.0, 1.0), part.x2 = std::clamp(part.x2, 0.0, 1.0);
    return part;
}

double paceTime(const scene::Pace& pace, double y) {
    if (y <= 0) return 0;
    // A pace may overshoot and come back: the first time counts.
    constexpr int steps = 256;
    double low = 0, high = 1;
    for (int i = 1; i <= steps; ++i) {
        high = i / static_cast<double>(steps);
        if (paceAt(pace, high) >= y) break;
        low = high;
    }
    if (low >= 1) return 1;
    for (int i = 0; i < 60 && high - low > 1e-13; ++i) {
        const double middle = (low + high) / 2;
        (paceAt(pace, middle) < y ? low : high) = middle;
    }
    return high;
}

}
