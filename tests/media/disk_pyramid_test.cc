// Which of the large pictures that lie on disk are kept.
#include "media/disk_pyramid.h"
#include "media/raster.h"

#include <gtest/gtest.h>
#include <map>

namespace stage::media {
namespace {

constexpr V2i size(64, 32);
/// Levels of 64 x 32 down to 1 x 1, four halves a texel.
constexpr std::int64_t pictureBytes = 8 * (64 * 32 + 32 * 16 + 16 * 8 + 8 * 4 + 4 * 2 + 2 * 1 + 1);

/// Uses pictures by number and counts how often each had to be read.
struct Reader {
    explicit Reader(std::optional<std::int64_t> most) : pyramids(most) {}
    /// The grey that the picture has on disk.
    float use(int n) {
        const auto pyramid =
            pyramids.of("key " + std::to_string(n), "picture " + std::to_string(n), size,
                        [&](const TakeStrip& take) -> Result<void> {
                            ++reads[n];
                            Raster strip(size);
                            std::fill(strip.rgba.begin(), strip.rgba.end(), Imath::half(float(n)));
                            take(0, strip);
                            return {};
                        });
        if (!pyramid) return -1;
        const auto read = (*pyramid)->read(0, {5, 5, 6, 6});
        return read ? float(read->row(0)[0]) : -1;
    }
    DiskPyramids pyramids;
    std::map<int, int> reads;
};

TEST(DiskPyramids, ManyStayWhereThereIsRoom) {
    Reader reader(std::nullopt);
    for (int round = 0; round < 3; ++round)
        for (int n = 1; n <= 40; ++n)
            EXPECT_EQ(reader.use(n), float(n));
    for (const auto& [n, count] : reader.reads)
        EXPECT_EQ(count, 1) << n;
}

TEST(DiskPyramids, TheOneUsedLeastRecentlyMakesRoom) {
    Reader reader(3 * pictureBytes + pictureBytes / 2);
    for (const int n : {1, 2, 3, 1, 4, 1, 3, 4})
        EXPECT_EQ(reader.use(n), float(n));
    EXPECT_EQ(reader.reads, (std::map<int, int>{{1, 1}, {2, 1}, {3, 1}, {4, 1}}));
    EXPECT_EQ(reader.use(2), 2.f); // had gone for 4; 1 goes for it
    EXPECT_EQ(reader.use(4), 4.f);
    EXPECT_EQ(reader.use(1), 1.f);
    EXPECT_EQ(reader.reads, (std::map<int, int>{{1, 2}, {2, 2}, {3, 1}, {4, 1}}));
}

TEST(DiskPyramids, AnOlderStateOfAFileIsNotKept) {
    DiskPyramids pyramids;
    std::weak_ptr<const DiskPyramid> older;
    const auto of = [&](const char* key) {
        return *pyramids.of(key, "one file", size, [](const TakeStrip& take) -> Result<void> {
            take(0, Raster(size));
            return {};
        });
    };
    older = of("before");
    EXPECT_FALSE(older.expired());
    of("after");
    EXPECT_TRUE(older.expired());
}

}
}
