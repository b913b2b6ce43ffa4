// Kernels of rows of texels against the plain arithmetic that they stand for.
#include "media/raster.h"
#include "media/texels.h"

#include <gtest/gtest.h>
#include <random>

namespace {

using namespace stage;

float valueOf(std::uint16_t bits) {
    Imath::half half;
    half.setBits(bits);
    return half;
}

TEST(Texels, EverySrgbValueBecomesTheLinearOneToAnUlpOfHalfFloats) {
    std::vector<std::uint16_t> values(65536), texels(4 * values.size());
    for (std::size_t i = 0; i < values.size(); ++i)
        values[i] = static_cast<std::uint16_t>(i);
    media::linearTexels(values.data(), values.data(), values.data(), 65536, texels.data());
    std::uint16_t before = 0;
    for (std::size_t i = 0; i < values.size(); ++i) {
        const Imath::half wanted = media::linearFromSrgb(static_cast<float>(i) / 65535.f);
        for (std::size_t c = 0; c < 3; ++c)
            ASSERT_LE(std::abs(int{texels[4 * i + c]} - int{wanted.bits()}), 1) << i;
        ASSERT_GE(texels[4 * i], before) << i; // never down
        before = texels[4 * i];
        ASSERT_EQ(valueOf(texels[4 * i + 3]), 1);
    }
    EXPECT_EQ(valueOf(texels[0]), 0);
    EXPECT_EQ(valueOf(texels[4 * 65535]), 1);
}

TEST(Texels, RowsOfAnyLengthAreFilledAndNothingBeyond) {
    const std::vector<std::uint16_t> red(40, 65535), green(40, 0), blue(40, 65535);
    for (int count = 0; count <= 40; ++count) {
        std::vector<std::uint16_t> out(4 * 41, 7);
        media::linearTexels(red.data(), green.data(), blue.data(), count, out.data());
        for (int i = 0; i < count; ++i) {
            EXPECT_EQ(valueOf(out[4 * static_cast<std::size_t>(i)]), 1);
            EXPECT_EQ(valueOf(out[4 * static_cast<std::size_t>(i) + 1]), 0);
        }
        for (std::size_t i = 4 * static_cast<std::size_t>(count); i < out.size(); ++i)
            EXPECT_EQ(out[i], 7) << count;
    }
}

TEST(Texels, HalfsAreTheSameFloatsAndBackAgain) {
    std::vector<Imath::half> halfs;
    for (int bits = 0; bits < 65536; ++bits) {
        Imath::half half;
        half.setBits(static_cast<std::uint16_t>(bits));
        if (half.isFinite() && float(half) < 65000) halfs.push_back(half);
    }
    for (const std::size_t count : {std::size_t{0}, std::size_t{1}, std::size_t{37}, halfs.size()}) {
        std::vector<float> floats(count + 1, -5.f);
        media::floatsOfHalfs(halfs.data(), static_cast<int>(count), floats.data());
        std::vector<Imath::half> back(count + 1, Imath::half(7.f));
        media::halfsOfFloats(floats.data(), static_cast<int>(count), back.data());
        for (std::size_t i = 0; i < count; ++i) {
            ASSERT_EQ(floats[i], float(halfs[i])) << i;
            ASSERT_EQ(back[i].bits(), halfs[i].bits()) << i;
        }
        EXPECT_EQ(floats[count], -5.f);
        EXPECT_EQ(back[count], Imath::half(7.f));
    }
    const float large[3] = {1e9f, 64000, -3};
    Imath::half kept[3];
    media::halfsOfFloats(large, 3, kept);
    EXPECT_NEAR(float(kept[0]), 65000, 16); // half of the step between halfs there
    EXPECT_EQ(float(kept[1]), 64000);
    EXPECT_EQ(float(kept[2]), -3);
}

TEST(Texels, AlphaIsEveryFourthOfThem) {
    for (const int count : {1, 7, 8, 21}) {
        std::vector<Imath::half> texels;
        for (int i = 0; i < 4 * count; ++i)
            texels.emplace_back(static_cast<float>(i) / 16);
        std::vector<float> alpha(static_cast<std::size_t>(count) + 1, -1.f);
        media::alphaOfTexels(texels.data(), count, alpha.data());
        for (int i = 0; i < count; ++i)
            EXPECT_EQ(alpha[static_cast<std::size_t>(i)], static_cast<float>(4 * i + 3) / 16)
                << count << ' ' << i;
        EXPECT_EQ(alpha.back(), -1.f);
    }
}

TEST(Texels, MeansOfFourAreRoundedOnce) {
    std::mt19937 random(5);
    std::uniform_real_distribution<float> value(0, 4);
    for (const int count : {1, 2, 3, 8, 31}) {
        std::vector<std::uint16_t> upper(8 * static_cast<std::size_t>(count)), lower(upper.size()),
            out(upper.size() / 2 + 4, 7);
        for (std::size_t i = 0; i < upper.size(); ++i)
            upper[i] = Imath::half(value(random)).bits(), lower[i] = Imath::half(value(random)).bits();
        media::meanOfFour(upper.data(), lower.data(), count, out.data());
        for (std::size_t i = 0; i < upper.size() / 2; ++i) {
            const std::size_t from = i / 4 * 8 + i % 4;
            const float sum = valueOf(upper[from]) + valueOf(upper[from + 4]) + valueOf(lower[from]) +
                              valueOf(lower[from + 4]);
            EXPECT_EQ(out[i], Imath::half(sum * 0.25f).bits()) << count << ", " << i;
        }
        for (std::size_t i = upper.size() / 2; i < out.size(); ++i)
            EXPECT_EQ(out[i], 7);
    }
}

}
