#include "cutout/displaced.h"

#include "cutout/mattes.h"
#include "cutout/source.h"
#include "media/content.h"
#include "media/pixel_cache.h"
#include "media/texels.h"
#include "scene/air_json.h"
#include "scene/chance.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace stage::cutout {
namespace {

using media::PixelCache;
using media::PixelSourcePtr;
using media::Raster;

constexpr double turn = 2 * std::numbers::pi;

double smooth(double t) {
    return t * t * (3 - 2 * t);
}

/// Seconds within its loop, where it has one: the same in every round to the bit.
Rational within(Rational time, Rational loop) {
    if (!(loop > Rational(0))) return time;
    const Rational share = time / loop;
    return loop * (share - Rational(share.floor()));
}

/// Of rows that grow towards the foot.
double rowScale(double share) {
    return 0.25 + 0.75 * share;
}

}

DisplacementField::DisplacementField(const scene::Displacement& displacement, V2i size, Rational time)
    : m_values(displacement), m_size(size),
      m_along(std::cos(radians(displacement.direction)), -std::sin(radians(displacement.direction))) {
    const double loop = std::max(0.0, displacement.loop.toDouble()),
                 seconds = within(time, displacement.loop).toDouble();
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
        Layer layer{std::vector<V2d>(side * side), m_along * (rate * drifted)};
        const double angle = turn * m_turns / 2, a = counts * std::cos(angle), b = counts * std::sin(angle);
        const bool odd =
            loop > 0 && std::llround(rate * loop) % 2 != 0; // half a turn over the loop: a whole one
        const double whole = turn * m_turns, wa = odd ? counts * std::cos(whole) : a,
                     wb = odd ? counts * std::sin(whole) : b;
        for (std::size_t i = 0; i < layer.values.size(); ++i) {
            const auto value = [&](int which) {
                return scene::chance(displacement.seed, static_cast<std::int64_t>(i), which + 4 * n) * 2 - 1;
            };
            layer.values[i] = V2d(wa * value(0) + wb * value(1), wa * value(2) + wb * value(3));
        }
        m_layers.push_back(std::move(layer));
    }
}

V2d DisplacementField::shimmer(const V2d& place) const {
    V2d sum(0);
    for (const Layer& layer : m_layers) {
        const V2d at = place / m_values.size - layer.shift;
        const double fx = std::floor(at.x), fy = std::floor(at.y), wx = smooth(at.x - fx),
                     wy = smooth(at.y - fy);
        const auto value = [&](int i, int j) {
            const auto cell = [](double v, int by) {
                return static_cast<std::size_t>((static_cast<std::int64_t>(v) + by) & (side - 1));
            };
            return layer.values[cell(fy, j) * side + cell(fx, i)];
        };
        const V2d top = value(0, 0) + (value(1, 0) - value(0, 0)) * wx,
                  low = value(0, 1) + (value(1, 1) - value(0, 1)) * wx;
        sum += top + (low - top) * wy;
    }
    const double length = sum.length();
    return length > 1 ? sum / length : sum;
}

V2d DisplacementField::at(const V2d& place) const {
    using Kind = scene::DisplacementKind;
    const double amount = m_values.amount;
    switch (m_values.kind) {
    case Kind::Ripple: {
        const V2d from = place - m_values.centre * m_size;
        const double r = from.length();
        if (!(r > 1e-9)) return V2d(0);
        const double near = std::min(1.0, r / (m_values.size / 4)),
                     faded = m_values.fade > 0 ? std::exp(-r / m_values.fade) : 1;
        return from * (amount * near * faded * std::sin(turn * (r / m_values.size - m_turns)) / r);
    }
    case Kind::Waves: {
        const double along = place.dot(m_along);
        return V2d(-m_along.y, m_along.x) * (amount * std::sin(turn * (along / m_values.size - m_turns)));
    }
    case Kind::Shimmer:
        return shimmer(place) * amount;
    case Kind::Sway: {
        const double foot = std::max(m_values.foot, 1e-6),
                     up = std::clamp((m_values.foot - place.y / m_size.y) / foot, 0.0, 1.0),
                     phase = turn * (m_turns - place.x / m_values.size);
        return m_along * (amount * up * up * (0.75 * std::sin(phase) + 0.25 * std::sin(2 * phase + 1.3)));
    }
    case Kind::Roll: {
        const double share = std::max(place.y / m_size.y, -0.3), scale = rowScale(share),
                     row = m_size.y / (0.75 * m_values.size) * std::log(scale);
        const double across = place.x / (3 * m_values.size * scale);
        return V2d(0, amount * scale * std::sin(turn * (row - m_turns) + 1.2 * std::sin(turn * across)));
    }
    }
    return V2d(0);
}

