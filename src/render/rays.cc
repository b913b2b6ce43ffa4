#include "render/rays.h"

#include <algorithm>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "render/rays.cc"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "render/pixel_tracer-inl.h"

HWY_BEFORE_NAMESPACE();
namespace stage::render::HWY_NAMESPACE {

/// Rays for the pixels of a tile, each as many as its error asks for.
class TileTracer {
public:
    TileTracer(const RayTile& tile, const std::vector<RayCard>& cards, Canvas& canvas)
        : m_tile(tile), m_canvas(canvas), m_tracer(tile, cards), m_most(tile.points->count) {}

    void trace(const std::stop_token& stop) {
        const bool byNeed = m_tile.noise > 0 && m_most > RayPoints::step;
        const int count = byNeed ? RayPoints::step : m_most;
        if (byNeed) m_added.fill(0);
        for (int y = 0; y < m_tile.height; ++y) {
            Spot row[side];
            for (int x = 0; x < m_tile.width; ++x) {
                std::fill_n(sumOf(x, y), 4, 0.f);
                row[x] = {x, y, sumOf(x, y), byNeed ? addedOf(x, y) : nullptr};
                m_counts[at(x, y)] = count;
            }
            if (stop.stop_requested()) return;
            m_tracer.trace(row, m_tile.width, 0, count);
        }
        if (byNeed) {
            halvesApart();
            while (findNeed() && !stop.stop_requested())
                refine(stop);
        }
        for (int y = 0; y < m_tile.height; ++y)
            for (int x = 0; x < m_tile.width; ++x) {
                const auto each = hn::Set(Four(), 1.f / static_cast<float>(m_counts[at(x, y)]));
                hn::StoreU(hn::Mul(hn::LoadU(Four(), sumOf(x, y)), each), Four(), sumOf(x, y));
                if (m_tile.counts)
                    m_tile.counts[y * m_tile.countsStride + x] =
                        static_cast<std::uint16_t>(m_counts[at(x, y)]);
            }
    }

private:
    using Spot = PixelTracer::Spot;
    using Four = hn::FixedTag<float, 4>;
    using Colour = hn::Vec<Four>;
    static constexpr int side = Canvas::side;
    static int at(int x, int y) { return y * side + x; }
    float* sumOf(int x, int y) { return m_canvas.row(y) + 4 * x; }
    float* addedOf(int x, int y) { return m_added.data() + 4 * at(x, y); }
    float& errorOf(int x, int y) { return m_error[static_cast<std::size_t>((y + 1) * (side + 2) + x + 1)]; }

    /// How far pixels are off by the two halves of their first rays.
    void halvesApart() {
        const hn::CappedTag<float, 16> d;
        const int pixels = static_cast<int>(hn::Lanes(d)) / 4;
        const auto each = hn::Set(d, 1.f / RayPoints::step);
        for (int y = 0; y < m_tile.height; ++y)
            for (int x = 0; x < m_tile.width; x += pixels) {
                const auto sum = hn::LoadU(d, sumOf(x, y)), halves = hn::LoadU(d, addedOf(x, y));
                alignas(64) float apart[16];
                hn::Store(
                    distances(d, hn::Mul(hn::Add(sum, halves), each), hn::Mul(hn::Sub(sum, halves), each)), d,
                    apart);
                for (int i = 0; i < std::min(pixels, m_tile.width - x); ++i)
                    errorOf(x + i, y) = 0.25f * evenness * apart[4 * i];
            }
    }

