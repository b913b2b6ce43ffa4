#include "cutout/displaced.h"

#include "cutout/displacement_rows.h"
#include "cutout/mattes.h"
#include "cutout/source.h"
#include "media/content.h"
#include "media/pixel_cache.h"
#include "media/texels.h"
#include "scene/air_json.h"
#include "scene/chance.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace stage::cutout {
namespace {

using media::PixelCache;
using media::PixelSourcePtr;
using media::Raster;

constexpr double turn = 2 * std::numbers::pi;

/// Of rows that grow towards the foot.
double rowScale(double share) {
    return 0.25 + 0.75 * share;
}

/// By how much a displacement moves what is at a place, in pixels of the layer's natural size, without its
/// matte. Made for one time.
class DisplacementField {
public:
    /// size: of the layer's picture, px.
    DisplacementField(const scene::Displacement& displacement, V2i size, Rational time);
    /// For places of a row, from the first one on, each `step` px farther to the right.
    void along(const V2d& first, double step, int count, float* right, float* down) const;

private:
    void shimmer(const V2d& first, double step, int count, float* right, float* down) const;

    scene::Displacement m_values;
    V2d m_size, m_along;
    double m_turns = 0;             ///< crests that have passed
    static constexpr int side = 32; ///< of a lattice of noise, which repeats
    struct Lattice {
        std::array<float, side * side> right, down;
        V2d shift; ///< cells
    };
    std::vector<Lattice> m_lattices;
};

DisplacementField::DisplacementField(const scene::Displacement& displacement, V2i size, Rational time)
    : m_values(displacement), m_size(size),
      m_along(std::cos(radians(displacement.direction)), -std::sin(radians(displacement.direction))) {
    const double loop = std::max(0.0, displacement.loop.toDouble()),
                 seconds = time.within(displacement.loop).toDouble();
    double rate = displacement.rate;
    if (loop > 0 && rate > 0) rate = std::max(1.0, std::round(rate * loop)) / loop;
    m_turns = rate * seconds;
    if (displacement.kind != scene::DisplacementKind::Shimmer) return;
    // Noise that drifts, and is another one after each crest. Of a loop two that take turns: each drifts from
    // -loop / 2 to loop / 2, and while it jumps back it does not count.
    const int count = loop > 0 ? 2 : 1;
    for (int n = 0; n < count; ++n) {
        double drifted = seconds, counts = 1;
        if (loop > 0) {
            double phase = seconds / loop + 0.5 * n;
            phase -= std::floor(phase);
            drifted = (phase - 0.5) * loop;
            counts = std::sin(std::numbers::pi * phase);
        }
        Lattice lattice{{}, {}, m_along * (rate * drifted)};
        const double angle = turn * m_turns / 2, a = counts * std::cos(angle), b = counts * std::sin(angle);
        const bool odd =
            loop > 0 && std::llround(rate * loop) % 2 != 0; // half a turn over the loop: a whole one
        const double whole = turn * m_turns, wa = odd ? counts * std::cos(whole) : a,
                     wb = odd ? counts * std::sin(whole) : b;
        for (std::size_t i = 0; i < lattice.right.size(); ++i) {
            const auto value = [&](int which) {
                return scene::chance(displacement.seed, static_cast<std::int64_t>(i), which + 4 * n) * 2 - 1;
            };
            lattice.right[i] = static_cast<float>(wa * value(0) + wb * value(1));
            lattice.down[i] = static_cast<float>(wa * value(2) + wb * value(3));
        }
        m_lattices.push_back(std::move(lattice));
    }
}

void DisplacementField::along(const V2d& first, double step, int count, float* right, float* down) const {
    using Kind = scene::DisplacementKind;
    const double amount = m_values.amount, size = m_values.size;
    // Of what repeats after 1.
    const auto ramp = [](double from, double by) {
        return Ramp{static_cast<float>(from - std::floor(from)), static_cast<float>(by)};
    };
    // Along a direction, as far as the numbers that are in `right` say.
    const auto go = [&](const V2d& by) {
        const auto x = static_cast<float>(by.x), y = static_cast<float>(by.y);
        for (int n = 0; n < count; ++n)
            down[n] = right[n] * y, right[n] *= x;
    };
    switch (m_values.kind) {
    case Kind::Ripple: {
        const V2d from = first - m_values.centre * m_size;
        displaceByRings({static_cast<float>(from.y), static_cast<float>(size),
                         static_cast<float>(m_turns - std::floor(m_turns)), static_cast<float>(m_values.fade),
                         static_cast<float>(amount)},
                        {static_cast<float>(from.x), static_cast<float>(step)}, count, right, down);
        return;
    }
    case Kind::Waves:
        sinesAlong(ramp(first.dot(m_along) / size - m_turns, step * m_along.x / size), 0, count, right);
        return go(V2d(-m_along.y, m_along.x) * amount);
    case Kind::Shimmer:
        return shimmer(first, step, count, right, down);
    case Kind::Sway: {
        const double foot = std::max(m_values.foot, 1e-6),
                     up = std::clamp((m_values.foot - first.y / m_size.y) / foot, 0.0, 1.0);
        sinesAlong(ramp(m_turns - first.x / size, -step / size), 1.f / 3, count, right);
        return go(m_along * (0.75 * amount * up * up));
    }
    case Kind::Roll: {
        const double share = std::max(first.y / m_size.y, -0.3), scale = rowScale(share),
                     row = m_size.y / (0.75 * size) * std::log(scale) - m_turns, across = 3 * size * scale;
        rollingAlong(ramp(first.x / across, step / across), static_cast<float>(row - std::floor(row)),
                     static_cast<float>(amount * scale), count, down);
        std::fill_n(right, count, 0.f);
        return;
    }
    }
}

void DisplacementField::shimmer(const V2d& first, double step, int count, float* right, float* down) const {
    std::fill_n(right, count, 0.f);
    std::fill_n(down, count, 0.f);
    for (const Lattice& lattice : m_lattices) {
        const V2d at = first / m_values.size - lattice.shift;
        const double low = std::floor(at.y), t = at.y - low;
        const auto weight = static_cast<float>(t * t * (3 - 2 * t));
        const auto row = static_cast<std::size_t>(static_cast<std::int64_t>(low) & (side - 1));
        const Ramp cells{static_cast<float>(at.x - side * std::floor(at.x / side)),
                         static_cast<float>(step / m_values.size)};
        // A row of the lattice between two of its own.
        const auto add = [&](const std::array<float, side * side>& values, float* to) {
            const float *above = values.data() + side * row,
                        *below = values.data() + side * ((row + 1) & (side - 1));
            std::array<float, side> between;
            for (std::size_t i = 0; i < side; ++i)
                between[i] = above[i] + (below[i] - above[i]) * weight;
            addSmoothNoise(between.data(), cells, count, to);
        };
        add(lattice.right, right);
        add(lattice.down, down);
    }
    bound(static_cast<float>(m_values.amount), count, right, down);
}

/// Mattes as a picture: white, of their alpha.
class MatteSource : public media::PixelSource {
public:
    MatteSource(const motion::Pixels& pixels, std::vector<scene::Matte> mattes)
        : PixelSource("where\n" + media::contentOf(*pixels.layer, pixels.footage.frame)->key() +
                          keyOf(mattes, pixels),
                      pixels.layer->pixels, Granularity::ByBox, "where " + std::to_string(pixels.layer->id)),
          m_pixels(pixels), m_mattes(std::move(mattes)) {}
    Result<Raster> compute(int, const media::Box& box, PixelCache& cache,
                           const Progress& progress) const override {
        const auto mask = mattesOver(m_pixels, m_mattes, box, cache, progress);
        if (!mask) return tl::unexpected(mask.error());
        Raster raster(box.size());
        for (int y = box.y0; y < box.y1; ++y)
            for (int x = box.x0; x < box.x1; ++x)
                std::fill_n(raster.row(y - box.y0) + 4 * (x - box.x0), 4, Imath::half(mask->at(x, y)));
        return raster;
    }

private:
    motion::Pixels m_pixels;
    std::vector<scene::Matte> m_mattes;
};

class DisplacedSource : public media::PixelSource {
public:
    DisplacedSource(PixelSourcePtr below, const motion::Pixels& pixels,
                    const scene::Displacement& displacement)
        : PixelSource("displaced " + pixels.time.text() + scene::toJson(std::vector{displacement}).dump() +
                          keyOf(displacement.where, pixels) + "\n" + below->key(),
                      below->size(), Granularity::EveryLevel, below->seriesOf("displaced")),
          m_below(std::move(below)), m_field(displacement, pixels.layer->pixels, pixels.time),
          m_natural(pixels.layer->pixels), m_amount(displacement.amount) {
        if (!displacement.where.empty()) m_where = std::make_shared<MatteSource>(pixels, displacement.where);
    }

