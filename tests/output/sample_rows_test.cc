// Rows of samples against the plain arithmetic that their kernels stand for.
#include "output/sample_rows.h"

#include <gtest/gtest.h>
#include <random>
#include <vector>

namespace {

using namespace stage::output;

template <class Sample> std::vector<Sample> random(int count) {
    std::mt19937 from(static_cast<unsigned>(count));
    std::vector<Sample> values(static_cast<std::size_t>(count));
    for (Sample& value : values)
        value = static_cast<Sample>(from());
    return values;
}
constexpr int after = 7; ///< samples past the end, which stay

template <class Sample> void expectSplit(int count) {
    const auto rgba = random<Sample>(4 * count);
    std::vector<Sample> rows[3];
    for (auto& row : rows)
        row.assign(static_cast<std::size_t>(count + after), Sample(77));
    splitColours(rgba.data(), count, rows[0].data(), rows[1].data(), rows[2].data());
    for (std::size_t c = 0; c < 3; ++c)
        for (std::size_t x = 0; x < rows[c].size(); ++x)
            ASSERT_EQ(rows[c][x], static_cast<int>(x) < count ? rgba[4 * x + c] : 77) << count;
}

TEST(SampleRows, ColoursAreSplitWhateverTheWidth) {
    for (int count = 0; count < 200; ++count) {
        expectSplit<std::uint8_t>(count);
        expectSplit<std::uint16_t>(count);
    }
}

TEST(SampleRows, DifferencesAreThoseToTheLeftNeighbour) {
    for (int count = 0; count < 100; ++count)
        for (const std::size_t channels : {3u, 4u}) {
            const auto rgba = random<std::uint8_t>(4 * count);
            const std::size_t all = channels * static_cast<std::size_t>(count);
            std::vector<std::uint8_t> out(all + after, 77);
            differencesAlong(rgba.data(), count, static_cast<int>(channels), out.data());
            for (std::size_t n = 0; n < all; ++n) {
                const std::size_t x = n / channels, c = n % channels;
                const int left = x > 0 ? rgba[4 * (x - 1) + c] : 0;
                ASSERT_EQ(out[n], (rgba[4 * x + c] - left + 256) % 256) << count;
            }
            for (std::size_t n = all; n < out.size(); ++n)
                ASSERT_EQ(out[n], 77) << count;
        }
}

}