    /// More rays where they are needed, pixels that need the same ones together.
    void refine(const std::stop_token& stop) {
        m_added.fill(0);
        for (auto& spots : m_spots)
            spots.clear();
        for (int y = 0; y < m_tile.height; ++y)
            for (int x = 0; x < m_tile.width; ++x)
                if (const int doublings = m_need[at(x, y)]) {
                    const int steps = m_counts[at(x, y)] / RayPoints::step;
                    m_spots[static_cast<std::size_t>(hwy::FloorLog2(static_cast<std::uint32_t>(steps)) *
                                                         mostDoublings +
                                                     doublings - 1)]
                        .push_back({x, y, addedOf(x, y), nullptr});
                }
        for (std::size_t i = 0; i < m_spots.size() && !stop.stop_requested(); ++i) {
            if (m_spots[i].empty()) continue;
            const int doublings = static_cast<int>(i) % mostDoublings + 1,
                      before = RayPoints::step << (static_cast<int>(i) / mostDoublings),
                      after = std::min(before << doublings, m_most);
            m_tracer.trace(m_spots[i].data(), static_cast<int>(m_spots[i].size()), before, after);
            for (const Spot& spot : m_spots[i])
                add(spot, before, after, doublings);
        }
    }

    /// What was added tells, beside what there was before, how far both are off.
    void add(const Spot& spot, int before, int after, int doublings) {
        const auto sum = hn::LoadU(Four(), sumOf(spot.x, spot.y)), added = hn::LoadU(Four(), spot.sum);
        hn::StoreU(hn::Add(sum, added), Four(), sumOf(spot.x, spot.y));
        m_counts[at(spot.x, spot.y)] = after;
        // Of independent means: the variance of all over that of the difference.
        const float share = static_cast<float>(before) * static_cast<float>(after - before) /
                            (static_cast<float>(after) * static_cast<float>(after));
        const float expected =
            share * evenness *
            distance(hn::Mul(sum, hn::Set(Four(), 1.f / static_cast<float>(before))),
                     hn::Mul(added, hn::Set(Four(), 1.f / static_cast<float>(after - before))));
        // Twice the rays bring the square down to a quarter at best: where less is found, both may agree by
        // chance.
        float& error = errorOf(spot.x, spot.y);
        error = std::max(std::ldexp(error, -2 * doublings), expected);
    }

    /// Points that are spread evenly are off by about half as much as the difference of two halves tells.
    static constexpr float evenness = 0.25f;

    /// Squares of the distances of colours as they are shown, a mean over the colours or that of alpha: four
    /// times that of each pixel.
    template <class D> HWY_INLINE static hn::Vec<D> distances(D d, hn::Vec<D> a, hn::Vec<D> b) {
        // The curve of sRGB, to 14 % of its slope; alpha as it is.
        const auto shown = [&](hn::Vec<D> linear) HWY_ATTR {
            return hn::Sqrt(
                hn::Add(hn::Min(hn::Max(linear, hn::Zero(d)), hn::Set(d, 1.f)), hn::Set(d, 0.0015f)));
        };
        const auto square = [&](hn::Vec<D> by) HWY_ATTR { return hn::Mul(by, by); };
        const auto alpha = hn::Broadcast<3>(square(hn::Sub(a, b)));
        alignas(64) static constexpr float colours[16] = {1, 1, 1, 0, 1, 1, 1, 0, 1, 1, 1, 0, 1, 1, 1, 0};
        const auto each = hn::Mul(square(hn::Sub(shown(a), shown(b))), hn::Load(d, colours));
        const auto pairs = hn::Add(each, hn::Shuffle2301(each));
        return hn::Max(hn::Mul(hn::Add(pairs, hn::Shuffle1032(pairs)), hn::Set(d, 1 / 3.f)), alpha);
    }
    HWY_INLINE static float distance(Colour a, Colour b) { return hn::GetLane(distances(Four(), a, b)); }

