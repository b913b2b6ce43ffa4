#include "render/cloud_density.h"

#include "render/cloud_way.h"
#include "scene/chance.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace stage::render {
namespace {

constexpr double finer = 2.1; ///< each octave than the one before
/// Of one octave of value noise between smooth steps, which its spread is brought to 1 with (measured).
constexpr double spread = 0.19;

/// Turned about two axes, by another angle for each octave, so that lattices do not show together.
V3d turned(const V3d& p, int octave) {
    const double a = 0.61 + 1.13 * octave, b = 0.37 + 0.79 * octave;
    const double ca = std::cos(a), sa = std::sin(a), cb = std::cos(b), sb = std::sin(b);
    const double x = ca * p.x - sa * p.z, z = sa * p.x + ca * p.z;
    return {x, cb * p.y - sb * z, sb * p.y + cb * z};
}

}

CloudDensity::CloudDensity(const scene::Cloud& cloud, Rational time) : m_cloud(cloud) {
    const double loop = std::max(0.0, cloud.loop.toDouble());
    const double seconds = time.within(cloud.loop).toDouble();
    if (even()) return;
    // One pair of lattices serves all octaves, which are turned against each other.
    std::array<std::vector<float>, 4> values;
    const bool repeats = loop > 0 && cloud.drift.length() > 0;
    for (std::size_t which = 0; which < (repeats ? 4u : 2u); ++which) {
        values[which].resize(side * side * side);
        for (std::size_t i = 0; i < values[which].size(); ++i)
            values[which][i] = static_cast<float>(
                scene::chance(cloud.seed, static_cast<std::int64_t>(i), static_cast<int>(which)) * 2 - 1);
    }
    double size = cloud.size, weight = 1, sum = 0;
    for (int o = 0; o < octaves; ++o, size /= finer, weight *= 0.25 + 0.4 * cloud.detail) {
        if (o > 0 && cloud.detail <= 0) break;
        Octave octave{size, weight};
        octave.x = turned(V3d(1, 0, 0) / size, o), octave.y = turned(V3d(0, 1, 0) / size, o),
        octave.z = turned(V3d(0, 0, 1) / size, o);
        octave.shift = V3d(7.3, 3.1, 11.7) * o;
        sum += weight * weight;
        double cycles = cloud.change * (1 + 0.8 * o);
        if (loop > 0) cycles = std::round(cycles * loop) / loop;
        const double angle = 2 * std::numbers::pi * (cycles * seconds + 0.37 * o);
        const auto mixed = [&](double a, double b, std::size_t first, const V3d& drift) {
            Layer layer{std::vector<float>(side * side * side), turned(drift / size, o)};
            const auto fa = static_cast<float>(a), fb = static_cast<float>(b);
            for (std::size_t i = 0; i < layer.values.size(); ++i)
                layer.values[i] = fa * values[first][i] + fb * values[first + 1][i];
            octave.layers.push_back(std::move(layer));
        };
        if (repeats) {
            // Two that take turns: of each the way goes from -loop / 2 to loop / 2, and while it jumps back
            // it does not count.
            for (std::size_t n = 0; n < 2; ++n) {
                double phase = seconds / loop + 0.5 * static_cast<double>(n);
                phase -= std::floor(phase);
                const double counts = std::sin(std::numbers::pi * phase);
                mixed(counts * std::cos(angle), counts * std::sin(angle), 2 * n,
                      cloud.drift * ((phase - 0.5) * loop));
            }
        } else {
            mixed(std::cos(angle), std::sin(angle), 0, cloud.drift * seconds);
        }
        m_octaves.push_back(std::move(octave));
    }
    for (Octave& octave : m_octaves)
        octave.weight *= spread / (0.33 * std::sqrt(sum));
}

void CloudDensity::along(const Way& way, int count, float* out) const {
    std::fill_n(out, mostPlaces, 0.f);
    for (const Octave& octave : m_octaves)
        for (const Layer& layer : octave.layers) {
            const auto cells = [&](const V3d& v) { return octave.x * v.x + octave.y * v.y + octave.z * v.z; };
            const V3d at = cells(way.from + way.moved + way.along * way.first) + octave.shift - layer.drift,
                      step = cells(way.along * way.step);
            Line line{layer.values.data(),
                      {},
                      {},
                      static_cast<float>(octave.size),
                      static_cast<float>(octave.weight),
                      static_cast<float>(way.first),
                      static_cast<float>(way.step),
                      static_cast<float>(way.least),
                      static_cast<float>(way.perDepth)};
            for (int i = 0; i < 3; ++i) {
                line.at[i] = static_cast<float>(at[i] - side * std::floor(at[i] / side));
                // On a way of more cells than that nothing of the octave is left.
                line.step[i] = static_cast<float>(std::clamp(step[i], -1e4, 1e4));
            }
            addOctave(line, count, out);
        }
    // Coverage 0.5 is where the noise is above its mean.
    Thinning thinning{static_cast<float>(m_cloud.density),
                      even(),
                      static_cast<float>(m_cloud.coverage - 0.5),
                      0.18f,
                      !sharp(),
                      {},
                      {},
                      {}};
    for (int i = 0; i < 3 && !sharp(); ++i) {
        const double border = m_cloud.border * m_cloud.box[i] / 2;
        thinning.half[i] = static_cast<float>(1 / m_cloud.border);
        thinning.at[i] = static_cast<float>((way.from[i] + way.along[i] * way.first) / border);
        thinning.step[i] = static_cast<float>(way.along[i] * way.step / border);
    }
    thinOut(thinning, count, out);
}

}
