#include "render/lens_points.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace stage::render {
namespace {

std::uint32_t reversed(std::uint32_t x) {
    x = (x << 16) | (x >> 16);
    x = ((x & 0x00ff00ffu) << 8) | ((x & 0xff00ff00u) >> 8);
    x = ((x & 0x0f0f0f0fu) << 4) | ((x & 0xf0f0f0f0u) >> 4);
    x = ((x & 0x33333333u) << 2) | ((x & 0xccccccccu) >> 2);
    return ((x & 0x55555555u) << 1) | ((x & 0xaaaaaaaau) >> 1);
}

/// Laine and Karras's permutation, with Vegdahl's constants.
std::uint32_t scrambled(std::uint32_t x, std::uint32_t seed) {
    x = reversed(x);
    x ^= x * 0x3d20adeau;
    x += seed;
    x *= (seed >> 16) | 1;
    x ^= x * 0x05526c56u;
    x ^= x * 0x53a22864u;
    return reversed(x);
}

/// Direction numbers of Sobol's first four dimensions (Joe and Kuo 2008: s, a, m).
std::uint32_t sobol(std::uint32_t index, int dimension) {
    if (dimension == 0) return reversed(index);
    struct Polynomial {
        int s;
        std::uint32_t a;
        std::array<std::uint32_t, 3> m;
    };
    constexpr Polynomial known[3] = {{1, 0, {1, 0, 0}}, {2, 1, {1, 3, 0}}, {3, 1, {1, 3, 1}}};
    const Polynomial& p = known[dimension - 1];
    std::uint32_t direction[32];
    for (int i = 0; i < 32; ++i) {
        if (i < p.s) {
            direction[i] = p.m[static_cast<std::size_t>(i)] << (31 - i);
            continue;
        }
        direction[i] = direction[i - p.s] ^ (direction[i - p.s] >> p.s);
        for (int k = 1; k < p.s; ++k)
            direction[i] ^= ((p.a >> (p.s - 1 - k)) & 1) * direction[i - k];
    }
    std::uint32_t x = 0;
    for (int bit = 0; index; index >>= 1, ++bit)
        if (index & 1) x ^= direction[bit];
    return x;
}

/// Ulichney's void and cluster. A function of its own, not a lambda at its only call: GCC tries to work those
/// out while compiling, which takes half a minute.
BlueNoise makeBlueNoise() {
    constexpr int side = BlueNoise::side, all = side * side, reach = 9;
    constexpr double sigma = 1.9;
    // How crowded each place is: a sum of bells around the points set.
    std::array<double, (2 * reach + 1) * (2 * reach + 1)> bell;
    for (int y = -reach; y <= reach; ++y)
        for (int x = -reach; x <= reach; ++x)
            bell[static_cast<std::size_t>((y + reach) * (2 * reach + 1) + x + reach)] =
                std::exp(-(x * x + y * y) / (2 * sigma * sigma));
    std::array<double, all> crowd{};
    // The first of the most crowded places among those that are set, or of the least among those that are
    // not. Of each row its own is remembered until something near it changes.
    constexpr double none = -1e300; // and all that is added to it
    struct Extreme {
        double sign;
        std::array<double, all> among;   ///< 0, or none
        std::array<double, side> most{}; ///< of a row, times the sign
        std::array<bool, side> known{};
    };
    Extreme clusters{1}, voids{-1};
    clusters.among.fill(none), voids.among.fill(0);
    const auto rowOf = [&](int row) { return static_cast<std::size_t>(row & (side - 1)) * side; };
    const auto put = [&](int at, bool on) {
        clusters.among[static_cast<std::size_t>(at)] = on ? 0 : none;
        voids.among[static_cast<std::size_t>(at)] = on ? none : 0;
        const int px = at % side, py = at / side;
        for (int y = -reach; y <= reach; ++y) {
            const auto row = static_cast<std::size_t>((py + y) & (side - 1));
            clusters.known[row] = voids.known[row] = false;
            double* const to = crowd.data() + rowOf(py + y);
            const double* const from = bell.data() + (y + reach) * (2 * reach + 1);
            for (int x = 0; x <= 2 * reach; ++x)
                to[(px + x - reach) & (side - 1)] += on ? from[x] : -from[x];
        }
    };
    const auto valueIn = [&](const Extreme& e, std::size_t at) { return e.sign * crowd[at] + e.among[at]; };
    const auto extreme = [&](Extreme& e) {
        for (std::size_t row = 0; row < side; ++row) {
            if (e.known[row]) continue;
            e.known[row] = true;
            constexpr std::size_t lanes = 8; // side by side, so that they need not wait for each other
            double most[lanes];
            std::fill_n(most, lanes, none);
            for (std::size_t i = 0; i < side; i += lanes)
                for (std::size_t k = 0; k < lanes; ++k)
                    most[k] = std::max(most[k], valueIn(e, row * side + i + k));
            e.most[row] = *std::max_element(most, most + lanes);
        }
        const auto row = std::max_element(e.most.begin(), e.most.end()) - e.most.begin();
        std::size_t at = static_cast<std::size_t>(row) * side;
        while (valueIn(e, at) != e.most[static_cast<std::size_t>(row)])
            ++at;
        return static_cast<int>(at);
    };
    const auto cluster = [&] { return extreme(clusters); };
    const auto voidest = [&] { return extreme(voids); };
    std::uint32_t random = 12345;
    int first = 0;
    while (first < all / 10) {
        random = random * 1664525u + 1013904223u;
        const int at = static_cast<int>(random >> 20) % all;
        if (clusters.among[static_cast<std::size_t>(at)] == 0) continue;
        put(at, true);
        ++first;
    }
    for (;;) { // even them out
        const int from = cluster();
        put(from, false);
        const int to = voidest();
        put(to, true);
        if (from == to) break;
    }
    BlueNoise noise{};
    const auto begun = voids;
    const auto crowded = crowd;
    for (int rank = first - 1; rank >= 0; --rank) {
        const int at = cluster();
        put(at, false);
        noise.value[static_cast<std::size_t>(at)] = static_cast<float>(rank);
    }
    voids = begun, crowd = crowded;
    for (int rank = first; rank < all; ++rank) {
        const int at = voidest();
        put(at, true);
        noise.value[static_cast<std::size_t>(at)] = static_cast<float>(rank);
    }
    for (float& value : noise.value)
        value = (value + 0.5f) / all;
    return noise;
}

}

