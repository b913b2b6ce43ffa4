// Texels of pictures in brightness and colour differences against the formulas, pixel by pixel.
#include "media/yuv_texels.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace stage::media {
namespace {

/// A picture of noise, in bytes or words.
struct Noise {
    V2i size{46, 22};
    bool words;
    std::array<std::vector<std::uint16_t>, 3> values;
    std::array<std::vector<std::uint8_t>, 3> bytes;
    YuvPicture picture;

    Noise(bool inWords, std::array<float, 2> chroma) : words(inWords) {
        std::mt19937 random(3);
        picture.size = size;
        picture.words = words;
        picture.chroma = chroma;
        const float one = words ? 4 : 1; // 10 bits
        picture.black = 16 * one, picture.scale = 1 / (219 * one);
        picture.grey = 128 * one, picture.differenceScale = 1 / (224 * one);
        for (std::size_t c = 0; c < 3; ++c) {
            const V2i plane = planeSize(c);
            for (int i = 0; i < plane.x * plane.y; ++i) {
                // Colours stay inside 0..1 mostly.
                const auto value =
                    static_cast<std::uint16_t>(one * (c == 0 ? 60.f + static_cast<float>(random() % 100)
                                                             : 100.f + static_cast<float>(random() % 56)));
                values[c].push_back(value);
                bytes[c].push_back(static_cast<std::uint8_t>(value & 255));
                if (words) bytes[c].push_back(static_cast<std::uint8_t>(value >> 8));
            }
            picture.plane[c] = bytes[c].data();
            picture.stride[c] = plane.x * (words ? 2 : 1);
        }
    }
    V2i planeSize(std::size_t c) const { return c == 0 ? size : size / 2; }
    double at(std::size_t c, int x, int y) const {
        const V2i plane = planeSize(c);
        x = std::clamp(x, 0, plane.x - 1), y = std::clamp(y, 0, plane.y - 1);
        return values[c][static_cast<std::size_t>(y * plane.x + x)];
    }
    /// Through the samples next to a place, with the slope of the line between their neighbours.
    static double cubic(const std::array<double, 4>& v, double f) {
        const double in = (v[2] - v[0]) / 2, out = (v[3] - v[1]) / 2, f2 = f * f, f3 = f2 * f;
        return (2 * f3 - 3 * f2 + 1) * v[1] + (f3 - 2 * f2 + f) * in + (3 * f2 - 2 * f3) * v[2] +
               (f3 - f2) * out;
    }
    double difference(std::size_t c, int x, int y) const {
        const double u = (x - 0.5 - double{picture.chroma[0]}) / 2,
                     v = (y - 0.5 - double{picture.chroma[1]}) / 2;
        const int i = static_cast<int>(std::floor(u)), j = static_cast<int>(std::floor(v));
        std::array<double, 4> down{};
        for (int k = 0; k < 4; ++k) {
            std::array<double, 4> across{};
            for (int n = 0; n < 4; ++n)
                across[static_cast<std::size_t>(n)] = at(c, i + n - 1, j + k - 1);
            down[static_cast<std::size_t>(k)] = cubic(across, u - i);
        }
        return (cubic(down, v - j) - double{picture.grey}) * double{picture.differenceScale};
    }
    std::array<double, 3> encoded(int x, int y) const {
        const double l = (at(0, x, y) - double{picture.black}) * double{picture.scale},
                     b = difference(1, x, y), r = difference(2, x, y);
        // ITU-R BT.709
        const std::array<double, 3> all = {l + 1.5748 * r, l - 0.187324 * b - 0.468124 * r, l + 1.8556 * b};
        return {std::clamp(all[0], 0., 1.), std::clamp(all[1], 0., 1.), std::clamp(all[2], 0., 1.)};
    }
};

TEST(YuvTexels, AreTheCubicThroughTheSamplesOfColourWhereverThoseAre) {
    for (const bool words : {false, true})
        for (const std::array<float, 2> chroma :
             {std::array{-0.5f, 0.f}, {0.f, 0.f}, {-0.5f, -0.5f}, {0.f, 0.5f}}) {
            const Noise noise(words, chroma);
            for (const Box& box : {boxOf(noise.size), Box{3, 5, 20, 6}, Box{17, 0, 46, 22}}) {
                const Raster texels = texelsOf(noise.picture, 0, box);
                for (int y = box.y0; y < box.y1; ++y)
                    for (int x = box.x0; x < box.x1; ++x) {
                        const auto wanted = noise.encoded(x, y);
                        const Imath::half* texel = texels.row(y - box.y0) + 4 * (x - box.x0);
                        for (std::size_t c = 0; c < 3; ++c)
                            ASSERT_NEAR(srgbFromLinear(texel[c]), wanted[c], 4e-4)
                                << x << ' ' << y << ' ' << c;
                        ASSERT_EQ(float(texel[3]), 1.f);
                    }
            }
        }
}

TEST(YuvTexels, OfHalfTheSizeAreMeansInLight) {
    for (const bool words : {false, true}) {
        const Noise noise(words, {-0.5f, 0.f});
        for (const Box& box : {boxOf(noise.size / 2), Box{3, 2, 20, 3}}) {
            const Raster texels = texelsOf(noise.picture, 1, box);
            for (int y = box.y0; y < box.y1; ++y)
                for (int x = box.x0; x < box.x1; ++x)
                    for (std::size_t c = 0; c < 3; ++c) {
                        double mean = 0;
                        for (int k = 0; k < 4; ++k)
                            mean += linearFromSrgb(
                                        static_cast<float>(noise.encoded(2 * x + k % 2, 2 * y + k / 2)[c])) /
                                    4.;
                        const Imath::half* texel = texels.row(y - box.y0) + 4 * (x - box.x0);
                        ASSERT_NEAR(float(texel[c]), mean, 4e-4) << x << ' ' << y << ' ' << c;
                    }
        }
    }
}

}
}
