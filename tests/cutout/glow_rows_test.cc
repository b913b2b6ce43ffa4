// Rows of glow against the same, number by number.
#include "cutout/glow_rows.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>
#include <vector>

namespace stage::cutout::glow_rows_test {
namespace {

std::vector<Imath::half> texels(int count, float most) {
    std::mt19937 random(5);
    std::uniform_real_distribution<float> in(0, most);
    std::vector<Imath::half> made;
    for (int i = 0; i < 4 * count; ++i)
        made.emplace_back(in(random));
    return made;
}

}

TEST(GlowRows, TakeWhatIsAboveTheThreshold) {
    for (const int count : {1, 3, 4, 37}) {
        const std::vector<Imath::half> row = texels(count, 2);
        std::vector<float> sums(row.size(), 0.25f);
        EXPECT_TRUE(addBright(row.data(), count, 0.7f, sums.data()));
        for (std::size_t i = 0; i < row.size(); i += 4) {
            const double most = std::max({float(row[i]), float(row[i + 1]), float(row[i + 2])});
            const double share = most > 0.7 ? (most - 0.7) / most : 0;
            for (std::size_t c = 0; c < 3; ++c)
                EXPECT_NEAR(sums[i + c], 0.25 + double(float(row[i + c])) * share, 1e-5);
            EXPECT_EQ(sums[i + 3], 0.25f);
        }
        const std::vector<float> floats(row.begin(), row.end());
        std::vector<float> same(row.size(), 0.25f);
        EXPECT_TRUE(addBright(floats.data(), count, 0.7f, same.data()));
        EXPECT_EQ(same, sums);
        std::vector<float> none(row.size(), 0);
        EXPECT_FALSE(addBright(row.data(), count, 2, none.data()));
        EXPECT_EQ(none, std::vector<float>(row.size(), 0));
    }
}

TEST(GlowRows, LightGoesEvenlyFromPlaceToPlace) {
    std::mt19937 random(9);
    std::uniform_real_distribution<float> in(0, 1);
    const std::array<float, 3> tint = {0.5f, 1, 2};
    for (const int step : {1, 2, 4, 8})
        for (const int count : {1, 5, 64, 131})
            for (int first = step > 1 ? step : 0; first < 2 * step; ++first) {
                const auto places = static_cast<std::size_t>((first + count) / step + 3);
                std::vector<float> above, below;
                for (std::size_t i = 0; i < 4 * places; ++i)
                    above.push_back(in(random)), below.push_back(in(random));
                const std::vector<Imath::half> before = texels(count, 1);
                std::vector<Imath::half> after = before;
                addGrid({above.data(), below.data(), 0.25f, step, first}, tint, count, before.data(),
                        after.data());
                std::vector<Imath::half> inPlace = before;
                addGrid({above.data(), below.data(), 0.25f, step, first}, tint, count, inPlace.data(),
                        inPlace.data());
                ASSERT_EQ(inPlace, after);
                for (int x = 0; x < count; ++x) {
                    const double at = (first + x + 0.5) / step - 0.5, left = std::floor(at), off = at - left;
                    for (std::size_t c = 0; c < 4; ++c) {
                        const auto light = [&](double place) {
                            const std::size_t i = 4 * static_cast<std::size_t>(place) + c;
                            return 0.75 * double(above[i]) + 0.25 * double(below[i]);
                        };
                        const std::size_t i = 4 * static_cast<std::size_t>(x) + c;
                        const double added =
                            c < 3 ? double(tint[c]) * (light(left) + off * (light(left + 1) - light(left)))
                                  : 0;
                        ASSERT_NEAR(float(after[i]), double(float(before[i])) + added, 2e-3)
                            << step << ' ' << count << ' ' << first << ' ' << x;
                    }
                }
            }
}

TEST(GlowRows, OfFloatsAreNotRounded) {
    const std::vector<float> above(4 * 6, 1), below(4 * 6, 3);
    std::vector<float> row(4 * 9, 1e6f);
    addGrid({above.data(), below.data(), 0.5f, 4, 5}, {1, 2, 0}, 9, row.data(), row.data());
    for (std::size_t i = 0; i < row.size(); i += 4) {
        EXPECT_EQ(row[i], 1e6f + 2);
        EXPECT_EQ(row[i + 1], 1e6f + 4);
        EXPECT_EQ(row[i + 2], 1e6f);
        EXPECT_EQ(row[i + 3], 1e6f);
    }
}

TEST(GlowRows, MeansAreThoseOfSquares) {
    std::vector<float> sums;
    for (int i = 0; i < 4 * 4 * 3; ++i)
        sums.push_back(static_cast<float>(i));
    std::vector<float> means(4 * 3);
    meansOf(sums.data(), 4, 3, means.data());
    for (int x = 0; x < 3; ++x)
        for (int c = 0; c < 4; ++c)
            EXPECT_FLOAT_EQ(means[static_cast<std::size_t>(4 * x + c)],
                            static_cast<float>(4 * (16 * x + c) + 24) / 16);
}

TEST(GlowRows, WithoutLightTexelsAreCopied) {
    const std::vector<float> dark(4 * 8, 0);
    const std::vector<Imath::half> from = texels(9, 2);
    std::vector<Imath::half> to(from.size());
    addGrid({dark.data(), dark.data(), 0.5f, 4, 5}, {1, 1, 1}, 9, from.data(), to.data());
    EXPECT_EQ(to, from);
}

TEST(GlowRows, WeightedSumsAreThoseOfTheirTerms) {
    std::mt19937 random(3);
    std::vector<float> from(4000), weights(31);
    for (float& value : from)
        value = static_cast<float>(random() % 1000) / 100;
    for (float& weight : weights)
        weight = static_cast<float>(random() % 100) / 100;
    for (const std::ptrdiff_t apart : {1, 3, 4, 50})
        for (const int count : {1, 7, 16, 63, 64, 65, 200}) {
            std::vector<float> out(static_cast<std::size_t>(count) + 3, -1.f);
            weightedSums(from.data(), apart, weights.data(), 31, count, out.data());
            for (int i = 0; i < count; ++i) {
                double sum = 0;
                for (int k = 0; k < 31; ++k)
                    sum += double(weights[static_cast<std::size_t>(k)]) *
                           double(from[static_cast<std::size_t>(i + k * apart)]);
                ASSERT_NEAR(out[static_cast<std::size_t>(i)], sum, 1e-3) << apart << ' ' << count << ' ' << i;
            }
            for (std::size_t i = static_cast<std::size_t>(count); i < out.size(); ++i)
                ASSERT_EQ(out[i], -1.f);
        }
}

TEST(GlowRows, StayWithinAHalfFloat) {
    std::vector<float> places(4 * 8, 60000);
    std::vector<Imath::half> row(4 * 4, Imath::half(20000.f));
    addGrid({places.data(), places.data(), 0.5f, 4, 4}, {1, 1, 1}, 4, row.data(), row.data());
    for (std::size_t i = 0; i < row.size(); ++i)
        EXPECT_NEAR(float(row[i]), i % 4 < 3 ? 65000 : 20000, 40);
}

}
