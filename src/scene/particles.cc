#include "scene/particles.h"

namespace stage::scene {
namespace {

std::vector<ReadyParticles> made() {
    std::vector<ReadyParticles> all;
    const auto ready = [&](std::string_view name, bool light) -> Particles& {
        all.push_back({name, light, {}});
        return all.back().particles;
    };
    // All come and go softly, so that none is seen to begin or to end.
    const std::vector<Particles::Point> fades{{0, 0}, {0.15, 1}, {0.85, 1}, {1, 0}};

    Particles& snow = ready("snow", false);
    snow.aroundCamera = true;
    snow.count = 3000;
    snow.box = {12, 7, 12};
    snow.life = 8;
    snow.size = 0.018, snow.sizeSpread = 0.6;
    snow.velocity = {0, -0.8, 0}, snow.speedSpread = 0.35, snow.directionSpread = 15;
    snow.turbulence = {0.12, 1.5, 0.3};
    snow.shape = ParticleShape::Soft;
    snow.colour = {0.9, 0.93, 1, 1};
    snow.opacities = fades;

    Particles& rain = ready("rain", false);
    rain.aroundCamera = true;
    rain.count = 4000;
    rain.box = {12, 7, 12};
    rain.life = 2;
    rain.size = 0.004, rain.sizeSpread = 0.4;
    rain.velocity = {0.3, -7.5, 0}, rain.speedSpread = 0.1, rain.directionSpread = 1.5;
    rain.colour = {0.42, 0.45, 0.5, 0.6};
    rain.opacities = fades;

    Particles& dust = ready("dust", true);
    dust.aroundCamera = true;
    dust.count = 1200;
    dust.box = {5, 3, 5};
    dust.life = 9;
    dust.size = 0.004, dust.sizeSpread = 0.7;
    dust.velocity = {0.02, 0.01, 0}, dust.speedSpread = 0.8, dust.directionSpread = 180;
    dust.turbulence = {0.25, 1.2, 0.12};
    dust.shape = ParticleShape::Soft;
    dust.colour = {1, 0.86, 0.62, 1};
    dust.light = 1.5;
    dust.opacities = fades;

    Particles& embers = ready("embers", true);
    embers.count = 400;
    embers.box = {3, 3, 3};
    embers.life = 3.5, embers.lifeSpread = 0.5;
    embers.size = 0.009, embers.sizeSpread = 0.6;
    embers.velocity = {0, 0.7, 0}, embers.speedSpread = 0.5, embers.directionSpread = 25;
    embers.turbulence = {0.3, 0.8, 0.5};
    embers.colour = {1, 1, 1, 1};
    embers.light = 6;
    embers.sizes = {{0, 1}, {1, 0.4}};
    embers.opacities = {{0, 0}, {0.1, 1}, {0.6, 0.8}, {1, 0}};
    embers.colours = {{0, {1, 0.62, 0.2, 1}}, {0.5, {1, 0.25, 0.04, 1}}, {1, {0.5, 0.03, 0.005, 1}}};

    Particles& fireflies = ready("fireflies", true);
    fireflies.count = 60;
    fireflies.box = {6, 1.6, 4};
    fireflies.life = 4, fireflies.lifeSpread = 0.4;
    fireflies.size = 0.02, fireflies.sizeSpread = 0.3;
    fireflies.velocity = {0.12, 0.03, 0}, fireflies.speedSpread = 0.6, fireflies.directionSpread = 180;
    fireflies.turbulence = {0.35, 1, 0.25};
    fireflies.shape = ParticleShape::Soft;
    fireflies.colour = {0.75, 1, 0.25, 1};
    fireflies.light = 8;
    fireflies.opacities = {{0, 0}, {0.2, 0}, {0.32, 1}, {0.4, 0.25}, {0.5, 1}, {0.65, 0}, {1, 0}};

    Particles& leaves = ready("leaves", false);
    leaves.count = 120;
    leaves.box = {8, 5, 8};
    leaves.life = 6;
    leaves.size = 0.07, leaves.sizeSpread = 0.35;
    leaves.velocity = {0.3, -0.7, 0}, leaves.speedSpread = 0.4, leaves.directionSpread = 25;
    leaves.turbulence = {0.35, 1.5, 0.4};
    leaves.spin = 110, leaves.spinSpread = 0.7;
    leaves.flutter = 40, leaves.flutterRate = 0.8;
    leaves.shape = ParticleShape::Leaf;
    leaves.facing = ParticleFacing::Tumbling;
    leaves.colour = {0.42, 0.16, 0.03, 1};
    leaves.opacities = fades;

    Particles& bubbles = ready("bubbles", false);
    bubbles.count = 150;
    bubbles.box = {4, 3, 4};
    bubbles.life = 5;
    bubbles.size = 0.03, bubbles.sizeSpread = 0.7;
    bubbles.velocity = {0, 0.35, 0}, bubbles.speedSpread = 0.4, bubbles.directionSpread = 12;
    bubbles.turbulence = {0.1, 0.6, 0.5};
    bubbles.shape = ParticleShape::Ring;
    bubbles.colour = {0.75, 0.85, 0.9, 0.9};
    bubbles.opacities = fades;

    Particles& sparks = ready("sparks", true);
    sparks.count = 250;
    sparks.box = {2, 2, 2};
    sparks.life = 0.9, sparks.lifeSpread = 0.5;
    sparks.size = 0.005, sparks.sizeSpread = 0.5;
    sparks.velocity = {0, 2.4, 0}, sparks.speedSpread = 0.6, sparks.directionSpread = 50;
    sparks.gravity = 5;
    sparks.light = 12;
    sparks.opacities = {{0, 0}, {0.05, 1}, {0.7, 0.8}, {1, 0}};
    sparks.colours = {{0, {1, 0.85, 0.5, 1}}, {1, {1, 0.3, 0.05, 1}}};
    return all;
}

}

std::span<const ReadyParticles> readyParticles() {
    static const std::vector<ReadyParticles> all = made();
    return all;
}

}
