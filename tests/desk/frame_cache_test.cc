// The pictures kept for playing: which go, which are wanted.
#include "desk/jobs/frame_cache.h"

#include <gtest/gtest.h>

namespace stage::desk {
namespace {

QImage picture() {
    return {16, 16, QImage::Format_ARGB32_Premultiplied}; // 1024 bytes
}

TEST(FrameCache, WantsWhatIsPlayedNextAndGoesRound) {
    FrameCache cache;
    cache.setRange(10, 14);
    cache.setPlayhead(13);
    std::vector<std::int64_t> order;
    while (const auto frame = cache.wanted(1024)) {
        order.push_back(*frame);
        cache.keep(*frame, picture());
    }
    EXPECT_EQ(order, (std::vector<std::int64_t>{13, 14, 10, 11, 12}));
    EXPECT_EQ(cache.bytes(), 5u * 1024);
}

TEST(FrameCache, StaysWithinItsBudgetAndDropsWhatIsWantedLast) {
    FrameCache cache;
    cache.setBudget(3 * 1024);
    cache.setRange(0, 9);
    for (std::int64_t f = 0; f < 10; ++f)
        cache.keep(f, picture());
    EXPECT_EQ(cache.count(), 3);
    EXPECT_LE(cache.bytes(), 3u * 1024);
    EXPECT_TRUE(cache.find(0));
    // The playhead has gone on: what was played goes, what comes next is wanted, and no more than fits.
    cache.setPlayhead(5);
    std::vector<std::int64_t> order;
    while (const auto frame = cache.wanted(1024)) {
        order.push_back(*frame);
        cache.keep(*frame, picture());
        ASSERT_LT(order.size(), 20u);
    }
    EXPECT_EQ(order, (std::vector<std::int64_t>{5, 6, 7}));
    EXPECT_FALSE(cache.find(0));
    EXPECT_TRUE(cache.find(7));
}

TEST(FrameCache, CoarseOnesServeUntilThereIsABetterOne) {
    FrameCache cache;
    cache.setRange(0, 2);
    cache.keep(0, picture(), true);
    cache.keep(1, picture());
    EXPECT_FALSE(cache.find(0));
    EXPECT_TRUE(cache.findCoarse(0));
    EXPECT_TRUE(cache.findCoarse(1));
    EXPECT_EQ(cache.count(), 1);
    EXPECT_EQ(cache.runs(), (std::vector<std::pair<std::int64_t, std::int64_t>>{{1, 1}}));
    EXPECT_EQ(cache.wanted(1024), 0);
    cache.keep(1, picture(), true); // not in place of a better one
    EXPECT_TRUE(cache.find(1));
    cache.keep(0, picture());
    EXPECT_TRUE(cache.find(0));
    EXPECT_EQ(cache.wanted(1024), 2);
    EXPECT_EQ(cache.bytes(), 2u * 1024);
}

TEST(FrameCache, FramesOutsideTheRangeGoFirst) {
    FrameCache cache;
    cache.setBudget(3 * 1024);
    cache.setRange(0, 99);
    for (const std::int64_t f : {50, 51, 52})
        cache.keep(f, picture());
    cache.setRange(51, 60);
    cache.setPlayhead(51);
    cache.keep(53, picture());
    EXPECT_FALSE(cache.find(50));
    EXPECT_TRUE(cache.find(51));
    cache.setBudget(1);
    EXPECT_EQ(cache.count(), 1); // one is always there
    cache.clear();
    EXPECT_EQ(cache.bytes(), 0u);
}

}
}