namespace {

/// Mattes as a picture: white, of their alpha.
class MatteSource : public media::PixelSource {
public:
    MatteSource(const motion::Pixels& pixels, std::vector<scene::Matte> mattes)
        : PixelSource("where\n" + media::contentOf(*pixels.layer, pixels.footage.frame)->key() +
                          keyOf(mattes, pixels),
                      pixels.layer->pixels, Granularity::ByBox),
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
                      below->size(), Granularity::EveryLevel, Retention::Short),
          m_below(std::move(below)), m_field(displacement, pixels.layer->pixels, pixels.time),
          m_natural(pixels.layer->pixels), m_amount(displacement.amount),
          // Looked at in steps that are small against what moves alike.
          m_step(std::clamp(displacement.size / 12, 1.0, 16.0)) {
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
        // The field at the corners of cells, and evenly in between.
        const int step = std::max(1, static_cast<int>(m_step * std::min(scale.x, scale.y)));
        const int across = of.x / step + 2, down = of.y / step + 2;
        std::vector<float> byX(static_cast<std::size_t>(across) * down), byY(byX.size());
        for (int j = 0; j < down; ++j)
            for (int i = 0; i < across; ++i) {
                const V2d by =
                    m_field.at(V2d(box.x0 + i * step + 0.5, box.y0 + j * step + 0.5) / scale) * scale;
                const auto n = static_cast<std::size_t>(j) * across + i;
                byX[n] = static_cast<float>(by.x), byY[n] = static_cast<float>(by.y);
            }
        Raster out = Raster::unfilled(of);
        std::vector<float> u(static_cast<std::size_t>(across) * step), v(u.size());
        const float each = 1 / static_cast<float>(step);
        for (int y = 0; y < of.y; ++y) {
            const auto row = static_cast<std::size_t>(y / step) * across;
            const float fy = static_cast<float>(y % step) * each;
            const auto across_ = static_cast<std::size_t>(across);
            const auto at = [&](const std::vector<float>& by, std::size_t i) {
                return by[row + i] + (by[row + across_ + i] - by[row + i]) * fy;
            };
            const auto fromX = static_cast<float>(box.x0 - around.x0),
                       fromY = static_cast<float>(box.y0 - around.y0 + y);
            for (std::size_t i = 0; i + 1 < across_; ++i) {
                const float x0 = at(byX, i), y0 = at(byY, i), dx = (at(byX, i + 1) - x0) * each,
                            dy = (at(byY, i + 1) - y0) * each;
                const auto first = static_cast<std::size_t>(step) * i;
                for (int k = 0; k < step; ++k) {
                    const auto t = static_cast<float>(k);
                    u[first + static_cast<std::size_t>(k)] = x0 + dx * t;
                    v[first + static_cast<std::size_t>(k)] = y0 + dy * t;
                }
            }
            const float* share =
                strength.empty() ? nullptr : strength.data() + static_cast<std::size_t>(y) * of.x;
            for (int x = 0; x < of.x; ++x) {
                const auto n = static_cast<std::size_t>(x);
                const float kept = share ? share[x] : 1;
                u[n] = fromX + static_cast<float>(x) - kept * u[n], v[n] = fromY - kept * v[n];
            }
            media::sampledTexels(reinterpret_cast<const std::uint16_t*>(below->rgba.data()), from.x, from.y,
                                 u.data(), v.data(), of.x, reinterpret_cast<std::uint16_t*>(out.row(y)));
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
    double m_amount, m_step;
};

}

PixelSourcePtr displaced(const motion::Pixels& pixels, PixelSourcePtr below) {
    if (!below) return below;
    for (const scene::Displacement& each : pixels.displacements)
        below = std::make_shared<DisplacedSource>(std::move(below), pixels, each);
    return below;
}

}