    Result<Raster> compute(int level, const media::Box& box, PixelCache& cache,
                           const Progress& progress) const override {
        const V2i whole = media::levelSize(size(), level);
        // Of this level's pixels to one of the natural size.
        const V2d scale(static_cast<double>(whole.x) / m_natural.x,
                        static_cast<double>(whole.y) / m_natural.y);
        const int reach = static_cast<int>(std::ceil(m_amount * std::max(scale.x, scale.y))) + 1;
        const media::Box around = box.grown(reach).within(media::boxOf(whole));
        const auto below = cache.read(m_below, level, around, progress);
        if (!below) return below;
        const V2i from = around.size(), of = box.size();
        std::vector<float> strength;
        if (m_where)
            if (auto done = readWhere(whole, box, strength, cache, progress); !done)
                return tl::unexpected(done.error());
        Raster out = Raster::unfilled(of);
        std::vector<float> right(static_cast<std::size_t>(of.x)), down(right.size()),
            everywhere(right.size(), 1.f);
        const auto perX = static_cast<float>(scale.x), perY = static_cast<float>(scale.y);
        for (int y = 0; y < of.y; ++y) {
            m_field.along(V2d(box.x0 + 0.5, box.y0 + y + 0.5) / scale, 1 / scale.x, of.x, right.data(),
                          down.data());
            const float* kept =
                strength.empty() ? everywhere.data() : strength.data() + static_cast<std::size_t>(y) * of.x;
            const auto fromX = static_cast<float>(box.x0 - around.x0),
                       fromY = static_cast<float>(box.y0 - around.y0 + y);
            for (int x = 0; x < of.x; ++x) {
                const auto n = static_cast<std::size_t>(x);
                right[n] = fromX + static_cast<float>(x) - kept[n] * perX * right[n];
                down[n] = fromY - kept[n] * perY * down[n];
            }
            media::sampledTexels(reinterpret_cast<const std::uint16_t*>(below->rgba.data()), from.x, from.y,
                                 right.data(), down.data(), of.x,
                                 reinterpret_cast<std::uint16_t*>(out.row(y)));
        }
        return out;
    }
    std::string name() const override { return m_below->name(); }

private:
    /// The matte over a box of a level, from the level of its own that is about as fine.
    Result<void> readWhere(V2i whole, const media::Box& box, std::vector<float>& strength, PixelCache& cache,
                           const Progress& progress) const {
        int own = 0;
        while (own + 1 < media::levelCount(m_natural) && media::levelSize(m_natural, own).x > whole.x)
            ++own;
        const V2i there = media::levelSize(m_natural, own);
        const auto to = [&](int at, int size, int wholeSize) {
            return static_cast<int>(static_cast<std::int64_t>(at) * size / wholeSize);
        };
        const media::Box part = media::Box{to(box.x0, there.x, whole.x), to(box.y0, there.y, whole.y),
                                           to(box.x1, there.x, whole.x) + 1, to(box.y1, there.y, whole.y) + 1}
                                    .within(media::boxOf(there));
        const auto mask = cache.read(m_where, own, part, progress);
        if (!mask) return tl::unexpected(mask.error());
        strength.resize(static_cast<std::size_t>(box.size().x) * box.size().y);
        for (int y = box.y0; y < box.y1; ++y)
            for (int x = box.x0; x < box.x1; ++x) {
                const int mx = std::clamp(to(x, there.x, whole.x), part.x0, part.x1 - 1) - part.x0,
                          my = std::clamp(to(y, there.y, whole.y), part.y0, part.y1 - 1) - part.y0;
                strength[static_cast<std::size_t>(y - box.y0) * box.size().x + (x - box.x0)] =
                    float(mask->row(my)[4 * mx + 3]);
            }
        return {};
    }

    PixelSourcePtr m_below, m_where;
    DisplacementField m_field;
    V2i m_natural;
    double m_amount;
};

}

PixelSourcePtr displaced(const motion::Pixels& pixels, PixelSourcePtr below) {
    if (!below) return below;
    for (const scene::Displacement& each : pixels.displacements)
        below = std::make_shared<DisplacedSource>(std::move(below), pixels, each);
    return below;
}

}
