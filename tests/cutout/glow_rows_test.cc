// Rows of glow against the same, number by number.
#include "cutout/glow_rows.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>
#include <vector>

namespace stage::cutout::glow_rows_test {
namespace {

/// Texels and what lies between two rows of places, from a texel of them on.
template <class Texel>
std::vector<Texel> lit(const std::vector<float>& above, const std::vector<float>& below, float share,
                       int step, int first, const std::array<float, 3>& tint,
                       const std::vector<Texel>& texels) {
    const int count = static_cast<int>(texels.size() / 4);
    std::vector<float> rows[2] = {std::vector<float>(texels.size()), std::vector<float>(texels.size())};
    lightOfRow(above.data(), step, first, tint, count, rows[0].data());
    lightOfRow(below.data(), step, first, tint, count, rows[1].data());
    std::vector<Texel> to(texels.size()), inPlace = texels;
    addLight(rows[0].data(), rows[1].data(), share, count, texels.data(), to.data());
    addLight(rows[0].data(), rows[1].data(), share, count, inPlace.data(), inPlace.data());
    EXPECT_EQ(inPlace, to);
    return to;
}

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
                const std::vector<Imath::half> after = lit(above, below, 0.25f, step, first, tint, before);
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
    const std::vector<float> row = lit(above, below, 0.5f, 4, 5, {1, 2, 0}, std::vector<float>(4 * 9, 1e6f));
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

TEST(GlowRows, ARowIsDarkWhereItsPlacesAre) {
    std::vector<float> places(4 * 8, 0.f), light(4 * 9, 5.f);
    EXPECT_FALSE(lightOfRow(places.data(), 4, 5, {1, 1, 1}, 9, light.data()));
    EXPECT_EQ(light, std::vector<float>(4 * 9, 0.f));
    places[4 * 3] = 1;
    EXPECT_FALSE(lightOfRow(places.data(), 4, 5, {0, 1, 1}, 9, light.data())) << "only red, of which none";
    EXPECT_TRUE(lightOfRow(places.data(), 4, 5, {1, 1, 1}, 9, light.data()));
}

TEST(GlowRows, WeightedSumsAreThoseOfTheirTermsTurned) {
    std::mt19937 random(3);
    const std::ptrdiff_t apart = 212, outApart = 36;
    std::vector<float> from(40 * 212), weights(31);
    for (float& value : from)
        value = static_cast<float>(random() % 1000) / 100;
    for (float& weight : weights)
        weight = static_cast<float>(random() % 100) / 100;
    for (const int weightCount : {1, 2, 31})
        for (const int rows : {1, 4, 7})
            for (const int places : {1, 4, 8, 17, 50}) {
                std::vector<float> out(static_cast<std::size_t>(52 * outApart), -1.f);
                turnedSums({from.data(), apart}, weights.data(), weightCount, rows, places, out.data(),
                           outApart);
                for (int x = 0; x < 52; ++x)
                    for (int i = 0; i < static_cast<int>(outApart); ++i) {
                        const int y = i / 4, c = i % 4;
                        const bool in = x < places && y < rows;
                        double sum = in ? 0 : -1;
                        for (int k = 0; k < weightCount && in; ++k)
                            sum += double(weights[static_cast<std::size_t>(k)]) *
                                   double(from[static_cast<std::size_t>((y + k) * apart + 4 * x + c)]);
                        ASSERT_NEAR(out[static_cast<std::size_t>(x * outApart + i)], sum, 1e-3)
                            << weightCount << ' ' << rows << ' ' << places << ' ' << x << ' ' << y;
                    }
            }
}

TEST(GlowRows, StayWithinAHalfFloat) {
    const std::vector<float> places(4 * 8, 60000);
    const std::vector<Imath::half> row =
        lit(places, places, 0.5f, 4, 4, {1, 1, 1}, std::vector<Imath::half>(4 * 4, Imath::half(20000.f)));
    for (std::size_t i = 0; i < row.size(); ++i)
        EXPECT_NEAR(float(row[i]), i % 4 < 3 ? 65000 : 20000, 40);
}

}