RayPoints rayPoints(int count) {
    RayPoints points;
    points.count = std::max(1, (count + RayPoints::step - 1) / RayPoints::step) * RayPoints::step;
    std::vector<float>* const axes[4] = {&points.u, &points.v, &points.t, &points.a};
    for (int axis = 0; axis < 4; ++axis) {
        axes[axis]->resize(static_cast<std::size_t>(points.count));
        const std::uint32_t seed = 0x9e3779b9u * static_cast<std::uint32_t>(axis + 1);
        for (int i = 0; i < points.count; ++i) {
            const std::uint32_t x = scrambled(sobol(static_cast<std::uint32_t>(i), axis), seed);
            (*axes[axis])[static_cast<std::size_t>(i)] = static_cast<float>(x >> 8) / 16777216.f;
        }
    }
    return points;
}

const BlueNoise& blueNoise() {
    static const BlueNoise made = makeBlueNoise();
    return made;
}

std::array<float, 2> onOpening(const Opening& opening, float u, float v) {
    if (opening.blades >= 3) {
        const float n = static_cast<float>(opening.blades), sector = std::min(std::floor(u * n), n - 1);
        const float r = std::sqrt(u * n - sector), each = 2 * std::numbers::pi_v<float> / n;
        const float from = opening.turn + sector * each, to = from + each;
        return {r * ((1 - v) * std::cos(from) + v * std::cos(to)),
                r * ((1 - v) * std::sin(from) + v * std::sin(to))};
    }
    const float a = 2 * u - 1, b = 2 * v - 1;
    if (a == 0 && b == 0) return {0, 0};
    constexpr float quarter = std::numbers::pi_v<float> / 4;
    if (std::abs(a) > std::abs(b)) return {a * std::cos(quarter * b / a), a * std::sin(quarter * b / a)};
    return {b * std::sin(quarter * a / b), b * std::cos(quarter * a / b)};
}

double openingShare(const Opening& opening) {
    if (opening.blades < 3) return 1;
    const double n = opening.blades;
    return n * std::sin(2 * std::numbers::pi / n) / (2 * std::numbers::pi);
}

}
