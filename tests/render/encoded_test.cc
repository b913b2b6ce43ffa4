// Pictures as whole numbers, against IEC 61966-2-1's curve in double precision.
#include "render/image.h"

#include <cmath>
#include <gtest/gtest.h>
#include <limits>
#include <random>

namespace stage::render::encoded_test {
namespace {

double srgb(double linear) {
    const double c = std::clamp(linear, 0.0, 1.0);
    return c <= 0.0031308 ? 12.92 * c : 1.055 * std::pow(c, 1 / 2.4) - 0.055;
}

/// Of every width there are pixels that do not fill a vector.
Image random(V2i size) {
    std::mt19937 numbers(7);
    std::uniform_real_distribution<float> in(-0.1f, 1.2f);
    Image image(size);
    for (std::size_t i = 0; i < image.rgba.size(); i += 4) {
        const float alpha = std::clamp(in(numbers), 0.f, 1.f);
        for (std::size_t c = 0; c < 3; ++c)
            image.rgba[i + c] = in(numbers)*alpha;
        image.rgba[i + 3] = alpha;
    }
    return image;
}

template <class Int> void expectNearest(double tolerance) {
    constexpr double top = std::numeric_limits<Int>::max();
    for (const int width : {1, 5, 37, 64, 130}) {
        const Image image = random({width, 3});
        const auto straight = encoded<Int>(image), black = encoded<Int>(image, {.overBlack = true});
        for (std::size_t i = 0; i < image.rgba.size(); ++i) {
            const double value = static_cast<double>(image.rgba[i]),
                         alpha = static_cast<double>(image.rgba[i / 4 * 4 + 3]);
            const bool isAlpha = i % 4 == 3;
            const double wanted = isAlpha ? alpha * top : alpha > 0 ? srgb(value / alpha) * top : 0;
            EXPECT_NEAR(straight[i], wanted, tolerance) << width << ", " << i;
            EXPECT_NEAR(black[i], isAlpha ? top : srgb(value) * top, tolerance) << width << ", " << i;
        }
    }
}

TEST(Encoded, IsTheNearestOfEightBits) {
    expectNearest<std::uint8_t>(0.5 + 255 * 2e-5);
}

TEST(Encoded, IsTheNearestOfSixteenBits) {
    expectNearest<std::uint16_t>(0.5 + 65535 * 2e-5);
}

TEST(Encoded, WhatIsNoNumberIsBlack) {
    Image image({3, 1});
    const float nan = std::numeric_limits<float>::quiet_NaN(),
                infinite = std::numeric_limits<float>::infinity();
    const float values[12] = {nan, infinite, -infinite, 1, nan, nan, nan, nan, 0.5f, 0.5f, 0.5f, 0};
    std::copy_n(values, 12, image.rgba.data());
    const auto out = encoded<std::uint8_t>(image);
    EXPECT_EQ((std::vector<int>(out.begin(), out.begin() + 4)), (std::vector<int>{0, 255, 0, 255}));
    EXPECT_EQ((std::vector<int>(out.begin() + 4, out.begin() + 7)), (std::vector<int>{0, 0, 0}));
    EXPECT_EQ((std::vector<int>(out.begin() + 8, out.end())), (std::vector<int>{0, 0, 0, 0}));
}

TEST(Encoded, DitheringKeepsTheMean) {
    for (const double level : {0.3, 17.0, 100.25, 100.5, 254.9, 255.0}) {
        Image image({128, 128});
        const double v = level / 255, linear = v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
        for (std::size_t i = 0; i < image.rgba.size(); ++i)
            image.rgba[i] = i % 4 == 3 ? 1.f : static_cast<float>(linear);
        const auto out = encoded<std::uint8_t>(image, {.dithered = true});
        double sum = 0;
        for (std::size_t i = 0; i < out.size(); i += 4) {
            EXPECT_LE(std::abs(out[i] - level), 1.01);
            EXPECT_EQ(out[i], out[i + 1]); // grey stays grey
            sum += out[i];
        }
        EXPECT_NEAR(sum / (128 * 128), level, 0.01) << level;
    }
}

}
}
