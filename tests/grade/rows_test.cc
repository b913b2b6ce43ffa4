// Rows of colours against the same, one number after the other.
#include "grade/rows.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <gtest/gtest.h>
#include <limits>
#include <vector>

namespace stage::grade::rows_test {

TEST(Powers, AreThoseOfTheStandardLibrary) {
    const Powers powers{{0.45f, 1.06f, 3}, {1, 0.9f, 12}};
    for (const std::size_t pixels : {1u, 2u, 3u, 4u, 5u, 401u}) {
        std::vector<float> rgba;
        for (std::size_t i = 0; i < 4 * pixels; ++i)
            rgba.push_back(static_cast<float>(std::exp2(static_cast<double>(i * 7919 % 1009) / 40 - 16)));
        std::vector<float> raised = rgba;
        apply(powers, raised.data(), pixels);
        for (std::size_t i = 0; i < rgba.size(); ++i) {
            const std::size_t c = i % 4;
            const double wanted =
                c == 3 ? double(rgba[i])
                       : double(powers.factor[c]) * std::pow(double(rgba[i]), double(powers.power[c]));
            ASSERT_NEAR(raised[i], wanted, 1e-5 * wanted) << pixels << ' ' << i;
        }
    }
}

TEST(Powers, LeaveWhatIsNotAboveNothing) {
    const float none = std::numeric_limits<float>::quiet_NaN(),
                endless = std::numeric_limits<float>::infinity();
    std::vector<float> rgba = {-0.5f, 0, -1e-30f, -2, none, endless, -endless, 1};
    apply(Powers{{2, 2, 2}, {3, 3, 3}}, rgba.data(), 2);
    EXPECT_EQ(std::vector<float>(rgba.begin(), rgba.begin() + 4),
              std::vector<float>({-0.5f, 0, -1e-30f, -2}));
    EXPECT_TRUE(std::isnan(rgba[4]));
    EXPECT_GT(rgba[5], 1e30f);
    EXPECT_EQ(rgba[6], -endless);
    EXPECT_EQ(rgba[7], 1);
}

/// Of every kind: seen, half seen, light without alpha, black, no numbers.
std::vector<float> pixelsOfEveryKind(std::size_t count) {
    const float none = std::numeric_limits<float>::quiet_NaN();
    const std::vector<std::array<float, 4>> kinds = {
        {0.2f, 0.4f, 0.8f, 1}, {0.1f, 0.2f, 0.05f, 0.25f}, {0.3f, 0, 2, 0},     {0, 0, 0, 0},
        {-0.5f, 0.25f, 0, 1},  {none, 0.5f, 0.5f, 1},      {1e9f, -1e9f, 1, 1}, {0, 0, 0, 1}};
    std::vector<float> rgba;
    for (std::size_t i = 0; i < count; ++i)
        rgba.insert(rgba.end(), kinds[i % kinds.size()].begin(), kinds[i % kinds.size()].end());
    return rgba;
}

TEST(Rows, StraightColoursAreDividedByAlphaWhereThereIsSome) {
    for (const std::size_t pixels : {1u, 3u, 4u, 7u, 100u}) {
        const std::vector<float> rgba = pixelsOfEveryKind(pixels);
        std::vector<float> straight(rgba.size());
        straighten(rgba.data(), pixels, straight.data());
        for (std::size_t i = 0; i < rgba.size(); ++i) {
            const float alpha = rgba[i / 4 * 4 + 3], wanted = i % 4 == 3  ? 1
                                                              : alpha > 0 ? rgba[i] / alpha
                                                                          : rgba[i];
            if (std::isnan(wanted))
                ASSERT_TRUE(std::isnan(straight[i]));
            else
                ASSERT_FLOAT_EQ(straight[i], wanted) << pixels << ' ' << i;
        }
    }
}

TEST(Rows, WhatIsPutBackIsFiniteAndKeepsAlpha) {
    for (const std::size_t pixels : {1u, 3u, 4u, 7u, 100u}) {
        const std::vector<float> rgba = pixelsOfEveryKind(pixels);
        std::vector<float> put = rgba, straight = rgba;
        for (std::size_t i = 0; i < straight.size(); ++i)
            straight[i] = i % 4 == 3 ? 1 : straight[i] + 0.5f;
        putBack(straight.data(), pixels, put.data());
        for (std::size_t i = 0; i < rgba.size(); ++i) {
            const float* was = rgba.data() + i / 4 * 4;
            float wanted = rgba[i];
            const bool black = was[0] == 0 && was[1] == 0 && was[2] == 0 && !(was[3] > 0);
            if (i % 4 < 3 && !black) {
                const float v = std::isnan(straight[i]) ? 0 : std::clamp(straight[i], -65000.f, 65000.f);
                wanted = was[3] > 0 ? v * was[3] : v;
            }
            ASSERT_FLOAT_EQ(put[i], wanted) << pixels << ' ' << i;
        }
    }
}

TEST(Rows, AffineChangesAreProductsWithAMatrixAndASum) {
    const Affine first{M33d(1, 2, 3, 4, 5, 6, 7, 8, 10), V3d(0.5, -1, 2)},
        next{M33d(0, 1, 0, 2, 0, 0, 0, 0, 3), V3d(1, 1, 0)};
    for (const std::size_t pixels : {1u, 5u, 8u}) {
        std::vector<float> row;
        for (std::size_t i = 0; i < pixels; ++i)
            row.insert(row.end(), {0.1f * static_cast<float>(i), 0.2f, -0.3f, 1});
        std::vector<float> both = row;
        apply(first, row.data(), pixels);
        for (std::size_t i = 0; i < pixels; ++i) {
            const float r = 0.1f * static_cast<float>(i), g = 0.2f, b = -0.3f;
            ASSERT_NEAR(row[4 * i], r + 2 * g + 3 * b + 0.5f, 1e-5);
            ASSERT_NEAR(row[4 * i + 1], 4 * r + 5 * g + 6 * b - 1, 1e-5);
            ASSERT_NEAR(row[4 * i + 2], 7 * r + 8 * g + 10 * b + 2, 1e-5);
            ASSERT_EQ(row[4 * i + 3], 1);
        }
        apply(next, row.data(), pixels);
        apply(first.then(next), both.data(), pixels);
        for (std::size_t i = 0; i < row.size(); ++i)
            ASSERT_NEAR(row[i], both[i], 1e-4);
    }
}

}
