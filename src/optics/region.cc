#include "optics/region.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace stage::optics {
namespace {

constexpr double infinite = std::numeric_limits<double>::infinity();
constexpr Region everything{-infinite, -infinite, infinite, infinite};

/// Shares of a card from places in the world: dual vectors, since a carrier may have sheared it.
struct Shares {
    V3d normal{0}, toS{0}, toT{0};
    explicit Shares(const Surface& card) : normal(card.across.cross(card.down)) {
        const double area = normal.dot(normal);
        if (area > 0) toS = card.down.cross(normal) / area, toT = normal.cross(card.across) / area;
    }
};

/// Corners of the opening in radii; none: it is round.
std::vector<V2d> cornersOf(const scene::Iris& iris) {
    std::vector<V2d> corners;
    for (int i = 0; i < iris.blades; ++i) {
        const double a = radians(iris.turn) + 2 * std::numbers::pi * i / iris.blades;
        corners.emplace_back(std::cos(a), std::sin(a));
    }
    return corners;
}

/// (a0 + a . v) / (b0 + b . v) over the opening, where the denominator stays above 0.
struct Ratio {
    double a0, b0;
    V2d a, b;
    double at(const V2d& v) const { return (a0 + a.dot(v)) / (b0 + b.dot(v)); }
    std::pair<double, double> extremes(const std::vector<V2d>& corners) const {
        if (!corners.empty()) {
            double low = infinite, high = -infinite;
            for (const V2d& corner : corners)
                low = std::min(low, at(corner)), high = std::max(high, at(corner));
            return {low, high};
        }
        // It reaches k where (a0 - k b0)^2 = |a - k b|^2. What is under the root is written so that nothing
        // large cancels out.
        const double square = b0 * b0 - b.dot(b), middle = a0 * b0 - a.dot(b);
        const V2d apart = b * a0 - a * b0;
        const double cross = a.x * b.y - a.y * b.x;
        const double root = std::sqrt(std::max(0.0, apart.dot(apart) - cross * cross));
        return {(middle - root) / square, (middle + root) / square};
    }
};

/// Where a ray from a lens point meets the endless cylinder of a bent card: of two places the one nearer to
/// the middle of its picture.
std::optional<V2d> meetCylinder(const View& view, const V2d& place, const V2d& lens, const Surface& card,
                                const Shares& shares) {
    const V3d off = view.right * (lens.x * view.aperture) + view.up * (lens.y * view.aperture);
    const V3d eye = view.eye + off, ray = rayThrough(view, place) - off / view.focus;
    const double width = card.across.length();
    const V3d toZ = card.front / width, from = eye - card.corner;
    // As optics::meet.
    const double ox = from.dot(shares.toS) - 0.5, oz = from.dot(toZ) - 1 / card.bend,
                 dx = ray.dot(shares.toS), dz = ray.dot(toZ);
    const double a = dx * dx + dz * dz, b = ox * dx + oz * dz,
                 c = ox * ox + oz * oz - 1 / (card.bend * card.bend);
    const double root = b * b - a * c;
    std::optional<V2d> best;
    if (!(root >= 0) || !(a > 0)) return best;
    for (const double sign : {-1.0, 1.0}) {
        const double depth = (-b + sign * std::sqrt(root)) / a;
        if (!(depth > 1e-9)) continue;
        const double x = (ox + depth * dx) * card.bend, z = (oz + depth * dz) * card.bend;
        const V2d met(std::atan2(x, -z) / card.bend + 0.5,
                      from.dot(shares.toT) + depth * ray.dot(shares.toT));
        if (!best || std::abs(met.x - 0.5) < std::abs(best->x - 0.5)) best = met;
    }
    return best;
}

Region bentRegion(const View& view, const FramePart& part, const Surface& card,
                  const std::vector<V2d>& corners) {
    const Shares shares(card);
    if (!(shares.normal.length() > 0)) return everything;
    const auto placeAt = [&](double along) { // 0..4 around the part
        const double side = std::floor(along), on = along - side;
        const V2d size = part.high - part.low;
        switch (static_cast<int>(side) & 3) {
        case 0:
            return part.low + V2d(on * size.x, 0);
        case 1:
            return part.low + V2d(size.x, on * size.y);
        case 2:
            return part.high - V2d(on * size.x, 0);
        default:
            return part.high - V2d(size.x, on * size.y);
        }
    };
    // Lens points: the middle; corners, or places around a round opening, by their angle.
    const int round = corners.empty() && view.aperture > 0 ? 16 : 0;
    bool missed = false;
    const auto met = [&](double along, const V2d& lens) {
        const auto at = meetCylinder(view, placeAt(along), lens, card, shares);
        missed = missed || !at;
        return at.value_or(V2d(0));
    };
    const auto onRim = [](double angle) { return V2d(std::cos(angle), std::sin(angle)); };
    constexpr int steps = 64; // around the part
    Region region;
    for (const auto& [axis, sign] : {std::pair(0, 1.0), {0, -1.0}, {1, 1.0}, {1, -1.0}}) {
        const auto value = [&](double along, const V2d& lens) { return sign * met(along, lens)[axis]; };
        double best = -infinite, bestAlong = 0, bestAngle = 0;
        V2d bestLens(0);
        const auto look = [&](double along, const V2d& lens, double angle) {
            if (const double v = value(along, lens); v > best)
                best = v, bestAlong = along, bestLens = lens, bestAngle = angle;
        };
        for (int i = 0; i < steps; ++i) {
            const double along = 4.0 * i / steps;
            look(along, V2d(0), 0);
            for (const V2d& corner : corners)
                look(along, corner, 0);
            for (int k = 0; k < round; ++k) {
                const double angle = 2 * std::numbers::pi * k / round;
                look(along, onRim(angle), angle);
            }
        }
        if (missed) return everything;
        // Closer and closer around the best, in turns along the part's edges and around the lens.
        double along = 4.0 / steps, angle = round ? 2 * std::numbers::pi / round : 0;
        for (int turn = 0; turn < 60; ++turn) {
            const double before = best, at = bestAlong, a = bestAngle;
            const bool rim = round && bestLens != V2d(0);
            for (const double by : {-along, along})
                look(std::fmod(at + by + 4, 4), rim ? onRim(a) : bestLens, a);
            if (rim)
                for (const double by : {-angle, angle})
                    look(bestAlong, onRim(a + by), a + by);
            if (best <= before) along *= 0.6, angle *= 0.6;
        }
        if (missed) return everything;
        double* const to[2][2] = {{&region.s0, &region.s1}, {&region.t0, &region.t1}};
        *to[axis][sign > 0] = sign * best;
    }
    return region;
}

}