    /// How many more rays pixels get around which the mean square of the error is too large; whether there
    /// are any.
    bool findNeed() {
        const int width = m_tile.width, height = m_tile.height;
        float wide[3][side]; // sums over three pixels of a row, of this row and those beside it
        const auto sumRow = [&](int y) {
            const float* error = &errorOf(0, y);
            float* sum = wide[(y + 3) % 3];
            for (int x = 0; x < width; ++x)
                sum[x] = error[x - 1] + error[x] + error[x + 1];
        };
        float across[side]; // pixels that there are of the three
        for (int x = 0; x < width; ++x)
            across[x] = static_cast<float>(1 + (x > 0) + (x + 1 < width));
        const int most = m_most;
        int any = 0;
        sumRow(-1);
        sumRow(0);
        for (int y = 0; y < height; ++y) {
            sumRow(y + 1);
            const int rows = 1 + (y > 0) + (y + 1 < height);
            const int* const counts = m_counts.data() + at(0, y);
            std::uint8_t* const needs = m_need.data() + at(0, y);
            const float around = static_cast<float>(rows) * m_tile.noise * m_tile.noise /
                                 std::sqrt(static_cast<float>(RayPoints::step));
            for (int x = 0; x < width; ++x) {
                const float sum = wide[0][x] + wide[1][x] + wide[2][x];
                // The more rays a pixel has, the less each further one takes away, and as many elsewhere take
                // more from the picture.
                const float allowed = around * across[x] * std::sqrt(static_cast<float>(counts[x]));
                // Eight times the error's square is taken down by about four times the rays.
                const int need =
                    (counts[x] < most) * ((sum > allowed) + (sum > 8 * allowed) + (sum > 64 * allowed));
                needs[x] = static_cast<std::uint8_t>(need);
                any |= need;
            }
        }
        return any != 0;
    }

    const RayTile& m_tile;
    Canvas& m_canvas; ///< sums until the end
    PixelTracer m_tracer;
    int m_most;
    static constexpr int mostDoublings = 3; ///< in one step; as findNeed() counts
    std::array<int, side * side> m_counts{};
    std::array<float, 4 * side * side> m_added; ///< sums of the rays of one step
    /// Pixels that need more, by how often 16 rays were doubled, and how often they are to be.
    std::array<std::vector<Spot>, 32 * mostDoublings> m_spots;
    std::array<float, (side + 2) * (side + 2)> m_error{}; ///< squares; around the tile none
    std::array<std::uint8_t, side * side> m_need{};       ///< how often the count is to be doubled
};

void AimFirst(const Opening& opening, RayPoints& points) {
    const LensAim aim(opening);
    constexpr std::size_t each = 2 * RayPoints::step;
    points.first.resize(each * BlueNoise::side * BlueNoise::side);
    for (int y = 0; y < BlueNoise::side; ++y)
        for (int x = 0; x < BlueNoise::side; ++x) {
            float* const p = points.first.data() + each * BlueNoise::indexOf(x, y);
            aim.throughLens(hn::CappedTag<float, RayPoints::step>(), points, 0, RayPoints::step, x, y, p,
                            p + RayPoints::step);
        }
}

void TraceRays(const RayTile& tile, const std::vector<RayCard>& cards, Canvas& canvas,
               const std::stop_token& stop) {
    TileTracer(tile, cards, canvas).trace(stop);
}

void AddGlints(const RayTile& tile, const std::vector<RayCard>& cards,
               const std::vector<const Glint*>& glints, Canvas& canvas) {
    PixelTracer tracer(tile, cards);
    for (const Glint* glint : glints)
        tracer.add(*glint, canvas);
}

}
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace stage::render {

HWY_EXPORT(AimFirst);
HWY_EXPORT(TraceRays);
HWY_EXPORT(AddGlints);

void aimFirst(const Opening& opening, RayPoints& points) {
    HWY_DYNAMIC_DISPATCH(AimFirst)(opening, points);
}

void addGlints(const RayTile& tile, const std::vector<RayCard>& cards,
               const std::vector<const Glint*>& glints, Canvas& canvas) {
    HWY_DYNAMIC_DISPATCH(AddGlints)(tile, cards, glints, canvas);
}

void traceRays(const RayTile& tile, const std::vector<RayCard>& cards, Canvas& canvas,
               const std::stop_token& stop) {
    HWY_DYNAMIC_DISPATCH(TraceRays)(tile, cards, canvas, stop);
}

}
#endif
