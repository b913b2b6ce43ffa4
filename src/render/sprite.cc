#include "render/sprite.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <numbers>

namespace stage::render {
namespace {

constexpr int shapeSide = 128;

Image halved(const Image& image) {
    Image half(V2i(std::max(1, (image.size.x + 1) / 2), std::max(1, (image.size.y + 1) / 2)));
    for (int y = 0; y < half.size.y; ++y)
        for (int x = 0; x < half.size.x; ++x) {
            float* out = half.row(y) + 4 * x;
            std::fill_n(out, 4, 0.f);
            for (int j = 0; j < 2; ++j)
                for (int i = 0; i < 2; ++i) {
                    const int from = 2 * x + i, row = 2 * y + j;
                    if (from >= image.size.x || row >= image.size.y) continue;
                    const float* in = image.row(row) + 4 * from;
                    for (int c = 0; c < 4; ++c)
                        out[c] += in[c] / 4;
                }
        }
    return half;
}

/// cover(x, y): of a place within -1..1, y upwards, 0..1. Sixteen places for each texel.
Image drawn(const std::function<double(double, double)>& cover) {
    Image image{V2i(shapeSide, shapeSide)};
    constexpr int fine = 4;
    for (int y = 0; y < shapeSide; ++y)
        for (int x = 0; x < shapeSide; ++x) {
            double sum = 0;
            for (int j = 0; j < fine; ++j)
                for (int i = 0; i < fine; ++i)
                    sum += std::clamp(cover((x + (i + 0.5) / fine) * 2 / shapeSide - 1,
                                            1 - (y + (j + 0.5) / fine) * 2 / shapeSide),
                                      0.0, 1.0);
            std::fill_n(image.row(y) + 4 * x, 4, static_cast<float>(sum / (fine * fine)));
        }
    return image;
}

double crystal(double x, double y) {
    const double r = std::hypot(x, y);
    double angle = std::atan2(y, x);
    constexpr double sector = std::numbers::pi / 3;
    angle -= sector * std::round(angle / sector);
    const double along = r * std::cos(angle), across = std::abs(r * std::sin(angle));
    const auto arm = [&](double from, double reach, double width) { // a twig at 60 degrees off the arm
        const double u = along - from, v = across, s = u * 0.5 + v * 0.866, d = std::abs(v * 0.5 - u * 0.866);
        return s > 0 && s < reach && d < width;
    };
    const bool in =
        (along < 0.96 && across < 0.055) || arm(0.35, 0.33, 0.045) || arm(0.6, 0.22, 0.04) || along < 0.16;
    return in ? 0.95 : 0;
}

double leaf(double x, double y) {
    // Two arcs between its tips, and a stalk; its vein lets some light through.
    const double half = 0.46 * std::pow(std::max(0.0, 1 - y * y), 0.75) * (1 - 0.25 * y);
    if (y < -0.8) return std::abs(x) < 0.03 && y > -1 ? 1 : 0;
    if (std::abs(x) > half) return 0;
    return std::abs(x) < 0.025 ? 0.8 : 1;
}

double ring(double x, double y) {
    const double r = std::hypot(x, y);
    const double rim = std::exp(-std::pow((r - 0.88) / 0.07, 2)), light = std::hypot(x + 0.38, y - 0.42);
    return r < 1 ? 0.85 * rim + 0.06 + 0.8 * std::exp(-std::pow(light / 0.13, 2)) : 0;
}

}

Sprite::Sprite(Image pixels) {
    m_levels.push_back(std::move(pixels));
    while (m_levels.back().size.x > 1 || m_levels.back().size.y > 1)
        m_levels.push_back(halved(m_levels.back()));
    const Image& whole = m_levels.front();
    double sum[4] = {0, 0, 0, 0};
    for (std::size_t i = 0; i < whole.rgba.size(); ++i)
        sum[i % 4] += static_cast<double>(whole.rgba[i]);
    for (int c = 0; c < 4; ++c)
        m_mean[c] = static_cast<float>(sum[c] / (static_cast<double>(whole.size.x) * whole.size.y));
}

void Sprite::sampleLevel(const Image& level, float s, float t, float* rgba) const {
    const float u = s * static_cast<float>(level.size.x) - 0.5f,
                v = t * static_cast<float>(level.size.y) - 0.5f;
    std::fill_n(rgba, 4, 0.f);
    if (!(u > -1 && v > -1 && u < static_cast<float>(level.size.x) && v < static_cast<float>(level.size.y)))
        return;
    const int x0 = static_cast<int>(std::floor(u)), y0 = static_cast<int>(std::floor(v));
    const float fx = u - static_cast<float>(x0), fy = v - static_cast<float>(y0);
    for (int j = 0; j < 2; ++j)
        for (int i = 0; i < 2; ++i) {
            const int x = x0 + i, y = y0 + j;
            if (x < 0 || y < 0 || x >= level.size.x || y >= level.size.y) continue;
            const float weight = (i ? fx : 1 - fx) * (j ? fy : 1 - fy);
            const float* in = level.row(y) + 4 * x;
            for (int c = 0; c < 4; ++c)
                rgba[c] += weight * in[c];
        }
}

void Sprite::sample(float s, float t, float fineness, float* rgba) const {
    const float last = static_cast<float>(m_levels.size() - 1), at = std::clamp(fineness, 0.f, last);
    const auto fine = static_cast<std::size_t>(at);
    sampleLevel(m_levels[fine], s, t, rgba);
    const float share = at - static_cast<float>(fine);
    if (share < 0.01f) return;
    float coarse[4];
    sampleLevel(m_levels[fine + 1], s, t, coarse);
    for (int c = 0; c < 4; ++c)
        rgba[c] += share * (coarse[c] - rgba[c]);
}

const Sprite& spriteOf(scene::ParticleShape shape) {
    static const std::array<Sprite, scene::particleShapeNames.size()> all = {
        Sprite(drawn([](double x, double y) { return x * x + y * y < 1 ? 1 : 0; })),
        Sprite(drawn([](double x, double y) { return 1 - std::hypot(x, y); })), Sprite(drawn(crystal)),
        Sprite(drawn(leaf)), Sprite(drawn(ring))};
    return all[static_cast<std::size_t>(shape)];
}

}