FlatRegion::FlatRegion(const View& view, const Surface& card, const scene::Iris& iris) {
    const Shares shares(card);
    V3d normal = shares.normal;
    const double length = normal.length();
    if (!(length > 0)) return;
    normal /= length;
    // From the eye to the plane along its normal; the same of what a lens point adds.
    m_eye = normal.dot(card.corner - view.eye);
    if (m_eye < 0) normal = -normal, m_eye = -m_eye;
    const V3d right = view.right * view.aperture, up = view.up * view.aperture;
    m_lens = {-normal.dot(right), -normal.dot(up)};
    m_reach = m_lens.length();
    m_met = m_eye > m_reach; // else the lens is in the plane
    // All rays of a place pass one point at the distance of focus, which is linear in the place.
    const V3d first = view.eye + rayThrough(view, V2d(0)) * view.focus - card.corner,
              across = (rayThrough(view, {1, 0}) - rayThrough(view, V2d(0))) * view.focus,
              down = (rayThrough(view, {0, 1}) - rayThrough(view, V2d(0))) * view.focus;
    const auto along = [&](const V3d& to) { return V3d(first.dot(to), across.dot(to), down.dot(to)); };
    m_beyond = along(normal);
    const V3d* const to[] = {&shares.toS, &shares.toT};
    for (std::size_t i = 0; i < 2; ++i) {
        m_at[i] = along(*to[i]);
        m_from[i] = (view.eye - card.corner).dot(*to[i]);
        m_off[i] = {right.dot(*to[i]), up.dot(*to[i])};
    }
    m_pinhole = !(view.aperture > 0);
    if (!m_pinhole) m_opening = cornersOf(iris);
}

