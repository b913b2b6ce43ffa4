#include "support/photographs.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>

namespace stage::test {
namespace {

using Rgb = std::array<double, 3>; // encoded, 0..1

double hash(int x, int y, int seed) {
    auto h = static_cast<std::uint32_t>(x) * 374761393u + static_cast<std::uint32_t>(y) * 668265263u +
             static_cast<std::uint32_t>(seed) * 2246822519u;
    h = (h ^ (h >> 13)) * 1274126177u;
    return static_cast<double>((h ^ (h >> 16)) & 0xFFFFFF) / 0xFFFFFF;
}

double noise(double x, double y, int seed) {
    const double fx = std::floor(x), fy = std::floor(y);
    const auto smooth = [](double t) { return t * t * (3 - 2 * t); };
    const double u = smooth(x - fx), v = smooth(y - fy);
    const int ix = static_cast<int>(fx), iy = static_cast<int>(fy);
    const double a = hash(ix, iy, seed), b = hash(ix + 1, iy, seed), c = hash(ix, iy + 1, seed),
                 d = hash(ix + 1, iy + 1, seed);
    return (a + (b - a) * u) * (1 - v) + (c + (d - c) * u) * v;
}

double cloud(double x, double y, int seed, int octaves = 5) {
    double sum = 0, weight = 0.5, total = 0;
    for (int i = 0; i < octaves; ++i, weight *= 0.55, x *= 2.03, y *= 2.03) {
        sum += weight * noise(x, y, seed + i);
        total += weight;
    }
    return sum / total;
}

Rgb mix(const Rgb& a, const Rgb& b, double f) {
    f = std::clamp(f, 0.0, 1.0);
    return {a[0] + (b[0] - a[0]) * f, a[1] + (b[1] - a[1]) * f, a[2] + (b[2] - a[2]) * f};
}
Rgb scaled(const Rgb& a, double f) {
    return {a[0] * f, a[1] * f, a[2] * f};
}

/// Distance from a soft-edged shape turned into coverage: inside below 0, px.
double cover(double distance) {
    return std::clamp(0.5 - distance / 1.4, 0.0, 1.0);
}

using Shade = std::function<Rgb(double x, double y)>;    ///< place in 0..1 of the height, x to the right
using Shape = std::function<double(double x, double y)>; ///< signed distance, in heights

struct Thing {
    Shade shade;
    Shape shape;
};

Photograph paint(std::string name, V2i size, const Shade& ground, const Thing* middle, const Thing& near) {
    Photograph photo;
    photo.name = std::move(name);
    for (media::Raster* raster : {&photo.picture, &photo.behind, &photo.far})
        *raster = media::Raster(size);
    const double unit = size.y;
    const auto put = [](media::Raster& to, int x, int y, const std::array<float, 3>& linear) {
        for (int c = 0; c < 3; ++c)
            to.row(y)[4 * x + c] = linear[static_cast<std::size_t>(c)];
        to.row(y)[4 * x + 3] = 1.f;
    };
    for (int y = 0; y < size.y; ++y)
        for (int x = 0; x < size.x; ++x) {
            const double u = (x + 0.5) / unit, v = (y + 0.5) / unit;
            const double grain = (hash(x, y, 91) - 0.5) * 0.03; // the sensor's
            const auto linear = [&](const Rgb& c) {
                std::array<float, 3> out{};
                for (std::size_t i = 0; i < 3; ++i)
                    out[i] = media::linearFromSrgb(static_cast<float>(std::clamp(c[i] + grain, 0.0, 1.0)));
                return out;
            };
            const auto over = [&](std::array<float, 3> below, const Thing& thing, double a) {
                const auto top = linear(thing.shade(u, v));
                for (std::size_t i = 0; i < 3; ++i)
                    below[i] += (top[i] - below[i]) * static_cast<float>(a);
                return below;
            };
            auto colour = linear(ground(u, v));
            put(photo.far, x, y, colour);
            const double m = middle ? cover(middle->shape(u, v) * unit) : 0;
            if (middle) colour = over(colour, *middle, m);
            put(photo.behind, x, y, colour);
            const double n = cover(near.shape(u, v) * unit);
            put(photo.picture, x, y, over(colour, near, n));
            photo.near.push_back(static_cast<float>(n));
            photo.middle.push_back(static_cast<float>(m));
        }
    return photo;
}

/// A loop some way outside of a box, shaky as a hand's. Places in heights.
std::vector<V2d> looped(double x0, double y0, double x1, double y1, double unit, int seed) {
    std::vector<V2d> loop;
    const int count = 28;
    for (int i = 0; i < count; ++i) {
        const double t = 2 * std::numbers::pi * i / count;
        // a rounded box: the larger of the two reaches decides
        const double c = std::cos(t), s = std::sin(t),
                     reach = 1 / std::pow(std::pow(std::abs(c), 6) + std::pow(std::abs(s), 6), 1 / 6.0);
        const double shaky = 1.08 + 0.05 * (hash(i, 0, seed) - 0.5);
        loop.emplace_back(((x0 + x1) / 2 + (x1 - x0) / 2 * c * reach * shaky) * unit,
                          ((y0 + y1) / 2 + (y1 - y0) / 2 * s * reach * shaky) * unit);
    }
    return loop;
}

}

std::vector<Photograph> photographs(V2i size) {
    std::vector<Photograph> all;
    const double unit = size.y, w = static_cast<double>(size.x) / size.y;

    // ---- a meadow under a cloudy sky, a red shed, a tree before it
    const Shade meadow = [](double x, double y) {
        const double hill = 0.46 + 0.05 * std::sin(x * 2.3) + 0.02 * std::sin(x * 7.1);
        if (y < hill) {
            const Rgb sky = mix({0.42, 0.60, 0.84}, {0.80, 0.86, 0.92}, y / hill);
            return mix(sky, {0.95, 0.95, 0.96}, std::pow(cloud(x * 2.6, y * 5, 3), 2) * 1.7 - 0.35);
        }
        const double near = (y - hill) / (1 - hill), fine = 8 + 60 * (1 - near);
        const Rgb grass = mix({0.42, 0.52, 0.26}, {0.26, 0.42, 0.12}, near);
        const double blades = cloud(x * fine * 2, y * fine * 0.7, 11, 4) - 0.5;
        const double patches = cloud(x * 3, y * 6, 15) - 0.5;
        return scaled(mix(grass, {0.62, 0.60, 0.30}, patches * 1.2), 1 + blades * 0.8);
    };
    const Thing shed = {
        [](double x, double y) {
            const double board = std::abs(std::fmod(x * 24, 1.0) - 0.5) < 0.46 ? 1.0 : 0.6;
            if (y < 0.40) return scaled(Rgb{0.33, 0.30, 0.31}, 0.85 + 0.3 * cloud(x * 30, y * 60, 22, 3));
            return scaled(Rgb{0.58, 0.20, 0.15}, board * (0.8 + 0.4 * cloud(x * 12, y * 60, 21, 3)));
        },
        [w](double x, double y) {
            const double cx = x - 0.55 * w;
            const double walls = std::max(std::abs(cx) - 0.20, std::abs(y - 0.50) - 0.12);
            const double roof = std::max({std::abs(cx) * 0.42 + 0.27 - y, y - 0.40, std::abs(cx) - 0.24});
            return std::min(walls, roof);
        }};
    const Thing tree = {[](double x, double y) {
                            if (y > 0.62)
                                return scaled(Rgb{0.34, 0.26, 0.19}, 0.6 + 0.8 * cloud(x * 60, y * 8, 31, 4));
                            return scaled(Rgb{0.16, 0.28, 0.10}, 0.35 + 1.5 * cloud(x * 26, y * 26, 33, 5));
                        },
                        [w](double x, double y) {
                            const double cx = x - 0.40 * w;
                            const double trunk = std::max(std::abs(cx) - 0.022, std::abs(y - 0.74) - 0.16);
                            const double r = std::hypot(cx, (y - 0.44) * 0.86);
                            const double angle = std::atan2(y - 0.44, cx);
                            const double crown = r - 0.17 -
                                                 0.05 * (cloud(angle * 5 + 20, r * 9, 35, 4) - 0.5) -
                                                 0.012 * std::sin(angle * 31);
                            return std::min(trunk, crown);
                        }};
    all.push_back(paint("meadow", size, meadow, &shed, tree));
    all.back().nearLoop = looped(0.40 * w - 0.19, 0.24, 0.40 * w + 0.19, 0.91, unit, 41);
    all.back().middleLoop = looped(0.55 * w - 0.245, 0.26, 0.55 * w + 0.245, 0.63, unit, 42);

    // ---- a stone wall over a paved floor, a barrel before it
    const Shade wall = [](double x, double y) {
        if (y > 0.78) {
            const double gap = std::fmod((y - 0.78) * 14, 1.0) < 0.06 ? 0.6 : 1;
            return scaled(Rgb{0.42, 0.40, 0.38}, gap * (0.7 + 0.6 * cloud(x * 40, y * 40, 51, 5)));
        }
        const double rows = y * 9, row = std::floor(rows);
        const double across = x * 5 + 0.5 * std::fmod(row, 2.0) + 0.2 * hash(static_cast<int>(row), 0, 52);
        const double block = std::floor(across), bx = across - block, by = rows - row;
        const double rim = std::min({bx * 1.8, (1 - bx) * 1.8, by, 1 - by});
        const Rgb stone = mix({0.56, 0.52, 0.46}, {0.44, 0.43, 0.43},
                              hash(static_cast<int>(block), static_cast<int>(row), 53));
        const double texture = 0.72 + 0.56 * cloud(x * 34, y * 34, 54, 5);
        return scaled(rim < 0.06 ? Rgb{0.33, 0.31, 0.29} : stone, texture);
    };
    const Thing barrel = {
        [w](double x, double y) {
            const double cx = (x - 0.5 * w) / 0.17;
            const double light = 0.5 + 0.6 * std::sqrt(std::max(0.0, 1 - cx * cx * 0.9));
            const bool hoop = std::abs(y - 0.48) < 0.012 || std::abs(y - 0.82) < 0.012;
            const double stave =
                std::abs(std::fmod(std::asin(std::clamp(cx, -1.0, 1.0)) * 5 + 10, 1.0) - 0.5) < 0.47 ? 1
                                                                                                     : 0.6;
            return scaled(hoop ? Rgb{0.22, 0.22, 0.24} : Rgb{0.50, 0.33, 0.18},
                          light * stave * (0.75 + 0.5 * cloud(x * 90, y * 12, 61, 4)));
        },
        [w](double x, double y) {
            const double half = 0.17 - 0.22 * (y - 0.65) * (y - 0.65);
            return std::max(std::abs(x - 0.5 * w) - half, std::abs(y - 0.65) - 0.24);
        }};
    all.push_back(paint("wall", size, wall, nullptr, barrel));
    all.back().nearLoop = looped(0.5 * w - 0.18, 0.40, 0.5 * w + 0.18, 0.90, unit, 43);

    // ---- water and gravel, a boat
    const Shade shore = [](double x, double y) {
        const double edge = 0.55 + 0.02 * std::sin(x * 9) + 0.02 * cloud(x * 8, 0, 71);
        if (y < edge) {
            const double scale = 30 * (1.15 - y / edge);
            const double wave = cloud(x * scale * 0.5, y * scale * 3, 72, 4) - 0.5;
            return mix(mix({0.55, 0.62, 0.68}, {0.22, 0.36, 0.40}, y / edge), {0.85, 0.88, 0.9}, wave * 0.9);
        }
        // stones: the nearest of scattered points
        const double scale = 34;
        double first = 9, second = 9, tone = 0;
        const double px = x * scale, py = y * scale * 1.5;
        for (int dy = -1; dy <= 1; ++dy)
            for (int dx = -1; dx <= 1; ++dx) {
                const int ix = static_cast<int>(std::floor(px)) + dx,
                          iy = static_cast<int>(std::floor(py)) + dy;
                const double d = std::hypot(ix + hash(ix, iy, 73) - px, iy + hash(ix, iy, 74) - py);
                if (d < first)
                    second = first, first = d, tone = hash(ix, iy, 75);
                else
                    second = std::min(second, d);
            }
        return scaled(mix({0.40, 0.38, 0.36}, {0.66, 0.62, 0.55}, tone),
                      std::clamp((second - first) * 2.2 + 0.35, 0.0, 1.0) *
                          (0.85 + 0.3 * cloud(x * 80, y * 80, 76, 3)));
    };
    const Thing boat = {[](double x, double y) {
                            const double plank = std::fmod(y * 38, 1.0) < 0.1 ? 0.7 : 1;
                            return scaled(y < 0.545 ? Rgb{0.86, 0.84, 0.78} : Rgb{0.16, 0.32, 0.46},
                                          plank * (0.85 + 0.3 * cloud(x * 40, y * 90, 81, 3)));
                        },
                        [w](double x, double y) {
                            const double cx = (x - 0.52 * w) / 0.42;
                            const double keel = 0.70 - 0.14 * cx * cx * cx * cx;
                            const double rail = 0.53 - 0.06 * cx * cx;
                            return std::max({rail - y, y - keel, (std::abs(cx) - 1) * 0.42});
                        }};
    all.push_back(paint("shore", size, shore, nullptr, boat));
    all.back().nearLoop = looped(0.52 * w - 0.43, 0.46, 0.52 * w + 0.43, 0.71, unit, 44);
    return all;
}

}
