#include "motion/particles.h"

#include "scene/chance.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace stage::motion {
namespace {

/// What is drawn by chance; those of turbulence have a seed of their own.
enum Purpose {
    Phase,
    LifeTime,
    Size,
    Speed,
    Cone,
    ConeTurn,
    Spin,
    SpinWay,
    Angle,
    Flutter,
    Pick,
    Tumble,
    PlaceX,
    PlaceY,
    PlaceZ
};

/// Root mean square of the curl of three fields of gradient noise, per lattice step (measured).
constexpr double curlRms = 1.76;

/// Between -1 and 1.
double eitherWay(double chance) {
    return 2 * chance - 1;
}

double wrapped(double at, double side) {
    return side > 0 ? at - side * std::floor(at / side + 0.5) : 0;
}

/// A gradient of four dimensions: the middles of the 32 edges of a hypercube.
struct Gradient {
    double x, y, z, w;
    explicit Gradient(unsigned bits) {
        const auto sign = [&](unsigned bit) { return bits & bit ? -1.0 : 1.0; };
        const double a = sign(1), b = sign(2), c = sign(4);
        switch (bits >> 3 & 3) {
        case 0:
            x = 0, y = a, z = b, w = c;
            break;
        case 1:
            x = a, y = 0, z = b, w = c;
            break;
        case 2:
            x = a, y = b, z = 0, w = c;
            break;
        default:
            x = a, y = b, z = c, w = 0;
        }
    }
};

double smooth(double t) {
    return t * t * t * (t * (t * 6 - 15) + 10);
}
double slopeOfSmooth(double t) {
    return 30 * t * t * (t - 1) * (t - 1);
}

/// The curl of three fields at a place of the lattice. steps: after so many of time it is as at 0; 0: never.
V3d curlNoise(std::int64_t seed, const V3d& place, double time, std::int64_t steps) {
    const std::array<double, 4> at{place.x, place.y, place.z, time};
    std::array<std::int64_t, 4> cell;
    std::array<std::array<double, 2>, 4> weight, slope;
    std::array<double, 4> within;
    for (std::size_t i = 0; i < 4; ++i) {
        const double low = std::floor(at[i]);
        cell[i] = static_cast<std::int64_t>(low);
        within[i] = at[i] - low;
        const double s = smooth(within[i]), d = slopeOfSmooth(within[i]);
        weight[i] = {1 - s, s};
        slope[i] = {-d, d};
    }
    V3d of[3] = {V3d(0), V3d(0), V3d(0)}; // gradients of the fields
    for (unsigned corner = 0; corner < 16; ++corner) {
        const std::array<std::size_t, 4> c{corner & 1, corner >> 1 & 1, corner >> 2 & 1, corner >> 3 & 1};
        std::int64_t step = cell[3] + static_cast<std::int64_t>(c[3]);
        if (steps > 0) step = (step % steps + steps) % steps;
        const std::int64_t number = (((cell[0] + static_cast<std::int64_t>(c[0])) * 73'856'093) ^
                                     ((cell[1] + static_cast<std::int64_t>(c[1])) * 19'349'663) ^
                                     ((cell[2] + static_cast<std::int64_t>(c[2])) * 83'492'791)) +
                                    step * 4'294'967'311;
        auto bits = static_cast<unsigned>(scene::chance(seed, number) * 32'768);
        const double wx = weight[0][c[0]], wy = weight[1][c[1]], wz = weight[2][c[2]], ww = weight[3][c[3]];
        const V3d slopes(slope[0][c[0]] * wy * wz * ww, wx * slope[1][c[1]] * wz * ww,
                         wx * wy * slope[2][c[2]] * ww);
        const double all = wx * wy * wz * ww;
        for (V3d& field : of) {
            const Gradient g(bits & 31);
            bits >>= 5;
            const double along = g.x * (within[0] - static_cast<double>(c[0])) +
                                 g.y * (within[1] - static_cast<double>(c[1])) +
                                 g.z * (within[2] - static_cast<double>(c[2])) +
                                 g.w * (within[3] - static_cast<double>(c[3]));
            field += slopes * along + V3d(g.x, g.y, g.z) * all;
        }
    }
    return {of[2].y - of[1].z, of[0].z - of[2].x, of[1].x - of[0].y};
}

/// A direction turned away from an axis (of length 1) by an angle, round it by another one; radians.
V3d turnedFrom(const V3d& axis, double off, double round) {
    const V3d other = std::abs(axis.y) < 0.9 ? V3d(0, 1, 0) : V3d(1, 0, 0);
    const V3d u = axis.cross(other).normalized(), v = axis.cross(u);
    return axis * std::cos(off) + (u * std::cos(round) + v * std::sin(round)) * std::sin(off);
}

}

struct ParticleSystem::Life {
    int index;
    std::int64_t number; ///< how many it has had; over a loop they repeat
    double length, age;  ///< seconds
};

ParticleSystem::ParticleSystem(const scene::Particles& particles)
    : m_particles(particles), m_loop(std::max(0.0, particles.loop.toDouble())),
      m_change(particles.turbulence.change) {
    if (m_loop > 0 && m_change > 0) {
        m_changes = std::max<std::int64_t>(1, std::llround(m_change * m_loop));
        m_change = static_cast<double>(m_changes) / m_loop;
    }
}

double ParticleSystem::chance(const Life& life, int purpose) const {
    return scene::chance(m_particles.seed + life.number * 1'000'003, life.index, purpose);
}

ParticleSystem::Life ParticleSystem::lifeOf(int index, double seconds) const {
    const auto own = [&](int purpose) { return scene::chance(m_particles.seed, index, purpose); };
    double length = m_particles.life * (1 + m_particles.lifeSpread * eitherWay(own(LifeTime)));
    std::int64_t lives = 0;
    if (m_loop > 0) {
        lives = std::max<std::int64_t>(1, std::llround(m_loop / length));
        length = m_loop / static_cast<double>(lives);
    }
    const double at = seconds / length + own(Phase), whole = std::floor(at);
    auto number = static_cast<std::int64_t>(whole);
    if (lives > 0) number = (number % lives + lives) % lives;
    return {index, number, length, (at - whole) * length};
}

V3d ParticleSystem::velocityOf(const Life& life) const {
    const double speed = m_particles.velocity.length();
    if (!(speed > 0)) return m_particles.wind;
    // Evenly over the cap of a sphere.
    const double widest = 1 - std::cos(radians(m_particles.directionSpread)),
                 off = std::acos(std::clamp(1 - chance(life, Cone) * widest, -1.0, 1.0)),
                 own = speed * (1 + m_particles.speedSpread * eitherWay(chance(life, Speed)));
    return turnedFrom(m_particles.velocity / speed, off, 2 * std::numbers::pi * chance(life, ConeTurn)) *
               own +
           m_particles.wind;
}

V3d ParticleSystem::turbulenceAt(const V3d& place, double seconds) const {
    const scene::Turbulence& turbulence = m_particles.turbulence;
    if (!(turbulence.amount > 0)) return V3d(0);
    return curlNoise(m_particles.seed + 7919, place / turbulence.size, seconds * m_change, m_changes) *
           (turbulence.amount / curlRms);
}

Particle ParticleSystem::at(int index, Rational time, double halfExposure, const V3d& moved) const {
    const double seconds = time.within(m_particles.loop).toDouble();
    const Life life = lifeOf(index, seconds);
    const V3d begin(eitherWay(chance(life, PlaceX)) / 2 * m_particles.box.x,
                    eitherWay(chance(life, PlaceY)) / 2 * m_particles.box.y,
                    eitherWay(chance(life, PlaceZ)) / 2 * m_particles.box.z);
    const V3d velocity = velocityOf(life), fall(0, -m_particles.gravity / 2, 0);
    const auto free = [&](double age) { return begin + velocity * age + fall * (age * age); };
    const V3d now = free(life.age) - moved,
              here(wrapped(now.x, m_particles.box.x), wrapped(now.y, m_particles.box.y),
                   wrapped(now.z, m_particles.box.z));
    // Before and after, on the way that it is on now.
    const auto after = [&](double by) {
        const V3d place = free(life.age + by) - moved + (here - now);
        return place + turbulenceAt(place + moved, seconds + by);
    };
    Particle particle;
    particle.place = particle.open = particle.close = here + turbulenceAt(here + moved, seconds);
    if (halfExposure > 0) particle.open = after(-halfExposure), particle.close = after(halfExposure);
    particle.size = m_particles.size * (1 + m_particles.sizeSpread * eitherWay(chance(life, Size)));
    particle.share = life.age / life.length;
    const double way = chance(life, SpinWay) < 0.5 ? -1 : 1;
    particle.angle =
        2 * std::numbers::pi * chance(life, Angle) * (m_particles.spin != 0 ? 1 : 0) +
        way * radians(m_particles.spin * (1 + m_particles.spinSpread * eitherWay(chance(life, Spin)))) *
            life.age +
        radians(m_particles.flutter) *
            std::sin(2 * std::numbers::pi * (m_particles.flutterRate * life.age + chance(life, Flutter)));
    particle.tumble = 2 * std::numbers::pi * chance(life, Tumble) +
                      way * radians(m_particles.spin) * (0.4 + 0.6 * chance(life, Spin)) * life.age;
    particle.way = velocity + fall * (2 * life.age);
    particle.pick = chance(life, Pick);
    return particle;
}

}
