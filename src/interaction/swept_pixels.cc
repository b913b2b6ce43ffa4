#include "interaction/swept_pixels.h"

#include <algorithm>
#include <cmath>

namespace stage::interaction {
namespace {

struct Interval {
    double from, to;
};
struct Edge {
    double top, bottom, x, slope; ///< x: at the top; slope: of x down a pixel
};
using Edges = std::array<Edge, 3>;

Edges edgesOf(const Triangle& triangle) {
    Edges edges{};
    for (std::size_t i = 0; i < 3; ++i) {
        V2d a = triangle[i], b = triangle[(i + 1) % 3];
        if (b.y < a.y) std::swap(a, b);
        edges[i] = {a.y, b.y, a.x, (b.x - a.x) / (b.y - a.y)};
    }
    return edges;
}

/// Empty where the row misses it.
Interval across(const Edges& edges, double y) {
    Interval interval{HUGE_VAL, -HUGE_VAL};
    for (const Edge& edge : edges)
        if (y >= edge.top && y < edge.bottom) {
            const double x = edge.x + (y - edge.top) * edge.slope;
            interval = {std::min(interval.from, x), std::max(interval.to, x)};
        }
    return interval;
}

/// Intervals in order, none of which touches another.
void unite(std::vector<Interval>& intervals) {
    std::ranges::sort(intervals, {}, &Interval::from);
    std::size_t last = 0;
    for (std::size_t i = 1; i < intervals.size(); ++i)
        if (intervals[i].from <= intervals[last].to)
            intervals[last].to = std::max(intervals[last].to, intervals[i].to);
        else
            intervals[++last] = intervals[i];
    if (!intervals.empty()) intervals.resize(last + 1);
}

}

std::vector<std::uint8_t> coverageOf(const std::vector<Triangle>& triangles, V2i size) {
    const auto width = static_cast<std::size_t>(std::max(0, size.x)),
               height = static_cast<std::size_t>(std::max(0, size.y));
    std::vector<std::uint8_t> coverage(width * height);
    std::vector<Edges> all;
    for (const Triangle& triangle : triangles)
        if (std::ranges::all_of(triangle, [](V2d p) { return std::isfinite(p.x) && std::isfinite(p.y); }))
            all.push_back(edgesOf(triangle));
    constexpr int places = 4; // down a pixel
    std::vector<Interval> intervals;
    std::vector<float> covered(width), inside(width + 1); // of partly covered pixels; steps of the others
    for (std::size_t row = 0; row < height; ++row) {
        bool any = false;
        for (int place = 0; place < places; ++place) {
            const double y = static_cast<double>(row) + (place + 0.5) / places;
            intervals.clear();
            for (const Edges& edges : all) {
                Interval interval = across(edges, y);
                interval = {std::max(interval.from, 0.0), std::min(interval.to, static_cast<double>(width))};
                if (!(interval.from < interval.to)) continue;
                // Most touch the one before.
                if (intervals.empty() || interval.from > intervals.back().to ||
                    interval.to < intervals.back().from)
                    intervals.push_back(interval);
                else
                    intervals.back() = {std::min(interval.from, intervals.back().from),
                                        std::max(interval.to, intervals.back().to)};
            }
            unite(intervals);
            any = any || !intervals.empty();
            for (const Interval& interval : intervals) {
                const auto first = static_cast<std::size_t>(interval.from),
                           last = static_cast<std::size_t>(interval.to);
                const auto share = [](double of) { return static_cast<float>(of / places); };
                if (first == last) {
                    covered[first] += share(interval.to - interval.from);
                    continue;
                }
                covered[first] += share(static_cast<double>(first + 1) - interval.from);
                if (last < width) covered[last] += share(interval.to - static_cast<double>(last));
                inside[first + 1] += share(1);
                inside[last] -= share(1);
            }
        }
        if (!any) continue;
        float sum = 0;
        for (std::size_t x = 0; x < width; ++x) {
            sum += inside[x];
            coverage[row * width + x] =
                static_cast<std::uint8_t>(std::min(255.f, (sum + covered[x]) * 255.f + 0.5f));
        }
        std::ranges::fill(covered, 0.f);
        std::ranges::fill(inside, 0.f);
    }
    return coverage;
}

}
