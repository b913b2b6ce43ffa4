#include "render/fill.h"

#include <algorithm>
#include <cmath>

namespace stage::render {
namespace {

/// Of slices one after the other: how much nearer each is than the next.
constexpr double slice = 1.2;
/// Nearer and farther than this, in 1/m, nothing is divided.
constexpr double nearestSlice = 10, farthestSlice = 1e-4;

}

double Gap::nearAt(double x, double y) const {
    const double card = front ? nearnessAt(*front, x, y) : 0;
    return card > 0 ? std::min(card, nearest) : nearest;
}

double Gap::farAt(double x, double y) const {
    return std::max(behind ? nearnessAt(*behind, x, y) : 0, farthest);
}

namespace {

/// Of a flat card at the corners of a box, between which it is linear; of a bent one nothing is known.
std::pair<double, double> over(const Plane& plane, const media::Box& box) {
    if (plane.bent()) return {0, 1e30};
    std::pair<double, double> range{1e300, -1e300};
    for (const int x : {box.x0, box.x1})
        for (const int y : {box.y0, box.y1}) {
            const double w = nearnessAt(plane, x, y);
            range.first = std::min(range.first, w), range.second = std::max(range.second, w);
        }
    return range;
}

}

std::pair<double, double> Gap::nears() const {
    if (!front) return {nearest, nearest};
    const auto [low, high] = over(*front, box);
    if (low <= 0) return {0, nearest}; // it ends within the box, or nothing is known of it
    return {std::min(low, nearest), std::min(high, nearest)};
}

std::pair<double, double> Gap::fars() const {
    if (!behind) return {farthest, farthest};
    const auto [low, high] = over(*behind, box);
    return {std::max(low, farthest), std::max(high, farthest)};
}

double nearnessOf(const FilledGap& filled) {
    double low = 1e300, high = 0;
    for (const Fill* fill : filled.fills)
        if (const auto [l, h] = fill->nearnessIn(filled.gap.box); l <= h)
            low = std::min(low, l), high = std::max(high, h);
    low = std::max(low, filled.gap.farthest), high = std::min(high, filled.gap.nearest);
    return low > 0 ? (low + std::min(high, 3 * low)) / 2 : high / 2;
}

std::vector<Gap> slicesOf(const std::vector<const Fill*>& fills, const Gap& gap,
                          const std::optional<DepthRange>& cards) {
    std::vector<double> lows, highs;
    for (const Fill* fill : fills)
        if (const auto [low, high] = fill->nearnessIn(gap.box); low <= high)
            lows.push_back(low), highs.push_back(high);
    if (lows.empty()) return {};
    std::sort(lows.begin(), lows.end());
    std::sort(highs.rbegin(), highs.rend());
    const std::size_t alone = !cards && lows.size() > 1 ? 1 : 0;
    const media::Box& box = gap.box;
    double high = std::min(highs[alone], nearestSlice), low = std::max(lows[alone], farthestSlice);
    if (gap.front)
        high = std::min(high, render::nearnessIn(*gap.front, box.x0, box.y0, box.x1, box.y1).second);
    if (gap.behind)
        low = std::max(low, render::nearnessIn(*gap.behind, box.x0, box.y0, box.x1, box.y1).first);
    if (cards) low = std::max(low, cards->first), high = std::min(high, cards->second);
    if (!(low < high) || (!cards && lows.size() < 2)) return {gap};
    // The outermost of those among cards are beyond them all.
    const int beyond = cards ? 1 : 0,
              first = static_cast<int>(std::floor(std::log(low) / std::log(slice))) - beyond,
              last = static_cast<int>(std::floor(std::log(high) / std::log(slice))) + beyond;
    std::vector<Gap> slices;
    for (int i = last; i >= first; --i) {
        Gap part = gap;
        if (i < last) part.nearest = std::min(gap.nearest, std::pow(slice, i + 1));
        if (i > first) part.farthest = std::max(gap.farthest, std::pow(slice, i));
        if (part.nearest > part.farthest) slices.push_back(part);
    }
    return slices;
}

void paintUnder(const std::vector<const Fill*>& fills, const Gap& gap, Canvas& canvas) {
    for (const Gap& part : slicesOf(fills, gap))
        for (const Fill* fill : fills)
            fill->paintUnder(part, canvas);
}

void see(const std::vector<const Fill*>& fills, const Gap& gap, const FillRay* rays, int count, float* rgba) {
    for (const Gap& part : slicesOf(fills, gap))
        for (const Fill* fill : fills) {
            if (fill->variesByRay()) {
                for (int i = 0; i < count; ++i)
                    fill->see(part, rays[i], rgba + 4 * i);
                continue;
            }
            float alike[4] = {0, 0, 0, 0};
            fill->see(part, {rays[0].x, rays[0].y}, alike);
            for (int i = 0; i < count; ++i)
                addUnder(rgba + 4 * i, alike);
        }
}

}