Region FlatRegion::of(const FramePart& part) const {
    if (!m_met) return everything;
    Region region;
    for (const double x : {part.low.x, part.high.x})
        for (const double y : {part.low.y, part.high.y}) {
            const auto at = [&](const V3d& linear) { return linear.x + linear.y * x + linear.z * y; };
            const double beyond = at(m_beyond);
            if (!(m_eye + beyond > m_reach)) return everything;
            std::array<std::pair<double, double>, 2> extremes;
            for (std::size_t i = 0; i < 2; ++i) {
                const double own = at(m_at[i]);
                const Ratio ratio{m_from[i] * beyond + own * m_eye, m_eye + beyond,
                                  m_off[i] * beyond + m_lens * own, m_lens};
                extremes[i] = m_pinhole ? std::pair(ratio.a0 / ratio.b0, ratio.a0 / ratio.b0)
                                        : ratio.extremes(m_opening);
            }
            region.add({extremes[0].first, extremes[1].first, extremes[0].second, extremes[1].second});
        }
    return region;
}

void Region::add(const Region& other) {
    s0 = std::min(s0, other.s0), t0 = std::min(t0, other.t0);
    s1 = std::max(s1, other.s1), t1 = std::max(t1, other.t1);
}

bool holds(const Surface& card, const Region& region) {
    return region.bounded() && region.s0 >= -card.left && region.s1 <= 1 + card.right &&
           region.t0 >= -card.top && region.t1 <= 1 + card.bottom;
}

Region regionSeen(const View& view, const FramePart& part, const Surface& card, const scene::Iris& iris) {
    if (card.bend == 0) return FlatRegion(view, card, iris).of(part);
    return bentRegion(view, part, card, view.aperture > 0 ? cornersOf(iris) : std::vector<V2d>{});
}

double leastGrowth(const View& view, const FramePart& part, const Surface& card, const V3d& about,
                   const scene::Iris& iris, double from) {
    const auto covers = [&](double k) {
        Surface large = card;
        large.corner = about + (card.corner - about) * k;
        large.across *= k, large.down *= k;
        return holds(large, regionSeen(view, part, large, iris));
    };
    if (from == infinite || covers(from)) return from;
    const Shares shares(card);
    const V3d off = about - card.corner;
    // A flat card that grows about a point of its plane stays in it: what is seen of it stays too.
    if (card.bend == 0 && std::abs(off.dot(shares.normal)) <= 1e-9 * shares.normal.length() * off.length()) {
        const Region region = regionSeen(view, part, card, iris);
        if (!region.bounded()) return infinite;
        double least = from;
        const auto side = [&](double pivot, double edge, double needed) { // all to one side
            if (needed <= edge) return;
            least = edge > pivot ? std::max(least, (needed - pivot) / (edge - pivot)) : infinite;
        };
        const double s = off.dot(shares.toS), t = off.dot(shares.toT);
        side(s, 1 + card.right, region.s1), side(t, 1 + card.bottom, region.t1);
        side(-s, card.left, -region.s0), side(-t, card.top, -region.t0);
        return least;
    }
    constexpr double most = 1e4;
    double low = from, more = 0.01, high = from * (1 + more); // a little more is enough where from was near
    while (high < most && !covers(high))
        low = high, more *= 2, high *= 1 + std::min(more, 1.0);
    if (!(high < most)) return infinite;
    while (high - low > 1e-7 * high)
        (covers((low + high) / 2) ? high : low) = (low + high) / 2;
    return high;
}

}
