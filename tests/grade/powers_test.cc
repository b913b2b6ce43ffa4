// Powers of colours against those of the standard library.
#include "grade/powers.h"

#include <cmath>
#include <gtest/gtest.h>
#include <limits>
#include <vector>

namespace stage::grade::powers_test {

TEST(Powers, AreThoseOfTheStandardLibrary) {
    const Powers powers{{0.45f, 1.06f, 3}, {1, 0.9f, 12}};
    for (const std::size_t pixels : {1u, 2u, 3u, 4u, 5u, 401u}) {
        std::vector<float> rgba;
        for (std::size_t i = 0; i < 4 * pixels; ++i)
            rgba.push_back(static_cast<float>(std::exp2(static_cast<double>(i * 7919 % 1009) / 40 - 16)));
        std::vector<float> raised = rgba;
        raise(powers, raised.data(), pixels);
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
    raise({{2, 2, 2}, {3, 3, 3}}, rgba.data(), 2);
    EXPECT_EQ(std::vector<float>(rgba.begin(), rgba.begin() + 4),
              std::vector<float>({-0.5f, 0, -1e-30f, -2}));
    EXPECT_TRUE(std::isnan(rgba[4]));
    EXPECT_GT(rgba[5], 1e30f);
    EXPECT_EQ(rgba[6], -endless);
    EXPECT_EQ(rgba[7], 1);
}

}
