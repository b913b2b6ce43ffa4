// Particles against formulas of their own: where they are, that the box is filled evenly at any time, loops
// to the bit, and turbulence that gathers nothing.
#include "motion/particles.h"

#include <cmath>
#include <gtest/gtest.h>
#include <vector>

namespace stage::motion {
namespace {

scene::Particles rain() {
    scene::Particles particles;
    particles.count = 200;
    particles.lifeSpread = particles.speedSpread = particles.directionSpread = 0;
    return particles;
}

/// The nearest way from one place to another in a box whose sides meet.
V3d way(const V3d& from, const V3d& to, const V3d& box) {
    V3d d = to - from;
    d.x -= box.x * std::round(d.x / box.x);
    d.y -= box.y * std::round(d.y / box.y);
    d.z -= box.z * std::round(d.z / box.z);
    return d;
}

TEST(Particles, FallAsStonesDo) {
    scene::Particles values = rain();
    values.velocity = {0.2, -0.5, 0.1};
    values.wind = {0.3, 0, 0};
    values.gravity = 0.7;
    const ParticleSystem system(values);
    int compared = 0;
    for (int i = 0; i < values.count; ++i) {
        const Rational t0(7, 4), t1(9, 4);
        const Particle a = system.at(i, t0), b = system.at(i, t1);
        if (b.share < a.share) continue; // it lives anew
        const double age0 = a.share * 5, age1 = b.share * 5;
        EXPECT_NEAR(age1 - age0, 0.5, 1e-9);
        const V3d expected(0.5 * 0.5, -0.5 * 0.5 - 0.35 * (age1 * age1 - age0 * age0), 0.1 * 0.5);
        EXPECT_LT(way(a.place + expected, b.place, values.box).length(), 1e-9) << i;
        ++compared;
    }
    EXPECT_GT(compared, 150);
}

TEST(Particles, LiveAgainElsewhere) {
    scene::Particles values = rain();
    values.velocity = V3d(0);
    values.life = 2;
    const ParticleSystem system(values);
    int anew = 0;
    for (int i = 0; i < values.count; ++i) {
        const Particle a = system.at(i, 0), b = system.at(i, 1), c = system.at(i, 2);
        const bool same = b.share > a.share;
        EXPECT_EQ(a.place == b.place, same);
        EXPECT_EQ(a.pick == b.pick, same);
        EXPECT_NE(a.place, c.place);
        EXPECT_NEAR(a.share, c.share, 1e-12);
        anew += !same;
    }
    EXPECT_NEAR(anew, 100, 3 * std::sqrt(50)); // half of them within half a life
}

TEST(Particles, FillTheBoxEvenlyAtAnyTime) {
    for (const double turbulence : {0.0, 0.15}) {
        scene::Particles values;
        values.count = scene::Particles::most;
        values.velocity = {0.4, -0.7, 0.2};
        values.gravity = 0.3;
        values.turbulence = {turbulence, 1.5, 0.3};
        const ParticleSystem system(values);
        for (const Rational time : {Rational(0), Rational(37, 10), Rational(1000)}) {
            constexpr int side = 4;
            std::vector<int> cells(side * side * side);
            double young = 0;
            int inside = 0;
            for (int i = 0; i < values.count; ++i) {
                const Particle particle = system.at(i, time);
                const auto cell = [&](double at, double length) {
                    return static_cast<int>(std::floor((at / length + 0.5) * side));
                };
                const int x = cell(particle.place.x, values.box.x), y = cell(particle.place.y, values.box.y),
                          z = cell(particle.place.z, values.box.z);
                young += particle.share;
                if (std::min({x, y, z}) < 0 || std::max({x, y, z}) >= side) continue;
                ++cells[static_cast<std::size_t>((z * side + y) * side + x)];
                ++inside;
            }
            if (turbulence == 0) {
                EXPECT_EQ(inside, values.count);
            }
            // Turbulence takes some beyond the sides, which are left out: the cells inside are compared.
            double sum = 0, squares = 0;
            int counted = 0;
            for (int z = 1; z < side - 1; ++z)
                for (int y = 1; y < side - 1; ++y)
                    for (int x = 1; x < side - 1; ++x) {
                        const double count = cells[static_cast<std::size_t>((z * side + y) * side + x)];
                        const double expected = values.count / std::pow(side, 3);
                        sum += count;
                        squares += (count - expected) * (count - expected) / expected;
                        ++counted;
                    }
            // Chi squared of so many cells, each of which is known by itself.
            EXPECT_NEAR(squares, counted, 3 * std::sqrt(2.0 * counted)) << time.toDouble();
            EXPECT_NEAR(sum, values.count / 8.0, 3 * std::sqrt(values.count * 7 / 64.0));
            // As many are young as old: they are under way from the start.
            EXPECT_NEAR(young / values.count, 0.5, 3 / std::sqrt(12.0 * values.count));
        }
    }
}

TEST(Particles, LoopToTheBit) {
    scene::Particles values;
    values.count = 300;
    values.loop = Rational(8);
    values.turbulence = {0.2, 0.7, 0.4};
    values.spin = 90, values.flutter = 20;
    const ParticleSystem system(values);
    for (const Rational time : {Rational(0), Rational(1, 24), Rational(5), Rational(191, 24)})
        for (int i = 0; i < values.count; ++i) {
            const Particle a = system.at(i, time, 0.01), b = system.at(i, time + Rational(8), 0.01),
                           c = system.at(i, time - Rational(24), 0.01);
            for (const Particle* other : {&b, &c}) {
                EXPECT_EQ(a.place, other->place);
                EXPECT_EQ(a.open, other->open);
                EXPECT_EQ(a.close, other->close);
                EXPECT_EQ(a.angle, other->angle);
                EXPECT_EQ(a.share, other->share);
            }
        }
    // Nothing jumps where one round ends and the next begins.
    int compared = 0;
    for (int i = 0; i < values.count; ++i) {
        const Particle last = system.at(i, Rational(7999, 1000)), first = system.at(i, Rational(8));
        if (first.share < last.share) continue;
        ++compared;
        EXPECT_LT(way(last.place, first.place, values.box).length(), 0.003) << i;
    }
    EXPECT_GT(compared, 290);
}

TEST(Particles, KeepTheirWayOverAnExposure) {
    scene::Particles values;
    values.count = 200;
    values.turbulence = {0.1, 0.5, 0.5};
    const ParticleSystem system(values);
    const Rational time(3), half(1, 96);
    for (int i = 0; i < values.count; ++i) {
        const Particle now = system.at(i, time, half.toDouble());
        for (const bool after : {false, true}) {
            const Particle then = system.at(i, after ? time + half : time - half);
            const V3d& shown = after ? now.close : now.open;
            EXPECT_LT((shown - now.place).length(), 0.05) << "it does not jump to the other side";
            if ((then.share > now.share) != after) continue;     // it lives anew meanwhile
            if ((then.place - now.place).length() > 1) continue; // it comes back on the other side
            EXPECT_LT((shown - then.place).length(), 1e-9);
        }
    }
}

TEST(Particles, SpreadAsFarAsTheyAreAllowed) {
    scene::Particles values;
    values.count = 2000;
    values.velocity = {0, -2, 0};
    values.box = {100, 100, 100};
    values.speedSpread = 0.25, values.directionSpread = 20;
    values.size = 0.1, values.sizeSpread = 0.5;
    const ParticleSystem system(values);
    double widest = 0, fastest = 0, slowest = 10, largest = 0, smallest = 1, even = 0;
    for (int i = 0; i < values.count; ++i) {
        const Particle particle = system.at(i, 4, 0.001);
        const V3d velocity = (particle.close - particle.open) / 0.002;
        const double speed = velocity.length(), off = std::acos(-velocity.y / speed) * 180 / std::numbers::pi;
        widest = std::max(widest, off);
        even += off > 14.1;
        fastest = std::max(fastest, speed), slowest = std::min(slowest, speed);
        largest = std::max(largest, particle.size), smallest = std::min(smallest, particle.size);
    }
    EXPECT_LT(widest, 20.001);
    EXPECT_GT(widest, 19.9);
    EXPECT_NEAR(even / 2000, 0.5, 0.035); // half of the cap lies beyond 14.1 degrees
    EXPECT_LT(fastest, 2.5001);
    EXPECT_GT(fastest, 2.49);
    EXPECT_GT(slowest, 1.4999);
    EXPECT_LT(slowest, 1.51);
    EXPECT_LT(largest, 0.15001);
    EXPECT_GT(largest, 0.149);
    EXPECT_GT(smallest, 0.04999);
    EXPECT_LT(smallest, 0.051);
}

TEST(Particles, TurbulenceGathersNothingAndIsAsLargeAsAsked) {
    scene::Particles values;
    values.turbulence = {0.3, 2, 0.5};
    const ParticleSystem system(values);
    double squares = 0, divergence = 0, slopes = 0;
    constexpr int count = 4000;
    constexpr double h = 1e-4;
    for (int i = 0; i < count; ++i) {
        const V3d place(std::fmod(i * 0.7548, 37.0), std::fmod(i * 0.5698, 41.0),
                        std::fmod(i * 0.3819, 43.0));
        const double seconds = i * 0.01;
        const V3d here = system.turbulenceAt(place, seconds);
        squares += here.dot(here);
        const auto slope = [&](const V3d& along) {
            return (system.turbulenceAt(place + along * h, seconds) -
                    system.turbulenceAt(place - along * h, seconds)) /
                   (2 * h);
        };
        const V3d x = slope({1, 0, 0}), y = slope({0, 1, 0}), z = slope({0, 0, 1});
        divergence = std::max(divergence, std::abs(x.x + y.y + z.z));
        slopes += x.dot(x) + y.dot(y) + z.dot(z);
        // Over time it goes on smoothly.
        EXPECT_LT((system.turbulenceAt(place, seconds + 1e-4) - here).length(), 1e-3);
    }
    EXPECT_NEAR(std::sqrt(squares / count), 0.3, 0.3 * 0.05);
    EXPECT_LT(divergence, 1e-6);
    EXPECT_GT(std::sqrt(slopes / count), 0.1);
}

}
}
